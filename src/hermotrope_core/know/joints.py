"""Where ends meet: which go into each other, where leads must join something, and the one lead to make.

A live end is what current comes out of: kind, size and gender of a connector, and for a barrel which sign its centre
carries. A lead goes on where its `source_end` mates with the live end, and gives its `device_end` as the next one.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import msgspec

from hermotrope_core.kinds.inlets import KIND_WORDS, Connector, fixed_by_standard, knows_sign, mains_like
from hermotrope_core.kinds.lead import as_lead, leads_of
from hermotrope_core.kinds.stages import Lead
from hermotrope_core.know.connectors import ALIKE_INNER_MM, ALIKE_OUTER_MM, SAME_MM, contacts_of
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe

CENTRES = ("centre-positive", "centre-negative")
BARE = Connector(kind="leads", polarity="marked")
TERMINALS = Connector(kind="terminals", polarity="marked", measured=True)
"""What a lead ends in that states nothing."""
SWAP = {"+": "−", "−": "+"}
WIRED = {"terminals", "leads"}
"""Kinds that a bare wire goes into, by a ferrule, a lever connector or a screw."""


class End(msgspec.Struct, frozen=True):
    """A live end: what it looks like to whatever is to be plugged in."""

    kind: str
    outer_mm: float | None
    inner_mm: float | None
    gender: str | None
    sign: str

    @property
    def words(self) -> str:
        size = f" {stated(self.outer_mm)} × {stated(self.inner_mm)} mm" if self.outer_mm and self.inner_mm else ""
        centre = f", centre {self.sign}" if self.kind == "barrel" and self.sign in "+−" else ""
        gender = f" {self.gender}" if self.gender else ""
        return f"{KIND_WORDS[self.kind]}{size}{gender}{centre}"


class Conductor(msgspec.Struct, frozen=True):
    """One wire of a lead to make: from which contact to which, and its sign."""

    sign: str
    source_contact: str
    device_contact: str


class LeadToMake(msgspec.Struct, frozen=True):
    """The single lead that does it: its two ends and which conductor goes where."""

    source_end: Connector
    device_end: Connector
    conductors: tuple[Conductor, Conductor]
    swaps: bool
    remarks: tuple[str, ...]


def live_end(connector: Connector, sign: str | None = None) -> End:
    """A connector as a live end; `sign` of its centre, or as the connector states it."""
    stated = {"centre-positive": "+", "centre-negative": "−", "marked": "m"}.get(connector.polarity, "?")
    return End(
        connector.kind,
        maybe(connector.outer_mm),
        maybe(connector.inner_mm),
        connector.gender,
        stated if sign is None or connector.kind != "barrel" else sign,
    )


def mates(end: End, other: Connector) -> bool:
    """True where a connector goes into a live end: same kind and size, opposite gender as far as both are known."""
    if end.kind in WIRED and other.kind in WIRED:
        return True
    if end.kind != other.kind or end.kind == "cell-bay":
        return False
    if end.gender is not None and other.gender is not None and end.gender == other.gender:
        return False
    return all(
        mine is None or theirs is None or abs(mine - theirs) <= SAME_MM
        for mine, theirs in ((end.outer_mm, maybe(other.outer_mm)), (end.inner_mm, maybe(other.inner_mm)))
    )


def joint_fit(near: Connector, far: Connector) -> Literal["mates", "loose", "never"]:
    """How two connectors go into each other; barrels of look-alike sizes are loose or tight."""
    if mates(live_end(near), far) or near.kind == far.kind == "cell-bay":
        return "mates"
    sizes = [maybe(one) for one in (near.outer_mm, near.inner_mm, far.outer_mm, far.inner_mm)]
    genders_fit = near.gender is None or far.gender is None or near.gender != far.gender
    if near.kind == far.kind == "barrel" and genders_fit and None not in sizes:
        outer, inner, other_outer, other_inner = (size or 0.0 for size in sizes)
        if abs(outer - other_outer) < ALIKE_OUTER_MM and abs(inner - other_inner) < ALIKE_INNER_MM:
            return "loose"
    return "never"


def stated_joints(case: Case) -> Iterator[tuple[int, Connector, Connector, str]]:
    """Where two stated connectors meet: path index, both, and where that is.

    Fuses and switches in between belong to the lead's own wire. A bare end is made to fit and says nothing.
    """
    before: Connector | None = case.source.outlet if case.source else None
    where, last = "At the source", 0
    for i, stage in enumerate(case.path):
        if stage.IN_THE_WIRE:
            continue
        lead = as_lead(stage)
        if lead is None:
            before = None
            continue
        if before is not None and lead.source_end is not None and lead.source_end.kind not in WIRED:
            yield i, before, lead.source_end, where
        before, where = lead.device_end, "Between two leads"
        last = i
    inlet = case.device.inlet
    leads = bool(leads_of(case.path))
    if inlet is not None and before is not None and leads and before.kind not in WIRED:
        yield last, before, inlet, "At the device"


def fits_inlet(end: End, inlet: Connector) -> bool:
    """True where a live end goes into the device with the right sign."""
    wanted = {"centre-positive": "+", "centre-negative": "−"}.get(inlet.polarity)
    right = wanted is None or end.kind != "barrel" or end.sign == wanted
    return mates(end, inlet) and right


def behind(end: End, lead: Lead) -> tuple[End, ...]:
    """The live ends that a lead can leave when it is put on one; none where it does not go on.

    Where bare wires are joined by hand either sign can go to a barrel's centre.
    """
    near, far = lead.source_end or BARE, lead.device_end or BARE
    if not mates(end, near):
        return ()
    if end.kind in WIRED and far.kind == "barrel":
        return live_end(far, "+"), live_end(far, "−")
    known = end.sign if end.kind == "barrel" else "+"
    swapped = lead.swaps_polarity and known in SWAP
    return (live_end(far, SWAP[known] if swapped else known),)


class Gap(msgspec.Struct, frozen=True):
    """Two ends that leads must join: in words, and between which path indices.

    Fuses between `start` and `stop` stay at the front: they are in the plus wire, close to the pack.
    """

    words: str
    near: Connector
    far: Connector
    start: int
    stop: int
    done: bool = False
    """Leads that stand there state ends that fit on both sides."""


def gaps(case: Case) -> tuple[Gap, ...]:
    """Where leads join something: outlet to the first other stage, and the last other stage to the inlet.

    Stages in between are joined by wires on their own terminals. Where mains volts stand nobody joins anything.
    """
    outlet = case.source.outlet if case.source else None
    inlet = case.device.inlet
    if outlet is not None and mains_like(outlet):
        outlet = None
    if case.mains_at(len(case.path)):
        inlet = None
    count = len(case.path)
    first = next((i for i, stage in enumerate(case.path) if not as_lead(stage) and stage.opens_above_a is None), count)
    found = []
    if first == count:
        if outlet and inlet:
            found.append(_gap(case, "from the outlet to the inlet", (outlet, inlet), (0, count)))
        return tuple(found)
    last = max(i for i, stage in enumerate(case.path) if not as_lead(stage))
    if outlet and outlet.kind not in WIRED:
        found.append(_gap(case, "from the outlet to the wires", (outlet, TERMINALS), (0, first)))
    if inlet and inlet.kind not in WIRED:
        found.append(_gap(case, "from the wires to the inlet", (TERMINALS, inlet), (last + 1, count)))
    return tuple(found)


def _gap(case: Case, words: str, ends: tuple[Connector, Connector], span: tuple[int, int]) -> Gap:
    leads = [lead for _, lead in leads_of(case.path[span[0] : span[1]])]
    near, far = ends
    done = bool(leads) and _goes(near, leads[0].source_end) and _goes(far, leads[-1].device_end)
    return Gap(words, near, far, *span, done)


def _goes(side: Connector, end: Connector | None) -> bool:
    """Whether a lead's end is stated to fit a side; a bare end fits wires alone."""
    if end is None or end.kind in WIRED:
        return side.kind in WIRED
    return joint_fit(side, end) == "mates"


