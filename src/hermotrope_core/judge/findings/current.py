"""Can source and converters deliver the current, take in the volts, and stay awake?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.point import mode_demand
from hermotrope_core.circuit.situation import Look, Situation
from hermotrope_core.judge.cures import Change, converter_for, keep_alive_change, replace
from hermotrope_core.judge.findings.finding import Finding, Level, above, below
from hermotrope_core.judge.findings.looks import Figure, held, worst
from hermotrope_core.judge.findings.rule import FULL, LOADED, Basis, rule
from hermotrope_core.kinds.effects import Holder
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stages import Converter
from hermotrope_core.parts.craft import LATE_SOC, MARGIN, NEAR_RATING, SAME_V
from hermotrope_core.parts.thermal import CLOSED_BOX_DERATING
from hermotrope_core.plan.case import Code, RegulatedOutput, Source, maybe, number
from hermotrope_core.values.figures import duration, figure

Kind = tuple[Code, Level, tuple[Look, ...], float | None]


@rule(
    Basis(
        "source-overload",
        ("care", "refuse"),
        "I at 20 % charge, the greatest of the duty's modes",
        ("ocv", *LOADED, "duty"),
        "stated",
        ("source.max_current_a", "source.regulated_output.output_current_max_a"),
    ),
    Basis(
        "source-overload-peak",
        ("care",),
        "I at 20 % charge in the greatest peak",
        ("ocv", *LOADED, "peaks"),
        "stated",
        ("source.peak_current_a", "source.max_current_a", "source.regulated_output.output_current_max_a"),
    ),
)
def source_overload(situation: Situation) -> Iterator[Finding]:
    """Typical and peak current above what the source, or a bank's port, may give."""
    source = situation.source
    most = maybe(source.max_current_a)
    peak = maybe(source.peak_current_a)
    port = source.regulated_output
    port_most = _port_limit(source, port) if port else None
    sides: tuple[tuple[str, Figure, float | None, float | None], ...] = (
        ("pack", lambda look: look.at.source_a, most, most if peak is None else peak),
        ("port", lambda look: look.at.stations[0].amps_out, port_most, port_most),
    )
    for side, amps, steady, brief in sides:
        kinds: tuple[Kind, ...] = (
            ("source-overload", "refuse", situation.looks, steady),
            ("source-overload-peak", "care", situation.peak_looks, brief),
        )
        for code, level, looks, limit in kinds:
            look = None if limit is None else worst(looks, amps, limit)
            if look is None or limit is None:
                continue
            have = amps(look)
            when = f"{look.when[0].upper()}{look.when[1:]}"
            text = f"{when}, {look.words} draws {figure(have, 'A')} from the {side}; it may give {figure(limit, 'A')}."
            cure = "take a source or port rated higher, or two packs in parallel made for it"
            yield Finding(code, held(look, level), text, -1, have, limit, "A", cure)


def _port_limit(source: Source, port: RegulatedOutput) -> float | None:
    """The least of what the port in use, its profile and all ports together may give, amperes at its volts."""
    volts = number(port.output_v)
    limits = [maybe(port.output_current_max_a)]
    kind = source.outlet.kind if source.outlet else None
    for one in source.ports:
        if kind is None or one.kind == kind:
            limits += [maybe(p.output_current_max_a) for p in one.profiles if abs(number(p.output_v) - volts) < SAME_V]
    if source.ports_power_max_w is not None:
        limits.append(number(source.ports_power_max_w) / volts)
    known = [limit for limit in limits if limit is not None]
    return min(known) if known else None


def converter_limit(situation: Situation, rated: float) -> float:
    """What a converter rated so is good for here, amperes: a closed box derates it."""
    return rated * (CLOSED_BOX_DERATING if situation.closed else 1.0)


@rule(
    Basis(
        "converter-overload",
        ("care", "refuse"),
        "I_out, the greatest of the duty's modes",
        ("path", "duty"),
        f"stated; × {CLOSED_BOX_DERATING:g} in a closed box",
        ("stage.output_current_max_a",),
    ),
    Basis(
        "converter-overload-peak",
        ("care",),
        "I_out in the greatest peak",
        ("path", "peaks"),
        f"stated; × {CLOSED_BOX_DERATING:g} in a closed box",
        ("stage.output_current_max_a",),
    ),
)
def converter_overload(situation: Situation) -> Iterator[Finding]:
    """Typical and peak current above a converter's rating; a closed box derates it."""
    for holder in situation.circuit.holders:
        rated = holder.output_current_max_a
        if holder.stage == -1 or rated is None:
            continue
        limit = converter_limit(situation, rated)
        kinds: tuple[Kind, ...] = (
            ("converter-overload", "refuse", situation.looks, limit),
            ("converter-overload-peak", "care", situation.peak_looks, limit),
        )
        for code, level, looks, _ in kinds:
            look = worst(looks, _given(holder), limit)
            if look is not None:
                have = _given(holder)(look)
                boxed = f" in a closed box ({figure(rated, 'A')} in the open)" if situation.closed else ""
                text = (
                    f"The converter gives {figure(limit, 'A')}{boxed}; {look.words} draws {figure(have, 'A')} from it."
                )
                cure, change = _stronger_board(situation, holder, have)
                yield Finding(code, held(look, level), text, holder.stage, have, limit, "A", cure, change)


