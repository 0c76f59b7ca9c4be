"""Ways as the Match panel lists, explains and compares them."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from math import inf
from typing import Any

import msgspec

from hermotrope.bench.matching import Ask
from hermotrope.drawings.ways import curves, scales, term_bars
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.evidence import judgement_working
from hermotrope_core.judge.findings import Finding
from hermotrope_core.judge.working import runtime_working
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.match.build import Way
from hermotrope_core.match.groups import Group, amount, common
from hermotrope_core.match.judge import Judged, judge
from hermotrope_core.match.rank import Ranked
from hermotrope_core.match.search import Matched
from hermotrope_core.match.shelf import WORK, Pack, Part, labour_kind
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import duration, figure, fixed, heft, stated
from hermotrope_core.values.liking import money


def id_of(way: Way) -> str:
    """A short name of a way that stays the same as long as its source and path do."""
    return hashlib.blake2s(msgspec.json.encode((way.pack.source, way.path)), digest_size=6).hexdigest()


def by_id(matched: Matched, wanted: str) -> Judged | None:
    """A way of a search by its short name."""
    return next((judged for judged in matched.fitting if id_of(judged.way) == wanted), None)


def listing(matched: Matched, groups: Sequence[Group], alike: int, ask: Ask) -> dict[str, Any]:
    """What the list shows: the best ways as rows, what was refused in `groups`, what stands at the device.

    `alike` packs and parts are like another but for their names, and were not tried.
    """
    ranked = matched.ranked(ask.wish())
    shown = ranked[: ask.most]
    spares = spares_of(matched)
    rows = [way_row(i, one, matched, ask, spares) for i, one in enumerate(shown, start=1)]
    if shown:
        drawn = scales([situation_of(one.judged, matched.case) for one in shown], small=True)
        for row, span in zip(rows, drawn.spans, strict=True):
            row["scale"] = {"span": span, "window": drawn.window, "never_y": drawn.never_y}
    ids = {id_of(one.judged.way): one for one in ranked} if ask.compared else {}
    kept = [one for one in ask.compared if one in ids]
    return {
        "rows": rows,
        "total": len(ranked),
        "hidden": max(0, len(ranked) - len(shown)),
        "tried": matched.tried,
        "spares": len(matched.spares),
        "refused": len(matched.refused) + len(matched.dropped),
        "groups": group_rows(groups),
        "common": list(common(matched)),
        "compare": comparison([ids[one] for one in kept], matched.case) if len(kept) > 1 else None,
        "compared": kept,
        "packs": None if matched.complete else (matched.packs, matched.of_packs),
        "alike": alike,
        "more_query": ask.query(most=ask.most + 16),
    }


def situation_of(judged: Judged, case: Case) -> Situation:
    """What a judged way is like; its run is not followed again."""
    return Situation(judged.way.case(case), known=judged.run if case.plan_on == "duty" else None)


def in_use(case: Case, ask: Ask) -> dict[str, Any] | None:
    """The way that feeds the device now, under the same question, in the words of the list; None without a pack."""
    if case.source is None:
        return None
    way = Way("direct", Pack(case.source), tuple(Part(stage) for stage in case.path))
    judged = judge(ask.case(case), way)
    return {
        "pack": case.source.name,
        "parts": [stage.whole for stage in case.path],
        "runtime": runtime_words(judged),
        "effort": effort_words(judged),
        "verdict": judged.verdict,
    }


def way_row(place: int, ranked: Ranked, matched: Matched, ask: Ask, spares: Spares) -> dict[str, Any]:
    """One way in the list."""
    judged = ranked.judged
    way = judged.way
    key = id_of(way)
    own = [f for f in judged.findings if f.level == "care"]
    chosen = key in ask.compared
    others = tuple(one for one in ask.compared if one != key)
    return {
        "id": key,
        "place": place,
        "pack": way.pack.source.name,
        "port": way.pack.port,
        "have": way.pack.have,
        "strategy": strategy_words(way),
        "parts": [part_words(part.name, part.stage) for part in way.parts],
        "runtime": runtime_words(judged),
        "end": judged.run.end_cause if judged.run and not judged.endless else "",
        "effort": effort_words(judged),
        "verdict": judged.apart,
        "says": own[0].message if own else "",
        "more_says": max(0, len(own) - 1),
        "remark": remark(judged, matched),
        "spares": [name for part in way.parts for name in spares.get((way.pack.key, way.pack.port, part.name), ())],
        "bars": term_bars(ranked.terms),
        "score": round(100 * ranked.score),
        "chosen": chosen,
        "full": not chosen and len(ask.compared) >= 4,
        "toggle": ask.query(compared=others if chosen else (*ask.compared, key)),
    }


def strategy_words(way: Way) -> str:
    """What is done to the volts, in words with the designed values."""
    held = [stage for stage in way.path if isinstance(stage, Holding)]
    awake = ", kept awake" if way.kept_awake else ""
    match way.strategy:
        case "direct":
            return f"straight to the device{awake}"
        case "wall adapter":
            return "from the wall, straight to the device"
        case "series diodes":
            diode = next(stage for stage in way.path if stage.ONE_WAY)
            return f"through {diode.detail} of diodes"
        case "series resistor":
            resistor = next(stage for stage in way.path if stage.NEEDS_CURRENT)
            return f"through a resistor of {resistor.part[1]}"
        case "inverter":
            return f"inverter to {stated(held[0].held_v, 'V')}, then its own adapter"
    each = [f"a {_kind(stage)} set to {stated(stage.held_v, 'V')}" for stage in held]
    return f"through {', then '.join(each)}{awake}"


def _kind(stage: Holding) -> str:
    return stage.called if stage.set_by_hand else stage.title.lower()


def part_words(name: str, stage: Any) -> str:
    """A part by its shelf name, or by what it is."""
    kind = stage.kind
    detail = stage.detail if kind not in ("converter", "linear") else ""
    return name if name and kind in ("converter", "linear") else f"{stage.title} {detail}".strip()


def runtime_words(judged: Judged) -> str:
    return "no end" if judged.runtime_s == inf else duration(judged.runtime_s)


def effort_words(judged: Judged) -> dict[str, str]:
    effort = judged.effort
    undo = [f"unsolder {effort.soldered}"] if effort.soldered else []
    undo += ["wear stays"] if effort.undo > effort.soldered // 2 else []
    return {
        "mass": heft(effort.mass_g),
        "price": "nothing" if effort.price == 0 else money(effort.price, 0),
        "work": fixed(effort.minutes, 0, "min"),
        "joints": f"{effort.joints} joint{'' if effort.joints == 1 else 's'}",
        "undo": ", ".join(undo) or "just unplug",
    }


def remark(judged: Judged, matched: Matched) -> str:
    """What a way costs beside the plain one: the keep-alive load in hours, an inverter's loss."""
    if judged.asleep_s is not None and judged.asleep_s > judged.runtime_s:
        cost = duration(judged.asleep_s - judged.runtime_s)
        return f"The keep-alive load costs {cost} of {duration(judged.asleep_s)}."
    if judged.way.strategy == "inverter":
        name = judged.way.pack.source.name
        direct = [
            other.runtime_s
            for other in matched.fitting
            if other.way.pack.source.name == name and other.way.strategy not in ("inverter", "wall adapter")
        ]
        if direct and max(direct) > judged.runtime_s:
            share = 1.0 - judged.runtime_s / max(direct)
            return f"The inverter loses {figure(share, '%', 2)} of what direct current gives: {duration(max(direct))}."
    return ""