def centres_differ(case: Case) -> bool:
    """True where outlet and inlet are barrels whose centres carry different signs."""
    inlet, outlet = case.device.inlet, case.source.outlet if case.source else None
    return inlet is not None and outlet is not None and _differ(outlet, inlet)


def _differ(one: Connector, other: Connector) -> bool:
    """Whether both are barrels with a known sign, and the signs differ."""
    return one.kind == other.kind == "barrel" and {one.polarity, other.polarity} == set(CENTRES)


def lead_to_make(outlet: Connector, inlet: Connector) -> LeadToMake:
    """The single lead from an outlet to an inlet: plug ends, and which conductor goes to which contact.

    Power leaves through a socket and enters through a plug, so the live side of a made lead is a socket
    wherever the device's inlet allows it.
    """
    near = _counterpart(outlet)
    far = _counterpart(inlet)
    swap = _differ(outlet, inlet)
    plus = Conductor("+", _contact(outlet, plus=True), _contact(inlet, plus=True))
    minus = Conductor("−", _contact(outlet, plus=False), _contact(inlet, plus=False))
    remarks = []
    if swap:
        remarks.append(
            "The two centres differ: centre goes to sleeve and sleeve to centre. Measure before you plug it in."
        )
    if far.gender == "plug" and inlet.kind == "barrel":
        remarks.append("The barrel's sleeve is bare and live: switch off at the source before you unplug it.")
    for name, end in (("outlet", outlet), ("inlet", inlet)):
        if not knows_sign(end) or not (end.measured or fixed_by_standard(end)):
            remarks.append(f"The {name}'s polarity is not measured: measure it before you solder.")
    if inlet.kind == "cell-bay":
        remarks.append("It ends in the dummy cells of the bay; the bay's drawing says which wire goes where.")
    return LeadToMake(near, far, (plus, minus), swap, tuple(remarks))


def _counterpart(connector: Connector) -> Connector:
    """What goes into a connector."""
    gender = {"socket": "plug", "plug": "socket"}.get(connector.gender or "socket")
    return Connector(
        kind=connector.kind,
        outer_mm=connector.outer_mm,
        inner_mm=connector.inner_mm,
        polarity=connector.polarity,
        gender=None if connector.kind in WIRED else gender,  # type: ignore[arg-type]  # one of the two words
        measured=connector.measured,
        pin_count=connector.pin_count,
        arc_deg=connector.arc_deg,
        readings=connector.readings,
    )


def _contact(connector: Connector, *, plus: bool) -> str:
    names = contacts_of(connector)
    return "not known: measure it first" if names is None else names[0 if plus else 1]
