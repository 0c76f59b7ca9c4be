"""Fuse, wire and cut-off: what stands between a fault and a fire, and a pack and its ruin."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from math import inf

import msgspec

from hermotrope_core.circuit.situation import HALF_SOC, Look, Situation
from hermotrope_core.judge.cures import (
    SHORT_A,
    Change,
    add,
    converter_for,
    cut_off_change,
    fuse_at,
    fuse_change,
    fuse_for,
    replace,
    switch_change,
    wire_amps_behind,
)
from hermotrope_core.judge.findings.current import held, worst
from hermotrope_core.judge.findings.finding import Finding, above
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stages import Converter, CutOff, Diode, Fuse, Lead, Linear, Resistor, Stage, Switch
from hermotrope_core.parts.wire import FUSE_MARGIN, HOLDS_TIMES, PARTS, fuse_opens_s, safe_amps
from hermotrope_core.plan.case import Case, Known, maybe, number
from hermotrope_core.values.figures import figure, stated

DROP_CARE, DROP_REFUSE = 0.03, 0.10
"""Share of the volts entering a lead that it may lose."""
TO_FUSE_M = 0.2
"""Longest copper between the pack's positive and its fuse, metres."""
UNRATED_V = 32.0
"""Up to here a fuse or switch that states no volts is taken to break the current (what small blade fuses stand)."""
HOT_CARE_K, HOT_REFUSE_K = 40.0, 70.0
"""Rise of a part above its surroundings, kelvin (typical)."""


def short_amps(situation: Situation) -> float:
    """What the full pack drives into a short at its terminals, amperes: EMF / R."""
    ohm = number(situation.source.resistance_ohm)
    return situation.full_emf / ohm if ohm > 0.0 else inf


def _amps(short: float) -> str:
    return "without limit" if short == inf else figure(short, "A", 2)


def first_stretch(case: Case) -> tuple[tuple[int, Stage], ...]:
    """The stages before the first part that holds its volts, with their path indices."""
    found = []
    for i, stage in enumerate(case.path):
        if isinstance(stage, Holding):
            break
        found.append((i, stage))
    return tuple(found)


def no_fuse(situation: Situation) -> Iterator[Finding]:
    """A pack without a fuse, or with none before the first length of copper; how bad depends on the short."""
    if situation.source.regulated_output is not None:
        return
    front = first_stretch(situation.case)
    fuse = next((i for i, stage in front if isinstance(stage, Fuse)), None)
    long = next((i for i, stage in front if isinstance(stage, Lead) and number(stage.length_m) > TO_FUSE_M), None)
    if fuse is not None and (long is None or fuse < long):
        return
    short = short_amps(situation)
    amps = _amps(short)
    drives = f"into a short this pack drives {amps}; a fuse is a must above {figure(SHORT_A, 'A', 1)}."
    other = any(isinstance(stage, Fuse) for stage in situation.case.path)
    if fuse is not None:
        text = f"The fuse stands behind {number(_lead_at(situation.case, long or 0).length_m):g} m of lead: {drives}"
    elif other:
        text = f"The only fuse stands behind a converter, where it protects nothing at the pack: {drives}"
    else:
        text = f"No fuse: {drives}"
    change = fuse_to_the_pack(situation, fuse) if fuse is not None else fuse_change(situation)
    rating = f" {change[0]['value']['rating_a']:g} A" if change and fuse is None else ""
    put = "move the fuse to the pack," if fuse is not None else f"put a{rating} fuse"
    yield Finding(
        "no-fuse",
        "refuse" if short > SHORT_A else "care",
        text,
        -1,
        None if short == inf else short,
        SHORT_A,
        "A",
        f"{put} within 20 cm of the pack's positive",
        change,
    )


def _lead_at(case: Case, i: int) -> Lead:
    stage = case.path[i]
    assert isinstance(stage, Lead)
    return stage


def fuse_to_the_pack(situation: Situation, at: int) -> Change:
    """Move a fuse to the front of the path, rated for what it then protects; empty where no rating does that."""
    case, fuse = situation.case, situation.case.path[at]
    assert isinstance(fuse, Fuse)
    moved = msgspec.structs.replace(case, path=(fuse, *case.path[:at], *case.path[at + 1 :]))
    move = {"op": "move", "from": f"/path/{at}", "path": "/path/0"}
    wire = wire_amps_behind(moved, 1)
    if number(fuse.rating_a) <= wire:
        return (move,)
    rating = fuse_at(Situation(moved), 0, wire)
    return () if rating is None else (move, replace("/path/0/rating_a", rating))


