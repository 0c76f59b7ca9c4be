"""Can converters deliver the current, take in the volts, and be set as asked?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import Change, converter_for, replace
from hermotrope_core.judge.findings.finding import Finding, above, below
from hermotrope_core.judge.findings.looks import Figure, Kind, held, worst
from hermotrope_core.judge.findings.rule import FULL, LOADED, Basis, rule
from hermotrope_core.kinds.effects import Holder
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stages import Converter
from hermotrope_core.parts.craft import LATE_SOC, NEAR_RATING, RATED_TIMES, SAME_V
from hermotrope_core.parts.thermal import CLOSED_BOX_DERATING
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe, number


def _rated(situation: Situation) -> Iterator[tuple[Holder, float]]:
    """The converters of the path that state what they give, amperes."""
    for holder in situation.circuit.holders:
        if holder.stage != -1 and holder.output_current_max_a is not None:
            yield holder, holder.output_current_max_a


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
    for holder, rated in _rated(situation):
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
        f"{figure(NEAR_RATING, '%', 2)} of its rating",
        ("stage.output_current_max_a",),
    )
)
def converter_near_limit(situation: Situation) -> Iterator[Finding]:
    """A continuous load above most of what a converter or inverter is rated for."""
    for holder, rated in _rated(situation):
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
        return f"take a converter rated at least {figure(amps * RATED_TIMES, 'A', 2)}, more in a closed box", ()
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
