"""Rolling and air resistance from the energy of a ride's pieces, with all that is not known beside them.

For each piece ``eff·(E − z·∫V − (1+c)·copper − (1+δ)·drag)·(1+κ) + (1+η)·rider + P·T = (1+μ)·(me·Δv²/2 + m·g·rise + crr·m·g·s) +
ρ·CdA/2·∫(v + w)²·v``. The wind w, the mass μ, the sensors' gains and zero κ and z, copper and drag of the motor c and δ, the wheel, what a
rider gave η and P, and the rise of each bin of a stretch ridden both ways are unknowns of their own, each with what is usually known of
it as its prior (Bayesian linear regression, A. Gelman et al., *Bayesian Data Analysis*, ch. 14, by Gauss-Newton). Neighbouring pieces may
err together: by how much that widens the errors is taken from clusters (Cameron, Miller, 2015).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.road_pieces import BIN_M, Cut
from crisp_hornet.core.road.vehicle import AIR_KGPM3, G_MPS2, coasting_mass_kg, effective_mass_kg
from crisp_hornet.documents.bike import Bike

CRR, CDA, WIND_N, WIND_E, GUST, MASS, DRAG, WHEEL, GAIN, ZERO, COPPER, RIDER, PEDALLED, HEIGHT = range(14)
USUAL_CRR, USUAL_CDA = (0.0115, 0.005), (0.65, 0.25)  # of such bikes with their riders: mean, standard deviation
WIND_MPS, AROUND_MPS = (
    2.5,
    1.0,
)  # of each component of the wind at a rider's height; of its mean over a ride's directions
GUSTS = (
    0.2,
    0.3,
)  # (m/s)² that gusts add to the square of the wind, at least; where directions are not known, the wind's own square too
ROUND_WIND = (1.5, 2.0)
GUST_S, SETTLES_PER_S = 4.0, 0.1  # how long a gust lasts; how fast a bike follows what pushes it
MASS_SPREAD, WEIGHED, DRAG_SPREAD, COPPER_SPREAD, EFFICIENCY_SPREAD = 0.04, 0.01, 0.25, 0.1, 0.013
PEDALLED_W = (30.0, 50.0)
GRADE_UNSEEN = 0.03
ROUNDS, LEAST_N, BLOCK_S, OUTLIER = 12, 0.8, 45.0, 2.5
SENSORS = (GAIN, ZERO, RIDER, HEIGHT)


@dataclass(frozen=True, eq=False)
class Balance:
    """The unknowns as the ride tells them (p,), in the order of the names above and then the grade of each bin; their covariance (p, p),
    with and without what the sensors are off by; standard deviations of their priors (p,); degrees of freedom."""

    values: Array
    covariance: Array
    without_sensors: Array
    prior: Array
    freedom: float

    def error(self, at: int) -> float:
        """Standard deviation of one value."""
        return math.sqrt(max(float(self.covariance[at, at]), 0.0))

    def combined(self, weights: Array) -> tuple[float, float]:
        """(value, standard deviation) of a weighted sum."""
        return float(weights @ self.values), math.sqrt(max(float(weights @ self.covariance @ weights), 0.0))

    def of_sensors(self, weights: Array) -> float:
        """The share of a weighted sum's variance that the sensors cause."""
        whole = float(weights @ self.covariance @ weights)
        return max(1 - float(weights @ self.without_sensors @ weights) / whole, 0.0) if whole > 0 else 0.0


