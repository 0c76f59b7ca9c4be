"""What a fit says: each input with what it was and what the run tells, and whether the run is explained."""

from __future__ import annotations

from typing import Literal

import msgspec

What = Literal["capacity", "resistance", "load", "efficiency"]
TELLS: dict[What, float] = {"capacity": 0.02, "resistance": 0.10, "load": 0.02, "efficiency": 0.03}
"""Half-width of the 99 % interval, relative, up to which the data is said to tell an input."""
Z99 = 2.576
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


def judged(found: Found, sigma: float, now: float, rests: str) -> Found:
    """The input with its estimate where that is sure enough, else with why it cannot be told."""
    half = Z99 * sigma
    if not half <= TELLS[found.what]:  # also where sigma is not a number
        says = (
            f"cannot tell: this run leaves it open by ± {100 * Z90 * sigma:.0f} %"
            if sigma < 5
            else "cannot tell: this run does not depend on it"
        )
        return msgspec.structs.replace(found, now=None, sigma=sigma, says=says)
    return msgspec.structs.replace(found, now=now, sigma=sigma, says=rests)
