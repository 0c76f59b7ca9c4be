"""Prove on the page: readings, locks, waivers, logs, fits, the frozen record and the file that carries it."""

from __future__ import annotations

import json
import time
from io import BytesIO
from typing import Any
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import OperationalError
from django.test import TestCase
from django.urls import reverse
from PIL import Image

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.entry.typed import EditError
from hermotrope.instruments.reading import needed
from hermotrope.instruments.recorder import Plan
from hermotrope.proving import actions, equipment, joins, logs, records
from hermotrope.proving.bench import Workshop
from hermotrope.proving.keeping import mapping_of
from hermotrope.proving.log_panel import log_row, shown_log
from hermotrope.proving.models import Photo, ReadingRow, Rehearsal, RunLogRow
from hermotrope_core.circuit.simulate import samples
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.plan.document import CaseError
from hermotrope_core.prove import StandIn
from hermotrope_core.prove.standin import applicable
from hermotrope_core.tell.record import read_record, write_record
from hermotrope_core.values.known import number
from tests.support import case
from tests.web.client import Reader


def provable(**changes: Any) -> Case:
    """A case that fits: inlet and outlet known and measured."""
    return case("judgements", "all-well", **changes)


def csv_of(of: Case, every: float = 5.0, noise: float = 0.003) -> bytes:
    """A logger's file of a run: semicolons, decimal commas, a header, a gap of four minutes."""
    rng = np.random.default_rng(3)
    lines = ["Time [s];U [V];I [A]"]
    for one in samples(of, every):
        if 3000 < one.seconds < 3240:
            continue
        volts, amps = one.pack_v * (1 + noise * rng.standard_normal()), one.pack_a * (1 + noise * rng.standard_normal())
        lines.append(f"{one.seconds:.1f};{volts:.3f};{amps:.4f}".replace(".", ","))
    return (
        "\n".join([*lines, *(f"{one.seconds + 5 * i:.1f};0,01;0,00".replace(".", ",") for i in range(1, 9))]) + "\n"
    ).encode()


