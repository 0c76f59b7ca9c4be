"""A device in one line, as it stands in a table on paper: "dew strap 12V 0.8A 21:00-05:00", "camera 7.4V 5W own 14Wh".

What the line does not tell is guessed and says so: the window from the volts, a converter where the pack's volts are
others.
"""

from __future__ import annotations

import re

import msgspec

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.parts.craft import BOARD_EFFICIENCY, BOARD_IDLE_W
from hermotrope_core.plan.device import Device, InternalBattery, Mode, Supply
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.plan.outing import Branch, Charger
from hermotrope_core.values.clock import DAY_S, since_midnight
from hermotrope_core.values.known import Known

WINDOW = (0.85, 1.25)
"""Least and most volts of a device as shares of its rated ones, where nobody stated them (typical of 12 V gear)."""
NEAR = (0.95, 1.25)
"""A pack whose full volts are within these shares of the rated ones feeds it without a converter."""
DOWN_FROM = 1.3
"""A pack whose full volts are above so many times the rated ones stays above them to its end."""
LONGEST = 200
CHARGER = "wall 60W 07:00-09:00"

_NUMBER = r"(\d+(?:[.,]\d+)?)"
_VOLTS = re.compile(rf"(?<![\w.]){_NUMBER}\s*V\b(?!A)", re.IGNORECASE)
_WATTS = re.compile(rf"(?<![\w.]){_NUMBER}\s*(k|m)?W\b(?!h)")
_AMPS = re.compile(rf"(?<![\w.]){_NUMBER}\s*(m)?A\b(?!h)")
_HOURS = re.compile(rf"(?<![\w.]){_NUMBER}\s*(?:h|hours?)\b", re.IGNORECASE)
_OWN = re.compile(rf"\b(?:own|inner)(?: battery)?(?: of)?\s*{_NUMBER}\s*Wh\b", re.IGNORECASE)
_SHARE = re.compile(rf"(?<![\w.]){_NUMBER}\s*%")
_CLOCK = re.compile(r"(\d{1,2})[:.](\d{2})\s*(?:-|–|to|until)\s*(\d{1,2})[:.](\d{2})", re.IGNORECASE)
_COUNT = re.compile(r"(?:^\s*(\d{1,3})\s*[x×]\s+)|(?:\s[x×]\s?(\d{1,3})\b)", re.IGNORECASE)


class RowError(ValueError):
    """A line that is not a device; says what is missing."""


class TypedRow(msgspec.Struct, frozen=True):
    """What a line tells: volts and watts or amperes of one device, how many, for how long or between which times."""

    name: str
    volts: float
    watts: float | None
    amps: float | None
    count: int = 1
    hours: float | None = None
    between: tuple[str, str] | None = None
    on_share: float | None = None
    own_wh: float | None = None
    """Watt-hours of its own battery, which takes over when the feed ends."""


def read_row(text: str) -> TypedRow:
    """Read one line. Raises `RowError` naming what is missing."""
    if len(text) > LONGEST:
        raise RowError(f"a line of at most {LONGEST} characters, one device a line")
    rest = text
    found: dict[str, re.Match[str]] = {}
    for key, pattern in (
        ("clock", _CLOCK), ("count", _COUNT), ("volts", _VOLTS), ("watts", _WATTS), ("amps", _AMPS),
        ("own", _OWN), ("hours", _HOURS), ("share", _SHARE),
    ):  # fmt: skip
        match = pattern.search(rest)
        if match:
            found[key] = match
            rest = rest[: match.start()] + "  " + rest[match.end() :]
            if pattern.search(rest):
                raise RowError(f"{key} stand twice in it: one device a line")
    name = _name(rest)
    if not name:
        raise RowError("its name is missing: dew strap 12V 0.8A 21:00-05:00")
    if "volts" not in found:
        raise RowError("its volts are missing: dew strap 12V 0.8A 21:00-05:00")
    if ("watts" in found) == ("amps" in found):
        raise RowError("its watts or its amperes are wanted, one of them: dew strap 12V 0.8A 21:00-05:00")
    count = int(found["count"][1] or found["count"][2]) if "count" in found else 1
    return TypedRow(
        name=name,
        volts=_above(found["volts"], "volts"),
        watts=_above(found["watts"], "watts") * _factor(found["watts"][2]) if "watts" in found else None,
        amps=_above(found["amps"], "amperes") * _factor(found["amps"][2]) if "amps" in found else None,
        count=count,
        hours=_above(found["hours"], "hours") if "hours" in found else None,
        between=_times(found["clock"]) if "clock" in found else None,
        on_share=_share(found["share"]) if "share" in found else None,
        own_wh=_above(found["own"], "own watt-hours") if "own" in found else None,
    )


