"""From the start of the interpreter to a window that is painted and takes input, against importing what it is made of alone.

The garage is there already, with the demo's bike and ride in it: as on any day but the first.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from bench_verdict import timed

TIMES = 9
TARGET = 2.0
IMPORTS = "import PyQt6.QtWidgets, pyqtgraph, numpy"
WINDOW = """
import os, sys
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from pathlib import Path
from crisp_hornet.bench.app import link_of, make_application
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.window import Window
from crisp_hornet.garage.garage import Garage
app = make_application()
garage = Garage(Path(sys.argv[1]))
window = Window(Desk(garage), link_of(garage))
window.show()
app.processEvents()
assert not window.grab().isNull()
os._exit(0)
"""


def main() -> None:
    from crisp_hornet.demo.garage import demo_garage

    with tempfile.TemporaryDirectory() as folder:
        demo_garage(Path(folder) / "garage").close()
        imports, window = [], []
        for _ in range(TIMES):  # in turns: the machine is not always equally fast
            imports.append(timed(lambda: run(IMPORTS)))
            window.append(timed(lambda: run(WINDOW, f"{folder}/garage")))
    ratio = float(np.median(np.array(window) / np.array(imports)))
    print(f"imports {min(imports):.2f} s, first usable window {min(window):.2f} s: {ratio:.2f} x (target {TARGET:g})")


def run(code: str, *arguments: str) -> None:
    subprocess.run([sys.executable, "-c", code, *arguments], check=True, capture_output=True)


if __name__ == "__main__":
    main()
