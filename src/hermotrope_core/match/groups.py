"""What was refused, by the number that refused it, with the nearest miss and what would cure it."""

from __future__ import annotations

from collections.abc import Iterator

import jsonpatch
import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import Finding, check
from hermotrope_core.match.build import Way, plain_way
from hermotrope_core.match.chain import Reason
from hermotrope_core.match.judge import at_device
from hermotrope_core.match.search import Dropped, Matched, Refused
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import CaseError, case_from, tree_of
from hermotrope_core.values.figures import duration, figure

MOST_STEPS = 3
"""So many cures are tried one after the other on a near miss."""
TRIED = 3
"""So many of the nearest misses of a group are tried for a cure."""

WORDS = {
    "over-absolute-max": "the full pack exceeds the {limit} that break it",
    "over-max": "the full pack exceeds the {limit} it is known to stand",
    "under-min-at-full": "even full, the pack gives less than what is needed",
    "collapse": "the pack can never deliver the power",
    "source-overload": "the pack or its port may not give the current",
    "converter-overload": "the converter gives too little current",
    "converter-input-high": "the full pack exceeds what the converter takes in",
    "converter-input-low": "the pack gives less than the converter needs",
    "hot-part": "a part gets too hot",
    "auto-off": "the bank falls asleep",
    "no-fuse": "no fuse both carries the load and protects the wire",
    "wire-drop": "the lead loses too much",
    "wire-hot": "the lead gets too hot",
    "too-hot": "the cells must not run so hot",
    "varying-load": "a series resistor needs a steady load, and this one varies",
    "does-not-start": "it does not start",
    "too-short": "it runs for less than the {limit} you asked for",
    "soldering": "it has soldered joints",
}
"""Said of a group as a whole; `{limit}` only where it is the same for all of it."""


class Cure(msgspec.Struct, frozen=True):
    """What makes the nearest miss work: in words, and as the whole case."""

    words: str
    case: Case
    runtime_s: float | None


class Group(msgspec.Struct, frozen=True):
    """Ways refused for one reason: how many, the nearest miss with both numbers, and its cure.

    A pack that some other way makes fit comes first: it is strong enough.
    """

    code: str
    count: int
    words: str
    nearest: str
    have: float
    limit: float
    unit: str
    cure: Cure | None
    hint: str = ""
    """What would help, where no change of the case does."""


def groups(matched: Matched, *, cures: bool = True) -> tuple[Group, ...]:
    """Every refused way once, by its reason, most first."""
    sorted_in: dict[str, list[Refused | Dropped]] = {}
    everything: list[Refused | Dropped] = [*matched.refused, *matched.dropped]
    for one in everything:
        sorted_in.setdefault(one.reason.code, []).append(one)
    order = sorted(sorted_in.items(), key=lambda pair: (-len(pair[1]), pair[0]))
    return tuple(_group(matched, code, members, cures) for code, members in order)


def _group(matched: Matched, code: str, members: list[Refused | Dropped], cures: bool) -> Group:
    able = {judged.way.pack.source.name for judged in matched.fitting}
    near: list[Refused | Dropped] = sorted(members, key=lambda one: (_pack_name(one) not in able, _miss(one.reason)))
    first = near[0]
    reason = first.reason
    same = all(one.reason.limit == reason.limit for one in members)
    words = WORDS.get(code, code.replace("-", " "))
    words = words.format(limit=amount(reason.limit, reason.unit) if same else "most")
    cure, hint = None, ""
    for one in _by_pack(near)[:TRIED] if cures else ():
        way = _way(matched, one)
        found, words_only = cured(matched.case, way, code) if way is not None else (None, "")
        hint = hint or words_only
        if found is not None:
            cure, first = found, one
            break
    name = f"{_pack_name(first)}, {_strategy(first)}"
    nearest = first.reason
    return Group(code, len(members), words, name, nearest.have, nearest.limit, nearest.unit, cure, hint)


def _by_pack(near: list[Refused | Dropped]) -> list[Refused | Dropped]:
    """The nearest miss of each pack."""
    found: dict[str, Refused | Dropped] = {}
    for one in near:
        found.setdefault(_pack_name(one), one)
    return list(found.values())


def _miss(reason: Reason) -> float:
    return abs(reason.have - reason.limit) / abs(reason.limit) if reason.limit else abs(reason.have)


def _strategy(one: Refused | Dropped) -> str:
    return one.strategy if isinstance(one, Refused) else one.judged.way.strategy


def _pack_name(one: Refused | Dropped) -> str:
    return one.facts.pack.source.name if isinstance(one, Refused) else one.judged.way.pack.source.name


def _way(matched: Matched, one: Refused | Dropped) -> Way | None:
    if isinstance(one, Dropped):
        return one.judged.way
    made = matched.way_of(one)
    if made is None and matched.target is not None and one.strategy in ("direct", "wall adapter"):
        return plain_way(matched.target, matched.kit, one.facts, one.strategy, ())
    return made


def cured(case: Case, way: Way, code: str = "") -> tuple[Cure | None, str]:
    """Apply the cures that its findings offer until nothing refuses it; else what the first one says in words.

    What refused it (`code`) is cured first: a cure of something else would not answer the question.
    """
    now, told, hint = way.case(case), list[str](), ""
    for _ in range(MOST_STEPS):
        situation = Situation(now)
        bad = [f for f in check(situation) if f.level in ("refuse", "stop")]
        own = [f for f in bad if not at_device(f, situation.device_stage)]
        if not own:
            run = situation.run
            if not told or (run is not None and run.runtime_s <= 0.0):
                return None, hint
            return Cure(", ".join(told), now, None if run is None else run.runtime_s), ""
        worst = next((finding for finding in own if finding.code == code), own[0])
        hint = hint or (worst.cure or "")
        if not worst.change or not worst.cure:
            return None, hint
        told.append(worst.cure)
        try:
            now = case_from(jsonpatch.apply_patch(tree_of(now), [dict(step) for step in worst.change]))
        except (CaseError, jsonpatch.JsonPatchException):
            return None, hint
    return None, hint


def amount(value: float, unit: str) -> str:
    """A number of a reason with its unit, for people."""
    if unit == "h":
        return duration(value * 3600.0)
    return f"{value:.0f} {unit}" if unit in ("joints", "cells") else figure(value, unit)


def common(matched: Matched) -> Iterator[Finding]:
    """What stands at the device whatever feeds it, in words: said once, not with every way."""
    some = next((j for j in (*matched.fitting, *(d.judged for d in matched.dropped))), None)
    if some is None:
        return
    device = len(some.way.parts)
    for finding in some.findings:
        if at_device(finding, device) and finding.level != "note":
            yield finding
