"""What the device is, where it is, and how its run ends."""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.point import peak_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import add, alarm_change
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.rule import FULL, Basis, rule
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stages import Diode
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import CHARGE_SHARE, MAINS_CARE_V, SCHOTTKY_V
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.device import Trait
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import maybe, number


def _inner_battery(situation: Situation) -> bool:
    inner = situation.case.device.internal_battery
    return inner is not None and inner.takes_over


def has_switching_part(situation: Situation) -> bool:
    """True with a bank or a switching converter in the path (a linear regulator makes no noise)."""
    bank = situation.source.regulated_output is not None
    return bank or any(s.SWITCHES for s in situation.case.path)


@rule(Basis("abrupt-stop", ("care",), "what is stated of how it ends", ("traits",)))
def abrupt_stop(situation: Situation) -> Iterator[Finding]:
    """Storage that may be cut off while it is written."""
    device = situation.case.device
    if (
        "writes-storage" in device.traits
        and device.ends in ("abrupt", "resets")
        and device.low_warning is not True
        and not _inner_battery(situation)
        and not any(stage.warns_below_v for _, stage in situation.seeing)
    ):
        yield Finding(
            "abrupt-stop",
            "care",
            "It writes to storage, stops without warning, and no inner battery takes over: data can be lost.",
            situation.device_stage,
            cure="plan the swap by the clock, add a voltage alarm, or keep an inner battery that takes over",
        )


@rule(Basis("no-warning", ("note",), "what is stated of its warning", ("traits",)))
def no_warning(situation: Situation) -> Iterator[Finding]:
    """Nothing tells that the pack runs low."""
    if situation.cell.endless:
        return
    if any(stage.SHOWS for _, stage in situation.seeing):
        return
    if situation.case.device.low_warning is not True and not _inner_battery(situation):
        yield Finding(
            "no-warning",
            "note",
            "Nothing on the device warns of this pack running low; its own gauge, if any, will read full to the end.",
            situation.device_stage,
            cure="put a small voltmeter or alarm at the pack, or go by the clock",
            change=alarm_change(situation),
        )


@rule(Basis("radio-noise", ("note",), "a switching part before a receiver", ("traits",)))
def radio_noise(situation: Situation) -> Iterator[Finding]:
    """A switching converter beside a receiver."""
    if "receiver" in situation.case.device.traits and has_switching_part(situation):
        yield Finding(
            "radio-noise",
            "note",
            "A switching converter feeds a receiver: it may be heard.",
            situation.device_stage,
            cure="keep a distance, put on a ferrite or filter, and test by ear on the weakest station",
        )


@rule(
    Basis("cold-run", ("care",), "temperature", ("conditions.temperature_c",), "the chemistry's range", ("chemistry",))
)
def cold_run(situation: Situation) -> Iterator[Finding]:
    """Below the chemistry's discharge range, at the coldest that the conditions know."""
    limit, coldest = situation.cell.discharge_temperature_c[0], situation.temperatures_c[0]
    if coldest < limit and not situation.cell.endless:
        yield Finding(
            "cold-run",
            "care",
            f"At {figure(coldest, '°C')} these cells are below their range ({figure(limit, '°C')}): "
            "the figures are extrapolated.",
            -1,
            coldest,
            limit,
            "°C",
            "keep the pack warm: inside a coat or an insulated box",
        )


def _charges(situation: Situation) -> bool:
    """True where the device charges its source and neither a diode nor a bank lets current out only."""
    one_way = situation.source.regulated_output is not None or any(s.ONE_WAY for s in situation.case.path)
    return situation.case.device.charges_source and not one_way


@rule(
    Basis("too-hot", ("refuse",), "temperature", ("conditions.temperature_c",), "the chemistry's range", ("chemistry",))
)
def too_hot(situation: Situation) -> Iterator[Finding]:
    """Above the chemistry's discharge range, at the warmest that the conditions know."""
    limit, warmest = situation.cell.discharge_temperature_c[1], situation.temperatures_c[1]
    if warmest > limit:
        yield Finding(
            "too-hot",
            "refuse",
            f"At {figure(warmest, '°C')} these cells must not run; {figure(limit, '°C')} is the limit.",
            -1,
            warmest,
            limit,
            "°C",
            "give it shade and air; do not run a pack this hot",
        )


