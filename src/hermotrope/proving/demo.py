"""The demonstration's workshop: one conversion proved in June, one half way, as the volunteers left them."""

from __future__ import annotations

import zlib
from datetime import UTC, date, datetime, timedelta

import numpy as np

from hermotrope.bench.models import Conversion
from hermotrope.formats.logger_csv import recognise, written_log
from hermotrope.proving import records
from hermotrope.proving.bench import Workshop
from hermotrope.proving.keeping import stamp
from hermotrope_core.circuit.simulate import samples
from hermotrope_core.plan.case import planned
from hermotrope_core.prove import Reading, StandIn
from hermotrope_core.prove.judge import stored
from hermotrope_core.tell.record import FORMAT, LogFile, Proved, Record, StepNote, packed

BY = "hand meter"
LOG_EVERY_S = 5.0
LOG_NOISE = 0.003
NOTES = {"cut": "used the 1 mm² twin from the shed", "label": "taped over twice"}


def readings(workshop: Workshop, until: str, begun: datetime) -> list[Reading]:
    """What a stand-in without a fault reads, gate by gate, up to and without the gate named; empty for all."""
    stand_in = StandIn(planned(workshop.case))
    made: list[Reading] = []
    for gate in workshop.gates:
        if gate.key == until:
            break
        for ask in gate.asks:
            moment = begun + timedelta(minutes=3 * len(made))
            made.append(Reading(ask.key, round(stored(stand_in.read(ask)), 3), stamp(moment), BY, gate.basis))
    return made


def run_down(conversion: Conversion, on: date) -> LogFile:
    """The log of the run-down: every few seconds, at the pack and at the plug, with a logger's noise."""
    noise = np.random.default_rng(on.toordinal())
    rows = []
    for one in samples(StandIn(planned(conversion.case)).case, LOG_EVERY_S):
        values = np.array([one.pack_v, one.pack_a, one.inlet_v, one.inlet_a])
        rows.append([one.seconds, *(values * (1.0 + LOG_NOISE * noise.standard_normal(4)))])
    rows += [[rows[-1][0] + LOG_EVERY_S * i, 0.01, 0.0, 0.0, 0.0] for i in range(1, 13)]
    data = written_log(
        rows, ("pack_v", "pack_a", "inlet_v", "inlet_a"), datetime(on.year, on.month, on.day, 18, tzinfo=UTC)
    )
    name = f"run-down {on.day} {on:%B}"
    return LogFile(name, "file", "run-down.csv", recognise(data).mapping, packed(zlib.compress(data, 6)))


def proved(conversion: Conversion, on: date) -> None:
    """Fill in a finished build, every reading, the run-down and the frozen record of that day."""
    begun = datetime(on.year, on.month, on.day, 9, 30, tzinfo=UTC)
    workshop = Workshop(conversion)
    read = tuple(readings(workshop, "", begun))
    steps = tuple(
        StepNote(step.key, stamp(begun - timedelta(days=2, minutes=-20 * i)), NOTES.get(step.key, ""), step.basis)
        for i, step in enumerate(workshop.steps)
    )
    ran = next(one.value for one in read if one.ask == "run-down.runtime")
    range_ = workshop.feed.range
    frozen = Proved(
        on=on.isoformat(),
        frozen_at=stamp(begun + timedelta(hours=9)),
        case=conversion.case,
        verdict=workshop.feed.verdict,
        range_s=(range_.p5, range_.p95) if range_ else None,
        runtime_s=ran,
        readings=read,
        waivers=(),
        steps=steps,
    )
    log = run_down(conversion, on)
    records.restore(
        conversion, Record(FORMAT, conversion.case, steps=steps, readings=read, logs=(log,), proved=(frozen,))
    )


def begun(conversion: Conversion, on: date) -> None:
    """Fill in a build that is under way: most steps done, the first gates passed."""
    moment = datetime(on.year, on.month, on.day, 16, tzinfo=UTC)
    workshop = Workshop(conversion)
    done = workshop.steps[:-2]
    steps = tuple(
        StepNote(step.key, stamp(moment + timedelta(minutes=15 * i)), basis=step.basis) for i, step in enumerate(done)
    )
    read = tuple(readings(workshop, "dummy-load", moment + timedelta(hours=4)))
    records.restore(conversion, Record(FORMAT, conversion.case, steps=steps, readings=read))
