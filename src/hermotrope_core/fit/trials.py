"""Many runs of one conversion together: what they say of the next one, and of the pack and the load.

Every uncertain input is drawn as for the range of a plan (`circuit.estimate`); each draw is then weighed by how well
it foretells all the runs (importance sampling, Bayes' rule). Runs of the same pack on the same load differ from day to
day: that scatter is drawn too; where runs are weighed its tails are Student's, so that an odd one carries none away.
"""

from __future__ import annotations

from math import lgamma, log, pi, sqrt
from typing import Any

import msgspec
import numpy as np
import scipy

from hermotrope_core.circuit.arrays import Array
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import SEED, SHORTEST_S, Z95, factors, normals
from hermotrope_core.circuit.many import runs
from hermotrope_core.fit.apply import stands
from hermotrope_core.plan.case import Case, at_temperature
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.plan.spread import Input, as_measured, inputs

DRAWS = 2_000
ROUNDS = 4
WIDER = 1.4
"""A round draws wider than the last one's weights: nothing that matters is left out."""
SLIGHTEST = 1e-6
FAR = 4.0
"""Standard deviations of the plan's own doubt beyond which the runs contradict the plan as a whole."""
SCATTER = 0.04
"""Half-width (95 % one-sided) of one run's difference from another of the same pack and load (typical)."""
SCATTER_FACTOR = 2.0
"""The scatter itself is known to this factor (typical)."""
TAILS = 4.0
"""Degrees of freedom of the scatter: the fewer, the less an odd run counts."""
ODD = 3.0
"""A run farther off than this many scatters is told as odd."""
FEWEST = 60.0
"""With fewer draws that count (Kish's effective number), the runs lie outside what the plan thought possible."""
LEARNED = 0.1
"""Share by which an input's range must shrink to be told."""
FEWEST_ALONE = 3
"""Runs that can speak for themselves."""
NORMAL_MAD = 1.4826
"""A normal distribution's standard deviation over its median absolute deviation."""
NOT_RUN = ("name", "price", "mass_g", "recharge_h", "charges_source")
"""Of a pack: nothing of how long it runs."""


class Trial(msgspec.Struct, frozen=True):
    """A run that was timed: the case as it was run (its temperature, its duty), seconds, whether it ended by itself."""

    case: Case
    ran_s: float
    ended: bool = True
    """False: somebody stopped it while it still ran, so it would have run longer."""


class Learned(msgspec.Struct, frozen=True):
    """An input about which the runs say something: factors on its planned value (5th, 50th, 95th percentile)."""

    place: str
    low: float
    middle: float
    high: float
    narrowed: float
    """Share of its range that is gone."""

    @property
    def spread(self) -> float:
        """Half-width h, as `plan.spread` means it: the range spans (1 + h)²."""
        return sqrt(self.high / self.low) - 1.0


class Pooled(msgspec.Struct, frozen=True):
    """The next run in seconds (5th, 50th, 95th percentile, day's scatter included) and what led to it."""

    p5: float
    p50: float
    p95: float
    scatter: float
    """Half-width of one run about the others, as a share."""
    odd: tuple[int, ...]
    """Runs (their places) that differ from the rest by more than the scatter."""
    learned: tuple[Learned, ...]
    outside: bool
    """The runs contradict the plan as a whole: the range is theirs alone."""


def as_run(case: Case, temperature_c: float | None, mode: str) -> Case:
    """The case as it was run on a day: at that temperature, on its duty or in one mode throughout."""
    case = at_temperature(case, temperature_c)
    duty = Duty(repeat=(Segment(mode=mode, seconds=3600.0),)) if mode else case.duty
    return msgspec.structs.replace(case, plan_on="duty", duty=duty)


def same_line(one: Case, other: Case) -> bool:
    """Whether runs of both speak of the same pack and load: alike but for what is unsure, and for names and prices.

    What is unsure (`plan.spread.inputs`) may be known better by now; a set-point, a part or a length that was changed
    makes another line.
    """
    return _fixed(one) == _fixed(other)