def _above(match: re.Match[str], what: str) -> float:
    value = float(match[1].replace(",", "."))
    if value <= 0.0:
        raise RowError(f"its {what} must be above 0")
    return value


def _factor(prefix: str | None) -> float:
    return {"k": 1e3, "m": 1e-3}.get(prefix or "", 1.0)


def _share(match: re.Match[str]) -> float:
    value = _above(match, "per cent") / 100.0
    if value > 1.0:
        raise RowError("it cannot be on for more than 100 % of the time")
    return value


def _times(match: re.Match[str]) -> tuple[str, str]:
    times = (f"{int(match[1]):02d}:{match[2]}", f"{int(match[3]):02d}:{match[4]}")
    for one in times:
        try:
            since_midnight(one)
        except ValueError:
            raise RowError(f"{one} is no time of day") from None
    if times[0] == times[1]:
        raise RowError("it begins and ends at the same time")
    return times


def read_charger(text: str) -> Charger:
    """What packs are charged from, in one line: "wall 60W 07:00-09:00". Raises ValueError naming what is missing."""
    if len(text) > LONGEST:
        raise RowError(f"a line of at most {LONGEST} characters")
    watts, clock = _WATTS.search(text), _CLOCK.search(text)
    if watts is None:
        raise RowError(f"its watts are missing: {CHARGER}")
    if clock is None:
        raise RowError(f"the times between which it is there are missing: {CHARGER}")
    name = _name(_CLOCK.sub(" ", _WATTS.sub(" ", text)))
    if not name:
        raise RowError(f"its name is missing: {CHARGER}")
    opens, closes = _times(clock)
    return Charger(name=name, power_w=_above(watts, "watts") * _factor(watts[2]), opens=opens, closes=closes)


def _name(rest: str) -> str:
    return " ".join(rest.replace(",", " ").replace(";", " ").replace("@", " ").split()).strip("-–: ")


def branch_of(row: TypedRow, starts: str, pack_v: float) -> Branch:
    """The line as a branch of an outing that begins at `starts`, on a pack of `pack_v` volts when full.

    Raises ValueError for figures out of every range.
    """
    rated = row.volts
    guess = {"known_by": "guess", "note": "from its rated volts"}
    mode = Mode(
        name="on",
        kind="power" if row.watts is not None else "current",
        power_w=None if row.watts is None else _label(row.watts),
        current_a=None if row.amps is None else _label(row.amps),
        on_share=row.on_share,
    )
    device = Device(
        name=row.name,
        supply=Supply(
            min_v=Known(value=float(f"{WINDOW[0] * rated:.4g}"), **guess),  # type: ignore[arg-type]
            nominal_v=Known(value=rated, known_by="label"),
            max_v=Known(value=float(f"{WINDOW[1] * rated:.4g}"), **guess),  # type: ignore[arg-type]
        ),
        modes=(mode, Mode(name="off", kind="power", power_w=0.0)),
        internal_battery=None if row.own_wh is None else InternalBattery(energy_wh=_label(row.own_wh), takes_over=True),
    )
    return Branch(device=device, path=_own_board(rated, pack_v), duty=_duty(row, starts), count=row.count)


def _label(value: float) -> Known:
    return Known(value=value, known_by="label")


def _own_board(rated: float, pack_v: float) -> tuple[Stage, ...]:
    """A converter where the pack's full volts are not near the rated ones."""
    if NEAR[0] * rated <= pack_v <= NEAR[1] * rated:
        return ()
    board = {
        "stage": "converter",
        "topology": "buck" if pack_v > DOWN_FROM * rated else "buck-boost",
        "output_v": rated,
        "efficiency": {"value": BOARD_EFFICIENCY, "known_by": "typical"},
        "quiescent_w": {"value": BOARD_IDLE_W, "known_by": "typical"},
    }
    return (msgspec.convert(board, Stage),)


def _duty(row: TypedRow, starts: str) -> Duty:
    """On all the time; for the first hours of a day; or between two times of day."""
    if row.between is not None:
        begins = (since_midnight(row.between[0]) - since_midnight(starts)) % DAY_S
        lasts = (since_midnight(row.between[1]) - since_midnight(row.between[0])) % DAY_S
        return _around(begins, lasts)
    if row.hours is not None and 3600.0 * row.hours < DAY_S:
        return _around(0.0, 3600.0 * row.hours)
    return Duty(repeat=(Segment(mode="on", seconds=3600.0),))


def _around(begins: float, lasts: float) -> Duty:
    """On for `lasts` seconds of each day, `begins` after the start; it may go on round the end of the day."""
    over = max(0.0, begins + lasts - DAY_S)
    turns = (("on", over), ("off", begins - over), ("on", lasts - over), ("off", DAY_S - begins - lasts + over))
    return Duty(repeat=tuple(Segment(mode=mode, seconds=seconds) for mode, seconds in turns if seconds > 0.0))
