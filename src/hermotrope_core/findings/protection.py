"""Fuse, wire and cut-off: what stands between a fault and a fire, and a pack and its ruin."""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.case import Case, Converter, CutOff, Diode, Fuse, Lead, Linear, Resistor, number
from hermotrope_core.design import (
    SHORT_A,
    Change,
    add,
    converter_for,
    cut_off_change,
    fuse_change,
    fuse_for,
    replace,
    wire_amps_behind,
)
from hermotrope_core.figures import figure
from hermotrope_core.findings.finding import Finding
from hermotrope_core.situation import HALF_SOC, LOW_SOC, Situation
from hermotrope_core.wiring import FUSE_MARGIN, PARTS, fuse_opens_s, safe_amps

DROP_CARE, DROP_REFUSE = 0.03, 0.10
"""Share of the volts entering a lead that it may lose."""
OPEN_K_PER_W, CLOSED_K_PER_W = 30.0, 50.0
"""How much a part warms that does not say, kelvin per watt (typical)."""
HOT_CARE_K, HOT_REFUSE_K = 40.0, 70.0
"""Rise of a part above its surroundings, kelvin (typical)."""


def no_fuse(situation: Situation) -> Iterator[Finding]:
    """A pack without a fuse; how bad depends on what it drives into a short."""
    if situation.source.regulated_output is not None:
        return
    if any(isinstance(stage, Fuse) for stage in situation.case.path):
        return
    ohm = number(situation.source.resistance_ohm)
    short = situation.full_emf / ohm if ohm > 0.0 else float("inf")
    change = fuse_change(situation)
    rating = f" {figure(change[0]['value']['rating_a'], 'A')}" if change else ""
    amps = "without limit" if ohm == 0.0 else figure(short, "A", 2)
    yield Finding(
        "no-fuse",
        "refuse" if short > SHORT_A else "care",
        f"No fuse: into a short this pack drives {amps}; a fuse is a must above {figure(SHORT_A, 'A', 1)}.",
        -1,
        short if ohm else None,
        SHORT_A,
        "A",
        f"put a{rating} fuse within 20 cm of the pack's positive",
        change,
    )


def fuse_over_wire(situation: Situation) -> Iterator[Finding]:
    """A fuse that lets more through than a lead behind it stands."""
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Fuse):
            continue
        have, limit = number(stage.rating_a), wire_amps_behind(situation.case, i + 1)
        if have > limit:
            better = fuse_for(situation) if i == 0 else None
            fits = better is not None and number(better.rating_a) <= limit
            yield Finding(
                "fuse-over-wire",
                "refuse",
                f"The {figure(have, 'A')} fuse protects a lead that is safe for {figure(limit, 'A')}: "
                "the wire would burn first.",
                i,
                have,
                limit,
                "A",
                f"take a {figure(number(better.rating_a), 'A')} fuse" if better and fits else "a thicker lead",
                (replace(f"/path/{i}/rating_a", number(better.rating_a)),) if better and fits else (),
            )


def fuse_under_load(situation: Situation) -> Iterator[Finding]:
    """A fuse that the working current, or a start peak, will open."""
    heavy = situation.at(situation.heaviest, LOW_SOC)
    if not heavy.complete:
        return
    emf = situation.circuit.emf(LOW_SOC)
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Fuse):
            continue
        rating = number(stage.rating_a)
        least = FUSE_MARGIN * heavy.at_stage(i).amps_in
        if rating < least:
            text = (
                f"The {figure(rating, 'A')} fuse carries {figure(least / FUSE_MARGIN, 'A')} "
                f"in “{situation.heaviest.name}”; "
                f"it should be rated {figure(least, 'A')} or more."
            )
            yield Finding("fuse-under-load", "care", text, i, rating, least, "A", *_larger_fuse(situation, i, rating))
            continue
        for mode, demand in situation.peaks():
            top = situation.at_demand(demand, emf)
            if not top.complete or mode.peak_s is None:
                continue
            amps, lasts = top.at_stage(i).amps_in, number(mode.peak_s)
            opens = fuse_opens_s(amps / rating)
            if opens is not None and lasts > opens:
                text = (
                    f"The peak of “{mode.name}” ({figure(amps, 'A')} for {figure(lasts, 's')}) can open the "
                    f"{figure(rating, 'A')} fuse after {figure(opens, 's', 2)}."
                )
                yield Finding(
                    "fuse-under-load", "care", text, i, lasts, opens, "s", *_larger_fuse(situation, i, rating)
                )
                break


