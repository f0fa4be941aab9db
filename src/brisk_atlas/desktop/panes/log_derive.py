"""Quantities of boreholes that are worked out from those that were measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session
from .log_shows import ShowsHoles

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleCurve
    from brisk_atlas.core.strip.holes.read_hole import HoleData


class LogDerive:
    """Asks, runs the work, and shows what came of it."""

    def __init__(self, session: Session, pane: ShowsHoles) -> None:
        self.session, self.pane = session, pane

    @property
    def _parent(self) -> QWidget:
        return self.pane.canvas

    def fill_menu(self, menu: QMenu) -> None:
        """Offer what can be worked out of the curves on show."""
        template = self.pane.template
        if template is None:
            return
        menu.addSeparator()
        menu.addAction(tr("Work out a curve…"), self.ask_expression)
        for name in (curve.name for track in template.tracks for curve in track.curves):
            below = menu.addMenu(tr("From {name}", name=name))
            assert below is not None
            below.addAction(tr("Without spikes"), partial(self.add_despiked, name))
            below.addAction(tr("On other steps…"), partial(self.ask_step, name))
            below.addAction(tr("Net of gross over a cut-off…"), partial(self.ask_net, name))
        menu.addAction(tr("Compare rocks with the curves"), self.compare_rocks)

    def ask_expression(self) -> None:
        """Ask for an expression over the curves, and draw it."""
        words = tr(
            "Name [unit] = an expression over curves and depth_m, in SQL, such as  phi [%] = (2.65 - RHOB) / 0.0165"
        )
        text, chosen = QInputDialog.getText(self._parent, tr("Work out a curve"), words)
        name, _, expression = text.partition("=")
        plain, _, unit = name.partition("[")
        if chosen and plain.strip() and expression.strip():
            self.add_expression(plain.strip(), expression.strip(), unit.replace("]", "").strip())

    def add_expression(self, name: str, expression: str, unit: str = "") -> None:
        """Work out a curve of each hole on show, and draw it."""
        from brisk_atlas.core.strip.holes.derive import expression_curve

        self._derive(name, lambda data, job: expression_curve(data, name, expression, unit, job.check))

    def add_despiked(self, name: str) -> None:
        """Draw a curve without its spikes."""
        from brisk_atlas.core.strip.holes.derive import without_spikes

        self._derive_from(name, tr("{name} without spikes", name=name), without_spikes)

    def ask_step(self, name: str) -> None:
        """Ask for a step, and draw a curve on it."""
        step, chosen = QInputDialog.getDouble(
            self._parent, tr("Other steps"), tr("{name} on steps of so many metres", name=name), 1.0, 0.001, 1000.0, 3
        )
        if chosen:
            self.add_resampled(name, step)

    def add_resampled(self, name: str, step: float) -> None:
        """Draw a curve on other steps."""
        from brisk_atlas.core.strip.holes.derive import resampled

        self._derive_from(
            name, tr("{name} each {step:g} m", name=name, step=step), lambda curve: resampled(curve, step)
        )

    def _derive_from(self, name: str, new: str, make: Callable[[HoleCurve], HoleCurve]) -> None:
        def of(data: HoleData, job: Job) -> HoleCurve | None:
            curve = data.curve(name)
            return make(curve) if curve is not None and curve.texts is None else None

        self._derive(new, of)

    def _derive(self, name: str, make: Callable[[HoleData, Job], HoleCurve | None]) -> None:
        shown = self.pane.content.shown()

        def work(job: Job) -> list[HoleCurve | None]:
            return [make(data, job) for data in shown]

        def done(found: list[HoleCurve | None]) -> None:
            for data, curve in zip(shown, found):
                if curve is not None:
                    others = tuple(each for each in data.curves if each.name != name)
                    self.pane.content.data[data.hole.name] = replace(data, curves=(*others, curve))
            if name not in self.pane.drawn():
                self.pane.turn(name, True)
            else:
                self.pane.show_again()

        def failed(error: BaseException) -> None:
            if isinstance(error, AtlasError):
                self.session.noticed.emit("caution", str(error), "")
            else:
                self.session.fault(error)

        self.session.run(tr("Working out {name}", name=name), work, done, failed=failed)

    def ask_net(self, name: str) -> None:
        """Ask for a cut-off, and state how much of what is in sight lies beyond it."""
        data = self.pane.first
        curve = data.curve(name) if data is not None else None
        if data is None or curve is None:
            return
        words = tr(
            "How much of what is in sight has {name} of at least so many {unit}?", name=name, unit=curve.unit or "units"
        )
        cut_off, chosen = QInputDialog.getDouble(
            self._parent, tr("Net of gross"), words, float(np.nanmedian(curve.values)), -1e9, 1e9, 4
        )
        if chosen:
            self.show_net(name, cut_off)

    def show_net(self, name: str, cut_off: float) -> None:
        """State how much of what is in sight lies at or above a cut-off."""
        from brisk_atlas.core.strip.holes.derive import net_of_gross

        data = self.pane.first
        curve = data.curve(name) if data is not None else None
        if data is None or curve is None:
            return
        top, base = self.pane.sight_measured(data)
        top, base = max(top, 0.0), min(base, data.depth_range[1])
        found = net_of_gross(curve, cut_off, top, base)
        mean = f"{grouped(found.mean, ',.4g')} {curve.unit}".strip()
        about = tr(
            "{unknown:,.1f} m have no value; the mean of what lies beyond is {mean}.", unknown=found.unknown, mean=mean
        )
        words = tr(
            "{name}, {top:,.1f} to {base:,.1f} m: {net:,.1f} of {gross:,.1f} m",
            name=data.hole.name,
            top=top,
            base=base,
            net=found.net,
            gross=found.gross,
        )
        self.session.noticed.emit(
            "good",
            tr(
                "{words} have {name} ≥ {cut_off:g} {unit} ({share:.1%})",
                words=words,
                name=name,
                cut_off=cut_off,
                unit=curve.unit,
                share=found.share,
            ),
            about,
        )

    def compare_rocks(self) -> None:
        """Report the intervals whose values look more like those of another rock."""
        from brisk_atlas.core.strip.holes.tracks import TrackKind

        data, template = self.pane.first, self.pane.template
        if data is None or template is None:
            return
        named = next((track.name for track in template.tracks if track.kind is TrackKind.ROCKS), None)
        rocks = next((each for each in data.intervals if each.name == named), None)
        names = [curve.name for track in template.tracks for curve in track.curves]
        if rocks is None or not names:
            self.session.noticed.emit(
                "caution", tr("A track of rocks and a curve are needed"), tr("Add them under Quantities.")
            )
            return

        def work(job: Job) -> tuple:
            from brisk_atlas.core.strip.holes.derive import doubtful_rocks

            return doubtful_rocks(data, rocks, names)

        def done(found: tuple) -> None:
            lines = [
                tr(
                    "{top:g} to {base:g} m: {stated}, {share:.0%} of its values look like {looks_like}",
                    top=d.top,
                    base=d.base,
                    stated=d.stated,
                    share=d.share,
                    looks_like=d.looks_like,
                )
                for d in found
            ]
            count = tr(
                "{count} of {count2} intervals look like another rock by {names}",
                count=len(found),
                count2=len(rocks.values),
                names=", ".join(names),
            )
            self.session.noticed.emit(
                "good" if not found else "caution", f"{data.hole.name}: {count}", "\n".join(lines)
            )

        self.session.run(tr("Comparing rocks with the logs"), work, done)
