"""The live scope: time of a frame with twelve channels over a full minute at 50 Hz, and memory over ten minutes of readings."""

from __future__ import annotations

import math
import os
import resource

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

CHANNELS, HZ, FRAMES = 12, 50, 200
FRAME_TARGET_MS, MINUTES = 16.0, 10


def main() -> None:
    from crisp_hornet.bench.app import make_application
    from crisp_hornet.bench.stations.calibrate.recording import Ring
    from crisp_hornet.bench.stations.calibrate.scope import Scope
    from crisp_hornet.bench.theme import LIGHT
    from crisp_hornet.link.contact import Live

    app = make_application()
    ring = Ring([f"channel_{index}" for index in range(CHANNELS)])
    scope = Scope(LIGHT, ring)
    scope.resize(900, 560)
    scope.show_channels(list(ring.names))
    scope.set_window(60.0)
    scope.show()
    app.processEvents()
    rng = np.random.default_rng(1)

    def reading(count: int) -> Live:
        noise = rng.normal(0, 0.1, CHANNELS)
        at = count / HZ
        return Live(at, {name: math.sin(at * (index + 1)) + noise[index] for index, name in enumerate(ring.names)})

    count = 0
    for _ in range(60 * HZ):
        ring.take(reading(count))
        count += 1
    frames = []
    for _ in range(FRAMES):
        ring.take(reading(count))
        count += 1
        scope.repaint()
        frames.append(scope.frame_ms)
    settled = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for step in range(MINUTES * 60 * HZ):
        ring.take(reading(count))
        count += 1
        if step % 25 == 0:
            scope.repaint()
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - settled
    median, p95 = float(np.median(frames)), float(np.percentile(frames, 95))
    print(
        f"frame of {CHANNELS} channels x 60 s at {HZ} Hz   median {median:6.2f} ms   p95 {p95:6.2f} ms   "
        f"median/target {median / FRAME_TARGET_MS:5.2f}"
    )
    print(f"{MINUTES} minutes of readings: memory grown by {grown} KiB")


if __name__ == "__main__":
    main()
