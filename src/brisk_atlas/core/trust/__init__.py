"""Whether data can be trusted: what is wrong, strange or missing in it, and where. Nothing is changed.

One file a kind of data: `features` and `fields` for rows, `cells` for grids, `clouds` for points.
"""

from .trust_finding import TrustFinding, TrustReport

__all__ = ["TrustFinding", "TrustReport"]