class Base(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def setUp(self) -> None:
        self.made = bench.create(provable(), "Started")
        self.addCleanup(equipment.close_all)

    @property
    def now(self) -> Conversion:
        return Conversion.objects.get(pk=self.made.pk)

    def post(self, name: str, *args: int, **data: Any) -> Any:
        url = reverse(name, args=[self.made.pk, *args])
        sent = {"version": self.now.version, "panel": "prove", **data}
        headers = {
            "HX-Request": "true",
            "HX-Current-URL": f"http://testserver{self.made.get_absolute_url()}?panel=prove",
        }
        return self.client.post(url, sent, headers=headers)

    def page(self, panel: str = "prove", **asked: Any) -> str:
        return self.client.get(self.made.get_absolute_url(), {"panel": panel, **asked}).content.decode()

    def pass_all(self, conversion: Conversion | None = None) -> None:
        """Read every ask from a stand-in without a fault."""
        of = conversion or self.now
        stand_in = StandIn(planned(of.case))
        while True:
            row = next((one for one in Workshop(of).progress if one.state == "open"), None)
            if row is None:
                return
            for one in row.asks:
                actions.take_reading(of, one.ask.key, stand_in.read(one.ask), "stand-in")


class Gates(Base):
    def test_a_reading_is_judged_and_the_next_gate_opens(self) -> None:
        key = Workshop(self.now).gates[0].asks[0].key
        answer = self.post("gate-reading", ask=key, text="20,9").content.decode()
        self.assertIn("<b>1</b> of", answer)
        self.assertEqual(self.now.workshop, f"1 of {len(Workshop(self.now).gates)} gates passed")
        bench_page = self.client.get("/").content.decode()
        self.assertIn("Go on proving", bench_page)

    def test_minus_stops_and_locks(self) -> None:
        key = Workshop(self.now).gates[0].asks[0].key
        answer = self.post("gate-reading", ask=key, text="-20.9").content.decode()
        self.assertIn('class="said stop"', answer)
        self.assertIn("plus and minus are swapped", answer)
        refused = self.post("gate-reading", ask="polarity.plug", text="12")
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(ReadingRow.objects.count(), 1)

    def test_bad_entries_are_told_beside_the_field_and_stay_in_it(self) -> None:
        key = Workshop(self.now).gates[0].asks[0].key
        for text in ("", "twenty", "3 A", "OL", "1e99", "<b>"):
            with self.subTest(text=text):
                answer = self.post("gate-reading", ask=key, text=text, gate="open-voltage")
                self.assertEqual(answer.status_code, 422)
                self.assertContains(answer, 'aria-invalid="true"', status_code=422)
                self.assertNotContains(answer, "<b></b>", status_code=422)
        self.assertFalse(ReadingRow.objects.exists())

    def test_every_refusal_is_told_somewhere(self) -> None:
        for name, data, words in (
            ("gate-reading", {"ask": "polarity.plug", "text": "12"}, "Not before"),
            ("gate-reading", {"ask": "nonsense", "text": "12"}, "does not ask for that reading"),
            ("gate-measure", {"ask": "run-down.runtime"}, "Not before"),
            ("gate-waive", {"gate": "nonsense", "reason": "x"}, "not part of this plan"),
            ("freeze", {}, "Not every gate"),
            ("gate-again", {}, "Tick the box"),
            ("rehearse", {"fault": "nonsense"}, "cannot have that fault"),
            ("log-start", {"place": "pack"}, "Not before"),
        ):
            with self.subTest(name=name, data=data):
                self.assertContains(self.post(name, **data), words, status_code=422)

    def test_waiving_takes_a_reason_and_never_goes_past_set_point_or_polarity(self) -> None:
        self.assertEqual(self.post("gate-waive", gate="open-voltage", reason=" ").status_code, 422)
        self.assertEqual(
            self.post("gate-waive", gate="open-voltage", reason="contacts out of reach", by="A. M.").status_code, 200
        )
        self.assertEqual(self.post("gate-waive", gate="continuity", reason="no ohmmeter").status_code, 200)
        for gate in ("set-point", "polarity"):
            self.assertEqual(self.post("gate-waive", gate=gate, reason="in a hurry").status_code, 422)
        with self.assertRaisesRegex(EditError, "not before"):
            actions.take_reading(self.now, "device.mode-0", 0.5, "hand")
        self.post("gate-waive", gate="continuity", do="undo")
        self.assertEqual(Workshop(self.now).progress[1].state, "open")

    def test_another_pack_makes_readings_count_no_more(self) -> None:
        self.pass_all()
        self.assertTrue(Workshop(self.now).all_passed)
        bench.change(
            self.made.pk,
            self.now.version,
            [{"op": "replace", "path": "/source/cells_in_series", "value": 4}],
            "other pack",
        )
        self.assertFalse(any(row.state == "passed" for row in Workshop(self.now).progress))
        self.assertRegex(self.now.workshop, r"^0 of \d+ gates passed$")
        self.assertIn("was read before the parts of this plan changed", self.page())

    def test_closed_while_refused_or_open_or_stopped(self) -> None:
        for changes, words in (
            ({"device.inlet.polarity": "unknown"}, "closed while the plan is refused"),
            ({"device.modes.0.power_w": None}, "First answer what is open"),
            ({"device.traits": ["life-safety"]}, "Prove is closed"),
        ):
            with self.subTest(words=words):
                self.made = bench.create(provable(**changes), "Started")
                self.assertIn(words, self.page())
                self.assertEqual(self.post("gate-reading", ask="open-voltage.volts", text="21").status_code, 422)

    def test_begin_anew_needs_its_tick(self) -> None:
        self.pass_all()
        self.assertEqual(self.post("gate-again").status_code, 422)
        self.assertTrue(ReadingRow.objects.exists())
        self.assertEqual(self.post("gate-again", sure="yes").status_code, 200)
        self.assertFalse(ReadingRow.objects.exists())

    def test_without_scripts_a_reading_leads_back_to_the_page(self) -> None:
        key = Workshop(self.now).gates[0].asks[0].key
        url = reverse("gate-reading", args=[self.made.pk])
        self.assertRedirects(
            self.client.post(url, {"ask": key, "text": "21"}), f"{self.made.get_absolute_url()}?panel=prove"
        )
        again = self.client.post(url, {"ask": key, "text": "x"})
        self.assertContains(again, "for example", status_code=422)

    def test_instruments_are_named_and_told_when_they_do_not_answer(self) -> None:
        self.assertEqual(self.post("instruments", meter="a meter").status_code, 422)
        self.post("instruments", meter="TCPIP0::127.0.0.1::9::SOCKET")
        answer = self.post("gate-measure", ask=Workshop(self.now).gates[0].asks[0].key)
        self.assertContains(answer, "no instrument answers", status_code=422)
        self.assertFalse(ReadingRow.objects.exists())

    def test_queries_do_not_grow_with_readings(self) -> None:
        self.pass_all()
        with self.assertNumQueries(8):
            self.page()
        for _ in range(20):
            actions.take_reading(self.now, Workshop(self.now).gates[0].asks[0].key, 21.0, "hand")
        with self.assertNumQueries(8):
            self.page()


class Rehearsing(Base):
    def test_a_rehearsal_is_a_copy_and_says_so(self) -> None:
        answer = self.post("rehearse", fault="")
        self.assertIn("HX-Redirect", answer.headers)
        copy = Conversion.objects.exclude(pk=self.made.pk).get()
        self.assertTrue(copy.rehearsal)
        self.made = copy
        for row in Workshop(copy).gates:
            for ask in row.asks:
                if needed(ask):
                    self.assertEqual(self.post("gate-measure", ask=ask.key).status_code, 200, ask.key)
                elif ask.meter == "seen":  # what an eye sees is typed
                    self.assertEqual(self.post("gate-measure", ask=ask.key).status_code, 422)
                    self.assertEqual(self.post("gate-reading", ask=ask.key, text=f"{ask.expected}").status_code, 200)
        self.assertEqual(Workshop(self.now).progress[-1].state, "open")
        self.assertIn("Rehearsal.", self.page())
        self.assertIn("rehearsal", self.client.get("/").content.decode())

    def test_a_fault_can_be_chosen_and_impossible_ones_are_refused(self) -> None:
        self.assertEqual(self.post("rehearse", fault="sleepy-bank").status_code, 422)
        self.made = actions.rehearse(self.made, "reversed-leads")
        self.post("gate-waive", gate="continuity", reason="x")
        for ask in ("open-voltage.volts",):
            self.post("gate-measure", ask=ask)
        self.assertEqual(self.post("rehearse", fault="weak-pack").status_code, 200)
        self.assertFalse(self.now.readings.exists())


class Learning(Base):
    """What the device really draws goes from its gate into the plan."""

    def read(self, factor: float) -> tuple[Any, float]:
        """Everything up to the device passes; its first mode draws so many times what was planned."""
        self.pass_all()
        found = Workshop(self.now).ask("device.mode-0")
        assert found is not None and found[1].expected is not None
        amps = factor * found[1].expected
        return self.post("gate-reading", ask="device.mode-0", text=f"{amps:.4f}"), amps

    def test_a_reading_is_put_into_the_plan_as_measured(self) -> None:
        planned_w = number(self.now.case.device.modes[0].draw or 0.0)
        answer, _ = self.read(1.4)
        self.assertContains(answer, "into the plan, as measured")
        before = self.now.runtime_s
        self.assertEqual(self.post("gate-put", ask="device.mode-0").status_code, 200)
        draw = self.now.case.device.modes[0].draw
        assert draw is not None and not isinstance(draw, float)
        self.assertEqual(draw.known_by, "measured")
        self.assertAlmostEqual(number(draw), 1.4 * planned_w, delta=0.02 * planned_w)
        self.assertLess(self.now.runtime_s or 0.0, before or 0.0)
        state = next(one for row in Workshop(self.now).progress for one in row.asks if one.ask.key == "device.mode-0")
        self.assertEqual((state.stale, state.judgement and state.judgement.level), (False, "pass"))
        self.assertEqual(self.post("gate-put", ask="device.mode-0").status_code, 422)

    def test_only_what_was_accepted_tells(self) -> None:
        self.assertNotContains(self.read(0.0)[0], "into the plan, as measured", status_code=200)
        for ask in ("device.mode-0", "polarity.plug", "nonsense"):
            self.assertEqual(self.post("gate-put", ask=ask).status_code, 422)
        self.assertEqual(self.now.version, 1)


class Temperature(Base):
    """A plan for a cold night is proved on a warm bench: windows, prediction and fit follow where the meter is."""

    def setUp(self) -> None:
        super().setUp()
        self.made = bench.create(provable(**{"conditions.temperature_c": -5}), "For the cold")

    def high(self, key: str) -> float:
        found = Workshop(self.now).ask(key)
        assert found is not None
        return found[1].high

    def test_the_windows_follow_the_bench(self) -> None:
        self.assertIn("as the plan has it", self.page())
        key = next(a.key for g in Workshop(self.now).gates if g.key == "warm-parts" for a in g.asks)
        cold = self.high(key)
        self.assertContains(self.post("bench-temperature", temperature="21"), "the plan is for −5 °C")
        self.assertAlmostEqual(self.high(key) - cold, 26.0, delta=1.0)
        self.post("bench-temperature", temperature="")
        self.assertEqual(self.high(key), cold)

    def test_nonsense_is_refused_beside_the_field(self) -> None:
        for text in ("warm", "900", "-90"):
            answer = self.post("bench-temperature", temperature=text)
            self.assertContains(answer, f'value="{text}"', status_code=422)
        self.assertIsNone(Workshop(self.now).temperature_c)

    def test_a_log_is_fitted_at_its_own_temperature(self) -> None:
        self.post("bench-temperature", temperature="20 °C")
        data = csv_of(planned(provable(**{"conditions.temperature_c": 20, "source.capacity_ah": 3.6})))
        row = logs.keep_log(*self.brought(data))
        capacity = logs.fit_of(row).of("capacity")
        assert capacity is not None and capacity.now is not None
        self.assertAlmostEqual(capacity.now, 3.6, delta=0.08)
        self.assertContains(self.post("log-temperature", row.pk, temperature="-5"), "Logged at")
        row.refresh_from_db()
        cold = logs.fit_of(row).of("capacity")  # as if the cold had been overcome by a larger pack
        assert cold is not None and cold.now is not None
        self.assertGreater(cold.now, 3.6 * 1.1)
        self.assertContains(self.post("log-temperature", row.pk, temperature="x"), 'value="x"', status_code=422)

    def brought(self, data: bytes) -> tuple[RunLogRow, Any]:
        row = logs.draft_log(self.now, "run.csv", data, "file", "pack")
        mapping = mapping_of(row)
        assert mapping is not None
        return row, mapping

    def test_the_record_carries_both(self) -> None:
        self.post("bench-temperature", temperature="18")
        logs.keep_log(*self.brought(csv_of(planned(provable()))))
        made = records.put_on_bench("".join(records.record_text(self.now)).encode(), "record.json")
        self.assertEqual((Workshop(made).temperature_c, made.logs.get().temperature_c), (18.0, 18.0))
        hot = "".join(records.record_text(self.now)).replace(
            '"bench_temperature_c": 18.0', '"bench_temperature_c": 1e9'
        )
        with self.assertRaises(CaseError):
            records.put_on_bench(hot.encode(), "record.json")


class Logs(Base):
    def bring(self, data: bytes, name: str = "run.csv") -> RunLogRow:
        self.last = self.post("log-bring", file=SimpleUploadedFile(name, data), place="pack")
        return RunLogRow.objects.get()

    def keep(self, row: RunLogRow, **changes: str) -> Any:
        form = {
            "time_kind": "seconds",
            "decimal": ",",
            "role-0": "time",
            "role-1": "pack_v",
            "role-2": "pack_a",
            **changes,
        }
        return self.post("log-keep", row.pk, **form)

    def real(self) -> Case:
        return planned(provable(**{"source.capacity_ah": 3.6, "source.resistance_ohm": 0.16}))

    @mock.patch.object(equipment, "AGAIN_S", (0.0, 0.0, 0.0))
    @mock.patch.object(equipment.connection, "close")
    def test_what_a_busy_database_refused_at_the_end_of_a_run_is_kept_a_little_later(self, _: mock.Mock) -> None:
        for place in ("add_rows", "finish_recording"):
            row = RunLogRow.objects.create(
                conversion=self.made, name="run-down", origin="instrument", state="recording", original_name="a.csv",
                mapping={"names": ["pack_v", "pack_a"]},
            )  # fmt: skip
            keeper = equipment._Keeper(row.pk, Plan("", "buffered", ("pack_v", "pack_a")))
            keeper.waiting = [[float(at), 12.0, 0.5] for at in range(30)]
            right, busy = getattr(logs, place), OperationalError("database is locked")
            with mock.patch.object(logs, place, side_effect=[busy, mock.DEFAULT], wraps=right):
                keeper.over(True)
            row.refresh_from_db()
            self.assertEqual((row.state, row.rows), ("kept", 30), place)

    def test_a_file_is_shown_before_it_is_imported_then_compared_and_fitted(self) -> None:
        data = csv_of(self.real())
        row = self.bring(data)
        self.assertContains(self.last, "decimal commas")
        self.assertContains(self.last, "U [V]")
        self.assertEqual(row.state, "draft")
        answer = self.keep(row).content.decode()
        row.refresh_from_db()
        self.assertEqual(row.state, "kept")
        self.assertIn("nothing was logged for", answer)
        self.assertIn("shorter than predicted", answer)
        stale = RunLogRow.objects.get(pk=row.pk)
        stale.state = "recording"  # as it was read before the run ended
        shown = shown_log(Workshop(self.made), [stale])
        self.assertEqual((shown or {})["kind"], "kept", "an ended run is told of as one that nobody logs any more")
        self.assertFalse(log_row(stale)["orphan"])
        RunLogRow.objects.filter(pk=row.pk).update(state="recording")
        self.assertTrue((shown_log(Workshop(self.made), [stale]) or {})["orphan"])
        page = self.client.get(f"{self.made.get_absolute_url()}?panel=prove").content.decode()
        self.assertIn("was not logged to its end", page)
        self.assertNotIn("is being logged", page)
        RunLogRow.objects.filter(pk=row.pk).update(state="kept")
        self.assertIn("Capacity of the pack", answer)
        RunLogRow.objects.filter(pk=row.pk).update(original_name="läufe лог.csv")
        whole = self.client.get(reverse("log-original", args=[self.made.pk, row.pk]))
        self.assertEqual(whole.content, data)
        name = "l%C3%A4ufe-%D0%BB%D0%BE%D0%B3.csv"
        self.assertEqual(whole["Content-Disposition"], f"attachment; filename*=utf-8''{name}")
        self.assertLess(len(row.data), len(data) / 2)

    def test_what_the_run_tells_is_taken_into_the_plan_and_narrows_the_range(self) -> None:
        row = self.bring(csv_of(self.real()))
        self.keep(row)
        before = self.now.runtime_high_s - self.now.runtime_low_s
        answer = self.post("log-fit", row.pk, take=["source.capacity_ah", "source.resistance_ohm"])
        self.assertEqual(answer.status_code, 200, answer.content[-300:])
        source = self.now.case.source
        assert source is not None and not isinstance(source.capacity_ah, float)
        self.assertEqual(source.capacity_ah.known_by, "measured")
        self.assertAlmostEqual(number(source.capacity_ah), 3.6, delta=0.08)
        self.assertIn("run.csv", source.capacity_ah.note or "")
        self.assertLess(self.now.runtime_high_s - self.now.runtime_low_s, before)
        row.refresh_from_db()
        self.assertEqual({one["place"] for one in row.fits}, {"source.capacity_ah", "source.resistance_ohm"})

    def test_a_run_that_is_not_explained_is_only_taken_with_a_tick(self) -> None:
        row = self.bring(csv_of(planned(provable(**{"source.capacity_ah": 7.5}))))  # hardly the pack of the plan
        self.assertIn("does not explain this run", self.keep(row).content.decode())
        self.assertEqual(self.post("log-fit", row.pk, take=["source.capacity_ah"]).status_code, 422)
        self.assertEqual(self.post("log-fit", row.pk, take=["source.capacity_ah"], anyway="yes").status_code, 200)

    def test_a_conflict_loses_nothing(self) -> None:
        row = self.bring(csv_of(self.real()))
        self.keep(row)
        refused = self.post("log-fit", row.pk)
        self.assertEqual((refused.status_code, refused["HX-Retarget"]), (422, "#prove"))
        self.assertNotContains(refused, 'value="source.capacity_ah" checked', status_code=422)
        answer = self.post("log-fit", row.pk, take=["source.capacity_ah"], version=99)
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(self.now.version, 1)

    def test_refused_files_and_mappings(self) -> None:
        for data in (b"", b"PK\x03\x04zip", b"no numbers here\n"):
            with self.subTest(data=data):
                self.assertEqual(self.post("log-bring", file=SimpleUploadedFile("x.csv", data)).status_code, 422)
        self.assertEqual(self.post("log-bring").status_code, 422)
        row = self.bring(csv_of(self.real()))
        kept = self.keep(row, interval="soon", **{"role-1": "inlet_v", "decimal": "."}).content.decode()
        self.assertIn('<option value="inlet_v" selected>', kept)
        self.assertIn('<option value="." selected>', kept)
        self.assertIn('value="soon"', kept)
        for change in (
            {"role-1": "", "role-2": ""},
            {"role-2": "pack_v"},
            {"role-1": "time"},
            {"time_kind": "moons"},
            {"interval": "soon"},
        ):
            with self.subTest(change=change):
                self.assertEqual(self.keep(row, **change).status_code, 422)
        self.assertEqual(self.keep(row).status_code, 200)

    def test_typed_rows(self) -> None:
        answer = self.post("log-bring", rows="0 21.0 0.5\n60 20.9 0.5\n120 20.8 0.5\n")
        self.assertContains(answer, "Nothing is imported yet")

    def test_a_log_that_stops_counts_once_somebody_says_that_the_run_was_over(self) -> None:
        self.pass_all()
        cut = csv_of(planned(provable())).splitlines(keepends=True)[:900]
        row = self.bring(b"".join(cut))
        self.assertContains(self.keep(row), "The run was over then: count it")
        self.assertEqual(self.post("log-count", row.pk).status_code, 422)
        self.assertContains(self.post("log-count", row.pk, was_over="yes"), "it ran")
        row.refresh_from_db()
        newest = ReadingRow.objects.filter(ask="run-down.runtime").latest("pk")
        self.assertEqual((row.ended, newest.value), (True, row.lasts_s))

    def test_a_log_beside_a_plan_that_never_ends_or_ends_much_later(self) -> None:
        data = csv_of(planned(provable()))
        self.made = bench.create(provable(**{"device.modes.0.power_w": 0, "path.2.quiescent_w": 0}), "It draws nothing")
        self.assertContains(self.keep(self.bring(data)), "the plan has no run that ends")
        RunLogRow.objects.all().delete()
        self.made = bench.create(provable(**{"source.capacity_ah": 12}), "Three times the pack")
        self.assertContains(self.keep(self.bring(data)), "shorter than predicted")

    def test_a_log_of_a_frozen_record_stays(self) -> None:
        row = self.bring(csv_of(planned(provable())))
        self.keep(row)
        self.pass_all()
        self.assertEqual(self.post("freeze").status_code, 200)
        self.assertEqual(self.post("log-remove", row.pk).status_code, 422)
        self.assertTrue(RunLogRow.objects.exists())

    def test_a_run_that_nobody_logs_any_more_is_kept_or_taken_away(self) -> None:
        names = {"names": ["pack_v", "pack_a"]}
        for i in range(2):
            row = RunLogRow.objects.create(
                conversion=self.made, name=f"run {i}", origin="instrument", state="recording", mapping=names
            )
            logs.add_rows(row, [[float(t), 20.0 - 0.01 * t, 0.5] for t in range(30)])
        self.assertIn("Nobody logs this run any more", self.page())
        self.assertEqual(self.post("log-stop", row.pk).status_code, 200)
        row.refresh_from_db()
        self.assertEqual((row.state, row.rows), ("kept", 30))
        other = RunLogRow.objects.get(state="recording")
        self.post("log-remove", other.pk)
        self.assertFalse(RunLogRow.objects.filter(state="recording").exists())

    def test_a_log_of_another_conversion_cannot_be_reached(self) -> None:
        row = self.bring(csv_of(self.real()))
        self.made = bench.create(provable(), "Another")
        self.assertEqual(self.post("log-remove", row.pk).status_code, 404)
        self.assertEqual(self.client.get(reverse("log-original", args=[self.made.pk, row.pk])).status_code, 404)

    def test_the_runs_charts_carry_the_log(self) -> None:
        row = self.bring(csv_of(self.real()))
        self.keep(row)
        self.assertIn('"logged": {"name": "run.csv"', self.page("run"))
        with mock.patch("hermotrope.proving.log_panel.log_from", side_effect=AssertionError("it was read again")):
            self.assertIn('"logged": {"name": "run.csv"', self.page("run"))
        self.post("log-bring", file=SimpleUploadedFile("later.csv", csv_of(self.real())), place="pack")
        self.keep(RunLogRow.objects.latest("pk"))
        self.assertIn('"logged": {"name": "later.csv"', self.page("run"))


class Records(Base):
    def test_nothing_is_frozen_before_every_gate_has_passed(self) -> None:
        self.assertEqual(self.post("freeze").status_code, 422)
        self.pass_all()
        self.assertEqual(self.post("freeze", version=77).status_code, 409)
        self.assertEqual(self.post("freeze").status_code, 200)
        self.assertIsNotNone(self.now.proved_on)
        self.assertIn("proved", self.client.get("/?show=proved").content.decode())

    def test_what_is_frozen_stays_and_later_changes_are_shown(self) -> None:
        self.pass_all()
        self.post("freeze")
        document = self.now.proved.get().document
        patch = [{"op": "replace", "path": "/duty/repeat/0/seconds", "value": 777}]
        bench.change(self.made.pk, self.now.version, patch, "later")
        page = self.page()
        self.assertIn("change since", page)
        self.assertIn("Duty 1 on: Lasts", page)
        self.assertEqual(self.now.proved.get().document, document)
        self.assertIn("changed since", self.client.get("/").content.decode())

    def test_one_file_carries_all_of_it_there_and_back(self) -> None:
        actions.tick(self.made, "gather", done=True)
        actions.annotate(self.made, "cut", "used 20 AWG")
        actions.mark_part(self.made, "source", "own", 12.5)
        self.pass_all()
        row = logs.draft_log(self.made, "run.csv", csv_of(planned(provable())), "file", "pack")
        logs.keep_log(row, logs.recognise(logs.original_of(row)).mapping)
        records.freeze(self.now, self.now.version)
        data = self.client.get(reverse("record-file", args=[self.made.pk])).getvalue()
        answer = self.client.post(reverse("import"), {"file": SimpleUploadedFile("r.json", data)})
        self.assertEqual(answer.status_code, 302)
        copy = Conversion.objects.exclude(pk=self.made.pk).get()
        first, second = records.record_of(self.now), records.record_of(copy)
        self.assertEqual(first, second)
        self.assertEqual(list(records.logs_of(self.now)), list(records.logs_of(copy)))
        self.assertEqual(copy.proved_on, self.now.proved_on)
        self.assertTrue(Workshop(copy).all_passed)
        self.assertEqual(copy.logs.get().rows, self.now.logs.get().rows)

    def test_a_record_that_cannot_be_read_in_again_says_so(self) -> None:
        address = f"{self.made.get_absolute_url()}?panel=record"
        row = logs.draft_log(self.made, "run.csv", csv_of(planned(provable())), "file", "pack")
        row.original = bytes(3_000_000)
        row.save()
        with mock.patch.object(joins, "LARGEST_BYTES", 4_000_000):
            self.assertNotContains(self.client.get(address), "read in again")
        with mock.patch.object(joins, "LARGEST_BYTES", 3_900_000):
            page = " ".join(self.client.get(address).content.decode().split())
        self.assertIn("some 4 MB: more than is read in again (3.9 MB). A", page)
        self.assertIn(f'href="{reverse("backup")}">backup</a> of the whole bench keeps everything', page)

    def test_damaged_records_are_refused_by_place(self) -> None:
        self.pass_all()
        good = json.loads(self.client.get(reverse("record-file", args=[self.made.pk])).getvalue())
        for change, word in (
            ({"case": {**good["case"], "title": 7}}, "case"),
            ({"readings": [{"ask": "x"}]}, "readings[0]"),
            ({"readings": [{**good["readings"][0], "taken_at": "yesterday"}]}, "readings[0].taken_at"),
            *(
                (
                    {"readings": [{**good["readings"][0], "taken_at": when}]},
                    "readings[0].taken_at: must be in the years",
                )
                for when in ("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00")
            ),
            ({"fault": "gremlins"}, "fault"),
            ({"surprise": 1}, "surprise"),
            ({"format": "hermotrope-record/9"}, "format"),
            (
                {"logs": [{"name": "x", "origin": "file", "original_name": "x", "original": "!!", "mapping": {}}]},
                "logs",
            ),
            ({"proved": [{"on": "x"}]}, "proved[0]"),
            ({"parts": [{"key": "source", "price": -3}]}, "parts[0].price"),
            ({"readings": [{**good["readings"][0], "value": float("nan")}]}, "must be a finite number"),
        ):
            with self.subTest(word=word):
                data = json.dumps({**good, **change}).encode()
                answer = self.client.post(reverse("import"), {"file": SimpleUploadedFile("r.json", data)})
                self.assertContains(answer, word, status_code=422)
        self.assertEqual(Conversion.objects.count(), 1)

    def test_a_fault_that_the_plan_can_no_longer_have_does_not_break_the_bench(self) -> None:
        Rehearsal.objects.create(conversion=self.made, fault="sleepy-bank")
        self.assertNotIn("sleepy-bank", applicable(self.made.case))
        self.addCleanup(equipment.close_all)
        self.assertEqual(self.client.get(f"{self.made.get_absolute_url()}?panel=prove").status_code, 200)
        self.assertEqual(records.record_of(self.made).fault, "sleepy-bank")

    def test_how_a_log_is_read_is_checked_before_it_is_read(self) -> None:
        row = logs.draft_log(self.made, "run.csv", csv_of(planned(provable())), "file", "pack")
        logs.keep_log(row, logs.recognise(logs.original_of(row)).mapping)
        good = json.loads("".join(records.record_text(self.made)))
        self.assertEqual(len(good["logs"]), 1)
        column = good["logs"][0]["mapping"]["columns"][0]
        for change in (
            {"encoding": "x"}, {"encoding": "idna"}, {"encoding": "rot13"}, {"separator": ""}, {"separator": ";;"},
            {"separator": "\n"}, {"first_row": 10**18}, {"first_row": -1}, {"time_index": 10**9}, {"time_index": -2},
            {"time_index": -1}, {"interval_s": 0}, {"interval_s": 1e300}, {"columns": [column, column]},
            {"columns": [column | {"index": 10**9}]}, {"columns": [column | {"index": -1}]}, {"columns": []},
            {"columns": [column | {"factor": 0}]}, {"columns": [column | {"factor": 1e300}]},
        ):  # fmt: skip
            with self.subTest(change):
                tree = json.loads(json.dumps(good))
                tree["logs"][0]["mapping"] |= change
                began = time.thread_time()
                data = json.dumps(tree).encode()
                answer = self.client.post(reverse("import"), {"file": SimpleUploadedFile("r.json", data)})
                self.assertEqual(answer.status_code, 422)
                self.assertLess(time.thread_time() - began, 5.0)
        self.assertEqual(Conversion.objects.count(), 1)

    def test_a_waiver_in_a_file_does_not_go_past_polarity(self) -> None:
        self.pass_all()
        good = json.loads(self.client.get(reverse("record-file", args=[self.made.pk])).getvalue())
        basis = good["readings"][0]["basis"]
        good["readings"] = [one for one in good["readings"] if not one["ask"].startswith("polarity")]
        good["waivers"] = [
            {"gate": "polarity", "reason": "x", "given_at": "2026-01-01T00:00:00+00:00", "by": "", "basis": basis}
        ]
        copy = records.put_on_bench(json.dumps(good).encode(), "r.json")
        states = {row.gate.key: row.state for row in Workshop(copy).progress}
        self.assertEqual((states["polarity"], states["device"]), ("open", "locked"))

    def test_the_record_reads_back_as_it_was_written(self) -> None:
        self.pass_all()
        made = records.record_of(self.now)
        self.assertEqual(read_record(write_record(made).encode()), made)


def picture(kind: str = "JPEG", size: tuple[int, int] = (2400, 1200), **more: Any) -> bytes:
    out = BytesIO()
    Image.new("RGB", size, "teal").save(out, kind, **more)
    return out.getvalue()


class Steps(Base):
    def test_ticks_notes_and_progress(self) -> None:
        self.assertContains(self.post("tick", key="gather", done="yes"), "1 of")
        self.assertIn("built 1 of", self.now.workshop)
        self.assertContains(self.post("note", key="gather", note="all there"), 'value="all there"')
        self.assertEqual(self.post("tick", key="nonsense", done="yes").status_code, 422)
        self.assertContains(self.post("note", key="gather", note="x" * 600), "at most 500", status_code=422)
        self.assertContains(self.post("tick", key="gather"), "0 of")

    def test_a_tick_counts_as_long_as_the_step_says_the_same(self) -> None:
        fuse = next(one.step.key for one in Workshop(self.now).marked if one.step.key.startswith("fuse"))
        for key in (fuse, "label"):
            self.post("tick", key=key, done="yes")
        path = f"/path/{fuse.rpartition('-')[2]}/rating_a"
        made = bench.change(
            self.made.pk, self.now.version, [{"op": "replace", "path": path, "value": 7.5}], "Another fuse"
        )
        self.assertIn("built 1 of", made.workshop)
        self.assertIn("built 1 of", self.now.workshop)
        self.assertIn("the plan changed since you did this", self.page("do"))
        bench.step(self.made.pk, self.now.version, -1)
        self.assertIn("built 2 of", self.now.workshop)

    def test_pictures_are_re_encoded_without_metadata(self) -> None:
        exif = Image.Exif()
        exif[0x010E], exif[0x0112] = "taken at the shed", 6
        answer = self.post("photo", key="gather", file=SimpleUploadedFile("a.jpg", picture(exif=exif)))
        self.assertEqual(answer.status_code, 200)
        row = Photo.objects.get()
        served = self.client.get(reverse("picture", args=[self.made.pk, row.pk]))
        self.assertEqual((served["Content-Type"], served["X-Content-Type-Options"]), ("image/jpeg", "nosniff"))
        made = Image.open(BytesIO(served.content))
        self.assertEqual((len(made.getexif()), made.size), (0, (800, 1600)))  # upright, smaller
        self.assertNotIn(b"shed", served.content)
        self.post("photo", remove=str(row.pk))
        self.assertFalse(Photo.objects.exists())

    def test_what_is_no_picture_is_refused(self) -> None:
        for data in (b"", b"<svg/>", b"GIF89a", picture()[:200], b"\x89PNG\r\n\x1a\n" + b"0" * 50):
            with self.subTest(data=data[:8]):
                answer = self.post("photo", key="gather", file=SimpleUploadedFile("a.png", data))
                self.assertEqual(answer.status_code, 422)
        self.assertFalse(Photo.objects.exists())

    def test_parts_own_buy_price_and_csv(self) -> None:
        self.assertEqual(self.post("part", key="source", have="own", price="12,50").status_code, 200)
        self.assertContains(self.post("part", key="source", have="own", price="cheap"), "cheap", status_code=422)
        text = self.client.get(reverse("parts-file", args=[self.made.pk])).content.decode()
        self.assertIn("own,12.50,12.50", text)

    def test_the_sheet_has_everything(self) -> None:
        page = self.client.get(reverse("sheet", args=[self.made.pk])).content.decode()
        for words in (
            "Verdict: fits",
            "Cautions",
            "Wiring",
            "Parts",
            "Cut list",
            "Steps",
            "Prove, in this order",
            "How to go back",
            "Label for the box",
        ):
            self.assertIn(words, page)

    def test_sheets_of_unfinished_and_stopped_conversions(self) -> None:
        self.made = bench.create(case("judgements", "all-well", **{"source": None, "path": []}), "bare")
        self.assertContains(self.client.get(reverse("sheet", args=[self.made.pk])), "First choose a pack")
        self.made = bench.create(provable(**{"device.traits": ["life-safety"]}), "stopped")
        self.assertContains(self.client.get(reverse("sheet", args=[self.made.pk])), "Nothing is built before")
