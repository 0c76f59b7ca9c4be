"""Which instruments a conversion is proved with: the simulated bench of a rehearsal, or the real ones by name."""

from __future__ import annotations

import threading
import time
from contextlib import suppress
from typing import Literal

from django.db import OperationalError, connection
from django.utils import timezone

from hermotrope.bench.models import Conversion
from hermotrope.entry.typed import EditError
from hermotrope.formats.logger_csv import written_log
from hermotrope.instruments.recorder import AGAIN_S, Plan, Recorder
from hermotrope.instruments.scpi import LONGEST_S
from hermotrope.instruments.simulated import ROLES, Role, SimulatedBench
from hermotrope.proving import logs
from hermotrope.proving.bench import Workshop
from hermotrope.proving.models import InstrumentName, Rehearsal, RunLogRow
from hermotrope_core.fit.runlog import Column
from hermotrope_core.plan.case import Case
from hermotrope_core.prove.standin import applicable

Place = Literal["pack", "inlet", "both"]
PLACES: dict[Place, tuple[Column, ...]] = {
    "pack": ("pack_v", "pack_a"),
    "inlet": ("inlet_v", "inlet_a"),
    "both": ("pack_v", "pack_a", "inlet_v", "inlet_a"),
}
SCPI_PLACES = {"pack": "PACK", "inlet": "INL", "both": "BOTH"}
REHEARSED_S = 12.0
"""A rehearsed run-down takes about so long by the clock."""
REHEARSED_ROWS = 18_000
FLUSH_ROWS, FLUSH_S = 200, 3.0
ENDS_S = LONGEST_S + 5.0
"""Seconds in which a recorder that was told to stop has its last answer, and has kept it."""

_benches: dict[int, tuple[Case, str, SimulatedBench]] = {}
_recorders: dict[int, Recorder] = {}
_lock = threading.Lock()


def simulated_for(conversion: Conversion) -> SimulatedBench | None:
    """The simulated bench of a rehearsal, started where it is not running; None for a real proving."""
    if not conversion.rehearsal:
        return None
    row = Rehearsal.objects.filter(conversion=conversion).first()
    situation = Workshop(conversion).here.situation
    if row is None or situation is None:
        return None
    with _lock:
        old = _benches.get(conversion.pk)
        if old is not None and old[0] == situation.case and old[1] == row.fault:
            return old[2]
        if old is not None:
            old[2].close()
        fault = next((one for one in applicable(situation.case) if one == row.fault), None)  # the plan may have changed
        made = SimulatedBench(situation.case, fault).start()
        _benches[conversion.pk] = (situation.case, row.fault, made)
        return made


def resources_for(conversion: Conversion) -> dict[Role, str]:
    """Resource names by role: simulated ones for a rehearsal, else those of this bench."""
    if conversion.rehearsal:  # never the real ones
        simulated = simulated_for(conversion)
        return simulated.resources if simulated is not None else {}
    named = dict(InstrumentName.objects.values_list("role", "resource"))
    return {role: named.get(role, "") for role in ROLES}


def record(conversion: Conversion, place: Place, interval_s: float, kind: Literal["buffered", "polled"]) -> RunLogRow:
    """Begin to log a run-down in the background. Raises `EditError` where no logger is named or one is running."""
    if conversion.logs.filter(state=RunLogRow.State.RECORDING).exists():
        raise EditError("a run is being logged already")
    resource = resources_for(conversion).get("logger", "")
    if not resource:
        raise EditError("no logger is named: give its resource name, or bring its file")
    if kind == "polled" and place == "both" and not conversion.rehearsal:
        raise EditError("read one by one, a logger tells of one place: choose the pack or the plug")
    plan = _plan(conversion, resource, place, interval_s, kind)
    row = RunLogRow.objects.create(
        conversion=conversion,
        name=f"run-down {timezone.localtime():%d %b %H:%M}",
        origin=RunLogRow.Origin.INSTRUMENT,
        state=RunLogRow.State.RECORDING,
        original_name="run-down.csv",
        resource=resource,
        temperature_c=Workshop(conversion).temperature_c,
        mapping={"names": list(plan.columns)},
    )
    recorder = _Keeper(row.pk, plan).recorder
    _recorders[row.pk] = recorder
    recorder.start()
    return row


