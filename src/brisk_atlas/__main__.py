"""`python -m brisk_atlas` is the same as the installed `brisk-atlas`."""

import sys

from brisk_atlas.cli import main

if __name__ == "__main__":  # a child process imports this module and must not start a window
    sys.exit(main())
