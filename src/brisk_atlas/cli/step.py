"""`brisk-atlas step`: one step of recipes, from a dataset to a file."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep
from brisk_atlas.core.handover.run_recipe import RecipeRun, check_targets
from brisk_atlas.core.handover.sources import FileSources
from brisk_atlas.core.handover.steps import STEPS
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr

from .operation import add_settings, settings_given, shown_progress


def parser_of(word: str) -> argparse.ArgumentParser:
    """Return the parser of a step's arguments."""
    kind = STEPS[word]
    parser = argparse.ArgumentParser(
        prog=f"brisk-atlas step {word}", description=" ".join((kind.__doc__ or "").split())
    )
    parser.add_argument("source", help=tr("the dataset, its part behind #"))
    parser.add_argument("out", help=tr("the file to write; its ending is the format"))
    add_settings(parser, kind)
    return parser


def listing() -> str:
    """Return all steps with what they do."""
    lines = [tr("Usage: brisk-atlas step STEP SOURCE OUT [settings]; `brisk-atlas step STEP --help` explains one."), ""]
    steps = {word: kind for word, kind in STEPS.items() if word != "write"}
    lines += [f"  {word:<20}{' '.join((kind.__doc__ or '').split()).partition('. ')[0].rstrip('.')}."
              for word, kind in steps.items()]  # fmt: skip
    return "\n".join(lines)


def main(arguments: Sequence[str]) -> int:
    """Run a step; returns the exit code."""
    word = arguments[0] if arguments else ""
    if word in ("", "-h", "--help"):
        print(listing())
        return 0
    if word not in STEPS or word == "write":
        print(tr("{word}: there is no such step. `brisk-atlas step` lists them.", word=word), file=sys.stderr)
        return 1
    asked = parser_of(word).parse_args(arguments[1:])
    progress = shown_progress()
    try:
        step = RecipeStep.of(STEPS[word](**settings_given(STEPS[word], asked, ())))
        write = RecipeStep("write", {"path": asked.out})
        recipe = Recipe(word, (Branch("main", DataRef.typed(asked.source), (step, write)),))
        check_targets(recipe, ())
        with RecipeRun(recipe, FileSources(), check=lambda: progress(0.0, "")) as run:
            (done,) = run.write(progress)
    except AtlasError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        return 1
    for account in done.accounts:
        for text in account.warnings:
            print(f"{account.label}: {text}")
    for each in done.written:
        print(tr("Written: {path}, {words}", path=each.path, words=each.words))
    return 0