def balanced(cut: Cut, bike: Bike, wheel_spread: float, zero_spread_a: float) -> Balance | None:
    """The unknowns of a cut ride; ``wheel_spread``: of the wheel, as a share. None where there is nothing to tell them from."""
    pieces = cut.pieces
    used = np.flatnonzero((pieces.place >= 0) | np.isfinite(pieces.rise_m))
    if len(used) < 6:
        return None
    system = _System.of(cut, bike, used)
    mean, spread = _priors(cut, bike, wheel_spread, zero_spread_a)
    at, weight = mean.copy(), np.ones(len(used))
    sigma = np.maximum(LEAST_N * system.metres, 1.0)
    covariance = np.diag(spread**2)
    for _ in range(ROUNDS):
        residual, slopes = system.residual(at), system.slopes(at)
        scaled = slopes * (np.sqrt(weight) / sigma)[:, None]
        inner = scaled.T @ scaled + np.diag(1 / spread**2)
        covariance = np.asarray(np.linalg.inv(inner), float)
        step = covariance @ (scaled.T @ (residual * np.sqrt(weight) / sigma) + (mean - at) / spread**2)
        at = at + step
        at[CRR], at[CDA] = max(at[CRR], 1e-4), max(at[CDA], 1e-3)
        residual = system.residual(at)
        sigma = _spread_of(residual, scaled, covariance, weight, system)
        weight = np.where(system.place < 0, np.minimum(1.0, OUTLIER * sigma / np.maximum(np.abs(residual), 1e-9)), 1.0)
        mean[GUST], spread[GUST] = system.gusts(sigma, cut.directed)
        if float(np.max(np.abs(step) / spread)) < 1e-4:
            break
    wider = _shared(system, residual, scaled, covariance, sigma, weight)
    inner = scaled.T @ scaled / wider + np.diag(1 / spread**2)
    known = np.array([one not in SENSORS for one in range(len(mean))])
    without = np.zeros_like(inner)
    without[np.ix_(known, known)] = np.linalg.inv(inner[np.ix_(known, known)])
    freedom = max(len(np.unique(system.block)) - 3.0, 5.0)
    return Balance(at, np.asarray(np.linalg.inv(inner), float), without, spread, freedom)


def _priors(cut: Cut, bike: Bike, wheel_spread: float, zero_a: float) -> tuple[Array, Array]:
    """(mean, standard deviation) of each unknown before the ride."""
    off, bins = bike.sensors.off, len(cut.bin_rise_m)
    mean, spread = np.zeros(14 + bins), np.full(14 + bins, 1e-6)
    mean[CRR], spread[CRR] = USUAL_CRR
    mean[CDA], spread[CDA] = USUAL_CDA
    if cut.directed:
        spread[WIND_N] = spread[WIND_E] = WIND_MPS
        mean[GUST], spread[GUST] = GUSTS
    else:
        spread[WIND_N] = AROUND_MPS
        mean[GUST], spread[GUST] = ROUND_WIND
    spread[MASS], spread[WHEEL] = mass_spread(bike), max(wheel_spread, 1e-4)
    spread[DRAG] = DRAG_SPREAD
    spread[GAIN] = math.hypot(off("battery_a").gain_spread, off("pack_v").gain_spread, EFFICIENCY_SPREAD)
    spread[ZERO] = max(zero_a, 1e-4)
    spread[COPPER] = math.hypot(COPPER_SPREAD, 2 * off("phase_a").gain_spread)
    spread[RIDER] = math.hypot(off("human_nm").gain_spread, EFFICIENCY_SPREAD)
    if not cut.pedalling:
        mean[PEDALLED], spread[PEDALLED] = PEDALLED_W
    drift_m = off("altitude_m").zero_spread
    spread[HEIGHT] = max(drift_m / 8, 1e-4)  # metres a minute that stay over a whole ride
    seen = cut.bin_rises > 0
    mean[14:] = np.where(seen, cut.bin_rise_m / BIN_M, 0.0)
    crossing = math.hypot(0.2, drift_m * math.sqrt(5 / 60))
    spread[14:] = np.where(seen, crossing / np.sqrt(np.maximum(cut.bin_rises, 1)) / BIN_M, GRADE_UNSEEN)
    return mean, spread


def mass_spread(bike: Bike) -> float:
    """By what share the mass of bike, rider and cargo is usually off, one standard deviation."""
    known = [bike.sources.get(f"chassis.{part}") for part in ("bike_kg", "rider_kg")]
    if all(one is not None and one.origin == "measured" for one in known):
        return WEIGHED
    return max(MASS_SPREAD, relative_spread(bike, "chassis.bike_kg") / 4)


