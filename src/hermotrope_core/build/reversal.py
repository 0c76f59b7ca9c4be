"""What a conversion changes or loses in the device, and how to go back."""

from __future__ import annotations

from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.naming import endless

CUT_KINDS = ("leads", "terminals", "pins")


def changes(case: Case) -> tuple[str, ...]:
    """What is different afterwards, in sentences."""
    inlet, told = case.device.inlet, []
    kind = inlet.kind if inlet else None
    if kind == "cell-bay":
        told.append("Its cells come out and dummies go in; its door may have to stay open for the wires.")
    elif case.mains_at(len(case.path)):
        told.append("Nothing in the device is changed: its own cord goes into the inverter’s socket.")
    elif kind in CUT_KINDS and not _own_lead(case):
        told.append("Its supply wires are taken off or cut; keep the original plug with a tail of wire.")
    elif kind is not None:
        told.append("Nothing in the device is changed: it is fed through its own inlet.")
    if case.device.low_warning is not True and not endless(case):
        told.append("It does not warn any more before it stops: read a voltmeter, or go by the clock.")
    if not endless(case):
        told.append("Its own gauge, if it has one, reads full until it drops dead: it was made for other cells.")
    if case.device.charges_source:
        told.append("Its own charging must stay off: it was made for the original battery.")
    elif not endless(case):
        told.append("Its own charger no longer charges what feeds it; the pack has a charger of its own.")
    if "life-safety" in case.device.traits:
        told.append("Its approval is void: nobody may rely on it.")
    if "over-max" in case.accepted:
        told.append("It runs above its rated volts by choice: hotter, faster, and with a shorter life.")
    told.append("The maker’s warranty may no longer hold.")
    return tuple(told)


def _own_lead(case: Case) -> bool:
    """Whether a ready-made lead feeds the device through its own socket, so that nothing was cut."""
    inlet = case.device.inlet
    last = next((lead for _, lead in reversed(leads_of(case.path))), None)
    socket = inlet is not None and inlet.gender == "socket"
    return socket or (last is not None and (last.bought or last.device_end is not None))


def way_back(case: Case) -> tuple[str, ...]:
    """How to undo it, in order."""
    inlet = case.device.inlet
    kind = inlet.kind if inlet else None
    if kind == "cell-bay":
        return (
            "Switch off, take the dummies and their wires out.",
            "Put the original cells in, as the bay’s marks say.",
            "Nothing else was changed.",
        )
    if kind in CUT_KINDS and not _own_lead(case):
        return (
            "Switch off, undo the joint behind the device.",
            "Join the original plug’s tail again, plus to plus as you marked it.",
            "Measure polarity and volts at the device’s end before it gets power.",
        )
    return ("Switch off, unplug the lead.", "Plug the original supply in again.")
