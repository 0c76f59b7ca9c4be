"""The intake's pages: window, polarity, measuring helpers."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import TestCase

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.plan.device import Device
from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.duty import Duty
from hermotrope_core.values.known import Known, maybe, number
from tests.support import tree
from tests.web.client import Reader

HTMX = {"HX-Request": "true"}


class Intake(TestCase):
    client_class = Reader

    def setUp(self) -> None:
        made = tree("cases", "hide-mount-on-tool-pack")
        made["device"]["supply"] = {}
        made["device"]["inlet"] = {"kind": "barrel", "outer_mm": 5.5, "inner_mm": 2.1}
        self.made = actions.create(case_from(made), "Started")

    def post(self, view: str, status: int = 200, **data: Any) -> str:
        form = {"version": self.now().version, **data}
        answer = self.client.post(f"/c/{self.made.pk}/{view}/", form, headers=HTMX)
        self.assertEqual(answer.status_code, status, answer.content.decode()[:300])
        return answer.content.decode()

    def now(self) -> Conversion:
        return Conversion.objects.get(pk=self.made.pk)

    def learn(self, kind: str, status: int = 200, **data: str) -> str:
        return self.post("evidence", status, **{"do": "add", "kind": kind, "panel": "6", **data})

    def test_the_window_from_cells_and_from_an_adapter(self) -> None:
        self.learn("cells", chemistry="nimh", cells_in_series="9")
        supply = self.now().case.device.supply
        self.assertEqual(supply.max_v, Known(value=13.05, known_by="typical", note=supply.max_v.note))  # type: ignore[union-attr]
        text = self.learn("adapter", nominal_v="12 V", regulated="no", unloaded_v="16.9")
        self.assertEqual(maybe(self.now().case.device.supply.max_v), 16.9)
        self.assertIn("Ran on an unregulated adapter labelled 12 V", text)

    def test_a_life_in_hours_typed_as_a_sum_gives_a_draw_and_a_duty(self) -> None:
        case = msgspec.structs.replace(self.now().case, device=Device(name="Lantern"), duty=Duty())
        made = actions.create(msgspec.structs.replace(case, path=(), source=None), "Started")
        self.made = made
        self.learn("life", lasted_s="21 * 2 h", cells_in_series="4", cell_size="C", chemistry="alkaline", mode="lit")
        case = self.now().case
        self.assertAlmostEqual(number(case.device.modes[0].draw or 0), 0.886, delta=0.001)
        self.assertEqual([segment.mode for segment in case.duty.repeat], ["lit"])
        self.assertIn("how many ampere-hours", self.learn("life", lasted_s="9 h", cells_in_series="4", mode="lit",
                                                          chemistry="nimh", cell_size="C"))  # fmt: skip

    def test_a_piece_is_changed_doubted_and_taken_out(self) -> None:
        self.learn("cells", chemistry="nimh", cells_in_series="9")
        self.learn("tried", at_v="9.6 V", went="worked", on="2026-05-17", note="on the bench")
        text = self.post("evidence", do="doubt", at="0", panel="6")
        self.assertIn("doubted, does not count", text)
        self.assertEqual(maybe(self.now().case.device.supply.max_v), 9.6)
        self.assertIn("Trust it again", text)
        self.post("evidence", do="doubt", at="0")
        change = {"do": "change", "at": "0", "kind": "cells", "chemistry": "nimh", "cells_in_series": "8"}
        self.post("evidence", **change)
        self.assertEqual(maybe(self.now().case.device.supply.max_v), 11.6)
        kept = self.now().case.device.evidence[1]
        self.assertEqual((kept.on, kept.note), ("2026-05-17", "on the bench"))
        self.post("evidence", do="remove", at="0")
        self.post("evidence", do="remove", at="0")
        self.assertEqual(self.now().case.device.evidence, ())
        self.assertIsNone(self.now().case.device.supply.max_v)
        for data in (
            {"do": "remove", "at": "0"},
            {"do": "remove", "at": "x"},
            {"do": "fold", "at": ""},
            {"do": "change"},
        ):
            self.post("evidence", 422, **data)

    def test_a_mode_becomes_diodes_and_back(self) -> None:
        place = "/device/modes/0/"
        self.post("set", place="/device/supply/nominal_v", text="12 V", known_by="label")
        text = self.post("set", place=f"{place}kind", text="led", known_by="", panel="6")
        self.assertIn("Dark at", text)
        mode = self.now().case.device.modes[0]
        self.assertEqual((mode.kind, number(mode.at_v or 0), number(mode.fade_v or 0)), ("led", 12, 8.4))
        self.assertAlmostEqual(number(mode.current_a or 0), 0.5)
        self.assertIn("must be above", self.post("set", 422, place=f"{place}fade_v", text="13 V", known_by="measured"))
        self.post("set", place=f"{place}fade_v", text="9 V", known_by="measured")
        self.assertEqual(number(self.now().case.device.modes[0].fade_v or 0), 9)
        for kind, own, value in (("current", "current_a", 0.5), ("led", "current_a", 0.5), ("power", "power_w", 6.0)):
            self.post("set", place=f"{place}kind", text=kind, known_by="")
            self.assertAlmostEqual(number(getattr(self.now().case.device.modes[0], own)), value)
        self.assertIsNone(self.now().case.device.modes[0].fade_v)

    def mini(self) -> str:
        """The inlet as the device's picture draws it."""
        page = self.client.get(f"/c/{self.made.pk}/?panel=6").content.decode()
        return page.split('class="mini-barrel"', 1)[1].split('id="uses"', 1)[0]

    def test_the_picture_draws_no_sign_that_nobody_measured(self) -> None:
        self.post("set", place="/device/inlet/polarity", text="centre-positive", known_by="")
        self.assertIn('<text class="sign" y="6">?</text>', self.mini())
        self.assertIn("polarity to be measured", self.mini())
        self.post("polarity", red_on="centre", text="12.1 V")
        self.assertIn('<text class="sign" y="6">+</text>', self.mini())
        self.assertNotIn("polarity to be measured", self.mini())

    def test_a_word_asks_and_an_answer_is_kept(self) -> None:
        case = self.now().case
        toy = msgspec.structs.replace(case.device, name="Ride-on toy", traits=())
        self.made = actions.create(msgspec.structs.replace(case, device=toy), "Started")
        page = self.client.get(f"/c/{self.made.pk}/?panel=6").content.decode()
        self.assertIn("“toy”: Does a child use it?", page)
        self.assertIn("“ride-on”: Does it carry somebody?", page)
        page = self.post("trait", trait="child", text="yes", panel="6")
        self.assertNotIn("Does a child use it?", page)
        self.assertIn("Does it carry somebody?", page)
        page = self.post("trait", trait="ridden", text="no", panel="6")
        self.assertNotIn("Does it carry somebody?", page)
        self.assertEqual((self.now().case.device.traits, self.now().case.device.denied), (("child",), ("ridden",)))

    def test_refused_with_a_reason_and_nothing_typed_is_lost(self) -> None:
        for kind, data, says in (
            ("cells", {"chemistry": "nimh", "cells_in_series": "lots"}, "is not a number"),
            ("cells", {"chemistry": "nimh", "cells_in_series": "7.5"}, "no count"),
            ("cells", {"chemistry": "nimh", "cells_in_series": "77"}, "1 to 40"),
            ("cells", {"chemistry": "mud", "cells_in_series": "4"}, "mud"),
            ("cells", {"chemistry": "nimh", "cells_in_series": ""}, "cells in series: still to be told"),
            ("adapter", {"nominal_v": "12 V", "regulated": "ac"}, "says nothing about direct current"),
            ("adapter", {"nominal_v": "", "regulated": "yes"}, "volts on its label: still to be told"),
            ("adapter", {"nominal_v": "12", "regulated": "yes", "unloaded_v": "3"}, "measure again"),
            ("adapter", {"nominal_v": "9-15 V", "regulated": "yes"}, "is that a range"),
            ("reading", {"at_v": "12 V", "mode": "on"}, "one of them"),
            ("tried", {"at_v": "12 V", "on": "last week"}, "2026-05-17"),
            ("hearsay", {"at_v": "12 V"}, "nothing of this kind"),
        ):
            with self.subTest(says):
                text = self.learn(kind, 422, **data)
                self.assertIn(says, text)
                for name, typed in data.items():
                    if typed and name not in ("chemistry", "regulated") and kind != "hearsay":
                        self.assertIn(f'value="{typed}"', text)
        self.assertEqual(self.now().version, 1)

    def test_a_measured_limit_keeps_what_it_contradicts(self) -> None:
        self.post("set", place="/device/supply/min_v", text="9 V", known_by="label")
        text = self.post("set", place="/device/supply/min_v", text="8 V", known_by="measured")
        self.assertIn("replaces 9.00 V (label)", text)

    def test_polarity_is_a_recorded_measurement(self) -> None:
        self.post("polarity", red_on="centre", text="-12.1 V")
        inlet = self.now().case.device.inlet
        self.assertEqual((inlet.polarity, inlet.measured), ("centre-negative", True))  # type: ignore[union-attr]
        self.assertIn("red on the centre reads", self.now().revisions.last().label)  # type: ignore[union-attr]
        self.assertIn("next to nothing", self.post("polarity", 422, red_on="sleeve", text="0.01 V"))
        text = self.post("polarity", 422, red_on="sleeve", text="plus", panel="6")
        self.assertIn("is not volts", text)
        self.assertIn('value="plus"', text)
        self.assertIn(
            'value="5 parsecs"', self.post("set", 422, place="/device/inlet/outer_mm", text="5 parsecs", panel="6")
        )
        self.assertIn('value="soon"', self.post("duty", 422, do="add", mode="hold", text="soon", panel="run"))
        self.assertIn('value="ages"', self.post("done", 422, text="ages", panel="run"))

    def test_another_connector_has_no_polarity_yet_and_undo_brings_it_back(self) -> None:
        self.post("set", place="/device/inlet/kind", text="barrel")
        self.post("set", place="/device/inlet/outer_mm", text="5.5 mm")
        self.post("polarity", red_on="centre", text="12.1 V")
        for place, text in (("outer_mm", "3.5 mm"), ("gender", "plug"), ("kind", "terminals")):
            self.post("set", place="/device/inlet/gender", text="socket")
            self.post("polarity", red_on="centre", text="12.1 V")
            told = self.post("set", place=f"/device/inlet/{place}", text=text)
            inlet = self.now().case.device.inlet
            with self.subTest(place):
                self.assertEqual((inlet.polarity, inlet.measured), ("unknown", False))  # type: ignore[union-attr]
                self.assertIn("polarity is open again", told)
                self.post("step", do="undo")
                self.assertTrue(self.now().case.device.inlet.measured)  # type: ignore[union-attr]

    def test_a_polarity_is_found_without_the_original_supply(self) -> None:
        self.post("set", place="/device/inlet/kind", text="barrel")
        self.assertIn("no joint", self.post("polarity", 422, found_by="capacitor", red_on="sleeve", text="80 Ω"))
        self.post("polarity", found_by="capacitor", red_on="sleeve", text="beep")
        inlet = self.now().case.device.inlet
        assert inlet is not None
        self.assertEqual((inlet.polarity, inlet.measured, inlet.found_by), ("centre-negative", True, "capacitor"))
        for kind in ("usb-c", "mains"):
            self.post("set", place="/device/inlet/kind", text=kind)
            self.assertIn("nobody probes", self.post("polarity", 422, red_on="centre", text="5 V"))

    def test_a_mode_comes_from_a_reading(self) -> None:
        self.post("reading", name="swing", volts="12.0 V", amps="2 A", where="inlet")
        self.post("reading", name="park", volts="18.5 V", amps="0.4 A", where="battery")
        self.post("reading", name="wait", volts="18.5 V", amps="0.4 A", where="battery", efficiency="90 %")
        made = [(m.name, number(m.power_w), m.power_w.known_by) for m in self.now().case.device.modes[-3:]]  # type: ignore[arg-type, union-attr]
        self.assertEqual(made, [("swing", 24.0, "measured"), ("park", 6.29, "typical"), ("wait", 6.66, "measured")])
        self.post("set", place="/device/inlet/kind", text="mains")
        self.assertIn("plug-in meter", self.post("reading", 422, name="mains", volts="230", amps="1", where="inlet"))

    def test_a_helper_shows_its_sum_and_stores_nothing(self) -> None:
        url = f"/c/{self.made.pk}/measure/resistance/"
        form = {"place": "/source/resistance_ohm", "volts-0": "20.1", "amps-0": "0.2"}
        form |= {"volts-1": "19.6", "amps-1": "4.2 A"}
        text = self.client.get(url, form, headers=HTMX).content.decode()
        self.assertIn("R = (V_light − V_heavy) / (I_heavy − I_light)", text)
        self.assertIn("Use 0.125 Ω, measured", text)
        part = self.client.get(
            url, form, headers={**HTMX, "HX-Target": "m-f-source-resistance-ohm-sum"}
        ).content.decode()
        self.assertIn("Use 0.125", part)
        self.assertNotIn("Amperes", part)
        self.assertIn("more amperes", self.client.get(url, {**form, "amps-1": "0.2"}, headers=HTMX).content.decode())
        self.assertIn("Amperes", self.client.get(url, {"place": form["place"]}).content.decode())
        for bad in ({"place": "/title"}, {"place": "/nowhere/x"}, {"place": "/path/0/rating_a"}):
            self.assertEqual(self.client.get(url, bad).status_code, 404)
        self.assertEqual(self.now().version, 1)


