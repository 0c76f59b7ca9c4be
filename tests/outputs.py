"""Everything that the core puts out over the golden documents, as texts by name, and digests of texts.

A change of structure leaves every text as it is. Where a change is meant, with HERMOTROPE_WRITE_OUTPUTS=DIR
``./hermotrope test tests.core tests.web.test_outputs`` writes the texts into a folder (to be compared with
those of the commit before) and the digests anew.
"""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable, Iterator
from hashlib import sha256
from math import inf
from pathlib import Path
from typing import Any

import msgspec

from hermotrope_core.build import box_label, changes, cut_list, parts_list, steps, way_back
from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.circuit.point import mode_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.hours.economy import payback, side_of
from hermotrope_core.hours.heat import part_heats
from hermotrope_core.hours.job import middle_wish, output_over_run
from hermotrope_core.hours.long_run import leaking_runtime
from hermotrope_core.hours.night import through_the_night
from hermotrope_core.hours.standing import switch_places
from hermotrope_core.hours.sums import simple_sums
from hermotrope_core.hours.swap import cautious_lasts, handover, recharge_seconds, swap_plan
from hermotrope_core.hours.warning import alarms, field_warnings
from hermotrope_core.judge.cautions import cautions
from hermotrope_core.judge.choose import choose, fuse_margins, lead_margins
from hermotrope_core.judge.cures import fitted
from hermotrope_core.judge.evidence import judgement_working
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.findings.voltage import volts_before_draw
from hermotrope_core.judge.placement import spots
from hermotrope_core.judge.working import inlet_working, runtime_working
from hermotrope_core.kinds.converter import Converter
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.match.groups import common, groups
from hermotrope_core.match.readout import match_tree
from hermotrope_core.match.search import Limits, search
from hermotrope_core.match.whatif import what_if
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.prove import gates
from hermotrope_core.prove.judge import written
from hermotrope_core.tell.readout import findings_tree, point_tree, run_tree
from tests.drawn import Draw, drawn_cases
from tests.shelves import request
from tests.support import golden

LONG = re.compile(r"-?\d+\.\d{5,}(?:e-?\d+)?")
DAY_S = 86_400.0
MOST_DRAWN, FOLLOWED = 300, 20
SEARCHES = 40
PLAIN = ("fuse", "fuse", "lead", "lead", "diode", "resistor", "cut-off", "switch", "linear")


def digest(text: str) -> str:
    """Of a text with its figures to seven digits: the last ones depend on the processor."""
    rounded = LONG.sub(lambda found: f"{float(found.group()):.7g}", text)
    return sha256(rounded.encode()).hexdigest()[:16]


def changed(made: dict[str, str], kept: Path) -> list[str]:
    """Names of the texts that differ from the digests in a file, new and missing ones too."""
    folder = os.environ.get("HERMOTROPE_WRITE_OUTPUTS")
    if folder:
        Path(folder).mkdir(parents=True, exist_ok=True)
        for name, text in made.items():
            (Path(folder) / re.sub(r"\W+", "-", name)).write_text(text)
        kept.write_text("".join(f"{digest(text)} {name}\n" for name, text in made.items()))
    was = dict(reversed(line.split(" ", 1)) for line in kept.read_text().splitlines())
    return sorted(name for name in {*was, *made} if name not in made or was.get(name) != digest(made[name]))


def of_the_core() -> Iterator[tuple[str, str]]:
    """All that is computed of every golden case and judgement."""
    for folder in ("cases", "judgements"):
        for name, tree, _ in golden(folder):
            for what, made in computed(case_from(tree)):
                text = made if isinstance(made, str) else json.dumps(msgspec.to_builtins(made), ensure_ascii=False)
                yield f"{what} {folder}/{name}", text
            yield from _elsewhere(f"{folder}/{name}", tree)
    for seed in range(3):
        asked = request(12, 8, seed, modes=[{"name": "on", "kind": "power", "power_w": 24}])
        yield f"match {seed}", json.dumps(match_tree(search(asked), None), ensure_ascii=False)
    yield from _asked_otherwise()


