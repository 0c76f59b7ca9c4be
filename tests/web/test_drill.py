"""Playing the drill: readings, naming, switching on; the fault stays hidden until it is over."""

from __future__ import annotations

from typing import Any

from django.test import TestCase

from hermotrope.drill.models import Attempt
from hermotrope_core.prove.drill_levels import SHIPPED, level
from hermotrope_core.prove.drill_line import WORDS
from tests.web.client import Reader


class Drill(TestCase):
    client_class = Reader

    def begin(self, key: str = "1") -> str:
        return str(self.client.post("/drill/begin/", {"level": key}).url)

    def probe(self, at: str, **typed: Any) -> Any:
        asked = {"red": "3", "black": "4", "mode": "V", "pack": "in", "switch": "on", **typed}
        return self.client.post(f"{at}probe/", asked)

    def test_every_level_begins_and_hides_its_fault(self) -> None:
        for i in range(1, len(SHIPPED) + 1):
            page = self.client.get(self.begin(str(i)))
            self.assertContains(page, SHIPPED[i - 1][0])
            self.assertEqual(page.content.count(WORDS[level(str(i)).hidden.kind].encode()), 1)  # in the list of all
            self.assertNotContains(page, "Switched on as it is")
        self.assertContains(self.client.get(self.client.post("/drill/begin/").url), "Drawn,")

    def test_found_with_one_reading_and_told_what_it_was_worth(self) -> None:
        at = self.begin()
        self.assertRedirects(self.probe(at), at)
        self.assertContains(self.client.get(at), "-12.7")
        self.client.post(f"{at}name/", {"fault": "reversed-plug"})
        page = self.client.get(at)
        for words in (
            "Found:",
            "Smoke. 12.7 V reached it the wrong way round",
            "worth",
            "What would have told it first",
        ):
            self.assertContains(page, words)
        self.assertContains(self.client.get("/drill/"), "found with 1 reading")

    def test_a_wrong_name_a_wrong_power_up_and_no_readings_left(self) -> None:
        wrong, power, idle = self.begin(), self.begin(), self.begin("8")
        self.client.post(f"{wrong}name/", {"fault": "no-link"})
        self.assertContains(self.client.get(wrong), "Not found")
        self.client.post(f"{power}power/")
        self.assertContains(self.client.get(power), "Smoke")
        for _ in range(level("8").readings):
            self.probe(idle)
        page = self.client.get(idle)
        self.assertContains(page, "somebody switched it on")
        self.assertEqual(Attempt.objects.filter(right=True).count(), 0)

    def test_all_well_may_be_switched_on(self) -> None:
        at = self.begin("4")
        self.client.post(f"{at}power/")
        self.assertContains(self.client.get(at), "Rightly switched on")

    def test_what_cannot_be_is_told_and_counts_nothing(self) -> None:
        at = self.begin()
        for typed, words in (
            ({"red": "4"}, "both probes on one point"),
            ({"red": "9"}, "choose two points"),
            ({"red": "²"}, "choose two points"),
            ({"mode": "W"}, "what the meter reads"),
        ):
            self.assertContains(self.probe(at, **typed), words, status_code=422)
        other = self.client.post(f"{at}name/", {"fault": "sleepy"})
        self.assertContains(other, "choose one of the faults", status_code=422)
        self.assertEqual(Attempt.objects.get().readings, [])
        self.client.post(f"{at}name/", {"fault": "none"})
        self.assertContains(self.probe(at), "this one is over", status_code=422)
        self.assertContains(self.client.post(f"{at}power/"), "this one is over", status_code=422)

    def test_no_such_level_or_attempt(self) -> None:
        self.assertEqual(self.client.post("/drill/begin/", {"level": "11"}).status_code, 404)
        self.assertEqual(self.client.get("/drill/9/").status_code, 404)
        self.assertEqual(self.client.post("/drill/9/probe/").status_code, 404)
