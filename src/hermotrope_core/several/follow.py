"""The night of one supply: every device for itself, to its own end.

Between two changes of any device's mode the setting is one, and the charge falls along its spans. A branch that
cannot go on at the volts that then stand at the junction stops for good and the others run on; what ends the source
ends all that still run.
"""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Literal

import msgspec

from hermotrope_core.circuit.discharge import NeverEnds
from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand
from hermotrope_core.kinds.effects import CAUSE_WORDS, Cause
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch, Supply
from hermotrope_core.plan.outing_document import branch_case
from hermotrope_core.several.clock import Clock
from hermotrope_core.several.inner import fed
from hermotrope_core.several.pull import Pull, pulls
from hermotrope_core.several.setting import Flow, Setting
from hermotrope_core.several.trunk import hourly, trunk_circuit
from hermotrope_core.values.known import Number, maybe, number

SupplyCause = Cause | Literal["all devices stopped"]
MOST_TURNS = 400_000
"""Changes of mode that are followed; a programme with more is refused."""
STANDS_STILL = 1e-18
"""Charge per second below which nothing is drawn: a pack that falls so slowly outlasts everything."""
SAMPLE_S, SAMPLES = 600.0, 100
"""Moments are kept at least this often where they are kept: every so many seconds, or so many in all."""
SAME_S = 1e-9
"""Changes closer than this share of the time (or these seconds) are one."""


Seconds = Callable[[float, float], float]
"""How long the charge takes from one value down to a lower one."""


class Turned(msgspec.Struct, frozen=True, gc=False):
    """A moment of the night: what began or ended in a branch (-1: the source), and what flows from then on."""

    seconds: float
    soc: float
    modes: tuple[str | None, ...]
    """The mode of every branch; None for one that has stopped."""
    source_a: float
    """From the cells, while all draw that draw now."""
    junction_a: float
    """At the fork: what a port sees."""
    watts: tuple[float, ...]
    """Into every branch's devices."""
    junction_v: float
    amps: tuple[float, ...]
    """Into every branch at the junction, while all draw."""
    spare_v: tuple[float, ...]
    """Volts at the junction above those at which each branch stops; inf for one that no volts stop."""


def stop_words(cause: Cause, *, by_itself: bool) -> str:
    """Why a device stops; a cut-off on its own way is not the pack's."""
    return "its cut-off opens" if by_itself and cause == "pack cut-off" else CAUSE_WORDS[cause]


class BranchRun(msgspec.Struct, frozen=True, gc=False):
    """How one device (with its equal ones) fared: seconds, why it ended, watt-hours into all of them."""

    device: str
    runtime_s: float
    end_cause: Cause
    energy_to_device_wh: float
    by_itself: bool = False
    """Whether it stopped while the source still gave."""

    @property
    def why(self) -> str:
        """The reason in words."""
        return stop_words(self.end_cause, by_itself=self.by_itself)


class SupplyRun(msgspec.Struct, frozen=True, gc=False):
    """How a supply fared, and each of its branches in their order."""

    name: str
    runtime_s: float
    end_cause: SupplyCause
    final_soc: float
    energy_from_source_wh: float
    branches: tuple[BranchRun, ...]
    turns: tuple[Turned, ...] = ()
    """Empty unless asked for."""


class _Branch:
    """One branch while it is followed: its mode by the clock, its energy, its end."""

    def __init__(self, branch: Branch) -> None:
        case = branch_case(branch)
        circuit = circuit_of(case)
        self.name = branch.device.name
        self.pulls: dict[str, tuple[Pull, ...]] = {}
        for mode in case.duty_modes():
            self.pulls[mode.name] = pulls(draw_of(circuit, mode_demand(mode), len(case.path)), mode, branch.count)
        self.clock = Clock(branch.duty)
        self.variant = 0
        self.joules = 0.0
        self.end: Cause | None = None
        self.end_s, self.by_itself = 0.0, False

    @property
    def mode(self) -> str:
        return self.clock.mode

    @property
    def pull(self) -> Pull:
        return self.pulls[self.mode][self.variant]

    def turn(self, now: float) -> None:
        """Go on to the next mode, or end with the programme."""
        self.variant = 0
        self.clock.turn()
        if self.clock.over:
            self.stop("programme over", now)

    def stop(self, cause: Cause, now: float, *, by_itself: bool = True) -> None:
        self.end, self.end_s, self.by_itself = cause, now, by_itself


