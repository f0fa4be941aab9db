"""What is here: probes, measures and statistics."""

from .cell import cell_values
from .feature import feature_finding, place_of, row_finding, vertex_readings
from .finding import Finding, Reading, Where
from .held import Compared, Held, as_rows, as_table, compare, spectra
from .picking import picked
from .probe import probe, probe_all
from .statistics import Summary, names_of, statistics_of, summarise

__all__ = [
    "Compared",
    "Finding",
    "Held",
    "Reading",
    "Summary",
    "Where",
    "as_rows",
    "as_table",
    "cell_values",
    "compare",
    "feature_finding",
    "names_of",
    "picked",
    "place_of",
    "probe",
    "probe_all",
    "row_finding",
    "spectra",
    "statistics_of",
    "summarise",
    "vertex_readings",
]
