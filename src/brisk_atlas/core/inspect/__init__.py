"""What is here: probes and statistics."""

from .probe import Finding, Reading, cell_values, feature_finding, number_text, pick, probe
from .statistics import Summary, summarise

__all__ = [
    "Finding",
    "Reading",
    "Summary",
    "cell_values",
    "feature_finding",
    "number_text",
    "pick",
    "probe",
    "summarise",
]
