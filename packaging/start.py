"""Where the bundled program begins."""

import multiprocessing
import sys

from crisp_hornet.cli import main

if __name__ == "__main__":
    multiprocessing.freeze_support()
    sys.exit(main())
