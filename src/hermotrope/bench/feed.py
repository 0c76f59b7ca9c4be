"""A conversion as it is met: what is open, the verdict, the run and its range, worked out once."""

from __future__ import annotations

from functools import cached_property, lru_cache
from typing import Any

from hermotrope.drawings.chart import run_chart
from hermotrope_core.case import Case, Question, planned, questions
from hermotrope_core.circuit import Demand, Point
from hermotrope_core.discharge import Run, run
from hermotrope_core.estimate import QUICK_DRAWS, Range, estimate
from hermotrope_core.figures import duration
from hermotrope_core.findings import Finding, check, verdict_of
from hermotrope_core.readout import demands
from hermotrope_core.situation import Situation


@lru_cache(maxsize=64)
def _range(case: Case) -> Range | None:
    """A case's range, which an action and the page that answers it both ask for."""
    return estimate(case, QUICK_DRAWS, worth=False)


class Feed:
    """Everything the pages show of a case. Each part is worked out when it is first asked for."""

    def __init__(self, case: Case) -> None:
        self.case = case
        self.questions: tuple[Question, ...] = tuple(questions(case))
        self.situation: Situation | None = None if self.questions else Situation(planned(case))

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        return check(self.situation) if self.situation else ()

    @property
    def verdict(self) -> str:
        """fits, fits with care, refused; or open while something is missing."""
        return verdict_of(self.findings) if self.situation else "open"

    @cached_property
    def run(self) -> Run | None:
        return self.situation.run if self.situation else None

    @cached_property
    def marked_run(self) -> Run | None:
        """The run with the moments at which modes change, for charts."""
        return run(self.situation.case, marks=True) if self.situation and self.run else None

    @cached_property
    def range(self) -> Range | None:
        return _range(self.situation.case) if self.situation and self.run else None

    @cached_property
    def chart(self) -> dict[str, Any] | None:
        """The run as series for the charts and tables."""
        if self.situation is None or self.marked_run is None:
            return None
        return run_chart(self.situation, self.marked_run, self.range)

    @property
    def refused(self) -> bool:
        return self.verdict == "refused"

    @property
    def runtime_words(self) -> str:
        """The runtime as a range, rounded to what is known; a dash where it does not run."""
        if self.range is None:
            return "–"
        low, high = duration(self.range.p5), duration(self.range.p95)
        return low if low == high else f"{low} – {high}"

    @cached_property
    def demands(self) -> list[tuple[str, Demand]]:
        """The modes that can be scrubbed, each followed by its peak where it has one."""
        return demands(self.case.device.modes)

    def point(self, demand: Demand, soc: float) -> Point | None:
        if self.situation is None:
            return None
        return self.situation.at_demand(demand, self.situation.circuit.emf(soc))

    @property
    def headline(self) -> str:
        """The sentence that matters most."""
        if self.questions:
            return self.questions[0].ask
        return self.findings[0].message if self.findings else ""

    @property
    def next_step(self) -> str:
        """What to do next, in words."""
        if self.questions:
            return "Answer it"
        worst = self.findings[0] if self.findings else None
        if worst is None or worst.level == "note":
            return "Read the run"
        if worst.change and worst.cure:
            return worst.cure[0].upper() + worst.cure[1:]
        return "See what would cure it" if self.refused else "Read the run and the caution"
