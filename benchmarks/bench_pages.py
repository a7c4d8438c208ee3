"""A drag step on each Tune page: how long until it is computed and until it is painted, as ratios to the targets."""

from __future__ import annotations

import os
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from bench_tune import COMPUTE_TARGET_MS, PAINT_TARGET_MS, report

STEPS = 160
# page: (setting, low, high); what a hand drags there
DRAGS = {
    "Feel": [("throttle.share_50", 0.2, 0.6), ("throttle.ramp_s", 0.1, 1.5)],
    "Assist": [("assist.levels.3.multiplier", 2.0, 6.0), ("assist.smoothing_deg", 30.0, 270.0)],
    "Guards": [
        ("battery_guard.fade_start_v", 48.0, 56.0),
        ("heat_guard.motor_fade_start_c", 70.0, 120.0),
        ("regen.battery_current_a", 1.0, 11.0),
    ],
    "Modes": [("modes.1.phase_current_a", 20.0, 90.0)],
}  # fmt: skip


def main() -> None:
    from crisp_hornet.bench.app import demo_bench, link_of, make_application, tear_down
    from crisp_hornet.bench.desk.desk import Desk
    from crisp_hornet.bench.stations.tune.tune_page import PAGES
    from crisp_hornet.bench.window import Window

    app = make_application()
    with demo_bench() as (garage, simulated):
        desk, link = Desk(garage), link_of(garage)
        window = Window(desk, link, simulated=simulated)
        window.resize(1280, 800)
        window.show()
        window.show_station("tune")
        tune = window.stations["tune"]
        for kind in ("guest", "daily", "reverse"):
            tune.modes.add_mode(kind)
        desk.draft.change_many({"assist.levels.count": 12.0}, "levels")
        for page, settings in DRAGS.items():
            tune.show_page(PAGES.index(page))
            app.processEvents()
            for setting, low, high in settings:
                drag(desk, app, f"{page}, {setting}", setting, low, high)
        tear_down(app, window)


def drag(desk, app, what: str, setting: str, low: float, high: float) -> None:
    """Move a setting up and down in one gesture."""
    token, computed, painted = desk.draft.token(), [], []
    for step in range(STEPS):
        share = abs((step % 40) - 20) / 20
        begin = time.perf_counter()
        desk.draft.try_change(setting, low + share * (high - low) + 1e-4 * step, token)
        computed.append(time.perf_counter() - begin)
        app.processEvents()
        painted.append(time.perf_counter() - begin)
    report(f"{what}, computed", computed[20:], COMPUTE_TARGET_MS)
    report(f"{what}, painted", painted[20:], PAINT_TARGET_MS)


if __name__ == "__main__":
    main()