def _larger_fuse(situation: Situation, i: int, rating: float) -> tuple[str, Change]:
    better = fuse_for(situation) if i == 0 else None
    if better is None or number(better.rating_a) <= rating:
        return "a larger fuse, and wire for it", ()
    change = (replace(f"/path/{i}/rating_a", number(better.rating_a)),)
    return f"take a {figure(number(better.rating_a), 'A')} fuse", change


def wire_drop(situation: Situation) -> Iterator[Finding]:
    """A lead that loses too much of the volts that enter it."""
    half = situation.at(situation.heaviest, HALF_SOC)
    if not half.complete:
        return
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Lead):
            continue
        at = half.at_stage(i)
        share = (at.volts_in - at.volts_out) / at.volts_in if at.volts_in > 0 else 1.0
        if share > DROP_CARE:
            bad = share > DROP_REFUSE
            limit = DROP_REFUSE if bad else DROP_CARE
            area = _thicker(number(stage.area_mm2), share / DROP_CARE)
            yield Finding(
                "wire-drop",
                "refuse" if bad else "care",
                f"The {figure(number(stage.length_m), 'm')} lead loses {figure(at.volts_in - at.volts_out, 'V', 2)} of "
                f"{figure(at.volts_in, 'V')} ({figure(share, '%', 2)}); {figure(limit, '%', 2)} is the limit.",
                i,
                share,
                limit,
                "of the volts",
                f"take {figure(area, 'mm²')} wire" if area else "a shorter lead",
                (replace(f"/path/{i}/area_mm2", area),) if area else (),
            )


def wire_hot(situation: Situation) -> Iterator[Finding]:
    """A lead that carries more than its safe current."""
    low = situation.at(situation.heaviest, LOW_SOC)
    if not low.complete:
        return
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Lead):
            continue
        have, limit = low.at_stage(i).amps_in, safe_amps(number(stage.area_mm2))
        if have > limit:
            area = next((a for a, amps in PARTS.wire_safe_current_a_by_area_mm2 if amps >= FUSE_MARGIN * have), None)
            yield Finding(
                "wire-hot",
                "refuse",
                f"{figure(have, 'A')} flow through a lead of {figure(number(stage.area_mm2), 'mm²')}, "
                f"which is safe for {figure(limit, 'A')}.",
                i,
                have,
                limit,
                "A",
                f"take {figure(area, 'mm²')} wire" if area else "split the load over two leads",
                (replace(f"/path/{i}/area_mm2", area),) if area else (),
            )


def _thicker(area_mm2: float, times: float) -> float | None:
    return next((a for a, _ in PARTS.wire_safe_current_a_by_area_mm2 if a >= area_mm2 * times), None)


def no_low_voltage_cut_off(situation: Situation) -> Iterator[Finding]:
    """A rechargeable pack that nothing stops before its cells are ruined."""
    source, cell = situation.source, situation.cell
    if not cell.rechargeable or source.low_voltage_cut_off:
        return
    limit = source.cells_in_series * cell.damage_below_v
    trips = [number(stage.trips_v) for stage in situation.case.path if isinstance(stage, CutOff)]
    if any(volts >= limit for volts in trips):
        return
    unknown = source.low_voltage_cut_off is None
    text = (
        f"Whether this pack cuts itself off is not stated; below {figure(limit, 'V')} its cells are ruined."
        if unknown
        else f"This pack leaves the low cut-off to the tool; below {figure(limit, 'V')} its cells are ruined."
    )
    change = cut_off_change(situation)
    volts = change[0]["value"]["trips_v"]
    yield Finding(
        "no-low-voltage-cut-off",
        "note" if unknown else "care",
        text,
        -1,
        max(trips, default=0.0),
        limit,
        "V",
        f"put in a cut-off that opens at {figure(volts, 'V')}",
        change,
    )


