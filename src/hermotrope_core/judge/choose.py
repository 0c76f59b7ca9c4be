"""Choosing gauge and fuse together: the thinnest copper and the smallest fuse that no rule objects to.

The rules themselves decide: a choice is tried on the case and held against the findings that it is
meant to prevent, so it cannot disagree with them. Sizes come from the tables of `wiring`.
"""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.situation import HALF_SOC, Situation
from hermotrope_core.judge.cures import fuse_at, wire_amps_behind
from hermotrope_core.judge.findings import fuses, losses
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.kinds.lead import as_lead, leads_of
from hermotrope_core.kinds.stages import Fuse, Lead
from hermotrope_core.parts.wire import FUSE_MARGIN, PARTS, fuse_opens_s
from hermotrope_core.plan.case import MOST_STAGES, Case
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import maybe, number

AREAS = tuple(area for area, _ in PARTS.wire_safe_current_a_by_area_mm2 if area >= 0.14)
"""Copper that people buy, mm², ascending; thinner than 0.14 mm² breaks in the hand."""
MOST_TRIES = 60


class NoChoice(ValueError):
    """Nothing on the table does it; the words say what would help."""


class Margin(msgspec.Struct, frozen=True):
    """What one lead carries and stands: amperes, volts, watts at the heaviest mode."""

    stage: int
    amps: float
    safe_a: float
    fuse_a: float | None
    """The fuse that protects it, if any."""
    drop_v: float
    share: float
    """Of the volts that enter it, at half charge."""
    loss_w: float
    ohm: float


class FuseMargin(msgspec.Struct, frozen=True):
    """How a fuse stands between load and wire."""

    stage: int
    rating_a: float
    load_a: float
    wire_a: float
    peak_a: float | None
    peak_s: float | None
    opens_s: float | None
    """In how many seconds the peak could open it; None where it holds for ever."""


def choose(case: Case) -> Case:
    """The case with every lead's copper and every fuse's rating chosen, and a fuse put in where one is missing.

    Leads that are ready made, and what stands before the fuse, keep their copper.

    Raises `NoChoice` where no copper or fuse of the tables satisfies the rules.
    """
    if case.source is None:
        raise NoChoice("choose a pack first")
    fused = any(stage.opens_above_a is not None for stage in case.path)
    if not fused and case.source.regulated_output is None:
        if len(case.path) == MOST_STAGES:
            raise NoChoice("the path is full, and it has no fuse")
        case = _with(case, (Fuse(rating_a=1.0), *case.path))
    first = next((i for i, stage in enumerate(case.path) if stage.opens_above_a is not None), -1)
    thinned = (
        _lead(lead, AREAS[0]) if (lead := as_lead(stage)) and not lead.bought and i > first else stage
        for i, stage in enumerate(case.path)
    )
    case = _with(case, tuple(thinned))
    for _ in range(MOST_TRIES):
        now, short_of = _fused(case)
        problem = short_of if short_of is not None else _thin(now)
        if problem is None:
            return now
        case = _thicker(now, problem)
    raise NoChoice("no copper of the table does it")


def _with(case: Case, path: tuple[object, ...]) -> Case:
    return msgspec.structs.replace(case, path=path)


def _lead(lead: Lead, area: float) -> Lead:
    return msgspec.structs.replace(lead, area_mm2=area)


def _fused(case: Case) -> tuple[Case, int | None]:
    """Every fuse rated for its load; or the lead that is too thin for any fuse to protect."""
    situation = Situation(case)
    path = list(case.path)
    for i, stage in enumerate(path):
        if stage.opens_above_a is None or not situation.looks:
            continue
        rating = fuse_at(situation, i, wire_amps_behind(case, i + 1))
        if rating is None:
            lead = _thinnest_behind(case, i + 1)
            if lead is None:
                amps = max(look.at.at_stage(i).amps_in for look in situation.looks)
                raise NoChoice(
                    f"no fuse of the table carries {figure(FUSE_MARGIN * amps, 'A')} and protects what is behind it: "
                    "split the load over two, or take a thicker ready-made lead"
                )
            return case, lead
        path[i] = msgspec.structs.replace(stage, rating_a=rating)
    return _with(case, tuple(path)), None


