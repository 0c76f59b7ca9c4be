"""The steps of a build in a sane order: what to do, how long it takes, the skill, and the caution where it belongs."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import sha1
from typing import Literal

import msgspec

from hermotrope_core.adapters import centres_differ
from hermotrope_core.case import Case, Converter, CutOff, Diode, Fuse, KeepAlive, Lead, Linear, Resistor, Switch, number
from hermotrope_core.figures import figure
from hermotrope_core.sheet.cuts import STRIP_MM, cut_list
from hermotrope_core.sheet.partslist import fed_bay, parts_list

Skill = Literal["none", "careful hands", "soldering", "a meter"]
CUT_MIN = 2.0
"""Minutes for each wire cut, stripped and marked (typical)."""


class Step(msgspec.Struct, frozen=True):
    """One step; `key` stays the same while its part does. Minutes are typical ones for somebody who has done it once."""

    key: str
    title: str
    how: str
    minutes: float
    skill: Skill
    caution: str = ""

    @property
    def basis(self) -> str:
        """A short name of what there is to do, whatever its number: a tick of other words does not count."""
        return sha1(f"{self.title.split(': ', 1)[-1]}/{self.how}".encode(), usedforsecurity=False).hexdigest()[:12]


def steps(case: Case) -> tuple[Step, ...]:
    """The steps of a case with a source; empty without one."""
    if case.source is None:
        return ()
    return (*_before(case), *_parts(case), *_ends(case), *_after(case))


def _before(case: Case) -> Iterator[Step]:
    count = len(parts_list(case))
    yield Step(
        "gather",
        "Lay everything out",
        f"Tick the {count} lines of the parts list. Photograph the device as it is, with its plug or cells.",
        10,
        "none",
    )
    if fed_bay(case) is not None:
        yield Step(
            "dummies",
            "Make the dummy cells",
            "As drawn true to size: check the ruler on the print first. Try each one in its slot for length.",
            30,
            "careful hands",
            "No cell stays in the bay beside dummies: it would be charged or drained without any limit.",
        )
    cuts = sum(cut.count for cut in cut_list(case))
    if cuts:
        yield Step(
            "cut",
            f"Cut {cuts} wires",
            f"By the cut list; strip {STRIP_MM:g} mm; write + or − on both ends. A colour alone is no proof.",
            cuts * CUT_MIN,
            "careful hands",
        )


def _parts(case: Case) -> Iterator[Step]:
    first_fuse = next((i for i, stage in enumerate(case.path) if isinstance(stage, Fuse)), None)
    for i, stage in enumerate(case.path):
        n = i + 1
        match stage:
            case Fuse():
                where = "Within 20 cm of the pack’s plus. " if i == first_fuse else "In the plus conductor. "
                yield Step(
                    f"fuse-{i}",
                    f"Part {n}: the fuse holder",
                    where
                    + f"Solder and sleeve both tails; leave the {number(stage.rating_a):g} A link out until you prove.",
                    15,
                    "soldering",
                    "The pack stays away until every joint is sleeved.",
                )
            case Switch():
                yield Step(
                    f"switch-{i}",
                    f"Part {n}: the switch",
                    "In the plus conductor; mark ON and OFF. Its rating is for direct current.",
                    15,
                    "soldering",
                )
            case CutOff():
                yield Step(
                    f"cut-off-{i}",
                    f"Part {n}: the low-voltage cut-off",
                    f"Its minus goes through to both sides. Set it to {number(stage.trips_v):g} V with a supply before it is joined.",
                    20,
                    "soldering",
                )
            case Resistor():
                yield Step(
                    f"resistor-{i}",
                    f"Part {n}: the resistor",
                    "In the plus conductor, free in the air: it is meant to get warm.",
                    10,
                    "soldering",
                    "Nothing that melts or burns within a finger’s width.",
                )
            case Diode():
                yield Step(
                    f"diode-{i}",
                    f"Part {n}: {stage.count} diode{'s' * (stage.count > 1)}",
                    "The ring points to the device. Sleeve each one.",
                    10,
                    "soldering",
                )
            case Converter() if stage.topology == "inverter":
                yield Step(
                    f"converter-{i}",
                    f"Part {n}: the inverter",
                    "As bought, closed. Its outlet takes the device’s own adapter.",
                    10,
                    "none",
                    "Its outlet is as dangerous as the wall’s: never open it; ask a qualified person.",
                )
            case Converter() | Linear() if case.alternating_at(i):
                yield Step(
                    f"converter-{i}",
                    f"Part {n}: the adapter, {number(stage.output_v):g} V",
                    "As bought; its own plug goes into the inverter’s outlet, last of all.",
                    5,
                    "none",
                    "Mains volts stand at its plug: closed, dry, and never opened.",
                )
            case Converter() | Linear():
                kind = "trigger" if isinstance(stage, Converter) and stage.topology == "trigger" else "converter"
                set_ = (
                    "Do not connect the device yet: it is set unloaded when you prove."
                    if kind == "converter"
                    else "It asks the port for its volts when it is plugged in."
                )
                yield Step(
                    f"converter-{i}",
                    f"Part {n}: the {kind}, {number(stage.output_v):g} V",
                    f"Mind IN and OUT, + and −. Into its box, with air and strain relief at both ends. {set_}",
                    25,
                    "soldering",
                    "Fed the wrong way round it dies at once, and may take the device along.",
                )
            case KeepAlive():
                yield Step(
                    f"keep-alive-{i}",
                    f"Part {n}: the keep-alive load",
                    f"Across plus and minus; it draws {figure(number(stage.current_a), 'A', 2)} as long as the source is on.",
                    10,
                    "soldering",
                )
            case Lead():
                swap = (
                    " Plus and minus exchange here: mark both ends and say so on the label."
                    if stage.swaps_polarity
                    else ""
                )
                yield Step(
                    f"lead-{i}",
                    f"Part {n}: the lead",
                    f"Join it with solder and sleeve, crimp or lever connectors; twisted alone does not count.{swap}",
                    15,
                    "soldering",
                )


def _ends(case: Case) -> Iterator[Step]:
    outlet, inlet = case.source.outlet if case.source else None, case.device.inlet
    if outlet is not None and outlet.kind not in ("usb-a", "usb-c"):
        yield Step(
            "end-source",
            "The end at the source",
            f"A {outlet.kind} end. The live side is a socket, never bare pins.",
            15,
            "soldering",
            "With the pack away: its contacts never lie open beside each other.",
        )
    if inlet is not None and case.alternating_at(len(case.path)):
        yield Step(
            "end-device",
            "The end at the device",
            "The device’s own plug goes into the inverter’s outlet, last of all.",
            5,
            "none",
            "Nothing of mains volts is cut or joined by you: a qualified person does that.",
        )
    elif inlet is not None and inlet.kind != "cell-bay":
        sign = {"centre-positive": "Centre is plus.", "centre-negative": "Centre is minus."}.get(
            inlet.polarity, "Plus and minus as marked."
        )
        turn = " The source’s centre differs, so the wires cross." if centres_differ(case) else ""
        yield Step(
            "end-device",
            "The end at the device",
            f"{sign}{turn} Keep the original plug with a tail of wire if you cut it off.",
            15,
            "soldering",
            "Polarity is measured at the plug before it goes in.",
        )
    elif inlet is not None:
        yield Step(
            "end-device",
            "The wires to the dummies",
            "Plus and minus to the contacts that the bay’s drawing names.",
            15,
            "soldering",
        )


def _after(case: Case) -> Iterator[Step]:
    traits = case.device.traits
    more = []
    if "near-water" in traits:
        more.append("a drip loop at every entry, the source off the ground")
    if "motor" in traits or "ridden" in traits:
        more.append("slack and a wrap where it moves, a breakaway joint where a snag could topple it")
    extra = f" {'; '.join(more).capitalize()}." if more else ""
    yield Step("relief", "Strain relief", f"Pull every joint: nothing moves at the solder.{extra}", 10, "careful hands")
    yield Step("label", "Label the box", "Cut it from this sheet; cover it with tape.", 5, "none")
    yield Step(
        "prove",
        "Prove it",
        "Now the fuse link goes in, and the gates follow in order. The device comes last.",
        40,
        "a meter",
        "First power-up: current limited where you can, one hand, away from anything that burns.",
    )