def _given(holder: Holder) -> Figure:
    """The output current of a holder in a look, amperes."""
    return lambda look: look.at.at_stage(holder.stage).amps_out


@rule(
    Basis(
        "converter-near-limit",
        ("note",),
        "V_out × I_out of the heaviest mode",
        ("path", "heaviest"),
        f"{100 * NEAR_RATING:g} % of its rating",
        ("stage.output_current_max_a",),
    )
)
def converter_near_limit(situation: Situation) -> Iterator[Finding]:
    """A continuous load above most of what a converter or inverter is rated for."""
    for holder in situation.circuit.holders:
        rated = holder.output_current_max_a
        if holder.stage == -1 or rated is None:
            continue
        limit = NEAR_RATING * converter_limit(situation, rated)
        look = worst(situation.looks, _given(holder), limit)
        if look is None or _given(holder)(look) > limit / NEAR_RATING:
            continue
        have = _given(holder)(look) * holder.output_v
        watts = limit * holder.output_v
        yield Finding(
            "converter-near-limit",
            "note",
            f"{look.words[0].upper()}{look.words[1:]} takes {figure(have, 'W')} of the "
            f"{figure(watts / NEAR_RATING, 'W')} that the {situation.stage_name(holder.stage)} is good for; "
            f"for hours on end, give it at most {figure(watts, 'W')} ({figure(NEAR_RATING, '%', 2)}).",
            holder.stage,
            have,
            watts,
            "W",
            "take one rated higher, or give it air",
        )


def _stronger_board(situation: Situation, holder: Holder, amps: float) -> tuple[str, Change]:
    board, stage = converter_for(situation), situation.case.path[holder.stage]
    if board is None or not isinstance(stage, Converter) or board.topology != stage.topology:
        return f"take a converter rated at least {figure(amps * MARGIN, 'A', 2)}, more in a closed box", ()
    gives = figure(maybe(board.output_current_max_a) or 0.0, "A")
    return f"take a converter that gives {gives}", (replace(f"/path/{holder.stage}", board),)


@rule(
    Basis(
        "converter-input-high",
        ("refuse",),
        "E_full − fixed drops, no current",
        (*FULL, "path"),
        "stated, or its own output for a boost",
        ("stage.input_max_v", "stage.output_v"),
    )
)
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
        return "take a converter whose input range holds the pack from full to flat", ()
    low, high = maybe(board.input_min_v) or 0.0, maybe(board.input_max_v) or 0.0
    words = f"take a {board.topology} converter that takes in {figure(low, 'V', 2)} to {figure(high, 'V', 2)}"
    return words, (replace(f"/path/{holder.stage}", board),)


@rule(
    Basis(
        "converter-input-low",
        ("care", "refuse"),
        "V_in at 100 % in the heaviest mode, or charge left when it gives up",
        ("ocv", *LOADED, "heaviest"),
        "stated, or output + headroom",
        ("stage.input_min_v", "stage.headroom_v"),
    )
)
def converter_input_low(situation: Situation) -> Iterator[Finding]:
    """A converter starved at full (refuse), or well before the pack is empty (care)."""
    for holder in situation.circuit.holders:
        if holder.linear or holder.stage == -1:
            continue
        full = [look for look in situation.looks if look.soc >= 1.0]
        starved = [look for look in full if below(look.at.at_stage(holder.stage).volts_in, holder.input_min_v)]
        look = min(starved, key=lambda one: (not one.in_duty, one.at.at_stage(holder.stage).volts_in), default=None)
        if look is not None:
            have = look.at.at_stage(holder.stage).volts_in
            yield Finding(
                "converter-input-low",
                held(look, "refuse"),
                f"Even full, {look.words} leaves the converter {figure(have, 'V')}; "
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


@rule(
    Basis(
        "set-point-outside",
        ("refuse",),
        "what it is set to",
        ("stage.output_v",),
        "stated",
        ("stage.adjusts_from_v", "stage.adjusts_to_v"),
    )
)
def set_point_outside(situation: Situation) -> Iterator[Finding]:
    """An output set to what its board cannot be set to."""
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Converter):
            continue
        have = number(stage.output_v)
        low, high = maybe(stage.adjusts_from_v), maybe(stage.adjusts_to_v)
        limit = (
            low if low is not None and below(have, low) else high if high is not None and above(have, high) else None
        )
        if limit is None:
            continue
        span = f"{figure(low or 0.0, 'V')} to {figure(high, 'V')}" if high is not None else f"{figure(limit, 'V')} up"
        text = f"It is to be set to {figure(have, 'V')}; this board can be set from {span}."
        yield Finding("set-point-outside", "refuse", text, i, have, limit, "V", *_settable(situation, i, limit))


