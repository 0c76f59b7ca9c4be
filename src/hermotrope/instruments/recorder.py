"""Logging a run in the background: rows are handed on as they come, a lost connection is told and taken up again."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Literal

import msgspec

from hermotrope.instruments.scpi import Instrument, InstrumentError
from hermotrope_core.fit.runlog import Column

Kind = Literal["buffered", "polled"]
POLL_S = 0.4
AGAIN_S = (1.0, 2.0, 5.0, 10.0)
MOST_ROWS = 250
"""Rows asked for at once: over a serial line of 9,600 baud they take 12 s."""


class Plan(msgspec.Struct, frozen=True):
    """What is logged: from where, in which way, which columns, how often."""

    resource: str
    kind: Kind
    columns: tuple[Column, ...]
    interval_s: float = 1.0
    begin: tuple[str, ...] = ()
    """Commands sent once, before the run starts."""


class Recorder(threading.Thread):
    """Reads an instrument until the run is over or `stop` is called.

    `rows` gets every batch (seconds, then the columns), `trouble` what went wrong (empty once it is well again), `over`
    whether the run ended by itself. All three are called from this thread.
    """

    def __init__(
        self,
        plan: Plan,
        rows: Callable[[list[list[float]]], None],
        trouble: Callable[[str], None],
        over: Callable[[bool], None],
    ) -> None:
        super().__init__(daemon=True, name="run-down recorder")
        self.plan, self.rows, self.trouble, self.over = plan, rows, trouble, over
        self._halt = threading.Event()
        self._began = False
        self._start = 0.0

    def stop(self) -> None:
        """Stop logging; what came so far is kept."""
        self._halt.set()

    def run(self) -> None:
        ended = False
        try:
            ended = self._until_over()
        finally:
            self.over(ended)

    def _until_over(self) -> bool:
        """Read, and connect again as often as it takes; whether the run ended by itself."""
        failed = 0
        ended = False
        while not self._halt.is_set() and not ended:
            try:
                with Instrument(self.plan.resource) as instrument:
                    if not self._began:
                        self._begin(instrument)
                    if failed:
                        self.trouble("")
                    failed = 0
                    ended = self._follow(instrument)
            except InstrumentError as error:
                self.trouble(f"{error}; trying again")
                self._halt.wait(AGAIN_S[min(failed, len(AGAIN_S) - 1)])
                failed += 1
        return ended

    def _begin(self, instrument: Instrument) -> None:
        for command in self.plan.begin:
            instrument.tell(command)
        if self.plan.kind == "buffered":
            instrument.tell("INIT")
        self._start = time.monotonic()
        self._began = True

    def _follow(self, instrument: Instrument) -> bool:
        """Read until the run ends (True) or somebody stops it (False)."""
        while not self._halt.is_set():
            if self.plan.kind == "polled":
                self._poll(instrument)
                self._halt.wait(self.plan.interval_s)
                continue
            measuring = instrument.number("STAT:OPER:COND?") != 0.0
            batch = self._batch(instrument)
            if batch:
                self.rows(batch)
            elif not measuring:
                return True
            if len(batch) < MOST_ROWS:
                self._halt.wait(POLL_S)
        return False

    def _batch(self, instrument: Instrument) -> list[list[float]]:
        width = len(self.plan.columns) + 1
        values = instrument.numbers(f"DATA:REM? {MOST_ROWS}")
        if len(values) % width:
            raise InstrumentError(f"{instrument.name} sent {len(values)} numbers, which are no rows of {width}")
        return [values[i : i + width] for i in range(0, len(values), width)]

    def _poll(self, instrument: Instrument) -> None:
        queries = {"v": "MEAS:VOLT:DC?", "a": "MEAS:CURR:DC?"}
        values = [instrument.number(queries[column[-1]]) for column in self.plan.columns]
        self.rows([[time.monotonic() - self._start, *values]])
