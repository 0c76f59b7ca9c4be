"""Does the device get volts that it survives and works on, over the whole discharge?"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.point import Breach, Point, circuit_of, full_volts, unloaded_volts
from hermotrope_core.circuit.situation import LOW_SOC, Look, Situation
from hermotrope_core.judge.cures import Change, converter_change, with_stages
from hermotrope_core.judge.findings.finding import Finding, Level, above, below, outside_duty
from hermotrope_core.judge.findings.rule import FULL, LOADED, Basis, rule
from hermotrope_core.judge.overdrive import overdrive
from hermotrope_core.kinds.effects import CAUSE_WORDS
from hermotrope_core.kinds.stages import Converter, Diode
from hermotrope_core.parts.craft import CUT_OFF_SHARE, EARLY_SHARE, NEAR_SHARE, REST_A, SHORT_PEAK_S
from hermotrope_core.plan.case import Case, Mode, maybe, number
from hermotrope_core.values.figures import both, duration, figure

EARLY_CAUSES = ("device minimum", "dropout", "converter input too low", "collapse")
STRONGER = "take a stronger source (lower resistance), more volts, or a shorter and thicker lead"


def hold_the_volts(situation: Situation) -> tuple[str | None, Change]:
    """The cure for wrong volts at the inlet, in words and as a change."""
    change = converter_change(situation)
    if not change:
        if any(stage.HOLDS for stage in situation.case.path):
            return "lose less between the converter and the device: a thicker lead, no diode or resistor", ()
        return "put in a converter that holds the rated volts; no generic board suits this pack and load", ()
    target = figure(maybe(situation.case.device.supply.nominal_v) or 0.0, "V")
    if change[0]["op"] == "replace" and not isinstance(change[0]["value"], dict):
        return f"set the converter to {figure(change[0]['value'], 'V')}", change
    board = change[0]["value"]["topology"]
    if change[0]["op"] == "replace":
        return f"put a {board} converter set to {target} in its place", change
    fuse = " and a fuse" if len(change) > 1 else ""
    return f"put in a {board} converter set to {target}{fuse}", change


@rule(
    Basis(
        "over-absolute-max",
        ("refuse",),
        "E_full − fixed drops, no current",
        (*FULL, "path"),
        "stated",
        ("device.supply.absolute_max_v",),
    )
)
def over_absolute_max(situation: Situation) -> Iterator[Finding]:
    """The inlet, full and with no current, above what breaks the device."""
    limit, have = maybe(situation.case.device.supply.absolute_max_v), situation.unloaded[-1]
    if limit is not None and above(have, limit):
        yield from _over_absolute(situation.case, have, *hold_the_volts(situation))


def _over_absolute(case: Case, have: float, cure: str | None, change: Change = ()) -> Iterator[Finding]:
    """The finding where unloaded volts at the inlet break the device."""
    limit = maybe(case.device.supply.absolute_max_v)
    if limit is not None and above(have, limit):
        reach, breaks = both(have, limit, "V")
        text = f"Full and unloaded, {reach} reach the inlet; above {breaks} the device breaks."
        yield Finding("over-absolute-max", "refuse", text, len(case.path), have, limit, "V", cure, change)


def volts_before_draw(case: Case) -> tuple[Finding, ...]:
    """What is known to be too much for a device whose draw nobody knows yet: pack and window are enough.

    Empty without a source. Volts at the inlet are those of the full pack with no current.
    """
    if case.source is None:
        return ()
    volts = unloaded_volts(circuit_of(case), full_volts(case.source))[-1]
    cure = "put in a converter that holds the rated volts"
    found = tuple(_over_absolute(case, volts, cure))
    limit = maybe(case.device.supply.max_v)
    if found or limit is None or not above(volts, limit):
        return found
    reach, stands = both(volts, limit, "V")
    text = f"Full and unloaded, {reach} reach the inlet; it is known to stand {stands}."
    level: Level = "care" if "over-max" in case.accepted else "refuse"
    return (Finding("over-max", level, text, len(case.path), volts, limit, "V", cure),)


@rule(
    Basis(
        "over-max",
        ("care", "refuse"),
        "E_full − I R − drops in the lightest mode",
        (*FULL, *LOADED, "lightest"),
        "stated",
        ("device.supply.max_v",),
    )
)
def over_max(situation: Situation) -> Iterator[Finding]:
    """The inlet, full and in the lightest mode, above what the device is known to stand."""
    limit = maybe(situation.case.device.supply.max_v)
    if limit is None:
        return
    for mode in _in_turn(situation, lambda one: -situation.inlet_watts(one)):
        full = situation.at_demand_full(mode)
        have = full.inlet_v if full.complete else situation.unloaded[-1]
        if above(have, limit):
            yield _over_max(situation, mode, have, limit)
            return


def _over_max(situation: Situation, mode: Mode, have: float, limit: float) -> Finding:
    accepted = "over-max" in situation.case.accepted
    forbidden = ridden_by_child(situation.case)
    gives, stands = both(have, limit, "V")
    cure, change = hold_the_volts(situation)
    deliberate = " You accepted this overvoltage." if accepted and not forbidden else ""
    if forbidden:
        deliberate = (
            " A child rides it: this overvoltage cannot be accepted. Ask its maker, or somebody who is "
            "answerable for ridden toys."
        )
    return Finding(
        "over-max",
        _level(situation, mode, "care" if accepted and not forbidden else "refuse"),
        f"The full pack gives the device {gives} in {_named(situation, mode)}; it is known to stand {stands}."
        f"{deliberate}{_what_it_does(situation, have)}",
        situation.device_stage,
        have,
        limit,
        "V",
        cure,
        change,
    )


def ridden_by_child(case: Case) -> bool:
    return {"child", "ridden"} <= set(case.device.traits)


def _what_it_does(situation: Situation, have: float) -> str:
    """Speed, stall heat, energy and life under an overvoltage, for what moves: told before anybody accepts it."""
    traits, rated = situation.case.device.traits, maybe(situation.case.device.supply.nominal_v)
    if rated is None or not ("motor" in traits or "ridden" in traits):
        return ""
    at = overdrive(have, rated)
    return (
        f" Against its rated {figure(rated, 'V')}: speed × {at.speed:.2f}, heat at stall × {at.stall_heat:.2f}, "
        f"energy of motion × {at.energy:.2f} (it grows with V²), life of the winding about {figure(at.life, '%', 1)}."
    )


def _in_turn(situation: Situation, key: Callable[[Mode], float]) -> list[Mode]:
    """The modes of the duty, greatest `key` first, then the others likewise."""
    return sorted(situation.all_modes, key=lambda mode: (not situation.in_duty(mode), -key(mode)))


def _named(situation: Situation, mode: Mode) -> str:
    return f"“{mode.name}”" if situation.in_duty(mode) else f"“{mode.name}”, which is not in the duty"


def _level(situation: Situation, mode: Mode, level: Level) -> Level:
    return level if situation.in_duty(mode) else outside_duty(level)


@rule(
    Basis(
        "does-not-start",
        ("refuse",),
        "what stands at the place that gives up, at the charge it starts from",
        ("ocv", *LOADED, "duty"),
        "what that place needs",
        ("device.supply.min_v", "source.cutoff_v", "source.reserve_soc"),
    )
)
def does_not_start(situation: Situation) -> Iterator[Finding]:
    """A run that ends before it begins, or at the first turn of a mode that cannot run even then."""
    run = situation.run
    if run is None:
        return
    if run.runtime_s > 0.0 and not _never_ran(situation, run):
        return
    start, floor = situation.circuit.start_soc, situation.circuit.reserve_soc
    have, limit, unit = _starting_limit(situation, run)
    if run.end_cause in ("reserve", "empty"):
        text = f"It does not start: the pack begins at {figure(start, '%', 2)} and {figure(floor, '%', 2)} are kept."
        cure = "charge the pack first, or keep less in reserve"
        have, limit, unit = start, floor, "of the charge"
    else:
        numbers = ", {} against {}".format(*both(have, limit, unit)) if limit is not None else ""
        begins = "It does not start" if run.runtime_s == 0.0 else f"“{run.end_mode}” never starts"
        text = f"{begins}: in “{run.end_mode}” {CAUSE_WORDS[run.end_cause]} at once{numbers}."
        cure = "charge the pack, or take one whose volts and strength hold this mode from the start"
    yield Finding("does-not-start", "refuse", text, situation.device_stage, have, limit, unit, cure)


def _never_ran(situation: Situation, run: Run) -> bool:
    """True where a run ended at a mode that is refused even at the charge it started from."""
    if run.end_cause not in (*EARLY_CAUSES, "pack cut-off", "converter input too high", "converter overload"):
        return False
    mode = next(one for one in situation.modes if one.name == run.end_mode)
    return any(b.cause == run.end_cause for b in situation.at(mode, situation.circuit.start_soc).breaches)


def _starting_limit(situation: Situation, run: Run) -> tuple[float, float | None, str]:
    """What stood at the place that gave up, and its limit, where that is a matter of volts."""
    mode = next(one for one in situation.modes if one.name == run.end_mode)
    now = situation.at(mode, situation.circuit.start_soc)
    breach = next((b for b in now.breaches if b.cause == run.end_cause), None)
    if breach is None or not now.complete:
        return situation.circuit.emf(situation.circuit.start_soc), None, "V"
    have = now.at_stage(breach.stage).volts_in
    if breach.cause == "device minimum":
        return have, situation.circuit.device_min_v, "V"
    if breach.cause == "pack cut-off":
        return (now.at_stage(-1).volts_out if breach.stage == -1 else have), situation.trip_volts(breach.stage), "V"
    holder = next(h for h in situation.circuit.holders if h.stage == breach.stage)
    if breach.cause == "converter overload":
        return now.at_stage(breach.stage).amps_out, holder.output_current_max_a, "A"
    return have, holder.input_max_v if breach.cause == "converter input too high" else holder.input_min_v, "V"


@rule(
    Basis(
        "under-min-at-full",
        ("refuse",),
        "E(100 %) − I R − drops in the heaviest mode",
        ("ocv", *LOADED, "heaviest"),
        "stated",
        ("device.supply.min_v",),
    )
)
def under_min_at_full(situation: Situation) -> Iterator[Finding]:
    """Even full, the heaviest mode cannot be held."""
    limit = maybe(situation.case.device.supply.min_v)
    if limit is None:
        return
    for mode in _in_turn(situation, situation.inlet_watts):
        full = situation.at(mode, 1.0)
        cannot = [breach for breach in full.breaches if breach.cause in ("dropout", "pack cut-off")]
        if full.complete and (below(full.inlet_v, limit) or cannot):
            yield _under_min(situation, mode, full, None if below(full.inlet_v, limit) else cannot[0])
            return


def _under_min(situation: Situation, mode: Mode, full: Point, breach: Breach | None) -> Finding:
    cure, change = hold_the_volts(situation)
    name, stage = _named(situation, mode), situation.device_stage
    limit, have = number(situation.case.device.supply.min_v or 0.0), full.inlet_v
    if breach is None:
        text = "Even full, {} leaves {} at the inlet; it needs {}.".format(name, *both(have, limit, "V"))
    elif breach.cause == "dropout":
        stage, have = breach.stage, full.at_stage(breach.stage).volts_in
        limit = next(h.input_min_v for h in situation.circuit.holders if h.stage == breach.stage)
        gets, needs = both(have, limit, "V")
        text = f"Even full, the regulator gets {gets} in {name} and needs {needs}."
    else:
        stage = breach.stage
        have = full.at_stage(-1).volts_out if stage == -1 else full.at_stage(stage).volts_in
        limit = situation.trip_volts(stage)
        text = "Even full, {} pulls the pack to {}; it cuts off at {}.".format(name, *both(have, limit, "V"))
    return Finding("under-min-at-full", _level(situation, mode, "refuse"), text, stage, have, limit, "V", cure, change)


@rule(
    Basis(
        "collapse", ("care", "refuse"), "P asked for", ("heaviest",), "V² / 4R of the weakest stretch", ("ocv", *LOADED)
    )
)
def collapse(situation: Situation) -> Iterator[Finding]:
    """The source can never deliver the power: its volts fall faster than its current rises."""
    for mode in _in_turn(situation, situation.inlet_watts):
        if not situation.at(mode, 1.0).complete:
            have = situation.inlet_watts(mode)
            limit = situation.most_watts(1.0)
            text = (
                f"{_named(situation, mode)} wants {figure(have, 'W')} at the inlet; this path can never give more "
                f"than {figure(limit, 'W')}, even full."
            )
            yield Finding("collapse", _level(situation, mode, "refuse"), text, -1, have, limit, "W", STRONGER)
            return
    emf = situation.circuit.emf(LOW_SOC)
    for mode, demand in situation.all_peaks:
        if not situation.at_demand(demand, emf).complete:
            limit = situation.most_watts(LOW_SOC)
            rated = maybe(situation.case.device.supply.nominal_v) or 0.0
            have = demand.value if demand.kind == "power" else demand.value * rated
            text = (
                f"The peak of {_named(situation, mode)} ({figure(have, 'W')}) pulls a nearly empty pack down: "
                f"it can give {figure(limit, 'W')} at {figure(LOW_SOC, '%', 2)} charge."
            )
            yield Finding("collapse", "care", text, -1, have, limit, "W", STRONGER)


@rule(
    Basis(
        "peak-drop",
        ("care", "refuse"),
        "V in the peak, full or at 20 % charge",
        ("ocv", *LOADED, "peaks"),
        "stated",
        ("device.supply.min_v", "source.cutoff_v", "stage.input_min_v"),
    )
)
def peak_drop(situation: Situation) -> Iterator[Finding]:
    """A peak that takes the inlet, a converter's input or the pack's terminals under what they need."""
    found = [one for look in situation.peak_looks if (one := _peak_breach(situation, look)) is not None]
    never = [(mode, demand) for mode, demand in situation.all_peaks if situation.low_soc(demand) is None]
    if never:
        mode, demand = never[0]
        text = f"Even full, the pack collapses under the peak of {_named(situation, mode)}: the device resets."
        have, limit = demand.value, situation.most_watts(1.0)
        if demand.kind != "power":
            have *= maybe(situation.case.device.supply.nominal_v) or 0.0
        yield Finding("peak-drop", _level(situation, mode, "refuse"), text, -1, have, limit, "W", STRONGER)
    elif found:
        look, (stage, have, limit, what) = max(
            found, key=lambda one: (one[0].in_duty, one[0].soc >= 1.0, one[1][2] - one[1][1])
        )
        level: Level = "refuse" if look.soc >= 1.0 and look.in_duty else "care"
        falls, needs = both(have, limit, "V")
        text = (
            f"{look.when[0].upper()}{look.when[1:]}, {look.words} takes {what} to {falls}; {needs} are needed, "
            "so it resets or drops out."
        )
        cure = f"{STRONGER}, or put a capacitor at the inlet that carries the peak"
        yield Finding("peak-drop", level, text, stage, have, limit, "V", cure)


def _peak_breach(situation: Situation, look: Look) -> tuple[Look, tuple[int, float, float, str]] | None:
    """The first thing that gives up in a peak: path index, its volts, what it needs, its name."""
    circuit, at = situation.circuit, look.at
    sides = [(-1, situation.terminal_v(at), circuit.cutoff_v, "the pack’s terminals")]
    for element in circuit.stretches[0].elements:
        if element.trips_v is not None:
            sides.append((element.stage, at.at_stage(element.stage).volts_in, element.trips_v, "the cut-off’s input"))
    for holder in circuit.holders:
        if holder.stage >= 0:
            volts = at.at_stage(holder.stage).volts_in
            sides.append((holder.stage, volts, holder.input_min_v, "the converter’s input"))
    sides.append((situation.device_stage, at.inlet_v, circuit.device_min_v, "the inlet"))
    for stage, volts, limit, name in sides:
        if limit > 0.0 and below(volts, limit):
            if stage == situation.device_stage and _carried(situation, look, volts, limit):
                continue
            return look, (stage, volts, limit, name)
    return None


def _carried(situation: Situation, look: Look, volts: float, limit: float) -> bool:
    """Whether the device's input capacitance holds its volts over a short peak: I t / C stays above the least."""
    farads, lasts = maybe(situation.case.device.input_capacitance_f), maybe(look.mode.peak_s)
    if farads is None or lasts is None or lasts > SHORT_PEAK_S:
        return False
    quiet = situation.at(look.mode, look.soc)
    if not quiet.complete or volts >= limit:
        return False
    return quiet.inlet_v - (look.at.inlet_a - quiet.inlet_a) * lasts / farads >= limit


