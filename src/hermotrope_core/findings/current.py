"""Can source and converters deliver the current, take in the volts, and stay awake?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.case import Code, Converter, Resistor, Switch, maybe, number
from hermotrope_core.circuit import DEFAULT_OFF_DELAY_S, Demand, Holder, Point, mode_demand
from hermotrope_core.design import (
    CLOSED_BOX_DERATING,
    MARGIN,
    Change,
    converter_for,
    keep_alive_change,
    replace,
    switch_change,
)
from hermotrope_core.figures import duration, figure
from hermotrope_core.findings.finding import Finding, Level, above, below
from hermotrope_core.situation import HALF_SOC, LOW_SOC, Situation

INRUSH_FROM_F = 470e-6
"""Input capacitance from which the rush into it matters (typical)."""
LATE_SOC = 0.05
"""Below this charge an input that gets too low is the end of the pack, not a fault of the path."""


def _typical(situation: Situation) -> list[tuple[str, Point]]:
    points = [(f"“{mode.name}”", situation.at(mode, LOW_SOC)) for mode in situation.modes]
    return [(name, at) for name, at in points if at.complete]


def _peaks(situation: Situation) -> list[tuple[str, Point]]:
    emf = situation.circuit.emf(LOW_SOC)
    points = [(f"the peak of “{mode.name}”", situation.at_demand(d, emf)) for mode, d in situation.peaks()]
    return [(name, at) for name, at in points if at.complete]


def source_overload(situation: Situation) -> Iterator[Finding]:
    """Typical and peak current above what the source, or a bank's port, may give."""
    source = situation.source
    most = maybe(source.max_current_a)
    peak = maybe(source.peak_current_a)
    port = source.regulated_output
    port_most = maybe(port.output_current_max_a) if port else None
    sides = (("pack", most, most if peak is None else peak), ("port", port_most, port_most))
    if all(limit is None for _, steady, brief in sides for limit in (steady, brief)):
        return
    typical, peaks = _typical(situation), _peaks(situation)
    for side, steady, brief in sides:
        kinds: tuple[tuple[Code, Level, list[tuple[str, Point]], float | None], ...] = (
            ("source-overload", "refuse", typical, steady),
            ("source-overload-peak", "care", peaks, brief),
        )
        for code, level, points, limit in kinds:
            if limit is None or not points:
                continue
            name, have = max(((n, _source_amps(at, side)) for n, at in points), key=lambda pair: pair[1])
            if have > limit:
                text = (
                    f"Nearly empty, {name} draws {figure(have, 'A')} from the {side}; it may give {figure(limit, 'A')}."
                )
                cure = "a source or port rated higher, or two packs in parallel made for it"
                yield Finding(code, level, text, -1, have, limit, "A", cure)


def _source_amps(at: Point, side: str) -> float:
    return at.stations[0].amps_out if side == "port" else at.stations[0].amps_in


def converter_overload(situation: Situation) -> Iterator[Finding]:
    """Typical and peak current above a converter's rating; a closed box derates it."""
    for holder in situation.circuit.holders:
        rated = holder.output_current_max_a
        if holder.stage == -1 or rated is None:
            continue
        limit = rated * (CLOSED_BOX_DERATING if situation.closed else 1.0)
        kinds: tuple[tuple[Code, Level, list[tuple[str, Point]]], ...] = (
            ("converter-overload", "refuse", _typical(situation)),
            ("converter-overload-peak", "care", _peaks(situation)),
        )
        for code, level, points in kinds:
            if not points:
                continue
            name, have = max(((n, at.at_stage(holder.stage).amps_out) for n, at in points), key=lambda p: p[1])
            if have > limit:
                boxed = f" in a closed box ({figure(rated, 'A')} in the open)" if situation.closed else ""
                text = f"The converter gives {figure(limit, 'A')}{boxed}; {name} draws {figure(have, 'A')} from it."
                cure, change = _stronger_board(situation, holder, have)
                yield Finding(code, level, text, holder.stage, have, limit, "A", cure, change)


def _stronger_board(situation: Situation, holder: Holder, amps: float) -> tuple[str, Change]:
    board, stage = converter_for(situation), situation.case.path[holder.stage]
    if board is None or not isinstance(stage, Converter) or board.topology != stage.topology:
        return f"a converter rated at least {figure(amps * MARGIN, 'A', 2)}, more in a closed box", ()
    gives = figure(maybe(board.output_current_max_a) or 0.0, "A")
    return f"take a converter that gives {gives}", (replace(f"/path/{holder.stage}", board),)


