"""What the device is, where it is, and how its run ends."""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.case import Code, Converter, Diode, Trait, number
from hermotrope_core.design import SCHOTTKY_V, add
from hermotrope_core.figures import figure
from hermotrope_core.findings.current import has_switching_part
from hermotrope_core.findings.finding import Finding
from hermotrope_core.situation import Situation

MAINS_CARE_V = 50.0
"""Alternating volts above which a qualified person is needed (the usual limit of extra-low voltage)."""


def _inner_battery(situation: Situation) -> bool:
    inner = situation.case.device.internal_battery
    return inner is not None and inner.takes_over


def abrupt_stop(situation: Situation) -> Iterator[Finding]:
    """Storage that may be cut off while it is written."""
    device = situation.case.device
    if (
        "writes-storage" in device.traits
        and device.ends in ("abrupt", "resets")
        and device.low_warning is not True
        and not _inner_battery(situation)
    ):
        yield Finding(
            "abrupt-stop",
            "care",
            "It writes to storage, stops without warning, and no inner battery takes over: data can be lost.",
            situation.device_stage,
            cure="plan the swap by the clock, add a voltage alarm, or keep an inner battery that takes over",
        )


def no_warning(situation: Situation) -> Iterator[Finding]:
    """Nothing tells that the pack runs low."""
    if situation.case.device.low_warning is not True and not _inner_battery(situation):
        yield Finding(
            "no-warning",
            "note",
            "Nothing on the device warns of this pack running low; its own gauge, if any, will read full to the end.",
            situation.device_stage,
            cure="a small voltmeter or alarm at the pack, or the clock",
        )


def radio_noise(situation: Situation) -> Iterator[Finding]:
    """A switching converter beside a receiver."""
    if "receiver" in situation.case.device.traits and has_switching_part(situation):
        yield Finding(
            "radio-noise",
            "note",
            "A switching converter feeds a receiver: it may be heard.",
            situation.device_stage,
            cure="distance, a ferrite or filter, and a test by ear on the weakest station",
        )


def cold_run(situation: Situation) -> Iterator[Finding]:
    """Below the chemistry's discharge range."""
    limit = situation.cell.discharge_temperature_c[0]
    if situation.temperature_c < limit:
        yield Finding(
            "cold-run",
            "care",
            f"At {figure(situation.temperature_c, '°C')} these cells are below their range ({figure(limit, '°C')}): "
            "the figures are extrapolated.",
            -1,
            situation.temperature_c,
            limit,
            "°C",
            "keep the pack warm: inside a coat or an insulated box",
        )


def _charges(situation: Situation) -> bool:
    """True where the device charges its source and neither a diode nor a bank lets current out only."""
    one_way = situation.source.regulated_output is not None or any(isinstance(s, Diode) for s in situation.case.path)
    return situation.case.device.charges_source and not one_way


def cold_charge(situation: Situation) -> Iterator[Finding]:
    """A device that charges its source below the temperature at which that chemistry may be charged."""
    span = situation.cell.charge_temperature_c
    if not _charges(situation) or span is None or situation.temperature_c >= span[0]:
        return
    yield Finding(
        "cold-charge",
        "care",
        f"At {figure(situation.temperature_c, '°C')} the device would charge these cells; below "
        f"{figure(span[0], '°C')} charging ruins them unseen.",
        -1,
        situation.temperature_c,
        span[0],
        "°C",
        "charge it indoors, or keep the pack warm; a diode last in the path keeps the device from charging it",
    )


def primary_charged(situation: Situation) -> Iterator[Finding]:
    """A device that would charge cells which are never charged."""
    if _charges(situation) and not (situation.cell.rechargeable or situation.cell.endless):
        yield Finding(
            "primary-charged",
            "refuse",
            "The device charges what feeds it, and these cells are never charged: they leak, vent or burst.",
            -1,
            cure="a rechargeable pack with the right charge volts, or a diode last in the path",
            change=(add("/path/-", Diode(forward_v=SCHOTTKY_V)),),
        )


def inverter(situation: Situation) -> Iterator[Finding]:
    """An inverter's outlet is as dangerous as the wall's."""
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Converter) and stage.topology == "inverter":
            yield Finding(
                "mains",
                "care",
                f"The inverter's outlet carries {figure(number(stage.output_v), 'V')}: as dangerous as the wall's.",
                i,
                number(stage.output_v),
                MAINS_CARE_V,
                "V",
                "feed the device with direct current instead; else leave the inverter closed, dry and off until all is "
                "plugged in, and let a qualified person do anything inside it",
            )


def too_hot(situation: Situation) -> Iterator[Finding]:
    """Above the chemistry's discharge range."""
    limit = situation.cell.discharge_temperature_c[1]
    if situation.temperature_c > limit:
        yield Finding(
            "too-hot",
            "refuse",
            f"At {figure(situation.temperature_c, '°C')} these cells must not run; {figure(limit, '°C')} is the limit.",
            -1,
            situation.temperature_c,
            limit,
            "°C",
            "shade and air; do not run a pack this hot",
        )


_CAUTIONS: dict[Trait, tuple[Code, str, str]] = {
    "child": (
        "child",
        "A child uses it: speed and energy rise with the square of the volts, and fingers find live contacts.",
        "a switch and a fuse out of reach, supervision, and never leave it powered",
    ),
    "ridden": (
        "ridden",
        "It is ridden or wheeled: speed and energy rise with the square of the volts.",
        "a switch the rider can reach, a fuse, a helmet, supervision; test the brakes at the new speed",
    ),
    "near-water": (
        "near-water",
        "It is used near water.",
        "keep the source away from water and the volts low, hang a drip loop, and use residual-current "
        "protection on any mains adapter",
    ),
}
_STOPS: dict[Trait, tuple[Code, str, str]] = {
    "life-safety": (
        "life-safety",
        "Somebody's life depends on this device: a conversion voids its approval and it must not be relied on.",
        "leave it as it is; ask its maker or the person responsible for it",
    ),
    "mains-inside": (
        "mains",
        "There is mains voltage inside this device: opening it can kill, even unplugged.",
        "a qualified person under the local code; feed it from outside or leave it",
    ),
}


def traits(situation: Situation) -> Iterator[Finding]:
    """Cautions that follow from what the device is near; two of them stop until taken over."""
    here = situation.device_stage
    for trait in situation.case.device.traits:
        if trait in _CAUTIONS:
            code, text, cure = _CAUTIONS[trait]
            yield Finding(code, "care", text, here, cure=cure)
        elif trait in _STOPS:
            code, text, cure = _STOPS[trait]
            taken = code in situation.case.accepted
            said = " You stated that a qualified person takes it over." if taken else ""
            yield Finding(code, "care" if taken else "stop", text + said, here, cure=cure)
