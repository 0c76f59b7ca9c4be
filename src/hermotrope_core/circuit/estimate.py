"""The range of a runtime: 10,000 draws of every uncertain input, and what measuring each would be worth.

Each input is log-normal (see `spread`), drawn once per draw and input with a fixed seed. The draws are
stratified (one in each of n equally likely slices, in a shuffled order), which keeps their percentiles
close to the true ones. An input's worth is found by exact re-runs of the same draws with that input
alone known as if measured.
"""

from __future__ import annotations

from functools import lru_cache
from statistics import NormalDist

import msgspec
import numpy as np

from hermotrope_core.circuit.arrays import Array
from hermotrope_core.circuit.discharge import Run, run
from hermotrope_core.circuit.many import runs
from hermotrope_core.kinds.effects import Cause
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.spread import MEASURED_SPREAD, Input, inputs

DRAWS = 10_000
QUICK_DRAWS = 1_500
"""Enough for a page that follows every keystroke; its ends differ by a few parts in a thousand."""
WORTH_DRAWS = 4_000
"""For each input that might be measured."""
SEED = 20_240_611
Z95 = NormalDist().inv_cdf(0.95)
SHORTEST_S = 1e-9


class Worth(msgspec.Struct, frozen=True):
    """An input and the share of the range's width that would go if it alone were measured."""

    place: str
    range_shrinks_by: float


class Range(msgspec.Struct, frozen=True):
    """5th, 50th and 95th percentile of the runtime in seconds, how often each cause ends it, what to measure next."""

    p5: float
    p50: float
    p95: float
    causes: dict[Cause, float]
    measure_next: tuple[Worth, ...] = ()


@lru_cache(maxsize=16)
def _slices(n: int) -> Array:
    """Standard normal values in the middles of n equally likely slices, ascending."""
    normal = NormalDist()
    made = np.array([normal.inv_cdf((i + 0.5) / n) for i in range(n)])
    made.flags.writeable = False
    return made


def normals(count: int, n: int, seed: int = SEED) -> Array:
    """`count` rows of n stratified standard normal values; the same on every machine."""
    shuffle = np.random.Generator(np.random.PCG64(seed))
    return np.array([shuffle.permutation(_slices(n)) for _ in range(count)])


@lru_cache(maxsize=8)
def usual_normals(count: int, n: int) -> Array:
    """`normals` with the usual seed, kept: every edit of a plan draws the same ones. About a megabyte each."""
    made = normals(count, n)
    made.flags.writeable = False
    return made


def factors(found: list[Input], z: Array) -> dict[str, Array]:
    """Factors by place: (1 + h)^(z / z95), so that z95 gives 1 + h."""
    return {one.place: np.exp(z[i] * (np.log1p(one.spread) / Z95)) for i, one in enumerate(found)}


def estimate(case: Case, draws: int = DRAWS, *, worth: bool = True, alone: Run | None = None) -> Range | None:
    """The range of a finished case's runtime; None where it does not run at all. Raises `NeverEnds`.

    `alone` is its run with every figure as it stands, where that is known already.
    """
    if (alone or run(case)).runtime_s < SHORTEST_S:
        return None
    found = inputs(case)
    z = usual_normals(len(found), draws)
    made = runs(case, factors(found, z), draws)
    p5, p50, p95 = (float(x) for x in np.percentile(made.runtime_s, (5, 50, 95)))
    next_ = measure_next(case, found, min(draws, WORTH_DRAWS)) if worth else ()
    return Range(p5, p50, p95, made.causes(), next_)


def measure_next(case: Case, found: list[Input], draws: int) -> tuple[Worth, ...]:
    """What to measure, best first: the share by which p95 - p5 shrinks if that input alone had h = 3 %.

    All re-runs go side by side in one: the draws as they are, then once more for each input known better.
    """
    unsure = [i for i, one in enumerate(found) if one.spread > MEASURED_SPREAD and one.measurable]
    if not unsure:
        return ()
    z = usual_normals(len(found), draws)
    wide = factors(found, z)
    sure = {i: np.exp(z[i] * (np.log1p(MEASURED_SPREAD) / Z95)) for i in unsure}
    stacked = {
        one.place: np.concatenate([wide[one.place], *(sure[i] if k == i else wide[one.place] for i in unsure)])
        for k, one in enumerate(found)
    }
    times = runs(case, stacked, draws * (1 + len(unsure))).runtime_s.reshape(-1, draws)
    low, high = np.percentile(times, (5, 95), axis=1)
    width = high - low
    if width[0] <= 0.0:
        return ()
    made = [Worth(found[i].place, float(1.0 - width[k] / width[0])) for k, i in enumerate(unsure, start=1)]
    return tuple(sorted(made, key=lambda worth: -worth.range_shrinks_by))