class _Night:
    """The state while a supply is followed: time, charge, energies, the trunk as it now is."""

    def __init__(self, supply: Supply, conditions: Conditions, until_s: float, *, keep: bool, most: int) -> None:
        self.supply = supply
        self.later = [(inf, trunk_circuit(supply, conditions))]
        """Until when, and how, the shared way is; the first holds now."""
        self.trunk = self.later[0][1]
        self.branches = [_Branch(branch) for branch in supply.branches]
        self.until_s, self.most = until_s, most
        self.endless = CHEMISTRIES[supply.source.chemistry].endless
        self.time = self.source_j = 0.0
        self.soc = self.trunk.start_soc
        self.floor = -inf if self.endless else self.trunk.reserve_soc
        self.settings: dict[tuple[object, ...], Setting] = {}
        port = supply.source.regulated_output
        self.least_a = maybe(port.output_min_current_a) if port else None
        self.sleeps_s = port.sleeps_after_s if port else inf
        self.light_since: float | None = None
        self.end: SupplyCause | None = None
        self.turns: list[Turned] | None = [] if keep else None
        self.sample_s = SAMPLE_S if until_s == inf else until_s / SAMPLES

    def through(self, later: list[tuple[float, Circuit]]) -> None:
        """Follow the shared way as it changes with the time."""
        self.later, self.trunk = later, later[0][1]

    def setting(self) -> Setting:
        """That of the running branches, kept for its next turn."""
        key = (id(self.trunk), *((i, b.mode, b.variant) for i, b in enumerate(self.branches) if not b.end))
        found = self.settings.get(key)
        if found is None:
            running = [(i, b.pull) for i, b in enumerate(self.branches) if not b.end]
            found = self.settings[key] = Setting(self.trunk, running, self.endless)
        return found

    @property
    def running(self) -> list[_Branch]:
        return [b for b in self.branches if not b.end]

    def follow(self) -> SupplyRun:
        self._must_end()
        for _ in range(self.most):
            self._settle()
            if self.end:
                return self._result()
            self._keep()
            self._go_on()
        raise NeverEnds(f"{self.supply.called}: more than {self.most} changes of mode; give it an end in hours")

    def _must_end(self) -> None:
        """Raise `NeverEnds` for a supply that nothing drains and nothing ends."""
        if self.until_s < inf or all(b.clock.once for b in self.branches):
            return
        if self.endless:
            raise NeverEnds(f"{self.supply.called} does not run empty: say for how many hours")
        quiet = all(
            pull.value == 0.0 and pull.kind != "resistance" and pull.shunt_a == 0.0
            for b in self.branches
            for variants in b.pulls.values()
            for pull in variants
        )
        if quiet and not self.trunk.holders and not self.trunk.stretches[0].shunt_a:
            raise NeverEnds(f"{self.supply.called}: nothing is drawn, so it never ends")

    def _settle(self) -> None:
        """Apply all that happens at once, until nothing does."""
        while not self.end:
            if not self.running:
                self.end = "all devices stopped"
            elif self.time >= self.until_s:
                self._all("programme over")
            elif not self._once():
                return

    def _once(self) -> bool:
        """Whether something had to happen at this moment, which is then done."""
        setting, emf = self.setting(), self.trunk.emf(self.soc)
        if self.trunk.weaker is not None and self.soc <= self.trunk.weaker_soc:
            self.trunk = self.trunk.weaker
            return True
        if setting.moves_on or self._reached(setting, "trunk passes"):
            assert self.trunk.falls_to is not None
            self.trunk = self.trunk.falls_to
            return True
        if (cause := self._source_end(setting, emf)) is not None:
            self._all(cause)
            return True
        stopped = [one for one in setting.limits if one.turn == "stop" and self.soc <= one.soc]
        passing = [one for one in setting.limits if one.turn == "passes" and self.soc <= one.soc]
        for one in passing:
            if not any(other.branch == one.branch for other in stopped):
                self.branches[one.branch].variant += 1
        for one in stopped:
            self.branches[one.branch].stop(one.cause or "collapse", self.time)
        overfed = [i for i in setting.overfed(emf) if not self.branches[i].end]
        for i in overfed:
            self.branches[i].stop("converter input too high", self.time)
        return bool(stopped or passing or overfed)

    def _reached(self, setting: Setting, turn: str) -> bool:
        return any(one.turn == turn and self.soc <= one.soc for one in setting.limits)

    def _source_end(self, setting: Setting, emf: float) -> Cause | None:
        """Why everything ends now, or None."""
        if setting.dead:
            return setting.dead
        if self.soc <= self.floor:
            return "reserve" if self.floor > 0.0 else "empty"
        if setting.trunk_overfed(emf):
            return "converter input too high"
        if self.time >= self._sleeps_at(setting):
            return "auto-off"
        alone = len(setting.running) == 1
        if self.soc <= setting.collapse_soc and not alone:
            return "collapse"
        first = next((one for one in setting.limits if self.soc <= one.soc and one.turn in ("source", "stop")), None)
        ends = next((one for one in setting.limits if self.soc <= one.soc and one.turn == "source"), None)
        if alone:
            if first is not None:
                return first.cause if first.turn == "source" else None
            return "collapse" if self.soc <= setting.collapse_soc else None
        return ends.cause if ends else None

    def _sleeps_at(self, setting: Setting) -> float:
        """When a bank that is loaded too lightly falls asleep; inf while it is not."""
        if self.least_a is None or setting.port_a >= self.least_a:
            self.light_since = None
            return inf
        if self.light_since is None:
            self.light_since = self.time
        return self.light_since + self.sleeps_s

    def _all(self, cause: Cause) -> None:
        for b in self.running:
            b.stop(cause, self.time, by_itself=False)
        self.end = cause

    def _go_on(self) -> None:
        """To the next change: of a mode, of a limit, or the end of the programme."""
        setting = self.setting()
        change = min(b.clock.next_s for b in self.running)
        until = min(change, self.until_s, self._sleeps_at(setting), self.later[0][0])
        if self.turns is not None:
            until = min(until, self.time + self.sample_s)
        self._fall(setting, until)
        if self.time < until:
            return
        if self.time >= self.later[0][0]:
            self.through(self.later[1:])
        for b in self.running:
            if b.clock.next_s <= self.time + SAME_S * max(1.0, self.time):
                b.turn(self.time)

    def _fall(self, setting: Setting, until: float) -> None:
        """Let the charge fall to the next limit or to a moment, whichever comes first."""
        lower = [one.soc for one in setting.limits if one.soc < self.soc]
        floor = max([self.floor, setting.collapse_soc, *lower])
        emf = self.trunk.emf(self.soc)
        flow = setting.flow(emf)
        if flow is None:  # at its very fold
            self.soc = min(self.soc, setting.collapse_soc)
            return
        if setting.speed(flow) < STANDS_STILL:
            self._still(setting, emf, flow, until)
            return
        while self.soc > floor and self.time < until:
            span = setting.span(self.soc, floor)
            low, left = max(span.low, floor), until - self.time
            if span.seconds(self.soc, low) > left:
                low = self._charge_after(setting, span.seconds, left, low)
                self.time = until
            sums = span.sums(self.soc, low)
            self.time = self.time if self.time == until else self.time + sums[0]
            self._add(setting, sums[1:])
            self.soc = low

    def _charge_after(self, setting: Setting, seconds: Seconds, left: float, low: float) -> float:
        """The charge that is left after `left` seconds: Newton's steps, kept between the bounds."""
        start = self.soc
        flow = setting.flow(self.trunk.emf(start))
        assert flow is not None
        soc = max(low, start - left * setting.speed(flow))
        for _ in range(50):
            miss = seconds(start, soc) - left
            flow = setting.flow(self.trunk.emf(soc))
            if flow is None:
                soc = 0.5 * (soc + start)
                continue
            step = miss * setting.speed(flow)
            soc = min(start, max(low, soc + step))
            if abs(step) <= 1e-13:
                break
        return soc

    def _still(self, setting: Setting, emf: float, flow: Flow, until: float) -> None:
        """Time passes and no charge: nothing is drawn, or the source is endless."""
        if until == inf:
            raise NeverEnds(f"{self.supply.called}: nothing is drawn, so it never ends")
        lasts = until - self.time
        self._add(setting, tuple(lasts * watts for watts in setting.watts(emf, flow)))
        self.time = until

    def _add(self, setting: Setting, joules: tuple[float, ...]) -> None:
        self.source_j += joules[0]
        for (i, _), more in zip(setting.running, joules[1:], strict=True):
            self.branches[i].joules += more

    def _keep(self) -> None:
        if self.turns is None:
            return
        setting, emf = self.setting(), self.trunk.emf(self.soc)
        flow = setting.flow(emf)
        if flow is None:
            return
        volts, n = flow.junction_v, len(self.branches)
        watts, amps, spare = [0.0] * n, [0.0] * n, [inf] * n
        for (i, pull), one in zip(setting.running, setting.watts(emf, flow)[1:], strict=True):
            found = pull.amps(volts)
            watts[i], amps[i], spare[i] = one, 0.0 if found is None else found[0], volts - pull.stop_v
        modes = tuple(None if b.end else b.mode for b in self.branches)
        drawn = (tuple(watts), volts, tuple(amps), tuple(spare))
        self.turns.append(Turned(self.time, self.soc, modes, flow.source_a, flow.junction_a, *drawn))

    def _result(self) -> SupplyRun:
        assert self.end is not None
        return SupplyRun(
            name=self.supply.called,
            runtime_s=self.time,
            end_cause=self.end,
            final_soc=self.soc,
            energy_from_source_wh=self.source_j / 3600.0,
            branches=tuple(
                BranchRun(b.name, b.end_s, b.end or "empty", b.joules / 3600.0, b.by_itself) for b in self.branches
            ),
            turns=tuple(self.turns or ()),
        )


def follow(
    supply: Supply, conditions: Conditions, hours: Number | None = None, *, keep: bool = False, most: int = MOST_TURNS
) -> SupplyRun:
    """Follow one supply to its end, or for so many hours; `keep` adds the moments at which something changed,
    `most` bounds the changes of mode that are followed.

    Raises `NeverEnds` where nothing ends it, and ValueError for what cannot be computed.
    """
    return _night(supply, conditions, hours, keep=keep, most=most).follow()


def follow_hourly(
    supply: Supply, conditions: Conditions, hours: Number | None = None, *, most: int = MOST_TURNS
) -> SupplyRun:
    """Follow one supply through the temperatures that are told by the hour; the charge is kept from one to the next.

    Raises ValueError without a table, and what `follow` raises.
    """
    night = _night(supply, conditions, hours, keep=False, most=most)
    night.through(hourly(supply, conditions))
    return night.follow()


def _night(supply: Supply, conditions: Conditions, hours: Number | None, *, keep: bool, most: int) -> _Night:
    until_s = inf if hours is None else 3600.0 * number(hours)
    return _Night(fed(supply, conditions, hours), conditions, until_s, keep=keep, most=most)