def _fixed(case: Case) -> dict[str, Any]:
    """Everything of a case that says what is run, without what is unsure."""
    tree = tree_of(case)
    for place in inputs(case):
        if not place.place.endswith("length_m"):
            part, last = stands(tree, place.place)
            part[last] = None
    source = {name: value for name, value in tree["source"].items() if name not in NOT_RUN}
    device = tree["device"]
    modes = [_values(mode) for mode in device["modes"]]
    return {
        "source": _values(source),
        "path": _values(tree["path"]),
        "supply": _values(device["supply"]),
        "modes": modes,
    }


def _values(tree: Any) -> Any:
    """A part of a document with its numbers alone, however they are known."""
    if isinstance(tree, dict):
        return _values(tree["value"]) if "value" in tree else {name: _values(one) for name, one in tree.items()}
    return [_values(one) for one in tree] if isinstance(tree, list) else tree


def taken(case: Case, learned: Learned, count: int) -> Case:
    """The case with one figure as so many runs have it. Raises ValueError for a table, `CaseError`."""
    tree = tree_of(case)
    part, last = stands(tree, learned.place)
    now = _values(part[last])
    if not isinstance(now, float | int):
        raise ValueError("that is a table: change it by hand")
    part[last] = as_measured(now * learned.middle, learned.spread, f"from {count} run{'s' * (count > 1)}")
    return case_from(tree)


def pooled(case: Case, trials: list[Trial], draws: int = DRAWS) -> Pooled | None:
    """What all runs together say of the next run of `case`; None without runs. Raises what `many.runs` raises."""
    if not trials:
        return None
    found: dict[str, Input] = {}
    for one in (case, *(trial.case for trial in trials)):
        for place in inputs(one):
            found.setdefault(place.place, place)
    seen = _Seen(list(found.values()), trials, draws)
    weights, sigma = seen.weights, seen.sigma
    if seen.far:
        return _by_themselves(case, trials)
    middles = [_percentiles(seen.log_times(trial.case), weights, (50,))[0] for trial in trials]
    scatter = float(_percentiles(sigma, weights, (50,))[0])
    off = [float(np.log(trial.ran_s) - middle) for trial, middle in zip(trials, middles, strict=True)]
    odd = _odd(off, trials, scatter)
    days = normals(1, draws, SEED + ROUNDS)[0] * sigma
    p5, p50, p95 = np.exp(_percentiles(seen.log_times(case) + days, weights, (5, 50, 95)))
    learned = [_learned(one, seen.drawn[one.place], weights) for one in found.values()]
    told = sorted((one for one in learned if one.narrowed > LEARNED), key=lambda one: -one.narrowed)
    return Pooled(float(p5), float(p50), float(p95), scatter * Z95, odd, tuple(told), outside=False)


class _Seen:
    """Draws that were drawn nearer and nearer to what the runs say, and how much each counts.

    Every round draws from the normal that the last one's weights suggest, wider by `WIDER`; a draw counts by its prior
    over the density that it was drawn with, times how well it foretells the runs.
    """

    def __init__(self, found: list[Input], trials: list[Trial], draws: int) -> None:
        self._found, self._draws = found, draws
        size = len(found) + 1
        middle, root = np.zeros(size), np.eye(size)
        for turn in range(ROUNDS):
            plain = normals(size, draws, SEED + turn)
            z = middle[:, None] + root @ plain
            self._at(z)
            said = _foretold(trials, [self.log_times(trial.case) for trial in trials], self.sigma)
            said += (plain**2).sum(axis=0) / 2.0 - (z**2).sum(axis=0) / 2.0
            weights = np.exp(said - said.max())
            self.weights: Array = weights / weights.sum()
            middle = z @ self.weights
            about = z - middle[:, None]
            root = WIDER * np.linalg.cholesky((about * self.weights) @ about.T + SLIGHTEST * np.eye(size))
        effective = 1.0 / float((self.weights**2).sum())
        self.far = effective < FEWEST or float(np.sqrt((middle**2).sum())) > FAR
        """The runs lie outside what the plan thought possible."""

    def _at(self, z: Array) -> None:
        self.drawn = factors(self._found, z[:-1])
        self.sigma: Array = SCATTER / Z95 * np.exp(z[-1] * np.log(SCATTER_FACTOR) / Z95)
        self._times: dict[bytes, Array] = {}

    def log_times(self, case: Case) -> Array:
        """Logarithm of each draw's seconds in this case."""
        key = msgspec.json.encode(case)
        if key not in self._times:
            mine = {place.place: self.drawn[place.place] for place in inputs(case)}
            self._times[key] = np.log(np.maximum(runs(case, mine, self._draws).runtime_s, SHORTEST_S))
        return self._times[key]