def deep_discharge(situation: Situation) -> Iterator[Finding]:
    """A plan that takes more out of cells than they like: lead-acid below a half."""
    cell = situation.cell
    limit = 1.0 - cell.usable_depth
    have = situation.circuit.reserve_soc
    if limit > 0.0 and have < limit - 1e-9:
        yield Finding(
            "deep-discharge",
            "note",
            f"The plan goes down to {figure(have, '%', 2)} of the charge; these cells last longest above "
            f"{figure(limit, '%', 2)}.",
            -1,
            have,
            limit,
            "of the charge",
            f"keep {figure(limit, '%', 2)} in reserve",
            (add("/source/reserve_soc", limit),),
        )


def backfeed(situation: Situation) -> Iterator[Finding]:
    """Cells left in the bay while an outside feed is connected."""
    device, path = situation.case.device, situation.case.path
    if not device.cells_left_in_bay or device.switched_inlet:
        return
    if path and isinstance(path[-1], Diode):
        return
    yield Finding(
        "backfeed",
        "refuse",
        "Cells stay in the bay and the inlet does not disconnect them: the pack would charge them, or they the pack.",
        situation.device_stage,
        cure="take the cells out, or put a diode last in the path",
        change=(add("/device/cells_left_in_bay", False),),
    )


def part_kelvin_per_watt(case: Case, stage: Converter | Linear) -> float:
    """How much a holding part warms, kelvin per watt: as stated, or typical for an open or closed box."""
    if stage.thermal_k_per_w is not None:
        return number(stage.thermal_k_per_w)
    return CLOSED_K_PER_W if case.conditions.enclosure == "closed" else OPEN_K_PER_W


def hot_part(situation: Situation) -> Iterator[Finding]:
    """Converters, regulators and resistors that get too warm in the heaviest mode."""
    run = situation.run
    socs = [situation.circuit.start_soc] + ([run.final_soc] if run else [])
    points = [at for soc in socs if (at := situation.at(situation.heaviest, soc)).complete]
    if not points:
        return
    for i, stage in enumerate(situation.case.path):
        heat = max(at.at_stage(i).heat_w for at in points)
        if isinstance(stage, Converter | Linear):
            rise = heat * part_kelvin_per_watt(situation.case, stage)
            if rise > HOT_CARE_K:
                limit = HOT_REFUSE_K if rise > HOT_REFUSE_K else HOT_CARE_K
                yield Finding(
                    "hot-part",
                    "refuse" if rise > HOT_REFUSE_K else "care",
                    f"The {situation.stage_name(i)} part turns {figure(heat, 'W', 2)} into heat and gets "
                    f"{figure(rise, 'K', 2)} warmer than its surroundings; {figure(limit, 'K', 2)} is the limit.",
                    i,
                    rise,
                    limit,
                    "K",
                    *_cooler(situation, i),
                )
        elif isinstance(stage, Resistor) and stage.rating_w is not None:
            rating = number(stage.rating_w)
            if heat > rating / 2:
                limit = rating if heat > rating else rating / 2
                yield Finding(
                    "hot-part",
                    "refuse" if heat > rating else "care",
                    f"The resistor turns {figure(heat, 'W')} into heat; one rated {figure(rating, 'W')} "
                    f"should see {figure(rating / 2, 'W')} at most.",
                    i,
                    heat,
                    limit,
                    "W",
                    f"a resistor rated {figure(2 * heat, 'W', 2)} or more",
                    (add(f"/path/{i}/rating_w", float(f"{2 * heat + 0.005:.2g}")),),
                )


def _cooler(situation: Situation, i: int) -> tuple[str, Change]:
    """A generic board that stays cool in place of a hot one; words where there is none."""
    stage, board = situation.case.path[i], converter_for(situation)
    if isinstance(stage, Linear) and board is not None:
        return f"a {board.topology} converter in its place: it wastes less", (replace(f"/path/{i}", board),)
    if isinstance(stage, Converter) and board is not None and board.topology == stage.topology and board != stage:
        gives = figure(number(board.output_current_max_a or 0.0), "A")
        return f"take a {board.topology} converter that gives {gives} and sheds its heat", (
            replace(f"/path/{i}", board),
        )
    return "a more efficient or larger part, a heat sink, or an open box", ()
