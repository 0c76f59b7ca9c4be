"""Packs in turn by the clock: a row for each pack with its times in place and on a charger, a row for each charger."""

from __future__ import annotations

import msgspec

from hermotrope.drawings import letters
from hermotrope.drawings.night import NAME_SIZE, Bar, ticks
from hermotrope_core.hours.rotation import Packs, Rotation
from hermotrope_core.plan.outing import Outing
from hermotrope_core.values.figures import duration
from hermotrope_core.values.known import number

LEFT, WIDTH, RIGHT = 210.0, 700.0, 12.0
HEAD, ROW, GAP = 20.0, 18.0, 8.0
LONGEST_S = 60 * 3600.0
"""What comes later is told in words alone."""


class PackRow(msgspec.Struct, frozen=True):
    """One pack: its name, when it feeds, when it is charged, where it goes in without being full."""

    y: float
    name: str
    feeds: tuple[Bar, ...]
    fills: tuple[Bar, ...]
    short_x: tuple[float, ...]


class Turns(msgspec.Struct, frozen=True):
    """All rows, in a view box of `width` by `height`."""

    width: float
    height: float
    right: float
    ticks: tuple[tuple[float, str], ...]
    rows: tuple[PackRow, ...]
    end_x: float
    """Where the outing is over."""


def turns(outing: Outing, packs: Packs) -> Turns:
    """Lay the packs of an outing with hours out, to when the last is full again or 60 hours."""
    job = 3600.0 * number(outing.hours or 0.0)
    last = max([job, *(one.until_s for one in packs.charges)])
    over = min(1.02 * last, max(LONGEST_S, job))

    def x(seconds: float) -> float:
        return round(LEFT + WIDTH * min(1.0, seconds / over), 1)

    rows: list[PackRow] = []
    for one in packs.rotations:
        name = outing.supplies[one.supply].called
        for pack in range(1, max(span.pack for span in one.spans) + 1):
            y = HEAD + len(rows) * (ROW + GAP)
            mine = [span for span in one.spans if span.pack == pack]
            charged = [got for got in packs.charges if (got.supply, got.pack) == (one.supply, pack)]
            rows.append(
                PackRow(
                    y=y,
                    name=_short(name, _which(pack, one)),
                    feeds=tuple(
                        Bar(
                            x(got.from_s),
                            y,
                            _wide(x(got.from_s), x(got.until_s)),
                            ROW,
                            _feeds(got.until_s - got.from_s),
                        )
                        for got in mine
                    ),
                    fills=tuple(
                        Bar(x(got.from_s), y, _wide(x(got.from_s), x(got.until_s)), ROW, f"charged from {got.by}")
                        for got in charged
                        if got.from_s < over
                    ),
                    short_x=tuple(x(got.from_s) for got in mine if not got.ready),
                )
            )
    return Turns(
        width=LEFT + WIDTH + RIGHT,
        height=HEAD + len(rows) * (ROW + GAP),
        right=LEFT + WIDTH,
        ticks=ticks(over, outing.start, x),
        rows=tuple(rows),
        end_x=x(job),
    )


def _which(pack: int, one: Rotation) -> str:
    if one.needed == 1:
        return ""
    return f" {pack}" if pack <= one.taken else f" {pack}, not along"


def _short(name: str, which: str) -> str:
    return letters.shorten(name, LEFT - 16.0 - letters.width(which, NAME_SIZE), NAME_SIZE) + which


def _wide(a: float, b: float) -> float:
    return round(max(b - a, 1.0), 1)


def _feeds(seconds: float) -> str:
    return f"in its place for {duration(seconds)}"