def _foretold(trials: list[Trial], ahead: list[Array], sigma: Array) -> Array:
    """Logarithm of how likely each draw makes all the runs."""
    said = np.zeros_like(sigma)
    for trial, times in zip(trials, ahead, strict=True):
        off = (np.log(trial.ran_s) - times) / sigma
        said += _log_density(off, TAILS) - np.log(sigma) if trial.ended else np.log(scipy.special.stdtr(TAILS, -off))
    return said


def _log_density(x: Array, freedom: float) -> Array:
    """Logarithm of Student's density (Abramowitz & Stegun 26.7.1); `scipy.stats` takes a second to be read in.

    ln Γ((ν+1)/2) - ln(Γ(ν/2) √(νπ)) - (ν+1)/2 ln(1 + x²/ν).
    """
    whole = lgamma((freedom + 1.0) / 2.0) - lgamma(freedom / 2.0) - 0.5 * log(freedom * pi)
    return np.asarray(whole - (freedom + 1.0) / 2.0 * np.log1p(x**2 / freedom))


def _percentiles(values: Array, weights: Array, at: tuple[int, ...]) -> Array:
    order = np.argsort(values)
    below = np.cumsum(weights[order]) - weights[order] / 2.0
    return np.interp(np.array(at) / 100.0, below, values[order])


def _learned(one: Input, drawn: Array, weights: Array) -> Learned:
    low, middle, high = (float(at) for at in _percentiles(drawn, weights, (5, 50, 95)))
    return Learned(one.place, low, middle, high, 1.0 - float(np.log(high / low) / (2.0 * np.log1p(one.spread))))


def _by_themselves(case: Case, trials: list[Trial]) -> Pooled | None:
    """The next run by the ratio of the runs to the plan alone; None for fewer than three that ended by themselves."""
    off = [np.log(trial.ran_s / max(run(trial.case).runtime_s, SHORTEST_S)) for trial in trials]
    ratios = np.array([one for one, trial in zip(off, trials, strict=True) if trial.ended])
    if len(ratios) < FEWEST_ALONE:
        return None
    middle = float(np.median(ratios))
    scatter = max(NORMAL_MAD * float(np.median(np.abs(ratios - middle))), SCATTER / Z95)
    reach = float(scipy.special.stdtrit(len(ratios) - 1, 0.95)) * scatter * np.sqrt(1.0 + 1.0 / len(ratios))
    next_ = np.log(run(case).runtime_s) + middle
    p5, p50, p95 = np.exp([next_ - reach, next_, next_ + reach])
    odd = _odd([one - middle for one in off], trials, scatter)
    return Pooled(float(p5), float(p50), float(p95), scatter * Z95, odd, (), outside=True)


def _odd(off: list[float], trials: list[Trial], sigma: float) -> tuple[int, ...]:
    """Which runs differ from what the others say by more than `ODD` scatters; one that was stopped only by lasting."""
    far = ODD * sigma * Z95
    return tuple(
        i for i, (one, trial) in enumerate(zip(off, trials, strict=True)) if (abs(one) if trial.ended else one) > far
    )  # fmt: skip