@rule(Basis("does-not-last", ("care",), "the run", ("source.capacity_ah", *LOADED, "duty"), "the programme", ("duty",)))
def does_not_last(situation: Situation) -> Iterator[Finding]:
    """A single programme that the pack does not carry to its end."""
    run, duty = situation.run, situation.case.duty
    if run is None or not duty.once or run.end_cause == "programme over" or run.runtime_s <= 0.0:
        return
    short = duty.seconds - run.runtime_s
    yield Finding(
        "does-not-last",
        "care",
        f"The programme lasts {duration(duty.seconds)} and the pack {duration(run.runtime_s)}: it is "
        f"{duration(short)} short ({run.end_cause}).",
        -1,
        run.runtime_s / 3600.0,
        duty.seconds / 3600.0,
        "h",
        "take a larger pack or a second one to swap, or shorten the programme",
    )


@rule(
    Basis(
        "set-point-near-limit",
        ("note",),
        "V at the inlet, no current",
        ("stage.output_v",),
        "stated",
        ("device.supply.max_v",),
    )
)
def set_point_near_limit(situation: Situation) -> Iterator[Finding]:
    """An adjustable output set so close under what the device stands that the knob's own error reaches it."""
    held = situation.circuit.holders[-1].stage if situation.circuit.holders else -1
    stage = situation.case.path[held] if held >= 0 else None
    if not isinstance(stage, Converter) or stage.topology not in ("buck", "boost", "buck-boost"):
        return
    supply, have = situation.case.device.supply, situation.unloaded[-1]
    limit = maybe(supply.max_v) or maybe(supply.absolute_max_v)
    if limit is None or above(have, limit) or have < limit * (1.0 - NEAR_SHARE):
        return
    yield Finding(
        "set-point-near-limit",
        "note",
        f"It gives {figure(have, 'V')}, within {figure(NEAR_SHARE, '%', 1)} of the {figure(limit, 'V')} that the "
        "device is known to stand: a turn of the knob, or a warm board, goes over it.",
        held,
        have,
        limit,
        "V",
        "set it to the rated volts, and lock the knob with a drop of varnish",
    )


