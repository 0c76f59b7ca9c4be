"""What the page says of packs in turn: how many are wanted, when they are changed, when each is full again."""

from __future__ import annotations

from typing import Any

from hermotrope.drawings.packs import turns
from hermotrope.formats.calendar_file import Moment
from hermotrope.outing.panel import when
from hermotrope_core.hours.rotation import Packs, Rotation, packs_in_turn
from hermotrope_core.hours.swap import MARGIN
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.values.clock import DAY_S
from hermotrope_core.values.figures import duration, figure
from hermotrope_core.values.known import number

MOST_SWAPS_TOLD = 6


def packs_context(document: Document) -> dict[str, Any]:
    """The packs in turn in words and drawn; `why_not` where that cannot be worked out yet."""
    try:
        packs = packs_in_turn(document)
    except ValueError as error:
        return {"why_not": f"{error}."}
    if not packs.rotations:
        return {"why_not": "Nothing here runs empty."}
    told = [line for one in packs.rotations for line in _told(document, packs, one)]
    short = any(not span.ready for one in packs.rotations for span in one.spans)
    return {"told": told, "drawn": turns(document, packs), "short": short}


def pack_moments(document: Document, uid: str) -> list[Moment]:
    """For a calendar: every change of packs, and every charge."""
    packs = packs_in_turn(document)
    found = []
    for one in packs.rotations:
        name = document.supplies[one.supply].called
        for k, span in enumerate(one.spans[1:]):
            found.append(Moment(span.from_s, f"{uid}-swap-{one.supply}-{k}", f"{name}: put pack {span.pack} in", ""))
    for k, charge in enumerate(packs.charges):
        words = f"{document.supplies[charge.supply].called}, pack {charge.pack}: charge it from {charge.by}"
        note = f"full after {duration(charge.until_s - charge.from_s)}"
        found.append(Moment(charge.from_s, f"{uid}-charge-{k}", words, note))
    return found


def _told(document: Document, packs: Packs, one: Rotation) -> list[tuple[str, str]]:
    supply = document.supplies[one.supply]
    name, start = supply.called, document.start
    lines: list[tuple[str, str]] = []
    sure = (
        "" if one.share is None else f"the pessimistic end of its range ({figure(one.share, '%', 2)} of its charge), "
    )
    counted = f"Counted is {sure}less {figure(MARGIN, '%', 2)} for the swap."
    if one.needed > one.taken:
        along = "only one goes" if one.taken == 1 else f"{one.taken} go"
        lines.append(("care", f"{name}: {one.needed} are wanted to be sure, {along} along. {counted}"))
    elif one.needed < one.taken:
        words = "one is enough" if one.needed == 1 else f"{one.needed} are enough"
        lines.append(("note", f"{name}: {words}. {counted}"))
    for span in one.spans[1 : 1 + MOST_SWAPS_TOLD]:
        ready = "" if span.ready else ", which is not full by then"
        words = f"{name}: pack {span.pack} in {_after(span.from_s, start)}{ready}; what it feeds is off meanwhile."
        lines.append(("note" if span.ready else "care", words))
    lines += _full(document, packs, one)
    return lines


def _full(document: Document, packs: Packs, one: Rotation) -> list[tuple[str, str]]:
    """When the packs of a supply are full again, and what the cold says to charging them."""
    supply = document.supplies[one.supply]
    cell, name = CHEMISTRIES[supply.source.chemistry], supply.called
    if not cell.rechargeable:
        return [("note", f"{name} is not charged again: fresh cells for the next time.")]
    if not document.chargers:
        return []
    if document.start is None:
        return [("care", "Say from when the outing is: what packs are charged from is there by the clock.")]
    ends = [at for index, _, at in packs.full_s if index == one.supply]
    done = [at for at in ends if at is not None]
    if len(done) < len(ends):
        lines = [("care", f"{name} is not full again within weeks from what there is to charge from.")]
    else:
        last = max(done)
        late = last > DAY_S
        words = "too late for the next evening at the same time" if late else "in time for the next evening"
        lines = [("care" if late else "note", f"{name} is full again {_after(last, document.start)}, {words}.")]
    limits, warmth = cell.charge_temperature_c, number(document.conditions.temperature_c)
    if limits is not None and not limits[0] <= warmth <= limits[1]:
        low, high = (figure(limit, "°C", 2) for limit in limits)
        lines.append(
            ("care", f"{name} is charged between {low} and {high} only: not out here, but where it is warmer.")
        )
    return lines


def _after(seconds: float, start: str | None) -> str:
    return f"after {when(seconds, start)}".replace(", until ", ", at ")
