"""Which datasets of a catalogue belong with which, each with the reason."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from .key_samples import share_keys
from .site_entry import SiteEntry, folded

MOST_RELATED = 8
SAME_PLACE = 0.4  # of the area that both cover together, of that which either covers
COMMON = 0.2  # of all datasets: a keyword of more says little
MANY = 40  # datasets of one keyword or field name are compared with each other up to so many
LINEAGE, KEYS, THEME, PLACE = 8.0, 5.0, 1.5, 1.0


@dataclass(frozen=True)
class RelatedDataset:
    """Another dataset, and why it belongs here."""

    id: str
    reasons: tuple[str, ...]


@dataclass
class _Ties:
    """What speaks for two datasets belonging together, by their numbers, and how much that is."""

    weights: dict[tuple[int, int], float]
    reasons: dict[tuple[int, int], list[str]]

    def add(self, of: int, with_: int, weight: float, reason: str) -> None:
        pair = of, with_
        if of != with_ and reason not in self.reasons[pair]:
            self.weights[pair] += weight
            self.reasons[pair].append(reason)


def related_of(entries: Sequence[SiteEntry]) -> dict[str, tuple[RelatedDataset, ...]]:
    """Return what belongs with each dataset by its id, the closest first: what it was made from or is part of, what has
    the same keys, what speaks of the same rare theme, what lies at the same place beside that."""
    ties = _Ties(defaultdict(float), defaultdict(list))
    _lineage(entries, ties)
    _keys(entries, ties)
    _themes(entries, ties)
    places = _same_places(entries)
    for (of, with_), _ in list(ties.weights.items()):
        if with_ in places[of]:
            ties.add(of, with_, PLACE, "the same place")
    for of, others in enumerate(places):
        for with_ in list(others)[:MOST_RELATED]:
            ties.add(of, with_, PLACE, "the same place")
    found: dict[int, list[tuple[float, int]]] = defaultdict(list)
    for (of, with_), weight in ties.weights.items():
        found[of].append((-weight, with_))
    return {
        entry.id: tuple(
            RelatedDataset(entries[with_].id, tuple(ties.reasons[number, with_]))
            for _, with_ in sorted(found[number])[:MOST_RELATED]
        )
        for number, entry in enumerate(entries)
    }


def _lineage(entries: Sequence[SiteEntry], ties: _Ties) -> None:
    """Tie datasets to those that their records name as sources, as wholes or as belonging with them."""
    called: dict[str, list[int]] = defaultdict(list)
    for number, entry in enumerate(entries):
        for name in {entry.title, *entry.identifiers}:
            if name:
                called[folded(name)].append(number)
    for number, entry in enumerate(entries):
        for name in entry.made_from:
            for other in called.get(folded(name), ())[:MANY]:
                ties.add(number, other, LINEAGE, "this was made from it")
                ties.add(other, number, LINEAGE, "it was made from this")
        for other in called.get(folded(entry.parent), ())[:MANY] if entry.parent else ():
            ties.add(number, other, LINEAGE, "this is a part of it")
            ties.add(other, number, LINEAGE, "it is a part of this")


def _keys(entries: Sequence[SiteEntry], ties: _Ties) -> None:
    """Tie datasets that have the same keys in fields of the same name."""
    having: dict[str, list[tuple[int, int]]] = defaultdict(list)
    for number, entry in enumerate(entries):
        for place, key in enumerate(entry.keys):
            having[key.field.lower()].append((number, place))
    for those in having.values():
        for (a, i), (b, j) in combinations(those[:MANY], 2):
            one, other = entries[a].keys[i], entries[b].keys[j]
            if a != b and share_keys(one, other):
                ties.add(a, b, KEYS, f"the same values in {one.field}")
                ties.add(b, a, KEYS, f"the same values in {other.field}")


def _themes(entries: Sequence[SiteEntry], ties: _Ties) -> None:
    """Tie datasets with a keyword that few have."""
    speaking: dict[str, list[int]] = defaultdict(list)
    shown: dict[str, str] = {}
    for number, entry in enumerate(entries):
        for word in {*entry.themes, *entry.keywords}:
            speaking[folded(word)].append(number)
            shown.setdefault(folded(word), word)
    most = max(2.0, COMMON * len(entries))
    for word, those in speaking.items():
        if 2 <= len(those) <= min(most, MANY):
            for a, b in combinations(those, 2):
                ties.add(a, b, THEME, f"the theme {shown[word]}")
                ties.add(b, a, THEME, f"the theme {shown[word]}")


def _same_places(entries: Sequence[SiteEntry]) -> list[set[int]]:
    """Return for each dataset those whose box is nearly the same, at most MANY."""
    found: list[set[int]] = [set() for _ in entries]
    boxes = np.array([entry.boxes[0] if entry.boxes else (np.nan,) * 4 for entry in entries]).reshape(-1, 4)
    areas = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
    for number in _placed(boxes):
        w, s, e, n = boxes[number]
        wide = np.minimum(boxes[:, 2], e) - np.maximum(boxes[:, 0], w)
        high = np.minimum(boxes[:, 3], n) - np.maximum(boxes[:, 1], s)
        both = np.clip(wide, 0, None) * np.clip(high, 0, None)
        either = areas + areas[number] - both
        with np.errstate(invalid="ignore", divide="ignore"):
            share = np.where(either > 0, both / either, 0.0)
        share[number] = 0
        near = np.flatnonzero(share >= SAME_PLACE)
        found[number] = set(near[np.argsort(-share[near], kind="stable")][:MANY].tolist())
    return found


def _placed(boxes: np.ndarray) -> Iterator[int]:
    """Yield the numbers of boxes that have an area and do not cross 180 degrees."""
    yield from np.flatnonzero((boxes[:, 2] > boxes[:, 0]) & (boxes[:, 3] > boxes[:, 1])).tolist()
