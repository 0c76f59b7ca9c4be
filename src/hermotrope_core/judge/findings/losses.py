"""What leads and parts lose: volts on the way, and heat."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from math import inf

import msgspec

from hermotrope_core.circuit.situation import HALF_SOC, Look, Situation
from hermotrope_core.judge.cures import (
    Change,
    add,
    converter_for,
    replace,
)
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.looks import amps_into, held, worst
from hermotrope_core.judge.findings.rule import LOADED, Basis, rule
from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.kinds.stages import Converter, Diode, Linear, Resistor
from hermotrope_core.parts.craft import DROP_CARE, DROP_REFUSE, HOT_CARE_K, HOT_REFUSE_K
from hermotrope_core.parts.wire import FUSE_MARGIN, PARTS, safe_amps
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Known, number


@rule(
    Basis(
        "wire-drop",
        ("care", "refuse"),
        "I × 2 L ρ / A as a share of V_in, heaviest mode at 50 %",
        ("stage.length_m", "stage.area_mm2", "heaviest"),
    )
)
def wire_drop(situation: Situation) -> Iterator[Finding]:
    """A lead that loses too much of the volts that enter it, in the heaviest mode at half charge."""
    looks = [
        Look(mode, False, HALF_SOC, half, situation.in_duty(mode))
        for mode in situation.all_modes
        if (half := situation.at(mode, HALF_SOC)).complete
    ]
    for i, stage in leads_of(situation.case.path):
        look = worst(looks, _share_lost(i), DROP_CARE)
        if look is None:
            continue
        at, share = look.at.at_stage(i), _share_lost(i)(look)
        bad = share > DROP_REFUSE
        limit = DROP_REFUSE if bad else DROP_CARE
        area = None if stage.bought else _thicker(number(stage.area_mm2), share / DROP_CARE)
        mode = "" if look.in_duty else f" in {look.words.rstrip(',')}"
        yield Finding(
            "wire-drop",
            held(look, "refuse" if bad else "care"),
            f"The {stated(number(stage.length_m), 'm')} lead loses {figure(at.volts_in - at.volts_out, 'V', 2)} of "
            f"{figure(at.volts_in, 'V')}{mode} ({figure(share, '%', 2)}); {figure(limit, '%', 2)} is the limit.",
            i,
            share,
            limit,
            "of the volts",
            f"take {stated(area, 'mm²')} wire" if area else "take a shorter or thicker lead",
            (replace(f"/path/{i}/area_mm2", area),) if area else (),
        )


def _share_lost(i: int) -> Callable[[Look], float]:
    """Share of the volts entering path[i] that it loses in a look."""

    def share(look: Look) -> float:
        at = look.at.at_stage(i)
        return (at.volts_in - at.volts_out) / at.volts_in if at.volts_in > 0 else 1.0

    return share


@rule(
    Basis(
        "wire-hot",
        ("care", "refuse"),
        "I in the heaviest mode at 20 %",
        ("heaviest", *LOADED),
        "safe current of its copper",
        ("stage.area_mm2",),
    )
)
def wire_hot(situation: Situation) -> Iterator[Finding]:
    """A lead that carries more than its safe current, where it is as warm as the surroundings get."""
    for i, stage in leads_of(situation.case.path):
        limit = situation.safe_amps(stage.area_mm2)
        look = worst(situation.looks, amps_into(i), limit)
        if look is None:
            continue
        have = amps_into(i)(look)
        need = FUSE_MARGIN * have * safe_amps(number(stage.area_mm2)) / limit
        area = next((a for a, amps in PARTS.wire_safe_current_a_by_area_mm2 if amps >= need), None)
        area = None if stage.bought else area
        warm = situation.temperatures_c[1]
        around = f" at {figure(warm, '°C')} around" if limit < safe_amps(number(stage.area_mm2)) else ""
        yield Finding(
            "wire-hot",
            held(look, "refuse"),
            f"{figure(have, 'A')} flow in {look.words} through a lead of {stated(number(stage.area_mm2), 'mm²', 3)}, "
            f"which is safe for {figure(limit, 'A')}{around}.",
            i,
            have,
            limit,
            "A",
            f"take {stated(area, 'mm²')} wire" if area else "take a thicker lead, or split the load over two",
            (replace(f"/path/{i}/area_mm2", area),) if area else (),
        )


def _thicker(area_mm2: float, times: float) -> float | None:
    return next((a for a, _ in PARTS.wire_safe_current_a_by_area_mm2 if a >= area_mm2 * times), None)


@rule(
    Basis(
        "hot-part",
        ("care", "refuse"),
        "(P_in − P_out) × K/W, or I² R",
        ("stage.efficiency", "stage.quiescent_w", "stage.thermal_k_per_w", "stage.resistance_ohm", "heaviest"),
        f"{stated(HOT_CARE_K, 'K')} and {stated(HOT_REFUSE_K, 'K')}, or half the rating",
        ("stage.rating_w",),
    )
)
def hot_part(situation: Situation) -> Iterator[Finding]:
    """Converters, regulators, diodes and resistors that get too warm in a mode of the device."""
    run = situation.run
    socs = {situation.circuit.start_soc, *((run.final_soc,) if run else ())}
    looks = [*situation.looks]
    for mode in situation.all_modes:
        points = [(soc, situation.at(mode, soc)) for soc in socs]
        looks += [Look(mode, False, soc, at, situation.in_duty(mode)) for soc, at in points if at.complete]
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Converter | Linear | Diode):
            yield from _warm(situation, looks, i, stage)
        elif isinstance(stage, Resistor) and stage.rating_w is not None:
            rating = number(stage.rating_w)
            look = worst(looks, _heat(i), rating / 2)
            if look is not None:
                heat = _heat(i)(look)
                limit = rating if heat > rating else rating / 2
                yield Finding(
                    "hot-part",
                    held(look, "refuse" if heat > rating else "care"),
                    f"The resistor turns {figure(heat, 'W')} into heat in {look.words.rstrip(',')}; one rated "
                    f"{figure(rating, 'W')} should see {figure(rating / 2, 'W')} at most.",
                    i,
                    heat,
                    limit,
                    "W",
                    f"take a resistor rated {figure(2 * heat, 'W', 2)} or more",
                    (add(f"/path/{i}/rating_w", float(f"{2 * heat + 0.005:.2g}")),),
                )


def _heat(i: int) -> Callable[[Look], float]:
    """Watts that path[i] turns into heat in a look."""
    return lambda look: look.at.at_stage(i).heat_w


def _warm(situation: Situation, looks: list[Look], i: int, stage: Converter | Linear | Diode) -> Iterator[Finding]:
    """A part whose rise is above the limits; diodes share their heat."""
    per_w = stage.k_per_w(closed=situation.closed)
    share = per_w / (stage.count if isinstance(stage, Diode) else 1)
    look = worst(looks, lambda one: _heat(i)(one) * share, HOT_CARE_K)
    if look is None:
        return
    heat = _heat(i)(look)
    rise = heat * share
    limit = HOT_REFUSE_K if rise > HOT_REFUSE_K else HOT_CARE_K
    around = situation.temperatures_c[1]
    boxed = " in its closed box" if situation.closed else ""
    part = "diodes turn" if isinstance(stage, Diode) else f"{situation.stage_name(i)} turns"
    gets = "get" if isinstance(stage, Diode) else "gets"
    yield Finding(
        "hot-part",
        held(look, "refuse" if rise > HOT_REFUSE_K else "care"),
        f"In {look.words} the {part} {figure(heat, 'W', 2)} into heat and {gets} {figure(rise, 'K', 2)} warmer than "
        f"the surroundings{boxed}: about {figure(around + rise, '°C', 2)} at {figure(around, '°C', 2)}. "
        f"{figure(limit, 'K', 2)} is the limit.",
        i,
        rise,
        limit,
        "K",
        *_cooler(situation, i),
    )


def _cooler(situation: Situation, i: int) -> tuple[str, Change]:
    """A generic board that stays cool in place of a hot one; words where there is none."""
    stage, board = situation.case.path[i], converter_for(situation)
    if isinstance(stage, Diode):
        return "put in a converter in place of the diodes, or larger ones on a heat sink", ()
    if isinstance(stage, Linear) and board is not None:
        return f"put in a {board.topology} converter in its place: it wastes less", (replace(f"/path/{i}", board),)
    if isinstance(stage, Converter) and board is not None and board.topology == stage.topology:
        board = as_stated(stage, board)
        heat = max((_heat(i)(look) for look in situation.looks), default=inf)
        if board != stage and heat * board.k_per_w(closed=situation.closed) <= HOT_CARE_K:
            gives = figure(number(board.output_current_max_a or 0.0), "A")
            words = f"take a {board.topology} converter that gives {gives} and sheds its heat"
            return words, (replace(f"/path/{i}", board),)
    return "take a more efficient or larger part, a heat sink, or an open box", ()


def as_stated(stage: Converter, board: Converter) -> Converter:
    """The board with the efficiency that somebody stated for the part it replaces: a cure changes what cures alone."""
    stated = stage.efficiency
    if isinstance(stated, Known) and stated.known_by in ("typical", "guess"):
        return board
    return msgspec.structs.replace(board, efficiency=stated)
