"""The report of a batch: one page that needs nothing else, or JSON."""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from brisk_atlas.core.model.page_templates import page_templates
from brisk_atlas.core.model.words import size_text
from brisk_atlas.core.system.atomic_write import write_whole

from .batch_task import DONE, FAILED, SKIPPED, TaskOutcome
from .recipe import Recipe

HERE = Path(__file__).parent


def totals(outcomes: Sequence[TaskOutcome]) -> dict[str, int]:
    """Return how many inputs ended in which way."""
    return {state: sum(each.state == state for each in outcomes) for state in (DONE, SKIPPED, FAILED)}


def report_json(recipe: Recipe, outcomes: Sequence[TaskOutcome], seconds: float) -> dict[str, Any]:
    """Return the report as JSON holds it."""
    return {
        "recipe": recipe.title,
        "version": recipe.version,
        "seconds": round(seconds, 3),
        "inputs": len(outcomes),
        "totals": totals(outcomes),
        "outcomes": [
            {"source": o.source, "state": o.state, "seconds": round(o.seconds, 3), "reason": o.reason,
             "warnings": o.warnings, "branches": o.branches}
            for o in outcomes
        ],
    }  # fmt: skip


def write_report(recipe: Recipe, outcomes: Sequence[TaskOutcome], seconds: float, path: Path) -> None:
    """Write the report as a page, or by the ending .json as JSON. Raises CannotWrite."""
    if path.suffix.lower() == ".json":
        text = json.dumps(report_json(recipe, outcomes, seconds), indent=2, ensure_ascii=False)
    else:
        text = _page(recipe, outcomes, seconds)
    write_whole(path, text.encode())


def _page(recipe: Recipe, outcomes: Sequence[TaskOutcome], seconds: float) -> str:
    sizes = {}
    for outcome in outcomes:
        for each in outcome.written:
            path = Path(each["path"])
            sizes[each["path"]] = size_text(path.stat().st_size) if path.is_file() else ""
    return page_templates(HERE).get_template("batch_report.html.jinja").render(
        recipe=recipe, outcomes=outcomes, totals=totals(outcomes), seconds=seconds, sizes=sizes,
        at=datetime.now().astimezone().strftime("%Y-%m-%d %H:%M %Z"), failed=FAILED,
        steps=[step for branch in recipe.branches for step in branch.steps],
    )  # fmt: skip
