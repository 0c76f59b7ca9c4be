"""What a fit says: each input with what it was and what the run tells, and whether the run is explained."""

from __future__ import annotations

from typing import Literal

import msgspec

from hermotrope_core.plan.spread import MEASURED_SPREAD

What = Literal["capacity", "resistance", "load", "efficiency"]
TELLS: dict[What, float] = {"capacity": 0.10, "resistance": 0.25, "load": 0.10, "efficiency": 0.05}
"""Half-width of the 90 % interval, relative, up to which a run is said to tell an input."""
Z90 = 1.645


class Found(msgspec.Struct, frozen=True):
    """One input: its place in the document, the planned value, and what the run tells (None where it cannot)."""

    what: What
    place: str
    term: str
    unit: str
    was: float
    now: float | None
    sigma: float
    """Standard deviation of `now`, relative."""
    says: str
    """Why it cannot be told, or what it rests on."""

    @property
    def told(self) -> bool:
        return self.now is not None


class Parting(msgspec.Struct, frozen=True):
    """A stretch of the run, seconds, in which the volts part from the fitted model, by so many volts on average."""

    start_s: float
    stop_s: float
    volts: float


class Fit(msgspec.Struct, frozen=True):
    """The inputs that were looked at; `problems` says why the run is not explained (empty where it is).

    `aside` is what was set aside to explain it.
    """

    found: tuple[Found, ...]
    problems: tuple[str, ...]
    aside: tuple[str, ...] = ()
    parting: tuple[Parting, ...] = ()
    source_wh: float | None = None
    device_wh: float | None = None
    """Watt-hours as logged, from the pack and into the device."""

    @property
    def explained(self) -> bool:
        return not self.problems

    def of(self, what: What) -> Found | None:
        """The first input of a kind."""
        return next((one for one in self.found if one.what == what), None)


def judged(found: Found, known: float, sigma: float, now: float, rests: str) -> Found:
    """The input with its estimate where the run is sure enough and surer than the plan; else why it cannot be told.

    `known` is the half-width of the plan's own 90 % interval, `sigma` the run's standard deviation, both relative.
    """
    half = Z90 * sigma
    if half <= TELLS[found.what] and half <= max(known, MEASURED_SPREAD):
        return msgspec.structs.replace(found, now=now, sigma=sigma, says=rests)
    if not half < 5.0:  # also where sigma is not a number
        says = "cannot tell: this run does not depend on it"
    elif half <= TELLS[found.what]:
        says = (
            f"cannot tell better than the plan's ± {100 * known:.0f} %: this run leaves it open by ± {100 * half:.0f} %"
        )
    else:
        says = f"cannot tell: this run leaves it open by ± {100 * half:.0f} %"
    return msgspec.structs.replace(found, now=None, sigma=sigma, says=says)
