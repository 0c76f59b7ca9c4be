"""Instruments over a real socket: the simulated bench, and everything that can go wrong with a real one."""

from __future__ import annotations

import socketserver
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from itertools import pairwise
from math import inf
from unittest import TestCase, mock

from hermotrope.instruments.reading import needed, take
from hermotrope.instruments.recorder import Plan, Recorder
from hermotrope.instruments.scpi import Instrument, InstrumentError, Lost, checked_resource
from hermotrope.instruments.simulated import SimulatedBench
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.plan.case import planned
from hermotrope_core.prove import gates, judge
from tests.support import case, ready
from tests.web.client import Reader


class Stub:
    """An instrument that answers as it is told to: a function of the line, or None to hang up."""

    def __init__(
        self,
        reply: Callable[[str], str | None],
        peer: Callable[[socketserver.StreamRequestHandler], None] | None = None,
    ) -> None:
        class Handler(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                for raw in self.rfile:
                    if peer is not None:
                        with suppress(OSError):
                            peer(self)
                        return
                    answer = reply(raw.decode().strip())
                    if answer is None:
                        return
                    if answer:
                        self.wfile.write(answer.encode("latin-1") + b"\n")

        self.server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Handler)
        self.server.daemon_threads = True
        threading.Thread(target=self.server.serve_forever, args=(0.05,), daemon=True).start()
        self.resource = f"TCPIP0::127.0.0.1::{self.server.server_address[1]}::SOCKET"

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()


class OneInstrument(TestCase):
    client_class = Reader

    def stub(self, reply: Callable[[str], str | None]) -> str:
        made = Stub(reply)
        self.addCleanup(made.close)
        return made.resource

    def failing(self, reply: Callable[[str], str | None], timeout_ms: int = 400) -> str:
        with Instrument(self.stub(reply), timeout_ms) as one, self.assertRaises(InstrumentError) as caught:
            one.number("MEAS:VOLT:DC?")
        return str(caught.exception)

    def test_one_that_drips_is_left_and_one_that_streams_is_cut_off(self) -> None:
        def drip(handler: socketserver.StreamRequestHandler) -> None:
            for _ in range(200):
                handler.wfile.write(b"1")
                time.sleep(0.05)

        def stream(handler: socketserver.StreamRequestHandler) -> None:
            while True:
                handler.wfile.write(b"1" * 65_536)

        for peer, words in ((drip, "took more than 1 s"), (stream, "without end")):
            with self.subTest(words), mock.patch("hermotrope.instruments.scpi.LONGEST_S", 1.0):
                made = Stub(lambda _: "", peer)
                self.addCleanup(made.close)
                begun = time.monotonic()
                with Instrument(made.resource, 400) as one, self.assertRaisesRegex(InstrumentError, words):
                    one.number("MEAS:VOLT:DC?")
                self.assertLess(time.monotonic() - begun, 6.0)

    def test_nonsense_silence_and_hanging_up_are_told(self) -> None:
        self.assertIn("no number", self.failing(lambda line: "volts are fine"))
        self.assertIn("not-a-number", self.failing(lambda line: "NaN"))
        self.assertIn("does not answer", self.failing(lambda line: ""))
        self.assertTrue(self.failing(lambda line: None))

    def test_an_overload_is_infinite(self) -> None:
        with Instrument(self.stub(lambda line: "+9.9E37")) as one:
            self.assertEqual(one.number("MEAS:RES?"), inf)

    def test_nobody_there(self) -> None:
        gone = Stub(lambda line: "1")
        gone.close()
        with self.assertRaises(Lost):
            Instrument(gone.resource)

    def test_resource_names(self) -> None:
        for name in (
            "TCPIP0::192.168.1.20::5025::SOCKET",
            "USB0::0x1234::0x5678::SN1::INSTR",
            "ASRL/dev/ttyUSB0::INSTR",
        ):
            self.assertEqual(checked_resource(f" {name} "), name)
        for name in ("", "meter", "http://127.0.0.1/", "TCPIP0", "TCPIP::a\nb"):
            with self.subTest(name=name), self.assertRaises(InstrumentError):
                checked_resource(name)


