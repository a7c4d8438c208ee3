"""Run the command line: ``python -m crisp_hornet``."""

from crisp_hornet.cli import main

raise SystemExit(main())