ELSEWHERE: dict[str, dict[str, Any]] = {
    "closed and hot": {"conditions": {"enclosure": "closed", "temperature_c": 38.0}},
    "cold and old": {"conditions": {"temperature_c": -12.0}, "source": {"state_of_health": 0.7, "reserve_soc": 0.2}},
    "half full": {"source": {"initial_soc": 0.5, "resistance_ohm": 0.4}},
}
"""What else may hold of a case: where it stands, how old its pack is, how full."""


def _elsewhere(name: str, tree: dict[str, Any]) -> Iterator[tuple[str, str]]:
    """The same cases where other limits decide."""
    for words, change in ELSEWHERE.items():
        made = json.loads(json.dumps(tree))
        for part, values in change.items():
            if part in made or part == "conditions":
                made[part] = {**made.get(part, {}), **values}
        situation = Situation(case_from(made))
        found = check(situation)
        told = {
            "check": findings_tree(situation, found),
            "evidence": [judgement_working(situation, finding) for finding in found],
            "gates": gates(situation, {}, (3000.0, 9000.0)),
            "read": gates(situation, _readings(situation), (3000.0, 9000.0)),
            "margins": [lead_margins(situation), fuse_margins(situation), part_heats(situation)],
            "run": None if situation.run is None else run_tree(situation.run),
        }
        yield f"{words} {name}", json.dumps(msgspec.to_builtins(told), ensure_ascii=False)


def of_drawn_cases() -> Iterator[tuple[str, str]]:
    """One text of each case drawn from a seed: judged, drawn up, proved with readings; of the first few the run too."""
    for seed, case in drawn_cases(MOST_DRAWN):
        told: dict[str, Any] = {}
        for what, made in computed(case):
            if what == "run" and seed > FOLLOWED:
                break  # it costs more than all the rest
            told[what] = made if isinstance(made, str) else msgspec.to_builtins(made)
        situation = Situation(case)
        told["read"] = msgspec.to_builtins(gates(situation, _readings(situation), (3000.0, 9000.0)))
        yield f"drawn {seed}", json.dumps(told, ensure_ascii=False)


def of_drawn_searches() -> Iterator[tuple[str, str]]:
    """Ways to feed drawn devices from made-up shelves, with plain parts beside the boards."""
    for seed in range(SEARCHES):
        draw = Draw(1000 + seed)
        draw.volts = draw.of((6.0, 9.0, 12.0, 15.0, 19.0))
        device = draw.device(told=1.0)
        plain = tuple({"stage": kind} | draw.stages()[kind]() for kind in PLAIN)
        matched = search(request(8, 8, seed, plain, **device), Limits(hours=draw.of((0.0, 0.0, 4.0))))
        told = [match_tree(matched, None), list(common(matched)), list(groups(matched, cures=seed % 4 == 0))]
        yield f"searched {seed}", json.dumps(msgspec.to_builtins(told), ensure_ascii=False)


def _readings(situation: Situation) -> dict[str, float]:
    """A little more than the middle of every window, as somebody may have read it."""
    asks = [ask for gate in gates(situation, {}, (3000.0, 9000.0)) for ask in gate.asks]
    return {ask.key: 0.45 * ask.low + 0.55 * ask.high for ask in asks if abs(ask.low) + abs(ask.high) < 1e9}


def _asked_otherwise() -> Iterator[tuple[str, str]]:
    """Searches under other wishes: a closed box, a receiver, a motor, a lamp, long hours, no soldering, what if."""
    modes: dict[str, dict[str, Any]] = {
        "steady": {"name": "on", "kind": "current", "current_a": 1.1},
        "warm": {"name": "on", "kind": "resistance", "resistance_ohm": 9.0},
        "small": {"name": "on", "kind": "power", "power_w": 1.5, "peak_a": 1.2},
        "heavy": {"name": "on", "kind": "power", "power_w": 90.0},
        "least": {"name": "on", "kind": "current", "current_a": 0.02},
    }
    for seed, (words, mode) in enumerate(modes.items(), 11):
        asked = request(12, 10, seed, modes=[mode])
        for closed in (False, True):
            where = msgspec.structs.replace(asked.case.conditions, enclosure="closed" if closed else "open")
            case = msgspec.structs.replace(asked.case, conditions=where)
            for limits in (Limits(), Limits(hours=6.0, no_soldering=True)):
                there = msgspec.structs.replace(
                    asked, case=what_if(case, temperature_c=4.0, times=1.5) if closed else case
                )
                matched = search(there, limits)
                grouped = [msgspec.to_builtins(list(common(matched)))]
                if limits.hours == 0.0:
                    grouped.append([msgspec.to_builtins(one) for one in groups(matched, cures=False)])
                told = json.dumps([match_tree(matched, None), grouped], ensure_ascii=False)
                yield f"match {words} {'closed' if closed else 'open'} {limits.hours:g}", told


