"""The simulated bench: meter, supply, electronic load and in-line logger, each speaking SCPI on a loopback socket.

They follow the very case that is proved (`StandIn`), with noise and, if asked for, with a fault. What hands do on a
real bench (where the probes are put) the meter is told by ``SIMulate:WIRe``; everything else is ordinary SCPI.
"""

from __future__ import annotations

import re
import socketserver
import threading
import time
from collections.abc import Callable
from math import inf, isinf
from random import Random
from typing import Literal

import msgspec

from hermotrope_core.circuit.simulate import Sample, Simulation
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.plan.case import Case
from hermotrope_core.prove import Ask, StandIn, gates
from hermotrope_core.prove.standin import Fault

Role = Literal["meter", "supply", "load", "logger"]
ROLES: tuple[Role, ...] = ("meter", "supply", "load", "logger")
MOST_ROWS = 4000
METER_NOISE, METER_FLOOR = 0.0005, 0.0008
LOG_NOISE = 0.004
TAIL_ROWS = 20
"""Rows of nearly nothing that the logger still writes once the run is over."""
MOST_LOGGED = 200_000
_ERRORS = {-113: "Undefined header", -222: "Data out of range", -230: "Data corrupt or stale"}


class State(msgspec.Struct):
    """What the hands and the knobs of the bench are at."""

    wired: str = ""
    load_a: float = 0.0
    load_on: bool = False
    supply_v: float = 0.0
    supply_a: float = 1.0
    supply_on: bool = False
    place: Literal["PACK", "INL", "BOTH"] = "PACK"
    speed: float = 600.0
    interval_s: float = 1.0


class SimulatedBench:
    """Four instruments of one case. `resources` names them for PyVISA once `start` has run; `close` ends them."""

    def __init__(self, case: Case, fault: Fault | None = None, seed: int = 1) -> None:
        self.fault = fault
        self.stand_in = StandIn(case, fault)
        situation = Situation(case)
        self.asks: dict[str, Ask] = {ask.key: ask for gate in gates(situation, {}) for ask in gate.asks}
        self.state = State()
        self.random = Random(seed)
        self.lock = threading.RLock()
        self.errors: dict[Role, list[int]] = {role: [] for role in ROLES}
        self.logged: LoggedRun | None = None
        self.servers: dict[Role, socketserver.ThreadingTCPServer] = {}

    @property
    def resources(self) -> dict[Role, str]:
        """PyVISA resource names by role."""
        return {role: f"TCPIP0::127.0.0.1::{server.server_address[1]}::SOCKET" for role, server in self.servers.items()}

    def start(self) -> SimulatedBench:
        """Listen on four free ports of the loopback interface."""
        for role in ROLES:
            server = _Server(("127.0.0.1", 0), _handler(self, role))
            threading.Thread(target=server.serve_forever, args=(0.1,), daemon=True, name=f"simulated {role}").start()
            self.servers[role] = server
        return self

    def close(self) -> None:
        """Hang up on everybody."""
        for server in self.servers.values():
            server.shutdown()
            server.server_close()
        self.servers.clear()

    def answer(self, role: Role, line: str) -> str | None:
        """The reply to one line of SCPI (commands joined by ``;``), or None where none is due."""
        replies = []
        with self.lock:
            for part in filter(None, (piece.strip() for piece in line.split(";"))):
                reply = self._one(role, part.lstrip(":"))
                if reply is not None:
                    replies.append(reply)
        return ";".join(replies) if replies else None

    def _one(self, role: Role, text: str) -> str | None:
        header, _, argument = text.partition(" ")
        for pattern, roles, action in COMMANDS:
            if role in roles and pattern.fullmatch(header):
                try:
                    return action(self, role, argument.strip())
                except (ValueError, KeyError):
                    self.errors[role].append(-222)
                    return None
        self.errors[role].append(-113)
        return None

    def noisy(self, value: float) -> float:
        """A reading with the meter's noise."""
        return (
            value
            if isinf(value)
            else value * (1.0 + METER_NOISE * self.random.gauss(0, 1)) + METER_FLOOR * self.random.gauss(0, 1)
        )

    def measured(self) -> float:
        """What the meter would show where its probes are."""
        ask = self.asks[self.state.wired]
        if ask.meter == "trip":
            trips = self.stand_in.read(ask)
            fed = self.state.supply_v if self.state.supply_on else 0.0
            return fed if fed > trips else 0.0
        if ask.setup.load_a is not None:
            return self.stand_in.read(ask, self.state.load_a if self.state.load_on else 0.0)
        return self.stand_in.read(ask)