class Simulated(TestCase):
    client_class = Reader

    def bench(self, name: str = "hide-mount-on-tool-pack", fault: str | None = None) -> SimulatedBench:
        made = SimulatedBench(planned(ready(name)), fault).start()  # type: ignore[arg-type]
        self.addCleanup(made.close)
        return made

    def test_every_reading_of_a_plan_comes_over_the_wire_and_passes(self) -> None:
        for name in ("reference-1", "warden-receiver-on-bank", "sampling-boat-direct"):
            bench = self.bench(name)
            for ask in bench.asks.values():
                if not needed(ask):
                    continue
                with self.subTest(name=name, ask=ask.key):
                    value = take(ask, bench.resources, simulated=True)
                    self.assertIn(judge(ask, value).level, ("pass", "note"))

    def test_readings_are_noisy_but_not_much(self) -> None:
        bench = self.bench()
        ask = bench.asks["open-voltage.volts"]
        read = {take(ask, bench.resources, simulated=True) for _ in range(5)}
        self.assertGreater(len(read), 1)
        self.assertLess(max(read) - min(read), 0.1)

    def test_faults_over_the_wire(self) -> None:
        for name, fault, key, level in (
            ("hide-mount-on-tool-pack", "reversed-leads", "polarity.plug", "stop"),
            ("hide-mount-on-tool-pack", "set-point-high", "set-point.2", "fail"),
            ("hide-mount-on-tool-pack", "weak-pack", "dummy-load.pack", "fail"),
            ("hide-mount-on-tool-pack", "missing-fuse-link", "continuity.plus-0", "fail"),
            ("warden-receiver-on-bank", "sleepy-bank", "dummy-load.awake", "fail"),
        ):
            with self.subTest(fault=fault):
                bench = self.bench(name, fault)
                ask = bench.asks[key]
                self.assertEqual(judge(ask, take(ask, bench.resources, simulated=True)).level, level)

    def test_a_cut_off_is_found_by_turning_a_supply_down(self) -> None:
        made = planned(case("judgements", "cut-off-added"))
        bench = SimulatedBench(made).start()
        self.addCleanup(bench.close)
        ask = next(one for one in bench.asks.values() if one.key.startswith("alarm"))
        self.assertEqual(judge(ask, take(ask, bench.resources, simulated=True)).level, "pass")
        self.assertFalse(bench.state.supply_on)

    def test_the_load_is_switched_off_whatever_happens(self) -> None:
        bench = self.bench()
        ask = bench.asks["dummy-load.pack"]
        broken = Stub(lambda line: "rubbish" if line.endswith("?") else "")
        self.addCleanup(broken.close)
        with self.assertRaises(InstrumentError):
            take(ask, {**bench.resources, "meter": broken.resource})
        self.assertFalse(bench.state.load_on)

    def test_unknown_commands_queue_an_error(self) -> None:
        bench = self.bench()
        with Instrument(bench.resources["load"]) as load:
            load.tell("MAKE:TEA")
            load.tell("CURR 9999")
            self.assertTrue(load.ask("SYST:ERR?").startswith("-113"))
            self.assertTrue(load.ask("SYST:ERR?").startswith("-222"))
            self.assertTrue(load.ask("syst:err?").startswith("0"))
            self.assertIn("Simulated load", load.ask("*IDN?"))

    def test_no_electronic_load_draws_behind_an_inverter(self) -> None:
        inverter = {"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.85}
        made = planned(ready("moth-lamp-on-lead-acid", path=[inverter], **{"device.supply": {"nominal_v": 230}}))
        asks = [ask for gate in gates(Situation(made), {}) for ask in gate.asks if ask.setup.load_a is not None]
        self.assertTrue(asks)
        meter = Stub(lambda line: "12.6")
        load = Stub(lambda line: self.fail(f"the load was told {line}"))
        self.addCleanup(meter.close)
        self.addCleanup(load.close)
        for ask in asks:
            self.assertFalse(ask.setup.electronic)
            if needed(ask):
                self.assertEqual(take(ask, {"meter": meter.resource, "load": load.resource}), 12.6)

    def test_an_instrument_that_is_not_named(self) -> None:
        ask = next(a for gate in gates(Situation(planned(ready("reference-1"))), {}) for a in gate.asks)
        with self.assertRaisesRegex(InstrumentError, "type the reading"):
            take(ask, {})


class Recording(TestCase):
    client_class = Reader

    def record(self, plan: Plan) -> tuple[Recorder, list[list[float]], list[str], list[bool]]:
        rows: list[list[float]] = []
        trouble: list[str] = []
        over: list[bool] = []
        recorder = Recorder(plan, rows.extend, trouble.append, over.append)
        recorder.start()
        self.addCleanup(recorder.stop)
        return recorder, rows, trouble, over

    def test_a_run_is_logged_to_its_end(self) -> None:
        bench = SimulatedBench(planned(ready("reference-2"))).start()
        self.addCleanup(bench.close)
        begin = ("SIM:SPEED 20000", "ROUT:PLAC BOTH", "SAMP:TIM 2")
        columns = ("pack_v", "pack_a", "inlet_v", "inlet_a")
        recorder, rows, trouble, over = self.record(Plan(bench.resources["logger"], "buffered", columns, 2.0, begin))
        recorder.join(20)
        self.assertEqual(over, [True])
        self.assertEqual(trouble, [])
        self.assertEqual({len(row) for row in rows}, {5})
        steps = {round(b[0] - a[0], 3) for a, b in pairwise(rows)}
        self.assertEqual(steps, {2.0})

    def test_rows_that_take_long_to_come_are_waited_for(self) -> None:
        """What a logger has handed over it forgets: whoever gives up on it loses those rows."""
        asked: list[str] = []

        def reply(line: str) -> str:
            if not line.startswith("DATA:REM?"):
                return "0"
            asked.append(line)
            time.sleep(1.0 if len(asked) == 1 else 0.0)
            return "0.000,12.5,1.000,12.4" if len(asked) == 1 else " "

        stub = Stub(reply)
        self.addCleanup(stub.close)
        with Instrument(stub.resource, 300) as one:
            self.assertEqual(one.numbers("DATA:REM? 250"), [0.0, 12.5, 1.0, 12.4])
            self.assertEqual(one.numbers("DATA:REM? 250"), [])
            with self.assertRaisesRegex(InstrumentError, "does not answer"):
                asked.clear()
                one.number("DATA:REM? 1")

    def test_a_lost_connection_is_told_and_taken_up_again(self) -> None:
        count = 0

        def reply(line: str) -> str | None:
            nonlocal count
            count += 1
            return None if count == 5 else "12.5"  # it hangs up once

        stub = Stub(reply)
        self.addCleanup(stub.close)
        recorder, rows, trouble, over = self.record(Plan(stub.resource, "polled", ("pack_v",), 0.02))
        deadline = time.monotonic() + 15
        while (len(rows) < 12 or trouble[-1:] != [""]) and time.monotonic() < deadline:
            time.sleep(0.05)
        recorder.stop()
        recorder.join(5)
        self.assertTrue(trouble and "trying again" in trouble[0], trouble)
        self.assertEqual(trouble[-1], "")
        self.assertGreaterEqual(len(rows), 12)
        self.assertEqual(over, [False])


class Names(TestCase):
    def test_only_what_is_near_is_asked_and_a_name_is_looked_up_once(self) -> None:
        for host in ("8.8.8.8", "1.1.1.1", "224.0.0.1", "0.0.0.0"):  # asked for, not listened on
            with self.subTest(host), self.assertRaisesRegex(InstrumentError, "on the network around it"):
                Instrument(f"TCPIP0::{host}::5025::SOCKET", timeout_ms=200)
        answers = iter([("127.0.0.1", 0), ("8.8.8.8", 0)])
        asked: list[tuple[str, int]] = []

        def connect(address: tuple[str, int], _: float) -> None:
            asked.append(address)
            raise OSError("nobody")

        with (
            mock.patch("socket.getaddrinfo", lambda *_: [(0, 0, 0, "", next(answers))]),
            mock.patch("socket.create_connection", connect),
            self.assertRaises(Lost),
        ):
            Instrument("TCPIP0::meter.example::5025::SOCKET")
        self.assertEqual(asked, [("127.0.0.1", 5025)])

    def test_a_serial_name_reaches_serial_ports_and_no_file(self) -> None:
        for name in ("ASRL/dev/ttyUSB0::INSTR", "ASRL3::INSTR", "ASRLCOM4::INSTR", "asrl/dev/ttyACM1::instr"):
            self.assertEqual(checked_resource(name), name)
        for name in (
            "ASRL/etc/passwd::INSTR", "ASRL/dev/tty../../etc/passwd::INSTR", "ASRL/dev/null::INSTR",
            "ASRL/dev/mem::INSTR",
            "ASRL/home/a/pipe::INSTR", "ASRL::INSTR", "FILE::/etc/passwd", "TCPIP0::", "",
        ):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(InstrumentError, "no resource name"):
                checked_resource(name)