@dataclass(frozen=True, eq=False)
class _System:
    """The balance of each piece (n,), J: what is left over at given unknowns, and how that moves with each."""

    metres: Array
    seconds: Array
    drawn: Array
    volt_s: Array
    copper: Array
    drag: Array
    human: Array
    efficiency: Array
    kinetic: Array
    rise: Array  # J, 0 where the place tells it
    weight_n: float
    air: Array
    square: Array
    gusty: Array
    place: NDArray[np.intp]
    way: Array
    bins: int
    block: Array
    pedalled: bool

    @classmethod
    def of(cls, cut: Cut, bike: Bike, used: NDArray[np.intp]) -> _System:
        pieces = cut.pieces
        drawn, copper, drag = pieces.drawn_j[used], pieces.copper_j[used], pieces.drag_j[used]
        drives = drawn - copper - drag > 0
        effective = np.where(pieces.coasts[used], coasting_mass_kg(bike), effective_mass_kg(bike))
        place = pieces.place[used]
        rise = np.where(place < 0, np.nan_to_num(pieces.rise_m[used]), 0.0)
        block = np.floor(pieces.began_s[used] / BLOCK_S)
        weight = bike.mass_kg * G_MPS2
        return cls(
            pieces.metres[used], pieces.seconds[used], drawn, pieces.volt_s[used] * (~pieces.coasts[used]), copper, drag,
            pieces.human_j[used], np.where(drives, bike.drivetrain.efficiency, 1.0), effective * pieces.half_square[used],
            weight * rise, weight, AIR_KGPM3 / 2 * pieces.air[used], AIR_KGPM3 * pieces.square[used], _gusty(cut, bike, used),
            place, pieces.way[used], len(cut.bin_rise_m), block,
            not cut.pedalling,
        )  # fmt: skip

    def gusts(self, sigma: Array, directed: bool) -> tuple[float, float]:
        """Mean and standard deviation of the square of what gusts add: at most so much that they make all the pieces' errors (n,)."""
        least, doubt = GUSTS if directed else ROUND_WIND
        free = self.place < 0
        if not free.any():
            return least, doubt
        mean_w = float(np.median(sigma[free] / np.maximum(USUAL_CDA[0] * self.square[free], 1e-6)))
        most = mean_w**2 * max(float(np.median(self.seconds[free])) / (2 * GUST_S), 1.0)
        return least + 0.7 * most, math.hypot(doubt, most / 2)

    def residual(self, at: Array) -> Array:
        """What is left over for each piece, for the mass of the document: a heavier bike would only make all of it larger."""
        found: Array = (self._pushed(at) - self._aired(at)) / (1 + at[MASS]) - self._heavy(at)
        return found

    def _pushed(self, at: Array) -> Array:
        found: Array = self._gave(at) * (1 + at[GAIN]) + (1 + at[RIDER]) * self.human
        return found + float(at[PEDALLED]) * self.seconds if self.pedalled else found

    def _gave(self, at: Array) -> Array:
        lost = at[ZERO] * self.volt_s + (1 + at[COPPER]) * self.copper + (1 + at[DRAG]) * self.drag
        found: Array = self.efficiency * (self.drawn - lost)
        return found

    def _heavy(self, at: Array) -> Array:
        rolls = (1 + at[WHEEL]) * at[CRR] * self.weight_n * self.metres
        found: Array = (1 + 2 * at[WHEEL]) * self.kinetic + rolls + self._rise(at)
        return found

    def _aired(self, at: Array) -> Array:
        found: Array = at[CDA] * (1 + 3 * at[WHEEL]) * self._blown(at)
        return found

    def _rise(self, at: Array) -> Array:
        found: Array = self.rise - self.weight_n * at[HEIGHT] / 60 * self.seconds
        if not self.bins:
            return found
        by_place = at[14:][np.maximum(self.place, 0)] * self.weight_n * self.way * self.metres
        return np.where(self.place < 0, found, by_place)

    def _blown(self, at: Array) -> Array:
        north, east = at[WIND_N], at[WIND_E]
        sizes = np.array([1.0, 2 * north, 2 * east, north**2, 2 * north * east, east**2])
        found: Array = self.air @ sizes + at[GUST] * self.gusty
        return found

    def slopes(self, at: Array) -> Array:
        """Minus the derivatives of the residual (n, p)."""
        mass, stretched = 1 + at[MASS], 1 + 3 * at[WHEEL]
        north, east, cda = at[WIND_N], at[WIND_E], at[CDA]
        found = np.zeros((len(self.metres), 14 + self.bins))
        found[:, CRR] = (1 + at[WHEEL]) * self.weight_n * self.metres
        found[:, CDA] = stretched * self._blown(at) / mass
        zero = np.zeros(1)
        by_north = np.concatenate((zero, [2.0], zero, [2 * north, 2 * east], zero))
        by_east = np.concatenate((zero, zero, [2.0], zero, [2 * north, 2 * east]))
        found[:, WIND_N] = cda * stretched * (self.air @ by_north) / mass
        found[:, WIND_E] = cda * stretched * (self.air @ by_east) / mass
        found[:, GUST] = cda * stretched * self.gusty / mass
        rolls = at[CRR] * self.weight_n * self.metres
        found[:, MASS] = (self._pushed(at) - self._aired(at)) / mass**2
        found[:, WHEEL] = 2 * self.kinetic + rolls + 3 * cda * self._blown(at) / mass
        found[:, GAIN] = -self._gave(at) / mass
        lost = self.efficiency * (1 + at[GAIN]) / mass
        found[:, ZERO], found[:, COPPER], found[:, DRAG] = lost * self.volt_s, lost * self.copper, lost * self.drag
        found[:, RIDER] = -self.human / mass
        found[:, PEDALLED] = -self.seconds / mass if self.pedalled else 0.0
        found[:, HEIGHT] = -self.weight_n / 60 * self.seconds * (self.place < 0)
        if self.bins:
            rows = np.flatnonzero(self.place >= 0)
            found[rows, 14 + self.place[rows]] = self.weight_n * (self.way * self.metres)[rows]
        return found