class LoggedRun:
    """The run as the in-line logger keeps it, `speed` times as fast as the clock."""

    def __init__(self, bench: SimulatedBench) -> None:
        case = bench.stand_in.case
        self.simulation = Simulation(case)
        self.state = bench.state
        self.random = bench.random
        self.began = time.monotonic()
        self.tail = 0
        self.rows = 0
        self.dead = bench.fault in ("missing-fuse-link", "reversed-leads")
        self.interval = bench.state.interval_s

    @property
    def over(self) -> bool:
        return self.tail >= TAIL_ROWS or self.rows >= MOST_LOGGED

    def take(self, most: int) -> list[list[float]]:
        """The rows that have come up since they were last asked for."""
        now = (time.monotonic() - self.began) * self.state.speed
        rows: list[list[float]] = []
        while len(rows) < most and not self.over and self.simulation.seconds + self.tail * self.interval <= now:
            one = None if self.dead else self.simulation.sample()
            if one is None:
                self.tail += 1
                seconds = self.simulation.seconds + (self.tail - 1) * self.interval
                rows.append([seconds, *[abs(0.002 * self.random.gauss(0, 1)) for _ in range(self._width())]])
            else:
                rows.append([one.seconds, *self._values(one)])
                self.simulation.step(self.interval)
            self.rows += 1
        return rows

    def _width(self) -> int:
        return 4 if self.state.place == "BOTH" else 2

    def _values(self, one: Sample) -> list[float]:
        values = {"PACK": [one.pack_v, one.pack_a], "INL": [one.inlet_v, one.inlet_a]}
        chosen = [*values["PACK"], *values["INL"]] if self.state.place == "BOTH" else values[self.state.place]
        return [value * (1.0 + LOG_NOISE * self.random.gauss(0, 1)) for value in chosen]


Action = Callable[[SimulatedBench, Role, str], str | None]


