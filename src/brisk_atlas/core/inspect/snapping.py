"""Finding the corner or the side of a neighbour that a hand means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brisk_atlas.core.model.shapes import Shapes

OTHERS = -1  # whose corners are those of another layer


@dataclass(frozen=True, eq=False)
class SnapTargets:
    """Corners and sides that a place near them is moved onto.

    corners : (n, 2); sides : (m, 2, 2), both in one CRS
    corner_rows, side_rows : (n,) and (m,) int64, the features that they are of
    """

    corners: np.ndarray
    sides: np.ndarray
    corner_rows: np.ndarray
    side_rows: np.ndarray

    @classmethod
    def none(cls) -> SnapTargets:
        """Return no targets."""
        nobody = np.zeros(0, np.int64)
        return cls(np.zeros((0, 2)), np.zeros((0, 2, 2)), nobody, nobody)

    @classmethod
    def of_path(cls, xy: np.ndarray, row: int, *, closed: bool) -> SnapTargets:
        """Return the corners and sides of a line of a feature, (n, 2)."""
        after = np.roll(xy, -1, axis=0) if closed else xy[1:]
        sides = np.stack([xy[: len(after)], after], axis=1) if len(xy) > 1 else np.zeros((0, 2, 2))
        return cls(xy, sides, np.full(len(xy), row), np.full(len(sides), row))

    @classmethod
    def of(cls, shapes: Shapes, rows: np.ndarray) -> SnapTargets:
        """Return the corners and sides of some features of another layer."""
        paths = [path for row in rows.tolist() for path in shapes.paths(row)]
        corners = np.concatenate(paths) if paths else np.zeros((0, 2))
        sides = [np.stack([path[:-1], path[1:]], axis=1) for path in paths if len(path) > 1]
        lines = np.concatenate(sides) if sides else np.zeros((0, 2, 2))
        return cls(corners, lines, np.full(len(corners), OTHERS), np.full(len(lines), OTHERS))

    def joined(self, other: SnapTargets) -> SnapTargets:
        """Return the targets of both."""
        return SnapTargets(
            np.concatenate([self.corners, other.corners]), np.concatenate([self.sides, other.sides]),
            np.concatenate([self.corner_rows, other.corner_rows]), np.concatenate([self.side_rows, other.side_rows]),
        )  # fmt: skip

    def nearest(self, x: float, y: float, reach: float, *, without: int | None = None) -> tuple[float, float] | None:
        """Return the nearest corner within reach, else the nearest place on a side, None without; those of the feature
        `without` are not looked at."""
        hand = np.array([x, y])
        corners = self.corners if without is None else self.corners[self.corner_rows != without]
        if len(corners):
            away = ((corners - hand) ** 2).sum(axis=1)
            if away.min() <= reach**2:
                return float(corners[away.argmin(), 0]), float(corners[away.argmin(), 1])
        sides = self.sides if without is None else self.sides[self.side_rows != without]
        if not len(sides):
            return None
        first, along = sides[:, 0], sides[:, 1] - sides[:, 0]
        length = np.maximum((along**2).sum(axis=1), 1e-300)
        share = np.clip(((hand - first) * along).sum(axis=1) / length, 0.0, 1.0)
        places = first + share[:, None] * along
        away = ((places - hand) ** 2).sum(axis=1)
        if away.min() > reach**2:
            return None
        return float(places[away.argmin(), 0]), float(places[away.argmin(), 1])