def converter_input_high(situation: Situation) -> Iterator[Finding]:
    """The full, unloaded pack above what a converter takes in; a boost passes on what is above its output."""
    for holder, have in zip(situation.circuit.holders, situation.unloaded, strict=False):
        limit = holder.input_max_v
        stage = situation.case.path[holder.stage] if holder.stage >= 0 else None
        if isinstance(stage, Converter) and stage.topology == "boost" and above(have, holder.output_v):
            yield Finding(
                "converter-input-high",
                "refuse",
                f"A boost converter cannot step down: it passes the full pack's {figure(have, 'V')} on, "
                f"above the {figure(holder.output_v, 'V')} it is set to.",
                holder.stage,
                have,
                holder.output_v,
                "V",
                *_better_board(situation, holder),
            )
        elif limit is not None and above(have, limit):
            yield Finding(
                "converter-input-high",
                "refuse",
                f"The full pack puts {figure(have, 'V')} on a converter that takes in {figure(limit, 'V')} at most.",
                holder.stage,
                have,
                limit,
                "V",
                *_better_board(situation, holder),
            )


def _better_board(situation: Situation, holder: Holder) -> tuple[str, Change]:
    board = converter_for(situation)
    if board is None:
        return "a converter whose input range holds the pack from full to flat", ()
    low, high = maybe(board.input_min_v) or 0.0, maybe(board.input_max_v) or 0.0
    words = f"take a {board.topology} converter that takes in {figure(low, 'V', 2)} to {figure(high, 'V', 2)}"
    return words, (replace(f"/path/{holder.stage}", board),)


def converter_input_low(situation: Situation) -> Iterator[Finding]:
    """A converter starved at full (refuse), or well before the pack is empty (care)."""
    full = situation.at(situation.heaviest, 1.0)
    for holder in situation.circuit.holders:
        if holder.linear or not full.complete:
            continue
        have = full.at_stage(holder.stage).volts_in
        if holder.stage != -1 and below(have, holder.input_min_v):
            yield Finding(
                "converter-input-low",
                "refuse",
                f"Even full, “{situation.heaviest.name}” leaves the converter {figure(have, 'V')}; "
                f"it needs {figure(holder.input_min_v, 'V')}.",
                holder.stage,
                have,
                holder.input_min_v,
                "V",
                *_better_board(situation, holder),
            )
            return
    run = situation.run
    if (
        run is not None
        and run.end_cause == "converter input too low"
        and run.final_soc > LATE_SOC
        and run.runtime_s > 0
    ):
        holder = situation.circuit.holders[0]
        yield Finding(
            "converter-input-low",
            "care",
            f"The converter needs {figure(holder.input_min_v, 'V')} and gives up with "
            f"{figure(run.final_soc, '%', 2)} of the charge left.",
            holder.stage,
            run.final_soc,
            LATE_SOC,
            "of the charge",
            *_better_board(situation, holder),
        )


def auto_off(situation: Situation) -> Iterator[Finding]:
    """A power bank that takes a light load for no load and switches off."""
    port = situation.source.regulated_output
    least = maybe(port.output_min_current_a) if port else None
    if port is None or least is None:
        return
    given = maybe(port.output_off_delay_s)
    delay = DEFAULT_OFF_DELAY_S if given is None else given
    amps = {m.name: situation.draw(mode_demand(m)).port_a for m in situation.modes}
    naps = _naps([(amps[s.mode] < least, number(s.seconds), s.mode) for s in situation.case.duty.repeat])
    if not naps:
        return
    lasts, mode = max(naps)
    have = amps[mode]
    sleeps = lasts > delay
    span = "for as long as it runs" if lasts == float("inf") else f"for {duration(lasts)}"
    end = (
        f"and switches off after {duration(delay)}. A port that stays awake, or plain cells, would not."
        if sleeps
        else f"but waits {duration(delay)} before it switches off."
    )
    yield Finding(
        "auto-off",
        "refuse" if sleeps else "care",
        f"“{mode}” draws {figure(have, 'A', 2)} from the port {span}; the bank takes less than "
        f"{figure(least, 'A', 2)} for nothing connected {end}",
        -1,
        have,
        least,
        "A",
        *_keep_awake(situation, have, least),
    )