def _measure(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    if not bench.state.wired:
        return "9.9E37" if role == "meter" else "0"
    return scientific(bench.noisy(bench.measured()))


def _ripple(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    return scientific(abs(bench.noisy(bench.measured() / 2.83)) if bench.state.wired else inf)


def _wire(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    key = argument.strip("\"'")
    bench.state.wired = bench.asks[key].key if key else ""
    return None


def _set(name: str, low: float, high: float) -> Action:
    def action(bench: SimulatedBench, role: Role, argument: str) -> str | None:
        value = float(argument)
        if not low <= value <= high:
            raise ValueError(name)
        setattr(bench.state, name, value)
        return None

    return action


def _switch(name: str) -> Action:
    def action(bench: SimulatedBench, role: Role, argument: str) -> str | None:
        setattr(bench.state, name, {"ON": True, "1": True, "OFF": False, "0": False}[argument.upper()])
        return None

    return action


def _place(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    word = argument.upper()[:4].rstrip("E")
    bench.state.place = {"PACK": "PACK", "INL": "INL", "BOTH": "BOTH"}[word]  # type: ignore[assignment]  # one of the three
    return None


def _begin(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    bench.logged = LoggedRun(bench)
    return None


def _rows(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    most = max(1, min(MOST_ROWS, int(argument or MOST_ROWS)))
    rows = bench.logged.take(most) if bench.logged else []
    return ",".join(f"{value:.6g}" if i else f"{value:.3f}" for row in rows for i, value in enumerate(row))


def _running(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    return "16" if bench.logged is not None and not bench.logged.over else "0"


def _error(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    queue = bench.errors[role]
    code = queue.pop(0) if queue else 0
    return f'{code},"{_ERRORS.get(code, "No error")}"'


def _identity(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    return f"Hermotrope,Simulated {role},0,1"


def _reset(bench: SimulatedBench, role: Role, argument: str) -> str | None:
    bench.errors[role].clear()
    if role == "load":
        bench.state.load_on, bench.state.load_a = False, 0.0
    if role == "supply":
        bench.state.supply_on, bench.state.supply_v = False, 0.0
    return None


def _got(name: str) -> Action:
    return lambda bench, role, argument: scientific(float(getattr(bench.state, name)))


def _header(pattern: str) -> re.Pattern[str]:
    """A SCPI header in long and short form: of ``MEASure`` both MEASURE and MEAS."""
    made = re.sub(r"([A-Z]+)([a-z]+)", lambda m: f"{m[1]}(?:{m[2].upper()})?", pattern)
    return re.compile(made, re.IGNORECASE)


METER, SUPPLY, LOAD, LOGGER = ("meter",), ("supply",), ("load",), ("logger",)
COMMANDS: tuple[tuple[re.Pattern[str], tuple[str, ...], Action], ...] = (
    (_header(r"\*IDN\?"), ROLES, _identity),
    (_header(r"\*RST|\*CLS"), ROLES, _reset),
    (_header(r"\*OPC\?"), ROLES, lambda bench, role, argument: "1"),
    (_header(r"SYSTem:ERRor(?::NEXT)?\?"), ROLES, _error),
    (_header(r"SIMulate:WIRe"), METER, _wire),
    (_header(r"MEASure(?::SCALar)?:VOLTage:AC\?"), METER, _ripple),
    (
        _header(r"MEASure(?::SCALar)?:(?:VOLTage|CURRent)(?::DC)?\?|MEASure:(?:RESistance|TEMPerature|DIODe)\?|READ\?"),
        METER,
        _measure,
    ),
    (_header(r"(?:SOURce:)?CURRent(?::LEVel)?"), LOAD, _set("load_a", 0.0, 60.0)),
    (_header(r"INPut(?::STATe)?"), LOAD, _switch("load_on")),
    (_header(r"MEASure:CURRent(?::DC)?\?"), LOAD, _got("load_a")),
    (_header(r"(?:SOURce:)?VOLTage(?::LEVel)?"), SUPPLY, _set("supply_v", 0.0, 120.0)),
    (_header(r"(?:SOURce:)?CURRent(?::LEVel)?"), SUPPLY, _set("supply_a", 0.0, 20.0)),
    (_header(r"OUTPut(?::STATe)?"), SUPPLY, _switch("supply_on")),
    (_header(r"MEASure:VOLTage(?::DC)?\?"), SUPPLY, _got("supply_v")),
    (_header(r"SIMulate:SPEed"), LOGGER, _set("speed", 0.001, 1e7)),
    (_header(r"ROUTe:PLACe"), LOGGER, _place),
    (_header(r"SAMPle:TIMer"), LOGGER, _set("interval_s", 0.1, 3600.0)),
    (_header(r"INITiate(?::IMMediate)?"), LOGGER, _begin),
    (_header(r"DATA:REMove\?"), LOGGER, _rows),
    (_header(r"STATus:OPERation:CONDition\?"), LOGGER, _running),
)


def scientific(value: float) -> str:
    """A reading as instruments write it; an overload as 9.9E37 (SCPI-99, volume 1, 7.2.1.4)."""
    return ("-" if value < 0 else "") + "9.9E37" if isinf(value) else f"{value:+.6E}"


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True


def _handler(bench: SimulatedBench, role: Role) -> type[socketserver.StreamRequestHandler]:
    class Handler(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            try:
                for raw in self.rfile:
                    reply = bench.answer(role, raw.decode("ascii", "replace").strip())
                    if reply is not None:
                        self.wfile.write(reply.encode() + b"\n")
            except OSError:
                return

    return Handler
