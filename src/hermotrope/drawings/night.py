"""A supply's night by the clock: a ribbon per device, the amperes of all together, the charge left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from math import inf
from typing import Any

import msgspec

from hermotrope.drawings import letters
from hermotrope_core.plan.outing import Supply
from hermotrope_core.several.follow import SupplyRun, Turned
from hermotrope_core.several.inner import Inner
from hermotrope_core.values.clock import clock_time
from hermotrope_core.values.figures import duration, figure, span
from hermotrope_core.values.known import maybe

LEFT, WIDTH, RIGHT = 150.0, 760.0, 12.0
"""Room for names, for the time, and behind it, in the units of the view box."""
HEAD, RIBBON, GAP = 20.0, 26.0, 8.0
SUM, CHARGE = 74.0, 54.0
NAME_SIZE = 12.0
LEAST_BAR = 0.8
"""Bars thinner than this run together into one."""
TICKS = 8
MOST_POINTS = 300
"""Moments that a page is given for its scrubber."""
Place = Callable[[float], float]
"""Where so many seconds stand."""
STEPS_S = (600.0, 1800.0, 3600.0, 7200.0, 10800.0, 14400.0, 21600.0, 43200.0, 86400.0, 172800.0, 604800.0)


class Bar(msgspec.Struct, frozen=True):
    x: float
    y: float
    width: float
    height: float
    words: str


class Row(msgspec.Struct, frozen=True):
    """One device: its bars, and where it stops, with the reason."""

    y: float
    name: str
    count: int
    bars: tuple[Bar, ...]
    stop_x: float | None
    stop_words: str
    stop_text_x: float
    before: bool
    """Whether those words stand before the place where it stops, because there is no room behind it."""
    own: Bar | None = None
    """The time for which its own battery carries it."""

    @property
    def short(self) -> str:
        """Its name, as far as there is room for it."""
        many = f" ×{self.count}" if self.count > 1 else ""
        return letters.shorten(self.name, LEFT - 34.0 - letters.width(many, NAME_SIZE), NAME_SIZE) + many


class Night(msgspec.Struct, frozen=True):
    """Everything drawn of one supply, in a view box of `width` by `height`."""

    width: float
    height: float
    left: float
    right: float
    ticks: tuple[tuple[float, str], ...]
    rows: tuple[Row, ...]
    sum_y: float
    sum_path: str
    most_a: str
    most_y: float
    limit_y: float | None
    limit_words: str
    charge_y: float
    charge_path: str
    words: str
    fork_end: float
    """How far down the fork reaches."""
    charge_floor: float


def points(supply: Supply, run: SupplyRun, start: str | None) -> dict[str, Any]:
    """The moments of a night for the scrubber: when, charge, volts at the junction, amperes, and each device.

    Of a device its mode (None: stopped), its amperes there, the volts that it could lose (None: no volts stop it).
    """
    every = max(1, -(-len(run.turns) // MOST_POINTS))
    turns = run.turns[::every]
    return {
        "at": [round(one.seconds, 1) for one in turns],
        "when": [_when(one.seconds, start) for one in turns],
        "charge": [round(one.soc, 5) for one in turns],
        "volts": [round(one.junction_v, 4) for one in turns],
        "amps": [round(one.source_a, 5) for one in turns],
        "devices": [
            {
                "name": branch.device.name,
                "mode": [one.modes[i] for one in turns],
                "amps": [round(one.amps[i], 5) for one in turns],
                "spare": [None if one.spare_v[i] == inf else round(one.spare_v[i], 3) for one in turns],
            }
            for i, branch in enumerate(supply.branches)
        ],
    }


class Bands(msgspec.Struct, frozen=True):
    """Brackets under the ribbons: between which moments each device stops in nine of ten draws."""

    width: float
    height: float
    paths: tuple[tuple[str, str], ...]
    """How each is drawn, and what it says."""


def bands(lasts: Sequence[tuple[str, float, float]], horizon_s: float) -> Bands:
    """Brackets from and to so many seconds, a row per device as `night` lays them; none where it always lasts."""
    paths = []
    for i, (name, low, high) in enumerate(lasts):
        if low >= horizon_s:
            continue
        a, b = (round(_x(seconds, horizon_s), 1) for seconds in (low, high))
        y = HEAD + i * (RIBBON + GAP) + RIBBON + GAP / 2
        path = f"M{a} {y - 3}v6M{a} {y}H{b}M{b} {y - 3}v6"
        paths.append((path, f"{name}: {span(low, high)} in nine of ten draws"))
    return Bands(LEFT + WIDTH + RIGHT, _height(len(lasts)), tuple(paths))


def _x(seconds: float, horizon_s: float) -> float:
    return LEFT + WIDTH * min(1.0, seconds / max(horizon_s, 1.0))


def _sum_y(rows: int) -> float:
    return HEAD + rows * (RIBBON + GAP) + GAP


def _height(rows: int) -> float:
    return _sum_y(rows) + SUM + GAP + CHARGE + 6.0


def night(
    supply: Supply, run: SupplyRun, horizon_s: float, start: str | None, carriers: Sequence[Inner | None] = ()
) -> Night:
    """Lay a supply's night out over so many seconds; `carriers` tells what each device's own battery does."""
    over = max(horizon_s, 1.0)

    def x(seconds: float) -> float:
        return round(_x(seconds, over), 1)

    turns = run.turns
    rows = []
    owns = carriers or [None] * len(supply.branches)
    for i, (branch, one, own) in enumerate(zip(supply.branches, run.branches, owns, strict=True)):
        y = HEAD + i * (RIBBON + GAP)
        lasts = one.end_cause == "programme over"
        stop = x(one.runtime_s)
        words = "" if lasts else f"{_when(one.runtime_s, start)}: {one.why}"
        before = stop + 5.0 + letters.width(words, NAME_SIZE) > LEFT + WIDTH + RIGHT
        rows.append(
            Row(
                y=y,
                name=branch.device.name,
                count=branch.count,
                bars=_bars(turns, i, run.runtime_s, x, y),
                stop_x=None if lasts else stop,
                stop_words=words,
                stop_text_x=stop + (-5.0 if before else 5.0),
                before=before,
                own=None if own is None else _own_bar(own, x, y, over),
            )
        )
    sum_y = _sum_y(len(rows))
    port = supply.source.regulated_output is not None
    drawn = [(turn.seconds, turn.junction_a if port else turn.source_a) for turn in turns] + [(run.runtime_s, 0.0)]
    limit = _limit_amps(supply)
    most = max([amps for _, amps in drawn] + [1e-9])
    scale = max(most, limit if limit is not None and limit < 3.0 * most else 0.0)
    charge_y = sum_y + SUM + GAP
    return Night(
        width=LEFT + WIDTH + RIGHT,
        height=_height(len(rows)),
        left=LEFT,
        right=LEFT + WIDTH,
        ticks=ticks(over, start, x),
        rows=tuple(rows),
        sum_y=sum_y,
        sum_path=_steps(drawn, x, sum_y + SUM, (SUM - 12.0) / scale),
        most_a=figure(most, "A", 2),
        most_y=round(sum_y + SUM - (SUM - 12.0) * most / scale, 1),
        limit_y=None if limit is None or limit > scale else round(sum_y + SUM - (SUM - 12.0) * limit / scale, 1),
        limit_words="" if limit is None else f"gives at most {figure(limit, 'A', 2)}",
        charge_y=charge_y,
        charge_path=_line([(turn.seconds, turn.soc) for turn in turns] + [(run.runtime_s, run.final_soc)], x, charge_y),
        words=_said(supply, run, start),
        fork_end=HEAD + (len(rows) - 1) * (RIBBON + GAP) + 0.5 * RIBBON,
        charge_floor=charge_y + CHARGE,
    )


def _bars(turns: Sequence[Turned], i: int, ends_s: float, x: Place, y: float) -> tuple[Bar, ...]:
    """The times in which a device draws: as high as its watts among its own; what is too thin runs together."""
    most = max([turn.watts[i] for turn in turns] + [1e-9])
    bars: list[Bar] = []
    for turn, after in pairwise([*turns, None]):
        assert turn is not None
        mode, watts = turn.modes[i], turn.watts[i]
        if mode is None or watts <= 0.0:
            continue
        a, b = x(turn.seconds), x(after.seconds if after else ends_s)
        height = round(RIBBON * max(0.25, (watts / most) ** 0.5), 1)
        words = f"{mode}, {figure(watts, 'W', 2)}"
        last = bars[-1] if bars else None
        meets = last is not None and a - (last.x + last.width) < LEAST_BAR
        if last is not None and meets and (last.height == height or b - a < LEAST_BAR or last.width < LEAST_BAR):
            tall = last if last.height >= height else Bar(a, 0.0, 0.0, height, words)
            bars[-1] = Bar(last.x, round(y + RIBBON - tall.height, 1), round(b - last.x, 1), tall.height, tall.words)
        else:
            bars.append(Bar(a, round(y + RIBBON - height, 1), round(b - a, 1), height, words))
    return tuple(bars)


def _own_bar(own: Inner, x: Place, y: float, over: float) -> Bar:
    until = min(own.until_s, over)
    words = f"its own battery carries it for {duration(until - own.from_s)}"
    return Bar(x(own.from_s), y, round(x(until) - x(own.from_s), 1), RIBBON, words)


def _limit_amps(supply: Supply) -> float | None:
    """Amperes that a port, or the pack's cells, give at most; None where neither states it."""
    port = supply.source.regulated_output
    return maybe(supply.source.max_current_a if port is None else port.output_current_max_a)


