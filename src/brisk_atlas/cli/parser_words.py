"""The words that `argparse` says by itself, in the language of the application."""

from __future__ import annotations

import gettext
import os

from brisk_atlas.core.model.language import CATALOGUES, DOMAIN, language_in_use, tr

WORDS = (  # as they stand in the library, which looks them up; here so that the catalogues have them
    tr("usage: "),
    tr("positional arguments"),
    tr("options"),
    tr("show this help message and exit"),
    tr("show program's version number and exit"),
    tr("%(prog)s: error: %(message)s\n"),
    tr("argument %(argument_name)s: %(message)s"),
    tr("expected one argument"),
    tr("expected at least one argument"),
    tr("expected at most one argument"),
    tr("the following arguments are required: %s"),
    tr("one of the arguments %s is required"),
    tr("not allowed with argument %s"),
    tr("unrecognized arguments: %s"),
    tr("ambiguous option: %(option)s could match %(matches)s"),
    tr("ignored explicit argument %r"),
    tr("invalid %(type)s value: %(value)r"),
    tr("invalid choice: %(value)r (choose from %(choices)s)"),
)


def speak() -> None:
    """Have parsers that are made from now on speak the language of the application."""
    language = language_in_use()
    if language != "en":
        os.environ["LANGUAGE"] = language  # by which the library of the standard finds a catalogue
        gettext.bindtextdomain(DOMAIN, str(CATALOGUES))
        gettext.textdomain(DOMAIN)