Spares = dict[tuple[str, str, str], list[str]]
"""By the key and port of a pack and a board's name: the boards that do the same with it and are better in nothing."""


def spares_of(matched: Matched) -> Spares:
    found: Spares = {}
    for spare in matched.spares:
        pack, board = spare.facts.pack, spare.chain.parts[0].name or spare.chain.strategy
        found.setdefault((pack.key, pack.port, spare.better.parts[0].name), []).append(board)
    return found


def group_rows(found: Sequence[Group]) -> list[dict[str, Any]]:
    """What was refused, by the number that refused it."""
    most = max((group.count for group in found), default=1)
    return [
        {
            "share": round(60 * group.count / most, 1),
            "code": group.code,
            "count": group.count,
            "words": group.words,
            "nearest": group.nearest,
            "have": amount(group.have, group.unit),
            "limit": amount(group.limit, group.unit),
            "cure": group.cure.words if group.cure else "",
            "cure_runtime": duration(group.cure.runtime_s) if group.cure and group.cure.runtime_s else "",
            "hint": group.hint,
        }
        for group in found
    ]


def comparison(chosen: Sequence[Ranked], case: Case) -> dict[str, Any]:
    """Up to four ways side by side: scales and curves on one axis each, and every difference marked."""
    situations = [situation_of(one.judged, case) for one in chosen]
    columns = [
        {
            "id": id_of(one.judged.way),
            "number": i,
            "pack": one.judged.way.pack.source.name,
            "port": one.judged.way.pack.port,
        }
        for i, one in enumerate(chosen, start=1)
    ]
    lines: list[tuple[str, list[str]]] = [
        ("way", [strategy_words(one.judged.way) for one in chosen]),
        ("verdict", [one.judged.apart for one in chosen]),
        ("runs", [runtime_words(one.judged) for one in chosen]),
        ("ends by", [one.judged.run.end_cause if one.judged.run else "–" for one in chosen]),
        ("left in the pack", [_left(one.judged) for one in chosen]),
        ("lost on the way", [_lost(one.judged) for one in chosen]),
    ]
    for name, words in (
        ("mass", "mass"),
        ("to buy", "price"),
        ("work", "work"),
        ("joints", "joints"),
        ("to go back", "undo"),
    ):
        lines.append((name, [effort_words(one.judged)[words] for one in chosen]))
    lines.append(("cares", ["; ".join(_codes(one.judged.findings, "care")) or "none" for one in chosen]))
    lines.append(("notes", ["; ".join(_codes(one.judged.findings, "note")) or "none" for one in chosen]))
    table = [{"name": name, "cells": cells, "differs": len(set(cells)) > 1} for name, cells in lines]
    return {"columns": columns, "table": table, "scales": scales(situations, small=False), "curves": curves(situations)}


