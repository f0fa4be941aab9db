"""`python -m brisk_atlas` is the same as the installed `brisk-atlas`."""

import sys

from brisk_atlas.cli import main

sys.exit(main())