def unfused_lead(situation: Situation) -> Iterator[Finding]:
    """Copper between the pack and its fuse, which nothing protects."""
    if situation.source.regulated_output is not None:
        return
    front = first_stretch(situation.case)
    fuse = next((i for i, stage in front if isinstance(stage, Fuse)), None)
    if fuse is None:
        return
    leads = [(i, stage) for i, stage in front if i < fuse and isinstance(stage, Lead)]
    length = sum(number(stage.length_m) for _, stage in leads)
    if length <= TO_FUSE_M:
        return
    short = short_amps(situation)
    long = [pair for pair in leads if number(pair[1].length_m) > TO_FUSE_M] or leads
    i, lead = min(long, key=lambda pair: number(pair[1].area_mm2))
    safe = situation.safe_amps(lead)
    burns = short > safe and number(lead.length_m) > TO_FUSE_M
    amps = _amps(short)
    end = "it burns before anything opens." if burns else "a short there lasts until the pack is empty."
    yield Finding(
        "unfused-lead",
        "refuse" if burns else "care",
        f"{length:g} m of lead stand between the pack and its fuse; into a short the pack drives {amps} "
        f"through {stated(number(lead.area_mm2), 'mm²', 3)}, which is safe for {figure(safe, 'A')}: {end}",
        i,
        None if short == inf else short,
        safe,
        "A",
        "move the fuse to the pack, within 20 cm of its positive, rated for the thinnest lead behind it",
        fuse_to_the_pack(situation, fuse),
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
                f"The {have:g} A fuse protects a lead that is safe for {figure(limit, 'A')}: "
                "the wire would burn first.",
                i,
                have,
                limit,
                "A",
                f"take a {number(better.rating_a):g} A fuse" if better and fits else "take a thicker lead",
                (replace(f"/path/{i}/rating_a", number(better.rating_a)),) if better and fits else (),
            )


def fuse_under_load(situation: Situation) -> Iterator[Finding]:
    """A fuse that the working current, or a peak, will open."""
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Fuse):
            continue
        rating = number(stage.rating_a)
        look = worst(situation.looks, _through(i), rating / FUSE_MARGIN)
        if look is not None:
            amps = _through(i)(look)
            least = FUSE_MARGIN * amps
            text = (
                f"The {rating:g} A fuse carries {figure(amps, 'A')} in {look.words.rstrip(',')}; "
                f"it should be rated {figure(least, 'A')} or more."
            )
            yield Finding("fuse-under-load", "care", text, i, rating, least, "A", *_larger_fuse(situation, i, rating))
            continue
        for peak in sorted(situation.peak_looks, key=_through(i), reverse=True):
            found = _opened(peak, _through(i)(peak), rating)
            if found is not None:
                cure, change = _larger_fuse(situation, i, rating)
                yield Finding("fuse-under-load", "care", found[0], i, found[1], found[2], found[3], cure, change)
                break


def _through(i: int) -> Callable[[Look], float]:
    """The current into path[i] in a look, amperes."""
    return lambda look: look.at.at_stage(i).amps_in


def _opened(peak: Look, amps: float, rating: float) -> tuple[str, float, float, str] | None:
    """How a peak opens a fuse: in words, with both numbers and their unit; None where it holds.

    A peak whose length nobody stated counts as long enough.
    """
    opens, lasts = fuse_opens_s(amps / rating), maybe(peak.mode.peak_s)
    if opens is None or (lasts is not None and lasts <= opens):
        return None
    name = peak.words.rstrip(",")
    if lasts is None:
        limit = rating * HOLDS_TIMES
        text = (
            f"{name[0].upper()}{name[1:]} ({figure(amps, 'A')}) opens the {rating:g} A fuse if it lasts: "
            f"above {figure(limit, 'A')} it opens, and nobody stated for how long the peak lasts. Measuring that "
            "would help."
        )
        return text, amps, limit, "A"
    text = (
        f"{name[0].upper()}{name[1:]} ({figure(amps, 'A')} for {figure(lasts, 's')}) can open the "
        f"{rating:g} A fuse after {figure(opens, 's', 2)}."
    )
    return text, lasts, opens, "s"


def _larger_fuse(situation: Situation, i: int, rating: float) -> tuple[str, Change]:
    better = fuse_for(situation) if i == 0 else None
    if better is None or number(better.rating_a) <= rating:
        return "take a larger fuse, and wire for it", ()
    change = (replace(f"/path/{i}/rating_a", number(better.rating_a)),)
    return f"take a {number(better.rating_a):g} A fuse", change


def fuse_cannot_open(situation: Situation) -> Iterator[Finding]:
    """A fuse so large that the pack cannot drive enough into a short to open it."""
    if situation.source.regulated_output is not None:
        return
    ohm = number(situation.source.resistance_ohm)
    for i, stage in first_stretch(situation.case):
        if isinstance(stage, Fuse):
            short = situation.full_emf / ohm if ohm > 0.0 else inf
            limit = HOLDS_TIMES * number(stage.rating_a)
            if short < limit:
                better = fuse_for(situation)
                fits = i == 0 and better is not None and HOLDS_TIMES * number(better.rating_a) <= short
                yield Finding(
                    "fuse-cannot-open",
                    "care",
                    f"Into a short the pack drives {figure(short, 'A', 2)} through the {number(stage.rating_a):g} A "
                    f"fuse, which opens above {figure(limit, 'A', 2)}: it would never open.",
                    i,
                    short,
                    limit,
                    "A",
                    f"take a {number(better.rating_a):g} A fuse" if better and fits else "take a smaller fuse",
                    (replace(f"/path/{i}/rating_a", number(better.rating_a)),) if better and fits else (),
                )
        ohm += stage.ohms