@rule(
    Basis(
        "diode-at-rest", ("care",), "E_full, the diodes left aside", (*FULL, "path"), "stated", ("device.supply.max_v",)
    )
)
def diode_at_rest(situation: Situation) -> Iterator[Finding]:
    """Series diodes that hold the volts down only while current flows: at rest they drop little."""
    case, limit = situation.case, maybe(situation.case.device.supply.max_v)
    last = situation.circuit.holders[-1].stage if situation.circuit.holders else -1
    diodes = [(i, stage) for i, stage in enumerate(case.path) if i > last and isinstance(stage, Diode)]
    rests = "electronics" in case.device.traits or any(
        look.at.inlet_a < REST_A for look in situation.looks if look.soc >= 1.0
    )
    if not diodes or limit is None or not rests:
        return
    drop = sum(number(stage.forward_v) * stage.count for _, stage in diodes)
    have = situation.unloaded[-1] + drop
    if above(have, limit):
        yield Finding(
            "diode-at-rest",
            "care",
            f"With hardly any current the diodes drop little of their {figure(drop, 'V')}: up to {figure(have, 'V')} "
            f"then stand at the device, which is known to stand {figure(limit, 'V')}.",
            diodes[0][0],
            have,
            limit,
            "V",
            "put in a converter or a linear regulator in place of the diodes, or a load that always draws",
        )


