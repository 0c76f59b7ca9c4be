"""Where a conversion stands on the bench: its gates with their state, worked out from the case and what was read."""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

from hermotrope.bench.feed import Feed, feed_of
from hermotrope.bench.models import Conversion
from hermotrope.proving.keeping import readings_of, waivers_of
from hermotrope.proving.models import BenchPlace, StepMark
from hermotrope_core.build import Step, steps
from hermotrope_core.judge.cautions import stops
from hermotrope_core.plan.case import at_temperature
from hermotrope_core.prove import Ask, Gate, Progress, Reading, Told, Waiver, gates, progress, told_by
from hermotrope_core.prove.gates import basis_of
from hermotrope_core.prove.progress import newest, proved


class Marked(NamedTuple):
    """A step with its mark. A tick counts as long as the step says what it said then."""

    step: Step
    mark: StepMark | None

    @property
    def ticked(self) -> bool:
        return self.mark is not None and self.mark.done_at is not None

    @property
    def done(self) -> bool:
        return self.ticked and self.mark is not None and self.mark.basis == self.step.basis

    @property
    def changed(self) -> bool:
        """Whether the plan changed since it was done."""
        return self.ticked and not self.done


class Workshop:
    """The build and the proving of a conversion. `shut` says why there are no gates; empty where there are."""

    def __init__(self, conversion: Conversion) -> None:
        self.conversion = conversion
        self.case = conversion.case
        self.feed = feed_of(conversion.case)

    @cached_property
    def temperature_c(self) -> float | None:
        """°C at the bench; None: as the plan has it."""
        place = BenchPlace.objects.filter(conversion=self.conversion).first()
        return place.temperature_c if place is not None else None

    @cached_property
    def here(self) -> Feed:
        """The plan as it would go at the bench, which is warmer or colder than where it is meant for."""
        case = at_temperature(self.case, self.temperature_c)
        return self.feed if case is self.case else feed_of(case)

    @cached_property
    def shut(self) -> str:
        if stops(self.case):
            return "stop"
        if self.feed.questions:
            return "open"
        return "refused" if self.feed.refused else ""

    @cached_property
    def readings(self) -> list[Reading]:
        return readings_of(self.conversion)

    @cached_property
    def waivers(self) -> list[Waiver]:
        return waivers_of(self.conversion)

    @cached_property
    def gates(self) -> tuple[Gate, ...]:
        if self.shut or self.here.situation is None:
            return ()
        found = self.here.range
        return gates(self.here.situation, self._taken, (found.p5, found.p95) if found else None)

    @property
    def _taken(self) -> dict[str, float]:
        basis = basis_of(self.case)
        return {key: one.value for key, one in newest(self.readings).items() if one.basis == basis}

    @cached_property
    def progress(self) -> tuple[Progress, ...]:
        return progress(self.gates, self.readings, self.waivers)

    @property
    def all_passed(self) -> bool:
        return proved(self.progress)

    @cached_property
    def steps(self) -> tuple[Step, ...]:
        return steps(self.case)

    @cached_property
    def marked(self) -> list[Marked]:
        """Every step with its mark."""
        marks = {row.key: row for row in self.conversion.step_marks.all()}
        return [Marked(step, marks.get(step.key)) for step in self.steps]

    def told(self, ask_key: str) -> Told | None:
        """What the reading of an ask tells of the plan, if it was accepted."""
        states = (one for row in self.progress for one in row.asks if one.ask.key == ask_key)
        one = next(states, None)
        if one is None or one.reading is None or one.judgement is None or self.here.situation is None:
            return None
        accepted = one.judgement.level in ("pass", "note")
        return told_by(self.here.situation, one.ask, one.reading.value) if accepted else None

    def ask(self, key: str) -> tuple[Gate, Ask] | None:
        """An ask of this plan with its gate."""
        return next(((gate, ask) for gate in self.gates for ask in gate.asks if ask.key == key), None)
