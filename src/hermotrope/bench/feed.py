"""A conversion as it is met: what is open, the verdict, the run and its range, worked out once."""

from __future__ import annotations

from functools import cached_property, lru_cache
from hashlib import blake2s
from typing import Any, NamedTuple

import msgspec
from django.utils.html import json_script
from django.utils.safestring import SafeString

from hermotrope.drawings.chart import run_chart
from hermotrope.drawings.line import scrub_payload
from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.estimate import QUICK_DRAWS, Range, estimate
from hermotrope_core.circuit.point import Point
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import Finding, check, verdict_of
from hermotrope_core.judge.findings.voltage import volts_before_draw
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.plan.case import Case, Question, planned, questions
from hermotrope_core.plan.duty import Duty
from hermotrope_core.tell.readout import demands
from hermotrope_core.values.figures import span
from hermotrope_core.values.liking import Liking, liked

KEPT = 32
"""Cases whose runs, findings and ranges are kept between requests."""


@lru_cache(maxsize=64)
def range_of(case: Case) -> Range | None:
    """A case's range, for the runs so far of one after another."""
    return estimate(case, QUICK_DRAWS, worth=False)


class Points(NamedTuple):
    """The operating points that a page moves through: a script element with them, and which they are."""

    script: SafeString
    of: str


@lru_cache(maxsize=KEPT)
def _points(line: Case) -> Points:
    """Those of a finished case, whatever its duty."""
    script = json_script(scrub_payload(Situation(line), demands(line.device.modes)), "scrub-data")
    return Points(script, blake2s(script.encode(), digest_size=6).hexdigest())


class Feed:
    """Everything the pages show of a case. Each part is worked out when it is first asked for."""

    def __init__(self, case: Case) -> None:
        self.case = case
        self.questions: tuple[Question, ...] = tuple(questions(case))
        self.situation: Situation | None = None if self.questions else Situation(case, marks=True)
        """What is judged and sized: the whole duty, and every mode of the device."""
        self.planned: Situation | None = self.situation
        """What the run is planned on."""
        if self.situation is not None and case.plan_on != "duty":
            self.planned = Situation(planned(case), marks=True)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        return check(self.situation) if self.situation else volts_before_draw(self.case)

    @property
    def verdict(self) -> str:
        """fits, fits with care, refused; or open while something is missing and nothing is too much already."""
        return verdict_of(self.findings) if self.situation or self.findings else "open"

    @cached_property
    def run(self) -> Run | None:
        """The run with the moments at which modes change, for charts."""
        return self.planned.run if self.planned else None

    @cached_property
    def range(self) -> Range | None:
        if self.planned is None or self.run is None:
            return None
        return estimate(self.planned.case, QUICK_DRAWS, worth=False, alone=self.run)

    @cached_property
    def chart(self) -> dict[str, Any] | None:
        """The run as series for the charts and tables."""
        if self.planned is None or self.run is None:
            return None
        return run_chart(self.planned, self.run, self.range)

    @property
    def points(self) -> Points | None:
        return _points(msgspec.structs.replace(self.case, duty=Duty(), title="")) if self.situation else None

    @property
    def refused(self) -> bool:
        return self.verdict == "refused"

    @property
    def runtime_words(self) -> str:
        """The runtime as a range, rounded to what is known; a dash where it does not run."""
        if self.range is None:
            return "–"
        return span(self.range.p5, self.range.p95)

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
        if self.questions and not self.findings:
            return self.questions[0].ask
        return self.findings[0].message if self.findings else ""

    @property
    def next_step(self) -> str:
        """What to do next, in words."""
        if self.questions and not self.findings:
            return "Answer it"
        worst = self.findings[0] if self.findings else None
        if worst is None or worst.level == "note":
            return "Read the run"
        if worst.change and worst.cure:
            return worst.cure[0].upper() + worst.cure[1:]
        return "See what would cure it" if self.refused else "Read the run and the caution"


def feed_of(case: Case) -> Feed:
    """What is met of a case, worked out once for as long as it is among the last that were asked for.

    An edit asks for it three times: for the row that is kept, for the workshop, for the page. It is never changed.
    """
    return _feed_of(case, liked())


@lru_cache(maxsize=KEPT)
def _feed_of(case: Case, _liking: Liking) -> Feed:
    return Feed(case)
