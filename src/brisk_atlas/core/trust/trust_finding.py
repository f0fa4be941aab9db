"""What a look at data found: one finding a fault, with its rows and places, and all that was looked for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np

from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.record.checks import SEVERITIES, Severity
from brisk_atlas.core.record.model import QualityResult

from .names_of_tests import name_of_test

MOST_PLACES = 2_000  # of one finding
NO_ROWS, NO_PLACES = np.empty(0, np.int64), np.empty((0, 2))


@dataclass(frozen=True, eq=False)
class TrustFinding:
    """Something wrong or strange in data.

    Attributes
    ----------
    severity : how much it matters
    test : what was looked for, such as "valid geometry"; one word a test, so that reports can be compared
    text : what was found, in a sentence
    quality : the kind of test of ISO 19157, a value of the code list "quality"
    count : how many things are so; `of` how many were looked at, in `unit`
    rows : (n,) int64, numbers of the rows that are so; empty for what is none of rows
    places : (n, 2) float64, where, in the CRS of the data; the first of many
    """

    severity: Severity
    test: str
    text: str
    quality: str
    count: int
    of: int
    unit: str
    rows: np.ndarray = field(default_factory=lambda: NO_ROWS)
    places: np.ndarray = field(default_factory=lambda: NO_PLACES)

    @property
    def line(self) -> str:
        """How much it matters, and what was found."""
        match self.severity:
            case Severity.FAULT:
                return tr("fault: {text}", text=self.text)
            case Severity.CAUTION:
                return tr("caution: {text}", text=self.text)
            case Severity.NOTE:
                return tr("note: {text}", text=self.text)

    def as_json(self) -> dict[str, Any]:
        """Return it as JSON holds it."""
        return {
            "severity": self.severity.value,
            "test": self.test,
            "text": self.text,
            "quality": self.quality,
            "count": self.count,
            "of": self.of,
            "unit": self.unit,
            "rows": self.rows[:MOST_PLACES].tolist(),
            "places": self.places[:MOST_PLACES].tolist(),
        }

    def as_quality(self, day: str, method: str) -> QualityResult:
        """Return it as a result of a record: a figure of how many, and the report in words."""
        return QualityResult(
            kind=self.quality,
            measure=f"{self.test}: how many {self.unit} are not so",
            method=method,
            report=self.text,
            day=day,
            value=str(self.count),
            unit=self.unit,
        )


@dataclass(frozen=True, eq=False)
class TrustReport:
    """What was looked for in a dataset, and what was found, the worst first. `sampled` says in words what part of the
    data was looked at, "" for all."""

    name: str
    findings: tuple[TrustFinding, ...]
    tests: tuple[str, ...]
    sampled: str = ""

    @staticmethod
    def of(name: str, findings: Iterable[TrustFinding], tests: Iterable[str], sampled: str = "") -> TrustReport:
        """Return the report, its findings in order."""
        ordered = sorted(findings, key=lambda each: (SEVERITIES.index(each.severity), each.test, -each.count))
        return TrustReport(name, tuple(ordered), tuple(tests), sampled)

    @property
    def summary(self) -> str:
        """How many findings there are, in words."""
        return summary_of(self.findings)

    @property
    def passed(self) -> tuple[str, ...]:
        """The tests that found nothing."""
        found = {each.test for each in self.findings}
        return tuple(test for test in self.tests if test not in found)

    def lines(self) -> list[str]:
        """Return it in words, a line each."""
        head = [f"{self.name}: {self.summary}", *([self.sampled] if self.sampled else [])]
        found = [each.line for each in self.findings]
        passed = ", ".join(map(name_of_test, self.passed))
        return [*head, *found, *([tr("in order: {passed}", passed=passed)] if passed else [])]

    def as_json(self) -> dict[str, Any]:
        """Return it as JSON holds it."""
        return {
            "name": self.name,
            "sampled": self.sampled,
            "findings": [each.as_json() for each in self.findings],
            "passed": list(self.passed),
        }

    def as_quality(self, day: date) -> tuple[QualityResult, ...]:
        """Return it as results of a record by ISO 19157."""
        method = f"computed; {self.sampled}" if self.sampled else "computed from all data"
        return tuple(each.as_quality(day.isoformat(), method) for each in self.findings)


def summary_of(findings: Iterable[TrustFinding]) -> str:
    """Return how many findings there are, by how much they matter.

    >>> summary_of([])
    'nothing found'
    """
    counts = dict.fromkeys(SEVERITIES, 0)
    for finding in findings:
        counts[finding.severity] += 1
    words = [_severity_text(severity, count) for severity, count in counts.items() if count]
    return ", ".join(words) or tr("nothing found")


def _severity_text(severity: Severity, count: int) -> str:
    match severity:
        case Severity.FAULT:
            return trn("{count} fault", "{count} faults", count)
        case Severity.CAUTION:
            return trn("{count} caution", "{count} cautions", count)
        case Severity.NOTE:
            return trn("{count} note", "{count} notes", count)


def rows_text(count: int) -> str:
    """Return how many rows.

    >>> rows_text(1), rows_text(1200)
    ('1 row', '1,200 rows')
    """
    return trn("{count:,} row", "{count:,} rows", count)


def cells_text(count: int) -> str:
    """Return how many cells."""
    return trn("{count:,} cell", "{count:,} cells", count)