def _plan(
    conversion: Conversion, resource: str, place: Place, interval_s: float, kind: Literal["buffered", "polled"]
) -> Plan:
    if simulated_for(conversion) is None:
        return Plan(resource, kind, PLACES[place], interval_s)
    run = Workshop(conversion).here.run
    lasts = run.runtime_s if run else 3600.0
    every = max(interval_s, lasts / REHEARSED_ROWS)
    begin = (
        f"SIM:SPEED {max(1.0, lasts / REHEARSED_S):.3f}",
        f"ROUT:PLAC {SCPI_PLACES[place]}",
        f"SAMP:TIM {every:.2f}",
    )
    return Plan(resource, "buffered", PLACES[place], every, begin)


class _Keeper:
    """Writes what a recorder hands on to the rows of a log."""

    def __init__(self, pk: int, plan: Plan) -> None:
        self.pk, self.plan = pk, plan
        self.waiting: list[list[float]] = []
        self.kept_at = 0.0
        self.recorder = Recorder(plan, self.rows, self.trouble, self.over)

    def rows(self, rows: list[list[float]]) -> None:
        """Keep rows, some at a time: a reading a second would else be a write a second."""
        self.waiting += rows
        if len(self.waiting) >= FLUSH_ROWS or time.monotonic() - self.kept_at >= FLUSH_S:
            self.flush()

    def flush(self) -> None:
        """Write what waits; where the database is busy it waits for the next time."""
        if not self.waiting:
            return
        try:
            row = RunLogRow.objects.filter(pk=self.pk).first()
            if row is None:  # taken away meanwhile
                self.recorder.stop()
            else:
                logs.add_rows(row, self.waiting)
            self.waiting, self.kept_at = [], time.monotonic()
        except OperationalError:
            pass

    def trouble(self, words: str) -> None:
        with suppress(OperationalError):
            RunLogRow.objects.filter(pk=self.pk).update(trouble=words[:300])

    def over(self, ended: bool) -> None:
        try:
            for wait_s in AGAIN_S:  # the database may be busy, or the disk full, for a while
                self.flush()
                with suppress(OperationalError):
                    if not self.waiting:
                        finish(self.pk, ended=ended)
                        break
                time.sleep(wait_s)
        finally:
            _recorders.pop(self.pk, None)
            connection.close()


def finish(pk: int, *, ended: bool) -> None:
    """Turn what was logged so far into a log that is kept."""
    row = RunLogRow.objects.filter(pk=pk, state=RunLogRow.State.RECORDING).first()
    if row is None:
        return
    rows = [line for chunk in row.chunks.all() for line in chunk.rows]
    names = tuple((row.mapping or {}).get("names", PLACES["pack"]))
    logs.finish_recording(row, rows, written_log(rows, names, row.created_at), ended=ended)


def stop(row: RunLogRow) -> None:
    """Stop logging, and wait until what came is kept."""
    recorder = _recorders.get(row.pk)
    if recorder is not None:
        recorder.stop()
        recorder.join(ENDS_S)
    else:  # the program was started anew meanwhile
        finish(row.pk, ended=False)


def drop(row: RunLogRow) -> None:
    """Take a log away, whether it is kept, waits, or is being logged."""
    recorder = _recorders.get(row.pk)
    row.delete()
    if recorder is not None:
        recorder.stop()


def as_it_stands(row: RunLogRow) -> tuple[RunLogRow | None, bool]:
    """A log and whether somebody still logs it.

    One that nobody logs any more may have ended since the row was read: it is read again; None where it is gone.
    """
    if row.state != RunLogRow.State.RECORDING or row.pk in _recorders:
        return row, row.state == RunLogRow.State.RECORDING
    return RunLogRow.objects.filter(pk=row.pk).first(), False


def close_all() -> None:
    """Stop every recorder and simulated bench (tests, and the end of the program)."""
    for recorder in list(_recorders.values()):
        recorder.stop()
        recorder.join(ENDS_S)
    with _lock:
        for _, _, bench in _benches.values():
            bench.close()
        _benches.clear()
