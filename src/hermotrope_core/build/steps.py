"""The steps of a build in a sane order: what to do, how long it takes, the skill, and the caution where it belongs."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import sha1

import msgspec

from hermotrope_core.build.cuts import STRIP_MM, cut_list
from hermotrope_core.build.partslist import fed_bay, parts_list
from hermotrope_core.kinds.inlets import Connector, fixed_by_standard, mains_like
from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.kinds.stage import Skill, Work
from hermotrope_core.know.connectors import connector_words, contacts_of
from hermotrope_core.know.joints import centres_differ
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.naming import endless, told
from hermotrope_core.values.figures import stated

CUT_MIN = 2.0
"""Minutes for each wire cut, stripped and marked (typical)."""


MAINS_CORD = Work(
    "as bought",
    "The device’s own cord, or one with a mark of approval, from socket to socket. Nothing is cut, made or opened.",
    2,
    "none",
    "Mains volts stand here: a qualified person does anything but plugging in.",
)


class Step(msgspec.Struct, frozen=True):
    """One step; `key` stays the same while its part does. Minutes are typical ones for somebody who has done it once."""

    key: str
    title: str
    how: str
    minutes: float
    skill: Skill
    caution: str = ""
    stage: int | None = None
    """The part of the path that it puts in."""

    @property
    def basis(self) -> str:
        """A short name of what there is to do, whatever its number: a tick of other words does not count."""
        return sha1(f"{self.title.split(': ', 1)[-1]}/{self.how}".encode(), usedforsecurity=False).hexdigest()[:12]


def steps(case: Case) -> tuple[Step, ...]:
    """The steps of a case with a source; empty without one."""
    if case.source is None:
        return ()
    made = (
        *_before(case),
        *part_steps(case, 0, len(case.path)),
        *end_at_source(case),
        *end_at_device(case),
        *after(case),
    )
    return fitting(case, made)


def fitting(case: Case, made: tuple[Step, ...]) -> tuple[Step, ...]:
    """Steps in words that fit the source: an adapter is no pack."""
    if not endless(case):
        return made
    return tuple(msgspec.structs.replace(one, how=told(case, one.how), caution=told(case, one.caution)) for one in made)


def _before(case: Case) -> Iterator[Step]:
    count = len(parts_list(case))
    yield Step(
        "gather",
        "Lay everything out",
        f"Tick the {count} lines of the parts list. Photograph the device as it is, with its plug or cells.",
        10,
        "none",
    )
    yield from dummies(case)
    cuts = sum(cut.count for cut in cut_list(case))
    if cuts:
        yield Step(
            "cut",
            f"Cut {cuts} wires",
            f"By the cut list; strip {stated(STRIP_MM, 'mm')}; write + or − on both ends. A colour alone is no proof.",
            cuts * CUT_MIN,
            "careful hands",
        )


def dummies(case: Case) -> Iterator[Step]:
    """Dummy cells, where the device is fed through its bay."""
    if fed_bay(case) is not None:
        yield Step(
            "dummies",
            "Make the dummy cells",
            "As drawn true to size: check the ruler on the print first. Try each one in its slot for length.",
            30,
            "careful hands",
            "No cell stays in the bay beside dummies: it would be charged or drained without any limit.",
        )


def part_steps(case: Case, start: int, stop: int) -> Iterator[Step]:
    """A step for every part of path[start:stop] that is put in by itself."""
    for i, stage in enumerate(case.path):
        if stage.inside or not start <= i < stop:
            continue
        place = case.place(i)
        work, key = (MAINS_CORD, "mains") if place.mains and not stage.HOLDS else (stage.work(place), stage.WORK_KEY)
        yield Step(f"{key}-{i}", f"Part {i + 1}: {work.name}", work.how, work.minutes, work.skill, work.caution, i)


def end_at_source(case: Case) -> Iterator[Step]:
    """The wire's end at the source, where it is made."""
    outlet = case.source.outlet if case.source else None
    leads = [lead for _, lead in leads_of(case.path)]
    if (
        outlet is not None
        and not fixed_by_standard(outlet)
        and not mains_like(outlet)
        and not any(lead.bought for lead in leads[:1])
    ):
        yield Step(
            "end-source",
            "The end at the source",
            _source_end(outlet),
            15,
            "soldering",
            "With the pack away: its contacts never lie open beside each other.",
        )