_CAUTIONS: dict[Trait, tuple[Code, str, str]] = {
    "child": (
        "child",
        "A child uses it: speed and energy rise with the square of the volts, and fingers find live contacts.",
        "let an adult keep the fuse, put the switch where whoever watches reaches it, and never leave it powered",
    ),
    "ridden": (
        "ridden",
        "It is ridden or wheeled: speed and energy rise with the square of the volts.",
        "fit a switch the rider can reach and a fuse; wear a helmet; have somebody watch; test the brakes anew",
    ),
    "near-water": (
        "near-water",
        "It is used near water.",
        "keep the source away from water and the volts low, hang a drip loop, and use residual-current "
        "protection on any mains adapter",
    ),
}


RIDDEN_BY_CHILD = (
    "fit a switch that the rider reaches and a fuse that only an adult reaches; stay at the rated volts; helmet, and "
    "somebody who watches all the time"
)


_STOPS: dict[Trait, tuple[Code, str, str]] = {
    "life-safety": (
        "life-safety",
        "Somebody's life depends on this device: a conversion voids its approval and it must not be relied on.",
        "leave it as it is; ask its maker or the person responsible for it",
    ),
    "mains-inside": (
        "mains",
        "There is mains voltage inside this device: opening it can kill, even unplugged.",
        "ask a qualified person under the local code; feed it from outside or leave it",
    ),
}


@rule(
    Basis(
        "cold-charge",
        ("care",),
        "temperature",
        ("conditions.temperature_c",),
        "the chemistry's range for charging",
        ("chemistry",),
    )
)
def cold_charge(situation: Situation) -> Iterator[Finding]:
    """Charging below the temperature at which a chemistry may be charged: the source, or the device's own battery."""
    coldest = situation.temperatures_c[0]
    inner = situation.case.device.internal_battery
    both = [(situation.cell.charge_temperature_c, _charges(situation), "the device would charge these cells")]
    if inner is not None and inner.chemistry is not None:
        span = CHEMISTRIES[inner.chemistry].charge_temperature_c
        both.append((span, inner.charges_from_feed is True, "the feed would charge the inner battery"))
    for span, charges, words in both:
        if span is None or not charges or coldest >= span[0]:
            continue
        yield Finding(
            "cold-charge",
            "care",
            f"At {figure(coldest, '°C')} {words}; below {figure(span[0], '°C')} charging ruins them unseen.",
            -1,
            coldest,
            span[0],
            "°C",
            "charge indoors, or keep the cells warm; a diode last in the path keeps the device from charging the pack",
        )
        return


@rule(Basis("primary-charged", ("refuse",), "what is stated of the device", ("chemistry",)))
def primary_charged(situation: Situation) -> Iterator[Finding]:
    """A device that would charge cells which are never charged."""
    if _charges(situation) and not (situation.cell.rechargeable or situation.cell.endless):
        yield Finding(
            "primary-charged",
            "refuse",
            "The device charges what feeds it, and these cells are never charged: they leak, vent or burst.",
            -1,
            cure="take a rechargeable pack with the right charge volts, or put a diode last in the path",
            change=(add("/path/-", Diode(forward_v=SCHOTTKY_V)),),
        )


@rule(
    Basis(
        "wrong-charger",
        ("note", "refuse"),
        "what its charger is made for",
        ("device.charges_to_v",),
        "what the pack is full at",
        FULL,
    )
)
def wrong_charger(situation: Situation) -> Iterator[Finding]:
    """A device whose charger is made for other cells than those that feed it."""
    device, cell = situation.case.device, situation.cell
    if not _charges(situation) or not cell.rechargeable or cell.endless:
        return
    stops, made_for = maybe(device.charges_to_v), device.charges_chemistry
    limit = situation.full_emf
    cure = "switch its charging off, or put a diode last in the path; charge the pack with its own charger"
    change = (add("/path/-", Diode(forward_v=SCHOTTKY_V)),)
    if stops is not None and stops > limit * (1.0 + CHARGE_SHARE):
        text = (
            f"The device charges up to {figure(stops, 'V')} and this pack is full at {figure(limit, 'V')}: "
            "overcharged cells vent or burn."
        )
        yield Finding("wrong-charger", "refuse", text, -1, stops, limit, "V", cure, change)
    elif made_for is not None and made_for != situation.source.chemistry:
        other = CHEMISTRIES[made_for].label if made_for in CHEMISTRIES else made_for
        text = f"The device charges as for {other.lower()}, and {cell.label.lower()} feeds it."
        yield Finding("wrong-charger", "refuse", text, -1, cure=cure, change=change)
    elif stops is None and made_for is None:
        text = "The device charges what feeds it; for which cells, and up to how many volts, is not stated."
        yield Finding("wrong-charger", "note", text, -1, limit=limit, unit="V", cure=cure, change=change)


