"""What is here: probes, measures and statistics."""

from .cell import cell_values
from .feature import feature_finding, place_of, row_finding, vertex_readings
from .finding import ProbeResult, ProbeValue, Where
from .held import Compared, Held, as_rows, as_table, compare, spectra
from .picking import picked
from .statistics import StatisticsSummary, summarise

__all__ = [
    "Compared",
    "Held",
    "ProbeResult",
    "ProbeValue",
    "StatisticsSummary",
    "Where",
    "as_rows",
    "as_table",
    "cell_values",
    "compare",
    "feature_finding",
    "picked",
    "place_of",
    "row_finding",
    "spectra",
    "summarise",
    "vertex_readings",
]
