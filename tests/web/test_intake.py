"""The intake's pages: window, polarity, measuring helpers."""

from __future__ import annotations

from typing import Any

from django.test import TestCase

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.plan.document import case_from
from hermotrope_core.values.known import Known, number
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

    def test_the_window_from_cells_and_from_an_adapter(self) -> None:
        told = self.post("intake", **{"from": "cells", "chemistry": "nimh", "count": "9"})
        self.assertIn("Most volts: 13.1 V from 9 nickel-metal", told)
        supply = self.now().case.device.supply
        self.assertEqual(supply.max_v, Known(value=13.05, known_by="typical", note=supply.max_v.note))  # type: ignore[union-attr]
        text = self.post("intake", **{"from": "adapter", "volts": "12 V", "kind": "unregulated", "unloaded": "16.9"})
        self.assertIn("Most volts: 16.9 V (measured) replaces 13.1 V (typical)", text)

    def test_refused_with_a_reason(self) -> None:
        for data, says in (
            ({"from": "cells", "chemistry": "nimh", "count": "lots"}, "no number of cells"),
            ({"from": "cells", "chemistry": "nimh", "count": "77"}, "1 to 40 cells"),
            ({"from": "cells", "chemistry": "mud", "count": "4"}, "no chemistry"),
            ({"from": "adapter", "volts": "12 V", "kind": "ac"}, "says nothing about direct current"),
            ({"from": "adapter", "volts": "", "kind": "regulated"}, "nothing is entered"),
            ({"from": "adapter", "volts": "12", "kind": "regulated", "unloaded": "3"}, "measure again"),
        ):
            with self.subTest(says):
                text = self.post("intake", 422, **data, panel="6")
                self.assertIn(says, text)
                for typed in filter(None, (data.get("volts"), data.get("count"), data.get("unloaded"))):
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