def _gusty(cut: Cut, bike: Bike, used: NDArray[np.intp]) -> Array:
    """What gusts of 1 (m/s)² take in each piece for a CdA of 1 m² (J, (n,)): their own square, and that a bike is slower in head wind and
    faster with wind behind. With ``v' = −λ·v − ρ·CdA·v·w/m`` and a gust that dies away in τ the mean gust at a speed is
    ``−(ρ·CdA·v/m)/(1/τ + λ)/var(v)·(v − mean)``: what a fit that knows nothing of it takes for less air and more rolling."""
    pieces = cut.pieces
    metres, seconds = pieces.metres[used], pieces.seconds[used]
    speed = metres / seconds
    mean, varies = float(np.average(speed, weights=seconds)), max(float(np.var(speed)), 4.0)
    follows = AIR_KGPM3 * USUAL_CDA[0] * mean / bike.mass_kg / (1 / GUST_S + SETTLES_PER_S) / varies
    coupled = pieces.air[used, 0] - mean * pieces.square[used]
    found: Array = AIR_KGPM3 / 2 * (metres - 2 * follows * coupled)
    return found


def _spread_of(residual: Array, scaled: Array, covariance: Array, weight: Array, system: _System) -> Array:
    """Standard deviation of the pieces' errors (n,), J: those of a stretch, whose rise is shared, and the others apart; what each fits of
    itself is taken off."""
    fitted = np.einsum("ij,jk,ik->i", scaled, covariance, scaled)
    found = np.maximum(LEAST_N * system.metres, 1.0)
    for group in (system.place >= 0, system.place < 0):
        if group.any():
            left = max(float(np.sum(weight[group] * (1 - fitted[group]))), 1.0)
            spread = math.sqrt(float(np.sum(weight[group] * residual[group] ** 2)) / left)
            found[group] = np.maximum(found[group], spread)
    return found


def _shared(system: _System, residual: Array, scaled: Array, covariance: Array, sigma: Array, weight: Array) -> float:
    """By what factor the variance of rolling and air grows because neighbouring pieces err together, at least 1."""
    _, which = np.unique(system.block, return_inverse=True)
    rows = scaled * (residual * np.sqrt(weight) / sigma)[:, None]
    scores = np.array([np.bincount(which, rows[:, at]) for at in range(rows.shape[1])])
    together, plain = covariance @ (scores @ scores.T) @ covariance, covariance @ (scaled.T @ scaled) @ covariance
    shares = [float(together[at, at] / max(plain[at, at], 1e-30)) for at in (CRR, CDA)]
    return max(1.0, sum(shares) / 2)