def end_at_device(case: Case) -> Iterator[Step]:
    """The wire's end at the device, where it is made."""
    inlet = case.device.inlet
    leads = [lead for _, lead in leads_of(case.path)]
    if inlet is None or any(lead.bought for lead in leads[-1:]):
        return
    if case.mains_at(len(case.path)):
        yield Step(
            "end-device",
            "The end at the device",
            "The device’s own plug goes into the inverter’s socket, last of all.",
            5,
            "none",
            "Nothing of mains volts is cut or joined by you: a qualified person does that.",
        )
    elif inlet.kind == "cell-bay":
        yield Step(
            "end-device",
            "The wires to the dummies",
            "Plus and minus to the contacts that the bay’s drawing names.",
            15,
            "soldering",
        )
    elif contacts_of(inlet) is None:
        yield Step(
            "end-device",
            "The end at the device: not yet",
            "Which of its contacts is plus, nobody knows: measure that first (station of the device), then come back.",
            0,
            "a meter",
            "A guess here costs the device.",
        )
    else:
        yield _device_end(case, inlet)


def _device_end(case: Case, inlet: Connector) -> Step:
    plus, minus = contacts_of(inlet) or ("", "")
    turn = " The source’s centre differs, so the wires cross." if centres_differ(case) else ""
    if fixed_by_standard(inlet):
        how = "A ready-made lead of its kind, cut nowhere near the plug; which wire is plus is measured at the cut end."
    else:
        how = f"Plus to {plus}, minus to {minus}.{turn}"
    if inlet.kind == "pins":
        how += " Solder by the drawing of the plug’s solder side: it looks like the view into the inlet."
    keep = " Keep the original plug with a tail of wire if you cut it off."
    caution = "Polarity is measured at the plug before it goes in."
    return Step("end-device", "The end at the device", f"{_first_on(inlet)}{how}{keep}", 15, "soldering", caution)


def _first_on(connector: Connector) -> str:
    """What slides on the wire before anything is soldered to it."""
    if connector.kind in ("barrel", "pins"):
        return "First slide the shell and a sleeve for each contact on the wire. "
    return ""


def _source_end(outlet: Connector) -> str:
    if outlet.kind == "terminals":
        return (
            "Its terminals take the wire’s ends: a crimped ferrule or ring on each, never a tinned end under a screw."
        )
    words = f"{_a(connector_words(outlet))} is there; its counterpart goes on the wire. {_first_on(outlet)}"
    return f"{words}The live side is a socket, never bare pins." if outlet.gender != "plug" else words.strip()


def _a(words: str) -> str:
    return f"A {words}" if words[:1] not in "aeiou" else f"An {words}"


def after(case: Case) -> Iterator[Step]:
    """What comes last: pull at it, label it, prove it."""
    traits = case.device.traits
    more = []
    if "near-water" in traits:
        more.append("a drip loop at every entry, the source off the ground")
    if "motor" in traits or "ridden" in traits:
        more.append("slack and a wrap where it moves, a breakaway joint where a snag could topple it")
    extra = f" {'; '.join(more).capitalize()}." if more else ""
    yield Step("relief", "Strain relief", f"Pull every joint: nothing moves at the solder.{extra}", 10, "careful hands")
    yield Step("label", "Label the box", "Cut it from this sheet; cover it with tape.", 5, "none")
    fused = any(stage.opens_above_a is not None and not stage.inside for stage in case.path)
    yield Step(
        "prove",
        "Prove it",
        f"{'Now the fuse link goes in, and the' if fused else 'The'} gates follow in order. The device comes last.",
        40,
        "a meter",
        "First power-up: current limited where you can, one hand, away from anything that burns.",
    )
