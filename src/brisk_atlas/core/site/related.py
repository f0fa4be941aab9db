"""Which datasets of a catalogue belong with which, each with the reason."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations, islice

import numpy as np

from brisk_atlas.core.model.language import tr

from .key_samples import share_keys
from .site_entry import SiteEntry, folded

MOST_RELATED = 8
SAME_PLACE = 0.4  # of the area that both cover together, of that which either covers
BLOCK = 32  # datasets whose boxes are compared with all others at once: what comes of it stays in the cache of a core
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
    places, reason = _same_places(entries), tr("the same place")
    for of, with_ in list(ties.weights):
        if with_ in places[of]:
            ties.add(of, with_, PLACE * places[of][with_], reason)
    for of, others in enumerate(places):
        for with_, share in islice(others.items(), MOST_RELATED):
            ties.add(of, with_, PLACE * share, reason)
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
                ties.add(number, other, LINEAGE, tr("this was made from it"))
                ties.add(other, number, LINEAGE, tr("it was made from this"))
        for other in called.get(folded(entry.parent), ())[:MANY] if entry.parent else ():
            ties.add(number, other, LINEAGE, tr("this is a part of it"))
            ties.add(other, number, LINEAGE, tr("it is a part of this"))


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
                ties.add(a, b, KEYS, tr("the same values in {field}", field=one.field))
                ties.add(b, a, KEYS, tr("the same values in {field}", field=other.field))


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
                ties.add(a, b, THEME, tr("the theme {theme}", theme=shown[word]))
                ties.add(b, a, THEME, tr("the theme {theme}", theme=shown[word]))


def _same_places(entries: Sequence[SiteEntry]) -> list[dict[int, float]]:
    """Return for each dataset those whose box is nearly the same, with the share of the area that both cover, the
    nearest first, at most MANY. A box without an area, or across 180 degrees, is near none."""
    found: list[dict[int, float]] = [{} for _ in entries]
    boxes = np.array([entry.boxes[0] if entry.boxes else (np.nan,) * 4 for entry in entries]).reshape(-1, 4)
    placed = np.flatnonzero((boxes[:, 2] > boxes[:, 0]) & (boxes[:, 3] > boxes[:, 1]))
    for start in range(0, placed.size, BLOCK):
        rows = placed[start : start + BLOCK]
        shares = _shared_area(boxes[rows], boxes[placed])
        for row, share in zip(rows.tolist(), shares):
            near = np.flatnonzero((share >= SAME_PLACE) & (placed != row))
            if near.size > MANY:
                near = np.sort(near[np.argpartition(-share[near], MANY)[:MANY]])
            near = near[np.argsort(-share[near], kind="stable")]
            found[row] = dict(zip(placed[near].tolist(), share[near].tolist()))
    return found


def _shared_area(some: np.ndarray, all_: np.ndarray) -> np.ndarray:
    """Return (some, all) the share of the area that either of two boxes covers which both cover."""
    west, south, east, north = (all_[:, side][None] for side in range(4))
    w, s, e, n = (some[:, side][:, None] for side in range(4))
    both = np.clip(np.minimum(east, e) - np.maximum(west, w), 0, None)
    both *= np.clip(np.minimum(north, n) - np.maximum(south, s), 0, None)
    return both / ((east - west) * (north - south) + (e - w) * (n - s) - both)
