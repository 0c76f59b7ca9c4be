"""Fuses and switches: what stands between a fault and a fire."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

import msgspec

from hermotrope_core.circuit.situation import Look, Situation
from hermotrope_core.judge.cures import (
    Change,
    fuse_at,
    fuse_change,
    fuse_for,
    replace,
    switch_change,
    wire_amps_behind,
)
from hermotrope_core.judge.findings.finding import Finding, above
from hermotrope_core.judge.findings.looks import amps_into, worst
from hermotrope_core.judge.findings.rule import FULL, LOADED, Basis, rule
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.kinds.stages import Fuse, front
from hermotrope_core.parts.craft import SHORT_A, TO_FUSE_M, UNRATED_V
from hermotrope_core.parts.wire import FUSE_MARGIN, HOLDS_TIMES, fuse_opens_s
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import maybe, number


def short_amps(situation: Situation) -> float:
    """What the full pack drives into a short at its terminals, amperes: EMF / R."""
    ohm = number(situation.source.resistance_ohm)
    return situation.full_emf / ohm if ohm > 0.0 else inf


def _amps(short: float) -> str:
    return "without limit" if short == inf else figure(short, "A", 2)


@rule(Basis("no-fuse", ("care", "refuse"), "E_full / R into a short", (*FULL, "source.resistance_ohm")))
def no_fuse(situation: Situation) -> Iterator[Finding]:
    """A pack without a fuse, or with none before the first length of copper; how bad depends on the short."""
    if situation.source.regulated_output is not None:
        return
    first = front(situation.case.path)
    fuse = next((i for i, stage in first if stage.opens_above_a is not None), None)
    leads = leads_of(stage for _, stage in first)
    long = next((i for i, lead in leads if number(lead.length_m) > TO_FUSE_M), None)
    if fuse is not None and (long is None or fuse < long):
        return
    short = short_amps(situation)
    amps = _amps(short)
    drives = f"into a short this pack drives {amps}; a fuse is a must above {figure(SHORT_A, 'A', 1)}."
    other = any(stage.opens_above_a is not None for stage in situation.case.path)
    if fuse is not None:
        text = f"The fuse stands behind {stated(number(dict(leads)[long or 0].length_m), 'm')} of lead: {drives}"
    elif other:
        text = f"The only fuse stands behind a converter, where it protects nothing at the pack: {drives}"
    else:
        text = f"No fuse: {drives}"
    change = fuse_to_the_pack(situation, fuse) if fuse is not None else fuse_change(situation)
    rating = f" {stated(change[0]['value']['rating_a'], 'A')}" if change and fuse is None else ""
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


@rule(
    Basis(
        "unfused-lead",
        ("care", "refuse"),
        "E_full / R into a short",
        (*FULL, "source.resistance_ohm"),
        "safe current of its copper",
        ("stage.area_mm2",),
    )
)
def unfused_lead(situation: Situation) -> Iterator[Finding]:
    """Copper between the pack and its fuse, which nothing protects."""
    if situation.source.regulated_output is not None:
        return
    first = front(situation.case.path)
    fuse = next((i for i, stage in first if stage.opens_above_a is not None), None)
    if fuse is None:
        return
    leads = [(i, lead) for i, lead in leads_of(stage for _, stage in first) if i < fuse]
    length = sum(number(stage.length_m) for _, stage in leads)
    if length <= TO_FUSE_M:
        return
    short = short_amps(situation)
    long = [pair for pair in leads if number(pair[1].length_m) > TO_FUSE_M] or leads
    i, lead = min(long, key=lambda pair: number(pair[1].area_mm2))
    safe = situation.safe_amps(lead.area_mm2)
    burns = short > safe and number(lead.length_m) > TO_FUSE_M
    amps = _amps(short)
    end = "it burns before anything opens." if burns else "a short there lasts until the pack is empty."
    yield Finding(
        "unfused-lead",
        "refuse" if burns else "care",
        f"{stated(length, 'm')} of lead stand between the pack and its fuse; into a short the pack drives {amps} "
        f"through {stated(number(lead.area_mm2), 'mm²', 3)}, which is safe for {figure(safe, 'A')}: {end}",
        i,
        None if short == inf else short,
        safe,
        "A",
        "move the fuse to the pack, within 20 cm of its positive, rated for the thinnest lead behind it",
        fuse_to_the_pack(situation, fuse),
    )


@rule(
    Basis(
        "fuse-over-wire",
        ("refuse",),
        "the fuse's rating",
        ("stage.rating_a",),
        "safe current of the thinnest lead behind it",
        ("path",),
    )
)
def fuse_over_wire(situation: Situation) -> Iterator[Finding]:
    """A fuse that lets more through than a lead behind it stands."""
    for i, stage in enumerate(situation.case.path):
        have, limit = stage.opens_above_a, wire_amps_behind(situation.case, i + 1)
        if have is not None and have > limit:
            better = fuse_for(situation) if i == 0 else None
            fits = better is not None and number(better.rating_a) <= limit
            yield Finding(
                "fuse-over-wire",
                "refuse",
                f"The {stated(have, 'A')} fuse protects a lead that is safe for {figure(limit, 'A')}: "
                "the wire would burn first.",
                i,
                have,
                limit,
                "A",
                f"take a {stated(number(better.rating_a), 'A')} fuse" if better and fits else "take a thicker lead",
                (replace(f"/path/{i}/rating_a", number(better.rating_a)),) if better and fits else (),
            )


@rule(
    Basis(
        "fuse-under-load",
        ("care",),
        "the fuse's rating, or how long a peak lasts",
        ("stage.rating_a", "peaks"),
        f"{FUSE_MARGIN:g} × I of the heaviest mode, or its shortest opening time",
        ("heaviest", "path"),
    )
)
def fuse_under_load(situation: Situation) -> Iterator[Finding]:
    """A fuse that the working current, or a peak, will open."""
    for i, stage in enumerate(situation.case.path):
        rating = stage.opens_above_a
        if rating is None:
            continue
        look = worst(situation.looks, amps_into(i), rating / FUSE_MARGIN)
        if look is not None:
            amps = amps_into(i)(look)
            least = FUSE_MARGIN * amps
            text = (
                f"The {stated(rating, 'A')} fuse carries {figure(amps, 'A')} in {look.words.rstrip(',')}; "
                f"it should be rated {figure(least, 'A')} or more."
            )
            yield Finding("fuse-under-load", "care", text, i, rating, least, "A", *_larger_fuse(situation, i, rating))
            continue
        for peak in sorted(situation.peak_looks, key=amps_into(i), reverse=True):
            found = _opened(peak, amps_into(i)(peak), rating)
            if found is not None:
                cure, change = _larger_fuse(situation, i, rating)
                yield Finding("fuse-under-load", "care", found[0], i, found[1], found[2], found[3], cure, change)
                break


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
            f"{name[0].upper()}{name[1:]} ({figure(amps, 'A')}) opens the {stated(rating, 'A')} fuse if it lasts: "
            f"above {figure(limit, 'A')} it opens, and nobody stated for how long the peak lasts. Measuring that "
            "would help."
        )
        return text, amps, limit, "A"
    text = (
        f"{name[0].upper()}{name[1:]} ({figure(amps, 'A')} for {figure(lasts, 's')}) can open the "
        f"{stated(rating, 'A')} fuse after {figure(opens, 's', 2)}."
    )
    return text, lasts, opens, "s"


def _larger_fuse(situation: Situation, i: int, rating: float) -> tuple[str, Change]:
    better = fuse_for(situation) if i == 0 else None
    if better is None or number(better.rating_a) <= rating:
        return "take a larger fuse, and wire for it", ()
    change = (replace(f"/path/{i}/rating_a", number(better.rating_a)),)
    return f"take a {stated(number(better.rating_a), 'A')} fuse", change


@rule(
    Basis(
        "fuse-cannot-open",
        ("care",),
        "E_full / (R + what lies before the fuse)",
        (*FULL, *LOADED),
        f"{HOLDS_TIMES:g} × its rating",
        ("stage.rating_a",),
    )
)
def fuse_cannot_open(situation: Situation) -> Iterator[Finding]:
    """A fuse so large that the pack cannot drive enough into a short to open it."""
    if situation.source.regulated_output is not None:
        return
    ohm = number(situation.source.resistance_ohm)
    for i, stage in front(situation.case.path):
        rating = stage.opens_above_a
        if rating is not None:
            short = situation.full_emf / ohm if ohm > 0.0 else inf
            limit = HOLDS_TIMES * rating
            if short < limit:
                better = fuse_for(situation)
                fits = i == 0 and better is not None and HOLDS_TIMES * number(better.rating_a) <= short
                yield Finding(
                    "fuse-cannot-open",
                    "care",
                    f"Into a short the pack drives {figure(short, 'A', 2)} through the {stated(rating, 'A')} "
                    f"fuse, which opens above {figure(limit, 'A', 2)}: it would never open.",
                    i,
                    short,
                    limit,
                    "A",
                    f"take a {stated(number(better.rating_a), 'A')} fuse" if better and fits else "take a smaller fuse",
                    (replace(f"/path/{i}/rating_a", number(better.rating_a)),) if better and fits else (),
                )
        ohm += stage.ohms


@rule(
    Basis(
        "rating-volts",
        ("note", "refuse"),
        "volts that stand at it, full",
        FULL,
        f"stated, or {stated(UNRATED_V, 'V')}",
        ("stage.rating_v",),
    )
)
def rating_volts(situation: Situation) -> Iterator[Finding]:
    """A fuse or switch at more volts than it can break: direct current draws an arc."""
    volts = situation.full_emf if situation.circuit.port is None else situation.circuit.holders[0].output_v
    for i, stage in enumerate(situation.case.path):
        if isinstance(stage, Holding):
            volts = number(stage.output_v)
        elif (stage.BY_HAND or stage.opens_above_a is not None) and not situation.case.alternating_at(i):
            rated = stage.breaks_v
            limit = UNRATED_V if rated is None else rated
            if not above(volts, limit):
                continue
            name = stage.kind
            text = (
                f"The {name} breaks {figure(volts, 'V')} of direct current and is rated {figure(limit, 'V')}: "
                "its arc may not go out."
                if rated is not None
                else f"For how many volts of direct current the {name} is rated is not stated; above "
                f"{figure(limit, 'V')} an arc may not go out, and {figure(volts, 'V')} stand here."
            )
            cure = f"take a {name} rated for {figure(volts, 'V')} or more of direct current"
            yield Finding("rating-volts", "note" if rated is None else "refuse", text, i, volts, limit, "V", cure)
        elif stage.SHOWS and stage.breaks_v is not None and above(volts, stage.breaks_v):
            limit = stage.breaks_v
            text = f"The {stage.called} stands {figure(limit, 'V')}, and {figure(volts, 'V')} stand here: it burns out."
            cure = f"take one for {figure(volts, 'V')} or more"
            yield Finding("rating-volts", "refuse", text, i, volts, limit, "V", cure)


@rule(Basis("no-switch", ("refuse",), "what is stated of its use", ("traits",)))
def no_switch(situation: Situation) -> Iterator[Finding]:
    """Something that moves a person or is driven by a child, without a switch."""
    traits = set(situation.case.device.traits)
    if not traits & {"ridden", "child"} or "motor" not in traits:
        return
    if any(stage.BY_HAND for stage in situation.case.path):
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