def computed(case: Case) -> Iterator[tuple[str, Any]]:
    """What is worked out of one case, by name."""
    situation = Situation(case)
    found = check(situation)
    yield "check", findings_tree(situation, found)
    yield "evidence", [judgement_working(situation, finding) for finding in found]
    yield (
        "points",
        [point_tree(case, situation.at(mode, soc)) for mode in situation.all_modes for soc in (1.0, 0.6, 0.1)],
    )
    yield "gates", gates(situation, {}, (3000.0, 9000.0))
    yield "sheet", [parts_list(case), cut_list(case), steps(case), box_label(situation), changes(case), way_back(case)]
    yield "margins", [lead_margins(situation), fuse_margins(situation), part_heats(situation), switch_places(case)]
    yield "places", [[spot.problem for spot in spots(case, stage)] for stage in (*case.path, *_others(case))]
    yield "cautions", [one.says for one in cautions(case)]
    yield "duty", duty_sums(situation)
    yield "working", inlet_working(situation, 0.5, situation.heaviest.name, mode_demand(situation.heaviest))
    yield "chosen", _chosen(case)
    yield "before its draw is known", _unasked(case)
    yield "read", [written(value, unit) for unit in ("V", "A", "Ω", "s", "°C") for value in (-0.3, 0.0, 12.344, inf)]
    if situation.run is None:
        return
    yield "solve", run_tree(situation.run)
    yield "netlist", netlist(case)
    yield "working of the run", runtime_working(situation)
    yield "sums", simple_sums(situation)
    yield "run", list(_of_the_run(situation))


def _of_the_run(situation: Situation) -> Iterator[Any]:
    case = situation.case
    side = side_of(situation, "new", 30.0)
    yield side, payback(side_of(situation, "old", 0.0), side, 10.0)
    yield handover(situation), leaking_runtime(situation), through_the_night(case)
    yield [recharge_seconds(situation, watts, hours) for watts in (None, 20.0) for hours in (None, 5.0)]
    yield (
        situation.run
        and situation.run.runtime_s > 1.0
        and [
            _or_why(lambda own=own: swap_plan(DAY_S, cautious_lasts(situation, 0.9), own, 7200.0, hot=own > 1))
            for own in (1, 3)
        ]
    )
    yield field_warnings(situation, run(case, marks=True))
    yield alarms(situation, run(case, marks=True))
    wish = middle_wish(situation)
    yield None if wish is None else output_over_run(situation, wish)


def estimates() -> Iterator[tuple[str, str]]:
    """The range of every golden case, with few draws."""
    for name, tree, _ in golden("cases"):
        try:
            made = msgspec.to_builtins(estimate(case_from(tree), 400))
        except NeverEnds as error:
            made = str(error)
        yield f"estimate {name}", json.dumps(made, ensure_ascii=False)


def _others(case: Case) -> tuple[Stage, ...]:
    """A stage of each kind, to be placed."""
    return tuple(stage for _, tree, _ in golden("cases")[:6] for stage in case_from(tree).path)


def _unasked(case: Case) -> Any:
    """What a device's volts alone say, over this pack and over packs of more and of less."""
    told = []
    for times in (1, 2, 3):
        source = case.source
        if source is not None:
            source = msgspec.structs.replace(source, cells_in_series=times * source.cells_in_series)
        told.append(volts_before_draw(msgspec.structs.replace(case, source=source, path=())))
    boards = [Converter(topology="buck", output_v=5.0, efficiency=0.9, adjusts_from_v=a, adjusts_to_v=b)
              for a, b in ((1.2, 35.0), (13.0, 35.0), (1.2, 4.0), (5.0, None))]  # fmt: skip
    return told, [fitted(case, board) for board in boards]


def _chosen(case: Case) -> Any:
    return _or_why(lambda: tree_of(choose(case)))


def _or_why(compute: Callable[[], Any]) -> Any:
    try:
        return compute()
    except ValueError as error:
        return str(error)