class Again(TestCase):
    client_class = Reader

    def setUp(self) -> None:
        one = {"repeat": [{"mode": "slew", "seconds": 60}]}
        source = tree("cases", "hide-mount-on-tool-pack")["source"]
        source["capacity_ah"] = {"value": source["capacity_ah"], "known_by": "label"}
        self.old = actions.create(
            case_from(tree("cases", "hide-mount-on-tool-pack", duty=one, source=source)), "Started"
        )
        self.old.measured_s = 3600.0
        self.old.save()

    def start(self, status: int = 302, **data: str) -> str:
        answer = self.client.post("/new/", {"device": "again", "earlier": str(self.old.pk), **data})
        self.assertEqual(answer.status_code, status)
        return answer.content.decode()

    def test_a_device_of_the_bench_brings_what_its_run_taught(self) -> None:
        self.start(title="Mount on the new pack")
        made = Conversion.objects.exclude(pk=self.old.pk).get()
        self.assertEqual((made.title, made.case.source, made.case.path), ("Mount on the new pack", None, ()))
        slew = next(mode for mode in made.case.device.modes if mode.name == "slew")
        self.assertGreater(number(slew.draw or 0), 45)
        page = self.client.get(f"{made.get_absolute_url()}?panel=2").content.decode()
        self.assertIn("Ran 60 min (slew) on ", page)

        def post(**data: str) -> str:
            now = Conversion.objects.get(pk=made.pk)
            form = {"version": now.version, "panel": "1", "at": "0", "kind": "conversion", **data}
            answer = self.client.post(f"/c/{made.pk}/evidence/", form, headers=HTMX)
            self.assertIn(answer.status_code, (200, 422))
            return answer.content.decode()

        post(do="change", lasted_s="2 h", mode="slew")
        piece = Conversion.objects.get(pk=made.pk).case.device.evidence[0]
        self.assertEqual((piece.lasted_s, piece.source), (7200.0, self.old.case.source))  # type: ignore[union-attr]
        self.assertIn("does not last so long", post(do="change", lasted_s="2000 h", mode="slew"))
        self.assertIn("still to be told", post(do="change", lasted_s="", mode="slew"))
        post(do="doubt")
        post(do="remove")
        self.assertEqual(Conversion.objects.get(pk=made.pk).case.device.evidence, ())
        self.assertIn("nothing of this kind is asked", post(do="add", lasted_s="2 h", mode="slew", at=""))

    def test_what_was_changed_after_it_ran_is_not_what_ran(self) -> None:
        self.old.done_revision = 1
        self.old.save()
        made = actions.put(self.old.pk, self.old.version, msgspec.structs.replace(self.old.case, path=()), "Bare")
        self.assertEqual(made.case.path, ())
        self.start()
        again = Conversion.objects.exclude(pk=self.old.pk).get()
        self.assertEqual(len(again.case.device.evidence[0].path), 4)  # type: ignore[union-attr]
        self.assertTrue(again.title.endswith(", once more"))

    def test_one_that_is_not_there(self) -> None:
        for key in ("", "0", "99999", "x", "²", "9" * 40):
            page = self.start(422, earlier=key, title="Kept as typed")
            self.assertIn("Choose one of these devices", page)
            self.assertIn('value="Kept as typed"', page)
