"""What can be done to data, for scripts: the operations of the core, by their names."""

from brisk_atlas.core.operations import *  # noqa: F403
from brisk_atlas.core.operations import __all__ as __all__
