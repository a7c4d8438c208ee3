"""A drag step on Tune: how long until it is computed and until it is painted (400 speeds, draft and all figures)."""

from __future__ import annotations

import os
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

STEPS = 300
COMPUTE_TARGET_MS, PAINT_TARGET_MS, BAND_TARGET_MS = 16.0, 33.0, 100.0


def main() -> None:
    from crisp_hornet.bench.app import demo_bench, link_of, make_application, tear_down
    from crisp_hornet.bench.desk.desk import Desk
    from crisp_hornet.bench.window import Window

    app = make_application()
    with demo_bench() as (garage, simulated):
        desk, link = Desk(garage), link_of(garage)
        window = Window(desk, link, simulated=simulated)
        window.show()
        window.show_station("tune")
        app.processEvents()
        for weakening in (0.0, 20.0):
            desk.draft.change("drive.field_weakening_a", weakening)
            print(f"with {weakening:g} A of field weakening:")
            drag(desk, window, app)
        tear_down(app, window)


def drag(desk, window, app) -> None:
    """Drag the battery edge up and down, then let go a few times."""
    token = desk.draft.token()
    computed, painted = [], []
    for step in range(STEPS):
        begin = time.perf_counter()
        desk.draft.change("drive.battery_current_a", 20.0 + 0.5 * (step % 40) + 0.5 * (step // 40 % 2), token)
        computed.append(time.perf_counter() - begin)
        app.processEvents()  # paints what the change marked for painting: chart, rulers, cards, job line, words
        painted.append(time.perf_counter() - begin)
    chart, rested = window.stations["tune"].chart, []
    for step in range(24):
        desk.draft.change("drive.battery_current_a", 20.0 + step, token)
        begin = time.perf_counter()
        while chart.band is None:
            app.processEvents()
        rested.append(time.perf_counter() - begin)
    report("computed (whole page, figures, watch list)", computed, COMPUTE_TARGET_MS)
    report("painted", painted, PAINT_TARGET_MS)
    report("band shown after the hands rest", rested[4:], BAND_TARGET_MS)  # the first ones import what they need


def report(what: str, seconds: list[float], target_ms: float) -> None:
    ms = 1000 * np.array(seconds)
    p95 = float(np.percentile(ms, 95))
    print(f"{what:45s} median {np.median(ms):6.2f} ms   p95 {p95:6.2f} ms   p95/target {p95 / target_ms:5.2f}")


if __name__ == "__main__":
    main()