def _settable(situation: Situation, i: int, limit: float) -> tuple[str, Change]:
    """The nearest set-point that the device stands, or a board that can be set as wanted."""
    supply = situation.case.device.supply
    low, high = maybe(supply.min_v) or 0.0, maybe(supply.max_v)
    if i == situation.circuit.holders[-1].stage and low <= limit and (high is None or limit <= high):
        return f"set it to {figure(limit, 'V')}, which the device takes", (replace(f"/path/{i}/output_v", limit),)
    board = converter_for(situation)
    if board is None:
        return "take a board whose range holds the volts that are wanted", ()
    return f"take a {board.topology} converter set to {figure(number(board.output_v), 'V')}", (
        replace(f"/path/{i}", board),
    )


@rule(
    Basis(
        "wrong-profile",
        ("refuse",),
        "what the trigger asks for",
        ("stage.output_v",),
        "what the port gives",
        ("source.regulated_output.output_v",),
    )
)
def wrong_profile(situation: Situation) -> Iterator[Finding]:
    """A trigger board that asks for volts which its port does not offer, or that has no port to ask."""
    source = situation.source
    port = source.regulated_output
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Converter) or stage.topology != "trigger":
            continue
        wanted = number(stage.output_v)
        before = [s for s in situation.case.path[:i] if isinstance(s, Holding)]
        held_v = [number(port.output_v)] if port else []
        offers = sorted({*held_v, *(number(p.output_v) for one in source.ports for p in one.profiles)})
        if port is not None and not before and any(abs(volts - wanted) <= SAME_V for volts in offers):
            continue
        have = ", ".join(figure(volts, "V", 2) for volts in offers)
        here = "here there is no port to ask" if port is None or before else f"this one offers {have}"
        text = f"A trigger board asks a negotiated port for {figure(wanted, 'V')}; {here}."
        limit = number(port.output_v) if port is not None else None
        cure = "take a port that offers these volts, or put a converter in place of the trigger board"
        yield Finding("wrong-profile", "refuse", text, i, wanted, limit, "V", cure)


@rule(
    Basis(
        "auto-off",
        ("care", "refuse"),
        "I at the port in the longest unbroken nap",
        ("duty", "path"),
        "stated",
        ("source.regulated_output.output_min_current_a", "source.regulated_output.output_off_delay_s"),
    )
)
def auto_off(situation: Situation) -> Iterator[Finding]:
    """A power bank that takes a light load for no load and switches off."""
    port = situation.source.regulated_output
    least = maybe(port.output_min_current_a) if port else None
    if port is None or least is None:
        return
    delay = port.sleeps_after_s
    amps = {m.name: situation.draw(mode_demand(m)).port_a for m in situation.modes}
    duty = situation.case.duty
    naps = _naps([(amps[s.mode] < least, number(s.seconds), s.mode) for s in duty.repeat], once=duty.once)
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
        others = "or take a port that stays awake, a bank with an always-on mode, cells instead of a bank"
        return f"put on a keep-alive load of {figure(extra, 'A', 2)} more, {others}", ()
    return f"put a keep-alive load of {figure(extra, 'A', 2)} across the port ({figure(watts, 'W', 2)} lost)", change


def _naps(segments: list[tuple[bool, float, str]], *, once: bool) -> list[tuple[float, str]]:
    """Unbroken spans below the threshold: (seconds, a mode in it); round the end of a duty that repeats."""
    if not segments or (not once and all(low for low, _, _ in segments)):
        return [(float("inf"), segments[0][2])] if segments else []
    start = 0 if once else next(i for i, (low, _, _) in enumerate(segments) if not low)
    naps: list[tuple[float, str]] = []
    span, name = 0.0, ""
    for low, lasts, mode in [*segments[start:], *segments[:start], (False, 0.0, "")]:
        if low:
            span, name = span + lasts, name or mode
        elif span:
            naps.append((span, name))
            span, name = 0.0, ""
    return naps
