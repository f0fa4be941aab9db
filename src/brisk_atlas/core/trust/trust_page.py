"""What was found in data, as a page that needs nothing else."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.page_templates import page_templates
from brisk_atlas.core.record.values import meaning_of
from brisk_atlas.core.system.atomic_write import write_whole

from .names_of_tests import name_of_test
from .trust_finding import TrustReport

HERE = Path(__file__).parent


def write_trust_page(title: str, reports: Sequence[TrustReport], path: Path) -> None:
    """Write the reports on the layers of a dataset as a page; its rows are counted from 1. Raises CannotWrite."""
    templates = page_templates(HERE)
    templates.filters["number"] = lambda value: grouped(value, ",.2f") if abs(value) >= 1000 else f"{value:.6f}"
    templates.filters["name_of_test"] = name_of_test
    templates.filters["quality"] = lambda kind: meaning_of("quality", kind)
    text = templates.get_template("trust_page.html.jinja").render(
        title=title, reports=reports, severities={"fault": tr("fault"), "caution": tr("caution"), "note": tr("remark")},
        at=datetime.now().astimezone().strftime("%Y-%m-%d %H:%M %Z"),
    )  # fmt: skip
    write_whole(path, text.encode("utf-8", "replace"))