def ticks(over: float, start: str | None, x: Place) -> tuple[tuple[float, str], ...]:
    """Where the time is written, and what: by the clock where there is a start."""
    step = next((one for one in STEPS_S if over / one <= TICKS), over / TICKS)
    found: list[tuple[float, str]] = []
    at = 0.0
    while at < over - 0.2 * step or not found:
        found.append((x(at), _when(at, start)))
        at += step
    return tuple(found)


def _when(seconds: float, start: str | None) -> str:
    if start is not None and seconds < 86400.0:
        return clock_time(start, seconds)
    return duration(seconds) if seconds else "0"


def _steps(points: list[tuple[float, float]], x: Place, base: float, scale: float) -> str:
    """A filled outline that keeps each value until the next."""
    path = [f"M{x(points[0][0])} {round(base, 1)}"]
    for (at, value), (after, _) in pairwise(points):
        level = round(base - scale * value, 1)
        path.append(f"L{x(at)} {level}L{x(after)} {level}")
    path.append(f"L{x(points[-1][0])} {round(base, 1)}Z")
    return "".join(path)


def _line(points: list[tuple[float, float]], x: Place, top: float) -> str:
    """Charge from full, at the top, to empty."""
    return "M" + "L".join(f"{x(at)} {round(top + (CHARGE - 2.0) * (1.0 - soc) + 1.0, 1)}" for at, soc in points)


def _said(supply: Supply, run: SupplyRun, start: str | None) -> str:
    """The drawing as sentences."""
    ends = [f"{one.device} to {_when(one.runtime_s, start)} ({one.why})" for one in run.branches]
    return f"{supply.called}: {'; '.join(ends)}; {figure(run.final_soc, '%', 2)} left"
