"""The simulated bike with all that a workshop can do to it, without a line: what the stand-in's process holds, and what a trial rides."""

from __future__ import annotations

from collections.abc import Callable

from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.standin import journal as happened
from crisp_hornet.standin.acts import ACTS
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.display import Display
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.journal import Journal
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.sensors import Sensors, departed
from crisp_hornet.standin.trouble import Trouble
from crisp_hornet.standin.truth import true_bike

TURNING_MPS, ASKED = 1.0, 0.02
LASTING = ("charge", "slow_v", "winding_c", "housing_c", "sink_c", "used_ah")
STATE_ACTS: dict[str, Callable[[Workshop, str], str | None]] = {}  # what needs the whole of it; see :mod:`.snapshot`


class Workshop:
    """One bike, its controller and whoever holds it. ``at_key_on``: (seconds after power-on, act) that are due each time."""

    def __init__(self, bike: Bike, controller_map: ControllerMap, sensors_seed: int = 1) -> None:
        self.hands = Hands()
        self.bike = SimulatedBike(true_bike(bike))
        self.journal = Journal()
        sensors = Sensors(departed(sensors_seed))
        self.controller = SimulatedController(
            controller_map, self.bike, self.hands, sensors=sensors, journal=self.journal
        )
        self.trouble = Trouble()
        self.display = Display()
        self.at_key_on: list[tuple[float, str]] = []
        self._bms_openings = self._loops = 0

    def do(self, line: str) -> str:
        """Carry out one line of text and answer it."""
        word, _, rest = line.strip().partition(" ")
        try:
            return self._do(word, rest) or "ok"
        except (ValueError, OSError) as error:
            return f"no {error}"

    def _do(self, word: str, rest: str) -> str | None:
        if word in ACTS:
            return ACTS[word](self, rest)
        if word in STATE_ACTS:
            return STATE_ACTS[word](self, rest)
        self.hands.take(word, float(rest))
        return None

    def plug(self) -> str:
        """There is no lead."""
        raise ValueError("this bike has no line")

    def unplug(self) -> None:
        """There is no lead to pull."""

    def step(self, dt: float) -> None:
        """The bike goes on; what is due after power-on is done, and what can be seen is noted."""
        before_s = self.controller.seconds_on
        self.controller.step(dt)
        now_s, state = self.controller.seconds_on, self.bike.state
        for due_s, act in self.at_key_on:
            if before_s <= due_s < now_s:
                self.do(act)
        writes_s = self.display.writes_after_s
        if writes_s is not None and before_s <= writes_s < now_s:
            self.display_writes()
        if state.bms.openings > self._bms_openings:
            self._bms_openings = state.bms.openings
            self.journal.add(happened.BMS, state.bms.opened_by, after=round(state.bms.last_v, 1))
        if state.loops > self._loops:
            self._loops = state.loops
            self.journal.add(happened.LOOP)
        asked = self.hands.throttle > ASKED or self.hands.cadence_rpm > 0  # what creeps by itself was driven by nobody
        if asked and state.speed_mps > TURNING_MPS and state.iq > 1.0:
            self.journal.goes_on(happened.STAND if self.hands.wheel_up else happened.ROAD)

    def display_writes(self) -> None:
        """The display sends its figures to the controller, which keeps them."""
        for name, value in self.display.figures.items():
            register = self.controller.map.register(name)
            if register is not None:
                self.controller.put(register, register.encode(value))
                self.controller.kept[name] = self.controller.running[name]
