"""Does the device get volts that it survives and works on, over the whole discharge?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.case import Converter, Linear, maybe
from hermotrope_core.design import Change, converter_change, with_stages
from hermotrope_core.discharge import Run
from hermotrope_core.figures import figure
from hermotrope_core.findings.finding import Finding, above, below
from hermotrope_core.overdrive import overdrive
from hermotrope_core.situation import LOW_SOC, Situation

EARLY_CAUSES = ("device minimum", "dropout", "converter input too low", "collapse")
STRONGER = "a stronger source (lower resistance), more volts, or a shorter and thicker lead"
EARLY_SHARE = 0.05
"""Charge left above the reserve from which a run counts as stopped early."""


def hold_the_volts(situation: Situation) -> tuple[str | None, Change]:
    """The cure for wrong volts at the inlet, in words and as a change."""
    change = converter_change(situation)
    if not change:
        if any(isinstance(stage, Converter | Linear) for stage in situation.case.path):
            return "lose less between the converter and the device: a thicker lead, no diode or resistor", ()
        return "a converter that holds the rated volts; no generic board suits this pack and load", ()
    target = figure(maybe(situation.case.device.supply.nominal_v) or 0.0, "V")
    if change[0]["op"] == "replace":
        return f"set the converter to {figure(change[0]['value'], 'V')}", change
    fuse = " and a fuse" if len(change) > 1 else ""
    return f"put in a {change[0]['value']['topology']} converter set to {target}{fuse}", change


def over_absolute_max(situation: Situation) -> Iterator[Finding]:
    """The inlet, full and with no current, above what breaks the device."""
    limit = maybe(situation.case.device.supply.absolute_max_v)
    have = situation.unloaded[-1]
    if limit is not None and above(have, limit):
        cure, change = hold_the_volts(situation)
        yield Finding(
            "over-absolute-max",
            "refuse",
            f"Full and unloaded, {figure(have, 'V')} reach the inlet; above {figure(limit, 'V')} the device breaks.",
            situation.device_stage,
            have,
            limit,
            "V",
            cure,
            change,
        )


def over_max(situation: Situation) -> Iterator[Finding]:
    """The inlet, full and in the lightest mode, above what the device is known to stand."""
    limit = maybe(situation.case.device.supply.max_v)
    if limit is None:
        return
    full = situation.at_demand_full(situation.lightest)
    have = full.inlet_v if full.complete else situation.unloaded[-1]
    if above(have, limit):
        accepted = "over-max" in situation.case.accepted
        cure, change = hold_the_volts(situation)
        deliberate = f" You accepted this overvoltage.{_what_it_does(situation, have)}" if accepted else ""
        yield Finding(
            "over-max",
            "care" if accepted else "refuse",
            f"The full pack gives the device {figure(have, 'V')} in “{situation.lightest.name}”; "
            f"it is known to stand {figure(limit, 'V')}.{deliberate}",
            situation.device_stage,
            have,
            limit,
            "V",
            cure,
            change,
        )


def _what_it_does(situation: Situation, have: float) -> str:
    """Speed, stall heat, energy and life under an accepted overvoltage, for what moves."""
    traits, rated = situation.case.device.traits, maybe(situation.case.device.supply.nominal_v)
    if rated is None or not ("motor" in traits or "ridden" in traits):
        return ""
    at = overdrive(have, rated)
    return (
        f" Against its rated {figure(rated, 'V')}: speed × {at.speed:.2f}, heat at stall × {at.stall_heat:.2f}, "
        f"energy of motion × {at.energy:.2f} (it grows with V²), life of the winding about {figure(at.life, '%', 1)}."
    )


def under_min_at_full(situation: Situation) -> Iterator[Finding]:
    """Even full, the heaviest mode cannot be held."""
    limit = maybe(situation.case.device.supply.min_v)
    full = situation.at(situation.heaviest, 1.0)
    if limit is None or not full.complete:
        return
    cannot = [breach for breach in full.breaches if breach.cause in ("dropout", "pack cut-off")]
    low = below(full.inlet_v, limit)
    if not (low or cannot):
        return
    cure, change = hold_the_volts(situation)
    mode = f"“{situation.heaviest.name}”"
    if low:
        text = f"Even full, {mode} leaves {figure(full.inlet_v, 'V')} at the inlet; it needs {figure(limit, 'V')}."
        yield Finding(
            "under-min-at-full", "refuse", text, situation.device_stage, full.inlet_v, limit, "V", cure, change
        )
        return
    breach = cannot[0]
    have = full.at_stage(breach.stage).volts_in
    if breach.cause == "dropout":
        limit = next(h.input_min_v for h in situation.circuit.holders if h.stage == breach.stage)
        text = f"Even full, the regulator gets {figure(have, 'V')} in {mode} and needs {figure(limit, 'V')}."
    else:
        have = full.at_stage(-1).volts_out if breach.stage == -1 else have
        limit = situation.trip_volts(breach.stage)
        text = f"Even full, {mode} pulls the pack to {figure(have, 'V')}; it cuts off at {figure(limit, 'V')}."
    yield Finding("under-min-at-full", "refuse", text, breach.stage, have, limit, "V", cure, change)


def early_stop(situation: Situation) -> Iterator[Finding]:
    """The device or a converter gives up while the pack still holds charge."""
    run = situation.run
    if run is None or run.end_cause not in EARLY_CAUSES:
        return
    left = run.final_soc - situation.circuit.reserve_soc
    if left <= EARLY_SHARE:
        return
    cure, change = _cure_for_early_stop(situation, run)
    yield Finding(
        "early-stop",
        "care",
        f"It stops with {figure(left, '%', 2)} of the charge unused ({run.end_cause}); "
        f"up to {figure(EARLY_SHARE, '%', 1)} would be normal.",
        situation.device_stage,
        left,
        EARLY_SHARE,
        "of the charge",
        cure,
        change,
    )


def _cure_for_early_stop(situation: Situation, stopped: Run) -> tuple[str | None, Change]:
    """What would use the rest of the charge; a converter only where it makes the run longer."""
    if stopped.end_cause == "collapse":
        return STRONGER, ()
    held = any(isinstance(stage, Converter | Linear) for stage in situation.case.path)
    if held and stopped.end_cause != "device minimum":
        return "a converter that takes in lower volts", ()
    cure, change = hold_the_volts(situation)
    if held:
        return cure, change
    longer = Situation(with_stages(situation.case, change)).run if change else None
    if longer is None or longer.runtime_s <= stopped.runtime_s:
        return "a device or a pack whose volts go further down; a converter would take more than it saves here", ()
    return cure, change


def collapse(situation: Situation) -> Iterator[Finding]:
    """The source can never deliver the power: its volts fall faster than its current rises."""
    heaviest = situation.heaviest
    if not situation.at(heaviest, 1.0).complete:
        have = situation.inlet_watts(heaviest)
        limit = situation.most_watts(1.0)
        yield Finding(
            "collapse",
            "refuse",
            f"“{heaviest.name}” wants {figure(have, 'W')} at the inlet; this path can never give more than "
            f"{figure(limit, 'W')}, even full.",
            -1,
            have,
            limit,
            "W",
            STRONGER,
        )
        return
    emf = situation.circuit.emf(LOW_SOC)
    for mode, demand in situation.peaks():
        if not situation.at_demand(demand, emf).complete:
            limit = situation.most_watts(LOW_SOC)
            rated = maybe(situation.case.device.supply.nominal_v) or 0.0
            have = demand.value if demand.kind == "power" else demand.value * rated
            yield Finding(
                "collapse",
                "care",
                f"The peak of “{mode.name}” ({figure(have, 'W')}) pulls a nearly empty pack down: "
                f"it can give {figure(limit, 'W')} at {figure(LOW_SOC, '%', 2)} charge.",
                -1,
                have,
                limit,
                "W",
                STRONGER,
            )