def rating_volts(situation: Situation) -> Iterator[Finding]:
    """A fuse or switch at more volts than it can break: direct current draws an arc."""
    volts = situation.full_emf if situation.circuit.port is None else situation.circuit.holders[0].output_v
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Holding):
            volts = number(stage.output_v)
        elif isinstance(stage, Fuse | Switch) and not situation.case.alternating_at(i):
            rated = maybe(stage.rating_v)
            limit = UNRATED_V if rated is None else rated
            if not above(volts, limit):
                continue
            name = "fuse" if isinstance(stage, Fuse) else "switch"
            text = (
                f"The {name} breaks {figure(volts, 'V')} of direct current and is rated {figure(limit, 'V')}: "
                "its arc may not go out."
                if rated is not None
                else f"For how many volts of direct current the {name} is rated is not stated; above "
                f"{figure(limit, 'V')} an arc may not go out, and {figure(volts, 'V')} stand here."
            )
            cure = f"take a {name} rated for {figure(volts, 'V')} or more of direct current"
            yield Finding("rating-volts", "note" if rated is None else "refuse", text, i, volts, limit, "V", cure)


def no_switch(situation: Situation) -> Iterator[Finding]:
    """Something that moves a person or is driven by a child, without a switch."""
    traits = set(situation.case.device.traits)
    if not traits & {"ridden", "child"} or "motor" not in traits:
        return
    if any(isinstance(stage, Switch) for stage in situation.case.path):
        return
    who = "It is ridden" if "ridden" in traits else "A child uses it"
    yield Finding(
        "no-switch",
        "refuse",
        f"{who}, it has a motor, and no switch in the feed stops it.",
        situation.device_stage,
        cure="put a switch into the feed that stops it at once",
        change=switch_change(situation.case),
    )


def wire_drop(situation: Situation) -> Iterator[Finding]:
    """A lead that loses too much of the volts that enter it, in the heaviest mode at half charge."""
    looks = [
        Look(mode, False, HALF_SOC, half, situation.in_duty(mode))
        for mode in situation.all_modes
        if (half := situation.at(mode, HALF_SOC)).complete
    ]
    for i, stage in enumerate(situation.case.path):
        look = worst(looks, _share_lost(i), DROP_CARE) if isinstance(stage, Lead) else None
        if look is None or not isinstance(stage, Lead):
            continue
        at, share = look.at.at_stage(i), _share_lost(i)(look)
        bad = share > DROP_REFUSE
        limit = DROP_REFUSE if bad else DROP_CARE
        area = None if stage.bought else _thicker(number(stage.area_mm2), share / DROP_CARE)
        mode = "" if look.in_duty else f" in {look.words.rstrip(',')}"
        yield Finding(
            "wire-drop",
            held(look, "refuse" if bad else "care"),
            f"The {number(stage.length_m):g} m lead loses {figure(at.volts_in - at.volts_out, 'V', 2)} of "
            f"{figure(at.volts_in, 'V')}{mode} ({figure(share, '%', 2)}); {figure(limit, '%', 2)} is the limit.",
            i,
            share,
            limit,
            "of the volts",
            f"take {area:g} mm² wire" if area else "take a shorter or thicker lead",
            (replace(f"/path/{i}/area_mm2", area),) if area else (),
        )


def _share_lost(i: int) -> Callable[[Look], float]:
    """Share of the volts entering path[i] that it loses in a look."""

    def share(look: Look) -> float:
        at = look.at.at_stage(i)
        return (at.volts_in - at.volts_out) / at.volts_in if at.volts_in > 0 else 1.0

    return share


def wire_hot(situation: Situation) -> Iterator[Finding]:
    """A lead that carries more than its safe current, where it is as warm as the surroundings get."""
    for i, stage in enumerate(situation.case.path):
        if not isinstance(stage, Lead):
            continue
        limit = situation.safe_amps(stage)
        look = worst(situation.looks, _through(i), limit)
        if look is None:
            continue
        have = _through(i)(look)
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
            f"take {area:g} mm² wire" if area else "take a thicker lead, or split the load over two",
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
    front = () if source.regulated_output is not None else first_stretch(situation.case)
    trips = [number(stage.trips_v) for _, stage in front if isinstance(stage, CutOff)]
    if any(volts >= limit for volts in trips):
        return
    unknown = source.low_voltage_cut_off is None
    text = (
        f"Whether this pack cuts itself off is not stated; below {figure(limit, 'V')} its cells are ruined."
        if unknown
        else f"This pack leaves the low cut-off to the tool; below {figure(limit, 'V')} its cells are ruined."
    )
    bank = source.regulated_output is not None
    change = () if bank else cut_off_change(situation)
    volts = change[0]["value"]["trips_v"] if change else limit
    yield Finding(
        "no-low-voltage-cut-off",
        "note" if unknown else "care",
        text,
        -1,
        max(trips, default=0.0),
        limit,
        "V",
        f"put in a cut-off that opens at {figure(volts, 'V')}" if change else "read in its papers whether it does",
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