@rule(
    Basis(
        "early-stop", ("care",), "charge left at the end of the run − reserve", ("source.capacity_ah", *LOADED, "duty")
    )
)
def early_stop(situation: Situation) -> Iterator[Finding]:
    """The device, a converter or a cut-off gives up while the pack still holds charge."""
    run = situation.run
    if run is None or run.runtime_s <= 0.0 or run.end_cause not in (*EARLY_CAUSES, "pack cut-off"):
        return
    left = run.final_soc - situation.circuit.reserve_soc
    limit = CUT_OFF_SHARE if run.end_cause == "pack cut-off" else EARLY_SHARE
    if left <= limit:
        return
    cure, change = _cure_for_early_stop(situation, run)
    yield Finding(
        "early-stop",
        "care",
        f"It stops with {figure(left, '%', 2)} of the charge unused: {CAUSE_WORDS[run.end_cause]}; "
        f"up to {figure(limit, '%', 1)} would be normal.",
        situation.device_stage,
        left,
        limit,
        "of the charge",
        cure,
        change,
    )


def _cure_for_early_stop(situation: Situation, stopped: Run) -> tuple[str | None, Change]:
    """What would use the rest of the charge; a converter only where it makes the run longer."""
    if stopped.end_cause == "collapse":
        return STRONGER, ()
    if stopped.end_cause == "pack cut-off":
        return "set an added cut-off lower, keep the pack warm, or take one with less resistance", ()
    held = any(stage.HOLDS for stage in situation.case.path)
    if held and stopped.end_cause != "device minimum":
        return "take a converter that takes in lower volts", ()
    cure, change = hold_the_volts(situation)
    if held:
        return cure, change
    longer = Situation(with_stages(situation.case, change)).run if change else None
    if longer is None or longer.runtime_s <= stopped.runtime_s:
        return "take a pack whose volts go less far down; a converter would take more than it saves here", ()
    return cure, change