def _keep_awake(situation: Situation, have: float, least: float) -> tuple[str, Change]:
    """A keep-alive load with what it costs; the other ways to keep a bank awake are in words."""
    change = keep_alive_change(situation.case, have)
    extra = change[0]["value"]["current_a"] if change else least - have
    watts = extra * situation.circuit.holders[0].output_v
    if not change:
        others = "or a port that stays awake, a bank with an always-on mode, cells instead of a bank"
        return f"a keep-alive load of {figure(extra, 'A', 2)} more, {others}", ()
    return f"put a keep-alive load of {figure(extra, 'A', 2)} across the port ({figure(watts, 'W', 2)} lost)", change


def _naps(segments: list[tuple[bool, float, str]]) -> list[tuple[float, str]]:
    """Unbroken spans below the threshold over the repeating duty: (seconds, a mode in it)."""
    if all(low for low, _, _ in segments):
        return [(float("inf"), segments[0][2])] if segments else []
    start = next(i for i, (low, _, _) in enumerate(segments) if not low)
    naps: list[tuple[float, str]] = []
    span, name = 0.0, ""
    for low, lasts, mode in [*segments[start:], *segments[:start], segments[start]]:
        if low:
            span, name = span + lasts, name or mode
        elif span:
            naps.append((span, name))
            span, name = 0.0, ""
    return naps


def standing_drain(situation: Situation) -> Iterator[Finding]:
    """What converters draw with the device off, where no switch is before them."""
    switched = next((i for i, s in enumerate(situation.case.path) if isinstance(s, Switch)), situation.device_stage)
    before = [h for h in situation.circuit.holders if h.stage < switched and h.quiescent > 0.0]
    if not before:
        return
    idle = situation.at_demand(Demand("current", 0.0), situation.circuit.emf(HALF_SOC))
    if not idle.complete or idle.source_a == 0.0:
        return
    days = situation.circuit.charge_ah / idle.source_a / 24.0
    bank = before[0].stage == -1
    yield Finding(
        "standing-drain",
        "note",
        f"With the device off, {figure(idle.source_a, 'A', 2)} still flow from the pack's cells: "
        f"flat in {duration(days * 86400)}.",
        before[0].stage,
        days,
        None,
        "days",
        "take the bank off or switch it off when you stop" if bank else "put a switch before the converter",
        () if bank else switch_change(situation.case),
    )


def no_load_rise(situation: Situation) -> Iterator[Finding]:
    """A resistor dropper in front of electronics: without current nothing is dropped."""
    if "electronics" not in situation.case.device.traits:
        return
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Resistor):
            have = situation.unloaded[-1]
            limit = maybe(situation.case.device.supply.max_v)
            yield Finding(
                "no-load-rise",
                "care",
                f"Without current the resistor drops nothing: electronics at rest then see {figure(have, 'V')}.",
                i,
                have,
                limit,
                "V",
                "a converter or a linear regulator in place of the resistor",
            )
            return


def inrush(situation: Situation) -> Iterator[Finding]:
    """An input capacitance that fills at once when a switch closes or a bank's port wakes."""
    farads = maybe(situation.case.device.input_capacitance_f)
    port = situation.source.regulated_output
    switch = next((i for i, stage in enumerate(situation.case.path) if isinstance(stage, Switch)), None)
    if farads is None or farads < INRUSH_FROM_F or (switch is None and port is None):
        return
    ohm = situation.circuit.stretches[-1].resistance_ohm
    volts = situation.unloaded[-1]
    have = volts / ohm if ohm > 0.0 else None
    rush = "as much as the source gives" if have is None else figure(have, "A", 2)
    yield Finding(
        "inrush",
        "note",
        f"{figure(farads, 'F', 2)} at the inlet fill from {figure(volts, 'V')} when it is switched on: {rush} for an "
        "instant; a port with a fast limit may open and a switch's contacts pit.",
        -1 if switch is None else switch,
        farads,
        INRUSH_FROM_F,
        "F",
        "a soft start, a resistor that is bridged after a moment, or plug the device in before the pack is switched on",
    )


def has_switching_part(situation: Situation) -> bool:
    """True with a bank or a switching converter in the path (a linear regulator makes no noise)."""
    bank = situation.source.regulated_output is not None
    return bank or any(isinstance(s, Converter) for s in situation.case.path)