@rule(Basis("back-feed-motor", ("note",), "a motor behind a part that holds its output", ("traits", "path")))
def back_feed_motor(situation: Situation) -> Iterator[Finding]:
    """A motor that turns itself, or is braked, behind a part whose output does not take current back."""
    if "motor" not in situation.case.device.traits or situation.alternating:
        return
    last = situation.circuit.holders[-1] if situation.circuit.holders else None
    if last is None:
        return
    part = situation.source.regulated_output if last.stage == -1 else situation.case.path[last.stage]
    diode = any(stage.ONE_WAY for stage in situation.case.path[last.stage + 1 :])
    if diode or getattr(part, "takes_back_feed", False):
        return
    name = "bank" if last.stage == -1 else situation.stage_name(last.stage)
    yield Finding(
        "back-feed-motor",
        "note",
        f"A motor that is turned or braked gives current back; the {name} holds its output and may not take it.",
        situation.device_stage if last.stage == -1 else last.stage,
        cure="put a diode behind the part that holds the volts, or state that it stands current from behind",
    )


@rule(Basis("not-stated", ("note",), "ratings that are left open", ("path",)))
def not_stated(situation: Situation) -> Iterator[Finding]:
    """Ratings that a judgement needed and nobody stated, in one note."""
    missing = list(_missing(situation))
    if missing:
        yield Finding(
            "not-stated",
            "note",
            f"Nobody stated {_listed(missing)}: what follows from {'it' if len(missing) == 1 else 'them'} is judged "
            "with typical figures or not at all.",
            -1,
            float(len(missing)),
            None,
            "",
            "read them off the part or its data sheet and enter them",
        )


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def _missing(situation: Situation) -> Iterator[str]:
    source = situation.source
    if source.regulated_output is not None:
        if source.regulated_output.output_current_max_a is None:
            yield "the amperes that the port gives"
    elif source.max_current_a is None and not situation.cell.endless:
        yield "the pack’s most current"
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Holding):
            name = situation.stage_name(i)
            if stage.output_current_max_a is None:
                yield f"the amperes of the {name}"
            taken = stage.assumed_headroom_v
            if taken is not None:
                yield f"the headroom of the {name} ({figure(taken, 'V', 2)} is taken)"
    for mode in situation.all_modes:
        if peak_demand(mode) is not None and mode.peak_s is None:
            yield f"how long the peak of “{mode.name}” lasts"
    motor = "motor" in situation.case.device.traits
    if motor and not situation.all_peaks:
        yield "the motor’s start or stall current"


@rule(
    Basis(
        "mains",
        ("care", "stop"),
        "volts of the outlet, or what is stated of the device",
        ("stage.output_v", "traits"),
        f"{stated(MAINS_CARE_V, 'V')} alternating",
        can_be_accepted=True,
    )
)
def inverter(situation: Situation) -> Iterator[Finding]:
    """An inverter's outlet is as dangerous as the wall's."""
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Holding) and stage.alternating:
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


@rule(
    Basis("child", ("care",), "what is stated of its use", ("traits",)),
    Basis("ridden", ("care",), "what is stated of its use", ("traits",)),
    Basis("near-water", ("care",), "what is stated of its use", ("traits",)),
    Basis("life-safety", ("care", "stop"), "what is stated of its use", ("traits",), can_be_accepted=True),
)
def traits(situation: Situation) -> Iterator[Finding]:
    """Cautions that follow from what the device is near; two of them stop until taken over."""
    here = situation.device_stage
    for trait in situation.case.device.traits:
        if trait in _CAUTIONS:
            code, text, cure = _CAUTIONS[trait]
            if trait == "child" and "ridden" in situation.case.device.traits:
                cure = RIDDEN_BY_CHILD
            yield Finding(code, "care", text, here, cure=cure)
        elif trait in _STOPS:
            code, text, cure = _STOPS[trait]
            taken = code in situation.case.accepted
            said = " You stated that a qualified person takes it over." if taken else ""
            yield Finding(code, "care" if taken else "stop", text + said, here, cure=cure)
