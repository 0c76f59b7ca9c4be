"""A way judged over the whole discharge, with what it weighs, costs and takes to build."""

from __future__ import annotations

from math import inf

import msgspec

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.point import draw_of, mode_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import keep_alive_change
from hermotrope_core.judge.findings import Finding, Verdict, check, verdict_of
from hermotrope_core.kinds.stages import KeepAlive
from hermotrope_core.match.build import Way
from hermotrope_core.match.shelf import WORK, labour_kind, to_buy
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.values.known import maybe

DEVICE_CODES = {
    "polarity-unknown", "second-supply", "life-safety", "mains", "backfeed",
    "abrupt-stop", "child", "ridden", "near-water",
}  # fmt: skip
"""What stands at the device whatever feeds it."""


class Effort(msgspec.Struct, frozen=True, gc=False):
    """What a way costs beside its runtime: price to buy, grams carried, minutes, joints, and how to go back."""

    price: float
    mass_g: float
    minutes: float
    joints: int
    soldered: int
    undo: int
    """Things that unplugging does not undo: soldered joints at either end, a deliberate overvoltage."""


class Judged(msgspec.Struct, frozen=True, gc=False):
    """A way with its findings and its run; `run` is None where the duty draws nothing or it lasts for ever."""

    way: Way
    findings: tuple[Finding, ...]
    verdict: Verdict
    apart: Verdict
    """The verdict without what stands at the device whatever feeds it."""
    run: Run | None
    effort: Effort
    asleep_s: float | None = None
    """How long it would run without its keep-alive load, if the bank stayed awake by itself."""

    @property
    def cares(self) -> int:
        """How many findings of level care are the way's own."""
        device = len(self.way.parts)
        return sum(f.level == "care" and not at_device(f, device) for f in self.findings)

    @property
    def endless(self) -> bool:
        return CHEMISTRIES[self.way.pack.source.chemistry].endless

    @property
    def runtime_s(self) -> float:
        """Seconds; infinite behind a wall adapter, 0 where it never starts."""
        return inf if self.endless else self.run.runtime_s if self.run else 0.0


def judge(case: Case, way: Way) -> Judged:
    """Judge a way in full."""
    situation = Situation(way.case(case))
    found = check(situation)
    own = [finding for finding in found if not at_device(finding, situation.device_stage)]
    effort = effort_of(way, any(f.code == "over-max" for f in found))
    run = situation.run if case.plan_on == "duty" else Situation(planned(situation.case)).run
    return Judged(way, found, verdict_of(found), verdict_of(own), run, effort)


def at_device(finding: Finding, device_stage: int) -> bool:
    """True for a finding that no other way would lift, and for the open question of the pack's own polarity."""
    return finding.code == "polarity-unknown" or (finding.stage == device_stage and finding.code in DEVICE_CODES)


def kept_awake(case: Case, judged: Judged) -> Judged | None:
    """The same way with a keep-alive load, where nothing but sleep refuses it; None otherwise."""
    own = [f for f in judged.findings if f.level in ("refuse", "stop") and not at_device(f, len(judged.way.parts))]
    if not own or any(finding.code != "auto-off" for finding in own):
        return None
    situation = Situation(judged.way.case(case))
    draws = [draw_of(situation.circuit, mode_demand(m), situation.device_stage).port_a for m in situation.modes]
    change = keep_alive_change(situation.case, min(draws))
    if not change or change[0]["op"] != "add":
        return None
    load = to_buy(KeepAlive(current_a=change[0]["value"]["current_a"]), "keep-alive load")
    way = msgspec.structs.replace(judged.way, parts=(load, *judged.way.parts), kept_awake=True)
    made = judge(case, way)
    return msgspec.structs.replace(made, asleep_s=_awake_by_itself(judged, case))


def _awake_by_itself(judged: Judged, case: Case) -> float | None:
    """Runtime without the keep-alive load, were the bank to stay awake."""
    source = judged.way.pack.source
    if source.regulated_output is None:
        return None
    awake = msgspec.structs.replace(source.regulated_output, output_min_current_a=None)
    awake_source = msgspec.structs.replace(source, regulated_output=awake)
    pack = msgspec.structs.replace(judged.way.pack, source=awake_source)
    run = Situation(msgspec.structs.replace(judged.way, pack=pack).case(case)).run
    return None if run is None else run.runtime_s


def effort_of(way: Way, overvoltage: bool) -> Effort:
    """Price, mass and work of a way: the shelf's figures where it has them, else typical ones."""
    source = way.pack.source
    price = 0.0 if way.pack.have else maybe(source.price) or 0.0
    mass = maybe(source.mass_g) or 0.0
    minutes, joints, soldered = 0.0, 0, 0
    for part in way.parts:
        labour = WORK.stages[labour_kind(part)]
        if not part.have:
            price += labour.price if part.price is None else part.price
        mass += labour.mass_g if part.mass_g is None else part.mass_g
        minutes, joints, soldered = minutes + labour.minutes, joints + labour.joints, soldered + labour.soldered
    if any(s.bare_board for s in way.path):
        minutes += WORK.box_minutes
    undo = soldered // 2 + (3 if overvoltage else 0)
    return Effort(price, mass, minutes, joints, soldered, undo)
