"""The manual page, and what a shell completes: made of the parsers, so that they say what the commands do."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

from brisk_atlas.core.operations import COMMANDS
from brisk_atlas.version import VERSION

from . import compare, depot, facts, record
from .operation import parser_of, summary_of
from .window_parser import window_parser

OTHERS = {
    "facts": "What datasets are.",
    "compare": "What differs between two deliveries.",
    "record": "Work on metadata records.",
    "step": "Do one step of a recipe.",
    "depot": "Share layers with colleagues and everybody.",
    "stand-in": "Offer a project on this machine as services would.",
    "console": "Python with a workspace and all operations at hand.",
    "compile": "Compile for this machine ahead of the first use.",
    "desktop": "Make the application known to the desktop.",
}


def manual_page() -> str:
    """Return the manual page, as roff."""
    lines = [
        f'.TH BRISK\\-ATLAS 1 "" "Brisk Atlas {VERSION}" "User commands"',
        ".SH NAME", "brisk\\-atlas \\- see what spatial data is, whether it can be trusted, and what changed",
        ".SH SYNOPSIS", ".B brisk\\-atlas", "[\\fIPATH\\fR ...]", ".br",
        ".B brisk\\-atlas", "\\fICOMMAND\\fR [\\fIARGUMENTS\\fR]",
        ".SH DESCRIPTION",
        _roff("Without a command the window opens on the datasets, the project or the link to a view that are given."),
        ".SH OPTIONS", *_options(window_parser()),
        ".SH COMMANDS", _roff("Each has its own help: brisk-atlas COMMAND --help."),
    ]  # fmt: skip
    for name, words in {**OTHERS, **{each: summary_of(each) for each in COMMANDS}}.items():
        lines += [".TP", f".B {_roff(name)}", _roff(words)]
    lines += [".SH ENVIRONMENT", ".TP", ".B BRISK_ATLAS_HOME", _roff("Puts all that is stored into one folder.")]
    return "\n".join(lines) + "\n"


def _options(parser: argparse.ArgumentParser) -> Iterator[str]:
    for action in parser._actions:
        if action.option_strings and action.help:
            value = f" \\fI{_roff(str(action.metavar or action.dest).upper())}\\fR" if action.nargs != 0 else ""
            names = ", ".join(f"\\fB{_roff(name)}\\fR" for name in action.option_strings)
            yield from (".TP", names + value, _roff(action.help))


def _roff(text: str) -> str:
    """Return a text as roff shows it."""
    plain = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{plain}" if plain.startswith((".", "'")) else plain


def bash_completion() -> str:
    """Return a script by which bash completes commands, their options, and files."""
    options = {name: _names(parser_of(name)) for name in COMMANDS}
    options |= {name: _names(module.parser()) for name, module in (("facts", facts), ("compare", compare))}
    words = {name: _subcommands(module.parser()) for name, module in (("record", record), ("depot", depot))}
    options |= words | {"desktop": ["install", "remove", "--prefix"]}
    cases = "\n".join(f"        {name}) words='{' '.join(each)}' ;;" for name, each in sorted(options.items()))
    first = " ".join([*OTHERS, *COMMANDS, *_names(window_parser())])
    return f"""# Completion of brisk-atlas for bash.
_brisk_atlas() {{
    local word=${{COMP_WORDS[COMP_CWORD]}} words=''
    if [ "$COMP_CWORD" -eq 1 ]; then
        words='{first}'
    else
        case ${{COMP_WORDS[1]}} in
{cases}
        esac
    fi
    COMPREPLY=($(compgen -W "$words" -- "$word"))
}}
complete -o default -F _brisk_atlas brisk-atlas
"""


def _names(parser: argparse.ArgumentParser) -> list[str]:
    return [name for action in parser._actions for name in action.option_strings if name.startswith("--")]


def _subcommands(parser: argparse.ArgumentParser) -> list[str]:
    return [
        name for action in parser._actions if isinstance(action, argparse._SubParsersAction) for name in action.choices
    ]