def _thinnest_behind(case: Case, start: int, *, through: bool = False) -> int | None:
    """The thinnest lead to make from a path index to the next holder or the device; `through` holders if asked."""
    found: tuple[float, int] | None = None
    for i in range(start, len(case.path)):
        stage = case.path[i]
        if stage.HOLDS and not through:
            break
        if (lead := as_lead(stage)) and not lead.bought and (found is None or number(lead.area_mm2) < found[0]):
            found = number(lead.area_mm2), i
    return None if found is None else found[1]


def _thin(case: Case) -> int | None:
    """The first lead to which a rule objects; the thinnest one where so much is lost that nothing flows."""
    situation = Situation(case)
    if not situation.at(situation.heaviest, HALF_SOC).complete:
        lead = _thinnest_behind(case, 0, through=True)
        if lead is None:
            raise NoChoice("the pack can never deliver this power, whatever the wire")
        return lead
    rules = (losses.wire_hot, losses.wire_drop, fuses.fuse_over_wire, fuses.fuse_under_load)
    found: list[Finding] = [finding for rule in rules for finding in rule(situation)]
    if not found:
        return None
    stage = found[0].stage
    at_fault = as_lead(case.path[stage])
    if at_fault and at_fault.bought:
        raise NoChoice(f"{found[0].message} It is ready made: take another")
    if at_fault:
        return stage
    lead = _thinnest_behind(case, stage + 1)
    if lead is None:
        raise NoChoice(found[0].message)
    return lead


def _thicker(case: Case, at: int) -> Case:
    lead = dict(leads_of(case.path))[at]
    area = next((one for one in AREAS if one > number(lead.area_mm2) + 1e-9), None)
    if area is None:
        raise NoChoice(
            f"even {stated(AREAS[-1], 'mm²')} is too thin for {stated(number(lead.length_m), 'm')} here: "
            "a shorter lead, or more volts"
        )
    path = list(case.path)
    path[at] = _lead(lead, area)
    return _with(case, tuple(path))


def lead_margins(situation: Situation) -> tuple[Margin, ...]:
    """Every lead of the path as it stands, in the mode that draws most of it."""
    found = []
    for i, lead in leads_of(situation.case.path) if situation.looks else ():
        top = max(situation.looks, key=lambda look: look.at.at_stage(i).amps_in)
        half = situation.at(top.mode, HALF_SOC)
        at = (half if half.complete else top.at).at_stage(i)
        drop = at.volts_in - at.volts_out
        found.append(
            Margin(
                stage=i,
                amps=top.at.at_stage(i).amps_in,
                safe_a=situation.safe_amps(lead.area_mm2),
                fuse_a=_fuse_before(situation.case, i),
                drop_v=drop,
                share=drop / at.volts_in if at.volts_in > 0.0 else 0.0,
                loss_w=at.heat_w,
                ohm=lead.ohms,
            )
        )
    return tuple(found)


def _fuse_before(case: Case, at: int) -> float | None:
    """Rating of the fuse in the same stretch before a lead."""
    rating: float | None = None
    for stage in case.path[:at]:
        if stage.HOLDS:
            rating = None
        elif stage.opens_above_a is not None:
            rating = stage.opens_above_a
    return rating


def fuse_margins(situation: Situation) -> tuple[FuseMargin, ...]:
    """Every fuse of the path between its load and its wire, and how it rides the greatest peak."""
    found = []
    for i, stage in enumerate(situation.case.path):
        rating = stage.opens_above_a
        if rating is None or not situation.looks:
            continue
        top = max(situation.peak_looks, key=lambda look: look.at.at_stage(i).amps_in, default=None)
        peak = None if top is None else top.at.at_stage(i).amps_in
        found.append(
            FuseMargin(
                stage=i,
                rating_a=rating,
                load_a=max(look.at.at_stage(i).amps_in for look in situation.looks),
                wire_a=wire_amps_behind(situation.case, i + 1),
                peak_a=peak,
                peak_s=maybe(top.mode.peak_s) if top else None,
                opens_s=None if peak is None else fuse_opens_s(peak / rating),
            )
        )
    return tuple(found)
