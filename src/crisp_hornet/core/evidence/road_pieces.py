"""A ride cut into pieces in which nothing but motor, rider and road acts, and what each piece took and gave in joules.

Where a stretch was rolled out more than once its pieces are those between fixed places, so that what rises one way falls the other; all
others are some seconds long, and their rise is what the heights say.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K, MotorModel, electrical_speed
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.core.ride.gear import ratio_along
from crisp_hornet.core.ride.gps_delay import gps_shift
from crisp_hornet.core.ride.measured_pull import dq_currents
from crisp_hornet.core.ride.track import EARTH_M
from crisp_hornet.documents.bike import Bike

CHANNELS = (
    *("wheel_speed_kmh", "throttle", "battery_a", "pack_v", "phase_a", "d_axis_a", "brake", "human_nm", "cadence_rpm"),
    *("motor_rpm", "motor_c", "altitude_m", "lat_deg", "lon_deg"),
)
LEAST_KMH, SLOWEST_KMH = 7.0, 3.0
LEAST_S, PIECE_S, SHORTEST_S, SETTLE_S = 6.0, 15.0, 5.0, 0.8
LEAST_DROP_KMH, UNSEEN_DROP_KMH = 6.0, 15.0  # lost while rolling; where nobody logged whether somebody pedalled
FREE_A, FREE_NM, HARD_MPS2, SOFT_MPS2 = 1.5, 6.0, 1.2, 0.45  # what pushes or brakes more is no rolling
ALONG_DEG, ASIDE_M, BIN_M, MOST_TRIED = 20.0, 20.0, 25.0, 60
CHAIN = 0.97  # of a rider's power that the chain leaves
USUAL_WINDING_C = 40.0
SMOOTH_ROWS, HEIGHT_ROWS = 5, 11


@dataclass(frozen=True, eq=False)
class Pieces:
    """Each (n,): seconds, metres, half the change of speed squared (m²/s²), rise (m, NaN where unknown), energies at the motor (J):
    ``drawn_j`` from the pack without the controller's own draw, ``copper_j``, ``drag_j`` of iron and friction, ``human_j``; ``volt_s``;
    ``square`` of the speed (m²/s); ``air`` (n, 6): the integrals of v³, v²·north, v²·east, v·north², v·north·east, v·east² with the
    direction ridden; ``place``: which bin of
    the stretch, -1 elsewhere; ``way`` along it, +1 or -1; ``coasts``; ``began_s``."""

    seconds: Array
    metres: Array
    half_square: Array
    rise_m: Array
    drawn_j: Array
    copper_j: Array
    drag_j: Array
    human_j: Array
    volt_s: Array
    square: Array
    air: Array
    place: NDArray[np.intp]
    way: Array
    coasts: NDArray[np.bool_]
    began_s: Array

    def __len__(self) -> int:
        return len(self.seconds)


@dataclass(frozen=True, eq=False)
class Cut:
    """The pieces of a ride; ``runs`` that were rolled out; ``both_ways`` on one stretch; its direction (rad, NaN without); the mean and
    the number of rises across each bin of the stretch, (b,) each; whether directions and pedalling are known, and whether what the motor
    gave is."""

    pieces: Pieces
    runs: int
    both_ways: bool
    direction: float
    bin_rise_m: Array
    bin_rises: Array
    directed: bool
    pedalling: bool
    driven: bool

    def only(self, which: NDArray[np.bool_]) -> Cut:
        """With some of its pieces (n,) only."""
        kept = Pieces(*(getattr(self.pieces, field.name)[which] for field in fields(Pieces)))
        return replace(self, pieces=kept)


def cut(smooth: Ride, bike: Bike, stretch: float) -> Cut:
    """The pieces of a ride on the even clock; ``stretch``: metres really rolled for a metre that is shown."""
    along = _Along.of(smooth, bike, stretch)
    runs = _coasts(smooth, along)
    on_stretch, direction = _on_one_stretch(runs, along)
    ways = {way for _, way in on_stretch}
    both = len(ways) == 2
    ends: list[tuple[int, int, int, float, bool]] = []
    taken = np.zeros(len(smooth), bool)
    if both:
        ends += _by_place(on_stretch, along, direction)
        for run, _ in on_stretch:
            taken[run] = True
    free = along.usable & ~taken
    ends += [(*pair, -1, 1.0, coasting) for pair, coasting in _by_time(free, along.coasting)]
    pieces = along.pieces(ends)
    count = int(pieces.place.max()) + 1 if len(pieces) else 0
    known = (pieces.place >= 0) & np.isfinite(pieces.rise_m)
    rises = np.bincount(pieces.place[known], minlength=count).astype(float)
    sums = np.bincount(pieces.place[known], (pieces.way * pieces.rise_m)[known], count)
    return Cut(
        pieces, len(runs), both, direction, sums / np.maximum(rises, 1), rises, along.directed, along.pedalling, along.driven
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Along:
    """What is known at each row of the even clock, and running sums of it."""

    time_s: Array
    v: Array
    height_m: Array
    north: Array
    east: Array
    usable: NDArray[np.bool_]
    coasting: NDArray[np.bool_]
    directed: bool
    pedalling: bool
    driven: bool
    sums: dict[str, Array]

    @classmethod
    def of(cls, smooth: Ride, bike: Bike, stretch: float) -> _Along:
        v = stretch * smooth.get("wheel_speed_kmh") / 3.6
        north, east, directed = _places(smooth)
        heading = _headings(north, east) if directed else np.zeros(len(v))
        pedalling = smooth.has("human_nm") or smooth.has("cadence_rpm")
        drawn, copper, drag, driven = _motor_w(smooth, bike)
        human = CHAIN * np.nan_to_num(smooth.get("human_nm") * smooth.get("cadence_rpm")) * (2 * math.pi / 60)
        coasting = _coasting(smooth)
        usable = _usable(smooth, driven) & np.isfinite(drawn + copper + drag)
        if not driven:
            usable &= coasting
        cos, sin = np.cos(heading), np.sin(heading)
        held = {
            "metres": v, "drawn": drawn, "copper": copper, "drag": drag, "human": human, "volts": np.nan_to_num(smooth.get("pack_v")),
            "square": v**2, "air0": v**3,
            "air1": v**2 * cos, "air2": v**2 * sin, "air3": v * cos**2, "air4": v * cos * sin, "air5": v * sin**2,
        }  # fmt: skip
        sums = {
            name: np.concatenate(([0.0], np.cumsum(np.nan_to_num(values)) * STEP_S)) for name, values in held.items()
        }
        height = moving_mean(smooth.get("altitude_m"), HEIGHT_ROWS)
        return cls(
            smooth.time_s, moving_mean(v, SMOOTH_ROWS), height, north, east, usable, coasting, directed, pedalling, driven, sums
        )  # fmt: skip

    def pieces(self, ends: list[tuple[int, int, int, float, bool]]) -> Pieces:
        """The pieces from and to each pair of rows, at a place of the stretch (-1 elsewhere) and a way along it."""
        first, last, place = (np.array([end[at] for end in ends], dtype=np.intp) for at in range(3))
        way, coasts = np.array([end[3] for end in ends]), np.array([end[4] for end in ends], dtype=bool)
        part = {name: sums[last] - sums[first] for name, sums in self.sums.items()}
        return Pieces(
            STEP_S * (last - first).astype(float), part["metres"], (self.v[last] ** 2 - self.v[first] ** 2) / 2,
            self.height_m[last] - self.height_m[first],
            part["drawn"], part["copper"], part["drag"], part["human"], part["volts"], part["square"],
            np.column_stack([part[f"air{at}"] for at in range(6)]), place, way, coasts, self.time_s[first],
        )  # fmt: skip


def _places(ride: Ride) -> tuple[Array, Array, bool]:
    """Positions as metres north and east of the first (n,) each, straight between those known; and whether they are."""
    lat, lon = ride.get("lat_deg"), ride.get("lon_deg")
    good = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
    if good.size < 20:
        return lat, lon, False
    scale, rows = np.pi / 180 * EARTH_M, np.arange(len(lat))
    north = np.interp(rows, good, (lat[good] - lat[good[0]]) * scale)
    east = np.interp(rows, good, (lon[good] - lon[good[0]]) * scale * np.cos(np.radians(lat[good[0]])))
    shift = gps_shift(ride.get("wheel_speed_kmh"), _ground_kmh(ride, north, east), STEP_S)
    ahead = np.clip(rows - round(shift), 0, len(rows) - 1)
    return north[ahead], east[ahead], True


def _ground_kmh(ride: Ride, north: Array, east: Array) -> Array:
    """Speed over ground (n,), from GPS itself or from how its positions moved in a second."""
    if ride.has("gps_speed_kmh"):
        return ride.get("gps_speed_kmh")
    rows = round(1.0 / STEP_S)
    moved = np.hypot(north[rows:] - north[:-rows], east[rows:] - east[:-rows]) * 3.6
    found: Array = np.pad(moved, (rows // 2, rows - rows // 2), mode="edge")
    return found


def _headings(north: Array, east: Array) -> Array:
    """The direction ridden (rad from north, eastwards, (n,)) over six seconds about each row; the last one while it stands."""
    half = round(3.0 / STEP_S)
    ahead, behind = (
        np.minimum(np.arange(len(north)) + half, len(north) - 1),
        np.maximum(np.arange(len(north)) - half, 0),
    )
    moved_n, moved_e = north[ahead] - north[behind], east[ahead] - east[behind]
    moved = np.hypot(moved_n, moved_e) > 4.0
    last = np.maximum.accumulate(np.where(moved, np.arange(len(north)), 0))
    found: Array = np.arctan2(moved_e, moved_n)[last]
    return found


def _motor_w(ride: Ride, bike: Bike) -> tuple[Array, Array, Array, bool]:
    """(power from the pack without the controller's own draw, loss in copper, iron and friction), W (n,) each, and whether what the motor
    gives is known. Behind a freewheel that nobody drives, the motor takes nothing."""
    speed, motor, driven = ride.get("wheel_speed_kmh"), MotorModel.of(bike, 25.0), True
    ratio = ratio_along(ride, bike)
    omega = electrical_speed(bike, speed) / bike.drivetrain.ratio * ratio
    drag = np.nan_to_num(motor.drag_nm(omega)) * omega / motor.pole_pairs
    winding_c = ride.get("motor_c") if ride.has("motor_c") else np.full(len(ride), USUAL_WINDING_C)
    ohm = (
        motor.winding_ohm * (1 + COPPER_PER_K * (np.nan_to_num(winding_c, nan=USUAL_WINDING_C) - 25))
        + motor.controller_ohm
    )
    if ride.has("pack_v") and ride.has("battery_a"):
        drawn = ride.get("pack_v") * ride.get("battery_a") - bike.controller.idle_w
        square = ride.get("phase_a") ** 2 if ride.has("phase_a") else _square_by_power(drawn, omega, motor, ohm)
        copper = 1.5 * ohm * square
    elif ride.has("phase_a"):
        i_d, i_q = dq_currents(motor, ride)
        drawn, copper = motor.torque_nm(i_d, i_q) * omega / motor.pole_pairs, np.zeros(len(ride))
    else:
        drawn, copper, driven = np.zeros(len(ride)), np.zeros(len(ride)), False
    if bike.drivetrain.freewheel:
        idles = drawn - copper < drag + 5.0
        drawn, copper, drag = (np.where(idles, 0.0, one) for one in (drawn, copper, drag))
    return drawn, copper, drag, driven


def _square_by_power(drawn: Array, omega: Array, motor: MotorModel, ohm: Array) -> Array:
    """The square of the torque-making current (A²) by the motor's power balance, where no phase current was logged."""
    emf, spare = omega * motor.psi, drawn / 1.5
    i_q = 2 * spare / (emf + np.sqrt(np.maximum(emf**2 + 4 * ohm * spare, 1e-12)))
    found: Array = i_q**2
    return found


def _usable(ride: Ride, driven: bool) -> NDArray[np.bool_]:
    """Where only motor, rider and road act: nobody brakes, and what somebody pedals is known."""
    speed = ride.get("wheel_speed_kmh")
    closed = ~(ride.get("throttle") > 0.03) if ride.has("throttle") else np.zeros(len(ride), bool)
    with np.errstate(invalid="ignore"):
        gained = np.gradient(moving_mean(speed, 7) / 3.6, STEP_S)
        bad = (np.nan_to_num(ride.get("brake")) > 0) | (gained < -2 * HARD_MPS2) | ~(speed > SLOWEST_KMH)
        if not ride.has("brake"):  # a pad that nobody logged shows in how it slows down
            bad |= closed & (gained < -SOFT_MPS2)
        if not ride.has("human_nm"):
            bad |= ride.get("cadence_rpm") > 5
        elif not ride.has("cadence_rpm"):
            bad |= ride.get("human_nm") > FREE_NM / 2
    if driven and ride.has("pack_v"):
        bad |= ~np.isfinite(ride.get("pack_v") * ride.get("battery_a"))
    return _eroded(~bad)


def _coasting(ride: Ride) -> NDArray[np.bool_]:
    """Where nothing but the road acts."""
    speed = ride.get("wheel_speed_kmh")
    with np.errstate(invalid="ignore"):
        pushed = (np.nan_to_num(ride.get("throttle")) > 0.03) | (np.abs(np.nan_to_num(ride.get("battery_a"))) > FREE_A)
        pushed |= (np.nan_to_num(ride.get("brake")) > 0) | (np.nan_to_num(ride.get("human_nm")) > FREE_NM)
        if not ride.has("human_nm"):
            pushed |= np.nan_to_num(ride.get("cadence_rpm")) > 5
        gained = np.gradient(moving_mean(speed, 7) / 3.6, STEP_S)
        free: NDArray[np.bool_] = ~pushed & (speed > LEAST_KMH) & (gained > -HARD_MPS2) & (gained < 0.4)
    return free


def _eroded(where: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Without the first and last moments of each stretch."""
    kept: NDArray[np.bool_] = moving_mean(where.astype(float), 2 * round(SETTLE_S / STEP_S) + 1) > 0.999
    return kept


def _stretches(where: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate(([0], where.astype(int), [0]))))
    return list(zip(edges[::2].tolist(), (edges[1::2] - 1).tolist(), strict=True))


def _coasts(ride: Ride, along: _Along) -> list[slice]:
    """The runs that were rolled out: long enough, and slower in the end. Where nobody logged whether somebody pedalled, much slower."""
    drop = LEAST_DROP_KMH if along.pedalling else UNSEEN_DROP_KMH
    found = []
    for first, last in _stretches(_eroded(along.coasting)):
        speed = ride.get("wheel_speed_kmh")[first : last + 1]
        if (last - first) * STEP_S >= LEAST_S and speed[0] - speed[-1] >= drop:
            found.append(slice(first, last + 1))
    return found


def _on_one_stretch(runs: list[slice], along: _Along) -> tuple[list[tuple[slice, float]], float]:
    """The runs on one straight stretch, those of the run that most others lie on, each with its way (+1 or -1); and its direction (rad)."""
    if not along.directed or not runs:
        return [], math.nan
    first, last = ([run.start for run in runs], [run.stop - 1 for run in runs])
    n0, e0, n1, e1 = along.north[first], along.east[first], along.north[last], along.east[last]
    heading = np.arctan2(e1 - e0, n1 - n0)
    best: list[tuple[slice, float]] = []
    direction = math.nan
    for at in range(min(len(runs), MOST_TRIED)):
        cos, sin = math.cos(heading[at]), math.sin(heading[at])
        off = np.abs(np.degrees((heading - heading[at] + np.pi) % (2 * np.pi) - np.pi))
        aside = np.abs((((n0 + n1) - 2 * n0[at]) * sin - ((e0 + e1) - 2 * e0[at]) * cos) / 2)
        ends = np.array([(n - n0[at]) * cos + (e - e0[at]) * sin for n, e in ((n0, e0), (n1, e1))])
        overlaps = np.minimum(ends.max(axis=0), ends[1, at]) - np.maximum(ends.min(axis=0), 0.0) > BIN_M
        fits = ((off < ALONG_DEG) | (off > 180 - ALONG_DEG)) & (aside < ASIDE_M) & overlaps
        found = [(runs[one], 1.0 if off[one] < 90 else -1.0) for one in np.flatnonzero(fits).tolist()]
        if len({way for _, way in found}) > len({way for _, way in best}) or (
            len(found) > len(best) and len({way for _, way in found}) == len({way for _, way in best})
        ):
            best, direction = found, float(heading[at])
    return best, direction


def _by_place(
    runs: list[tuple[slice, float]], along: _Along, direction: float
) -> list[tuple[int, int, int, float, bool]]:
    """Pieces between fixed places of the stretch; positions wander, the wheel does not: each run lies where its positions say it does."""
    places = []
    for run, way in runs:
        rolled = way * along.sums["metres"][run]
        seen = along.north[run] * math.cos(direction) + along.east[run] * math.sin(direction)
        places.append(rolled + float(np.median(seen - rolled)))
    low = min(float(place.min()) for place in places)
    found = []
    for (run, way), place in zip(runs, places, strict=True):
        at = np.floor((place - low) / BIN_M).astype(int)
        changes = np.flatnonzero(np.diff(at)) + 1
        for first, last in zip(changes[:-1].tolist(), changes[1:].tolist(), strict=True):
            found.append((run.start + first, run.start + last, int(at[first]), way, True))
    return found


def _by_time(free: NDArray[np.bool_], coasting: NDArray[np.bool_]) -> list[tuple[tuple[int, int], bool]]:
    """Pieces of about :data:`PIECE_S`, and whether each was coasted through."""
    found = []
    for first, last in _stretches(free):
        lasts = (last - first) * STEP_S
        if lasts < SHORTEST_S:
            continue
        edges = np.linspace(first, last, max(round(lasts / PIECE_S), 1) + 1).astype(int).tolist()
        for start, end in pairwise(edges):
            found.append(((start, end), bool(coasting[start:end].all())))
    return found
