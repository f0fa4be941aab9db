"""Rows without geometry."""

from __future__ import annotations

from types import MappingProxyType
from typing import TYPE_CHECKING

from brisk_atlas.core.inspect.finding import Where
from brisk_atlas.core.inspect.statistics import StatisticsSummary, field_statistics, number_fields
from brisk_atlas.core.model import DataKind, Layer
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.table import rows_of

from .kind import Check, LayerKind, Piece, Report

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.trust import TrustReport


class TableKind(LayerKind):
    """A table: the map shows nothing of it, the sheet its rows."""

    kind = DataKind.TABLE
    formats = MappingProxyType({".csv": "CSV", ".xlsx": "XLSX", ".parquet": "Parquet"})

    def names(self, cache: DataCache, layer: Layer) -> list[str]:
        return number_fields(rows_of(cache, layer))

    def statistics(
        self, cache: DataCache, layer: Layer, name: str, where: Where | None, check: Check
    ) -> tuple[StatisticsSummary | None, str]:
        return field_statistics(cache, layer, name)

    def trust(self, cache: DataCache, layer: Layer, check: Check) -> TrustReport:
        from brisk_atlas.core.trust.reports import rows_report

        return rows_report(cache, layer, check)

    def export(self, cache: DataCache, layer: Layer, piece: Piece, report: Report) -> str:
        from brisk_atlas.core.handover import hand_over_table

        table = rows_of(cache, layer, lambda: report(0.0, tr("reading rows")))
        written = hand_over_table(table, piece.path, piece.format, piece.rows, piece.fields)
        return trn("{count:,} row", "{count:,} rows", written)