def _left(judged: Judged) -> str:
    return f"{100 * judged.run.final_soc:.0f} %" if judged.run and not judged.endless else "–"


def _lost(judged: Judged) -> str:
    run = judged.run
    if run is None or run.energy_from_source_wh <= 0.0:
        return "–"
    lost = run.energy_from_source_wh - run.energy_to_device_wh
    return f"{figure(lost, 'Wh', 2)} ({figure(lost / run.energy_from_source_wh, '%', 2)})"


def _codes(findings: Sequence[Finding], level: str) -> list[str]:
    return list(dict.fromkeys(f.code.replace("-", " ") for f in findings if f.level == level))


def explanation(judged: Judged, ranked: Ranked, case: Case) -> dict[str, Any]:
    """Why a way stands where it does: every finding with its working, the run, what each part costs."""
    situation = situation_of(judged, case)
    bill = []
    for part in judged.way.parts:
        labour = WORK.stages[labour_kind(part)]
        price = 0.0 if part.have else labour.price if part.price is None else part.price
        mass = labour.mass_g if part.mass_g is None else part.mass_g
        bill.append(
            {
                "words": part_words(part.name, part.stage),
                "have": "on the shelf" if part.have else f"to buy: {money(price, 0)}",
                "mass": figure(mass, "g", 2),
                "minutes": fixed(labour.minutes, 0, "min"),
                "joints": f"{labour.joints} joints, {labour.soldered} soldered",
            }
        )
    return {
        "findings": [(finding, judgement_working(situation, finding)) for finding in judged.findings],
        "runtime": None if judged.endless else runtime_working(situation),
        "terms": [
            {"wish": term.wish.replace("-", " "), "share": f"{100 * term.share:.0f} %", "weight": f"{term.weight:g}"}
            for term in ranked.terms
        ],
        "score": round(100 * ranked.score),
        "bill": bill,
    }
