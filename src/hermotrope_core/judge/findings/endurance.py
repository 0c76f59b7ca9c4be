"""Does the pack hold the load, its peaks, and as long as is asked?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.situation import LOW_SOC, Look, Situation
from hermotrope_core.judge.cures import Change, with_stages
from hermotrope_core.judge.findings.finding import Finding, Level, below
from hermotrope_core.judge.findings.looks import in_turn, level_in, named
from hermotrope_core.judge.findings.rule import LOADED, Basis, rule
from hermotrope_core.judge.findings.voltage import EARLY_CAUSES, hold_the_volts
from hermotrope_core.kinds.effects import CAUSE_WORDS
from hermotrope_core.parts.craft import CUT_OFF_SHARE, EARLY_SHARE, SHORT_PEAK_S
from hermotrope_core.values.figures import both, duration, figure
from hermotrope_core.values.known import maybe

STRONGER = "take a stronger source (lower resistance), more volts, or a shorter and thicker lead"


@rule(
    Basis(
        "collapse", ("care", "refuse"), "P asked for", ("heaviest",), "V² / 4R of the weakest stretch", ("ocv", *LOADED)
    )
)
def collapse(situation: Situation) -> Iterator[Finding]:
    """The source can never deliver the power: its volts fall faster than its current rises."""
    for mode in in_turn(situation, situation.inlet_watts):
        if not situation.at(mode, 1.0).complete:
            have = situation.inlet_watts(mode)
            limit = situation.most_watts(1.0)
            text = (
                f"{named(situation, mode)} wants {figure(have, 'W')} at the inlet; this path can never give more "
                f"than {figure(limit, 'W')}, even full."
            )
            yield Finding("collapse", level_in(situation, mode, "refuse"), text, -1, have, limit, "W", STRONGER)
            return
    emf = situation.circuit.emf(LOW_SOC)
    for mode, demand in situation.all_peaks:
        if not situation.at_demand(demand, emf).complete:
            limit = situation.most_watts(LOW_SOC)
            rated = maybe(situation.case.device.supply.nominal_v) or 0.0
            amps = rated / demand.value if demand.kind == "resistance" else demand.value
            have = demand.value if demand.kind == "power" else amps * rated
            text = (
                f"The peak of {named(situation, mode)} ({figure(have, 'W')}) pulls a nearly empty pack down: "
                f"it can give {figure(limit, 'W')} at {figure(LOW_SOC, '%', 2)} charge."
            )
            yield Finding("collapse", "care", text, -1, have, limit, "W", STRONGER)


@rule(Basis("alarm-volts", ("care",), "its setting", ("stage.warns_v",), "volts there in the run", ("ocv", *LOADED)))
def alarm_volts(situation: Situation) -> Iterator[Finding]:
    """An alarm that the run ends before, or that sounds from the start."""
    ended = situation.run
    if ended is None or ended.runtime_s <= 0.0:
        return
    for i, stage in situation.seeing:
        warns = stage.warns_below_v
        if warns is None:
            continue
        last = [v for mode in situation.modes if (v := situation.volts_into(i, mode, ended.final_soc)) is not None]
        begins = situation.volts_into(i, situation.lightest, situation.circuit.start_soc)
        if last and warns < min(last):
            told = (
                f"It warns at {figure(warns, 'V')}, but where the run ends {figure(min(last), 'V')} still stand there: "
                "it stays silent."
            )
            yield Finding(
                "alarm-volts",
                "care",
                told,
                i,
                warns,
                min(last),
                "V",
                "set it higher, so that some time is left when it sounds",
            )
        elif begins is not None and warns >= begins:
            told = (
                f"It warns at {figure(warns, 'V')}, but the run begins with {figure(begins, 'V')} there: "
                "it sounds from the start."
            )
            yield Finding("alarm-volts", "care", told, i, warns, begins, "V", "set it lower, or nobody will heed it")


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
        text = f"Even full, the pack collapses under the peak of {named(situation, mode)}: the device resets."
        have, limit = demand.value, situation.most_watts(1.0)
        if demand.kind != "power":
            have *= maybe(situation.case.device.supply.nominal_v) or 0.0
        yield Finding("peak-drop", level_in(situation, mode, "refuse"), text, -1, have, limit, "W", STRONGER)
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
    sides = [(-1, at.terminal_v, circuit.cutoff_v, "the pack’s terminals")]
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
