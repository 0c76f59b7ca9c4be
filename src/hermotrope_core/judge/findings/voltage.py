"""Does the device get volts that it survives and works on?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import Breach, Point, unloaded_volts
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import Change, converter_change
from hermotrope_core.judge.findings.finding import Finding, Level, above, below
from hermotrope_core.judge.findings.looks import in_turn, level_in, named
from hermotrope_core.judge.findings.rule import FULL, LOADED, Basis, rule
from hermotrope_core.judge.overdrive import overdrive
from hermotrope_core.kinds.effects import CAUSE_WORDS
from hermotrope_core.parts.craft import NEAR_SHARE, REST_A
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.figures import both, figure, fixed
from hermotrope_core.values.known import maybe, number

EARLY_CAUSES = ("device minimum", "dropout", "converter input too low", "collapse")
"""What ends a run at the device or a converter rather than at the pack."""


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
    case, have = situation.case, situation.unloaded[-1]
    if _breaks(case, have):
        yield _over_absolute(case, have, *hold_the_volts(situation))


def _breaks(case: Case, have: float) -> bool:
    limit = maybe(case.device.supply.absolute_max_v)
    return limit is not None and above(have, limit)


def _over_absolute(case: Case, have: float, cure: str | None, change: Change = ()) -> Finding:
    """The finding that unloaded volts at the inlet break the device."""
    limit = maybe(case.device.supply.absolute_max_v) or 0.0
    reach, breaks = both(have, limit, "V")
    text = f"Full and unloaded, {reach} reach the inlet; above {breaks} the device breaks."
    return Finding("over-absolute-max", "refuse", text, len(case.path), have, limit, "V", cure, change)


def volts_before_draw(case: Case) -> tuple[Finding, ...]:
    """What is known to be too much for a device whose draw nobody knows yet: pack and window are enough.

    Empty without a source. Volts at the inlet are those of the full pack with no current.
    """
    if case.source is None:
        return ()
    volts = unloaded_volts(circuit_of(case), full_volts(case.source))[-1]
    cure = "put in a converter that holds the rated volts"
    found = (_over_absolute(case, volts, cure),) if _breaks(case, volts) else ()
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
        can_be_accepted=True,
    )
)
def over_max(situation: Situation) -> Iterator[Finding]:
    """The inlet, full and in the lightest mode, above what the device is known to stand."""
    limit = maybe(situation.case.device.supply.max_v)
    if limit is None:
        return
    for mode in in_turn(situation, lambda one: -situation.inlet_watts(one)):
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
        level_in(situation, mode, "care" if accepted and not forbidden else "refuse"),
        f"The full pack gives the device {gives} in {named(situation, mode)}; it is known to stand {stands}."
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
        f" Against its rated {figure(rated, 'V')}: speed × {fixed(at.speed, 2)}, "
        f"heat at stall × {fixed(at.stall_heat, 2)}, energy of motion × {fixed(at.energy, 2)} (it grows with V²), "
        f"life of the winding about {figure(at.life, '%', 1)}."
    )


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
    for mode in in_turn(situation, situation.inlet_watts):
        full = situation.at(mode, 1.0)
        cannot = [breach for breach in full.breaches if breach.cause in ("dropout", "pack cut-off")]
        if full.complete and (below(full.inlet_v, limit) or cannot):
            yield _under_min(situation, mode, full, None if below(full.inlet_v, limit) else cannot[0])
            return


def _under_min(situation: Situation, mode: Mode, full: Point, breach: Breach | None) -> Finding:
    cure, change = hold_the_volts(situation)
    name, stage = named(situation, mode), situation.device_stage
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
    return Finding(
        "under-min-at-full", level_in(situation, mode, "refuse"), text, stage, have, limit, "V", cure, change
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
    if stage is None or not stage.set_by_hand:
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
    diodes = [(i, stage) for i, stage in enumerate(case.path) if i > last and stage.ONE_WAY]
    rests = "electronics" in case.device.traits or any(
        look.at.inlet_a < REST_A for look in situation.looks if look.soc >= 1.0
    )
    if not diodes or limit is None or not rests:
        return
    drop = sum(stage.drop_v for _, stage in diodes)
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
