"""Several conversions at once: chosen and tagged, put away, brought back, removed, and two compared."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.comparing import different
from hermotrope.bench.models import Conversion
from hermotrope_core.plan.difference import difference
from tests.web.client import Reader
from tests.web.demo import DemoTest


class Several(DemoTest):
    client_class = Reader

    def setUp(self) -> None:
        self.by = {one.case.device.name: one for one in Conversion.objects.all()}
        self.two = [self.by["Sampling boat"].pk, self.by["Bat detector"].pk]

    def press(self, do: str, pks: list[int] | None = None, **more: Any) -> Any:
        return self.client.post("/several/", {"do": do, "pk": self.two if pks is None else pks, **more})

    def test_put_away_and_brought_back(self) -> None:
        self.assertRedirects(self.press("archive"), "/")
        page = self.client.get("/")
        self.assertContains(page, "6 conversions")
        self.assertNotContains(page, f'value="{self.two[0]}" form="several"')
        for show in ("all", "done", "fits", "care", "refused", "open"):
            self.assertNotContains(self.client.get(f"/?show={show}"), f'value="{self.two[1]}" form="several"')
        away = self.client.get("/?show=archived")
        self.assertContains(away, f'value="{self.two[0]}" form="several"')
        self.assertEqual(self.client.get(self.by["Sampling boat"].get_absolute_url()).status_code, 200)
        self.press("back")
        self.assertContains(self.client.get("/"), "8 conversions")
        self.assertNotContains(self.client.get("/"), "Put away")

    def test_tagged_and_untagged(self) -> None:
        self.press("tag", text=" Pond, Life ")
        self.assertEqual(set(Conversion.objects.filter(pk__in=self.two).values_list("tags", flat=True)), {"pond life"})
        self.press("tag", text="wet")
        self.press("untag", text="POND life")
        self.assertEqual(set(Conversion.objects.filter(pk__in=self.two).values_list("tags", flat=True)), {"wet"})
        self.assertContains(self.press("tag"), "which tag?", status_code=422)

    def test_what_cannot_be_done_is_told_and_nothing_is_done(self) -> None:
        for do, pks, more, words in (
            ("remove", None, {}, "for good"),
            ("remove", [], {"sure": "yes"}, "Choose some"),
            ("burn", None, {}, "choose what is done"),
            ("compare", self.two[:1], {}, "Two are compared; 1 are chosen"),
            ("tag", None, {"text": "x" * 300}, "letters together"),
        ):
            with self.subTest(do, words=words):
                self.assertContains(self.press(do, pks, **more), words, status_code=422)
        self.assertEqual(Conversion.objects.count(), 8)
        self.assertEqual(
            self.client.post("/several/", {"do": "remove", "pk": ["x", "²", "-1", "9" * 30]}).status_code, 422
        )

    def test_removed_for_good(self) -> None:
        self.press("remove", sure="yes")
        self.assertEqual(Conversion.objects.count(), 6)

    def test_two_side_by_side(self) -> None:
        to = self.press("compare")
        self.assertRedirects(to, f"/compare/?a={self.two[0]}&b={self.two[1]}")
        page = self.client.get(to.url)
        for words in ("Sampling boat", "Bat detector", "verdict", "refused", "What differs", "mean at the inlet"):
            self.assertContains(page, words)

    def test_what_differs_is_what_was_changed(self) -> None:
        boat = self.by["Sampling boat"]
        self.client.post(f"/c/{boat.pk}/copy/", {"what": "all", "title": "Second boat"})
        second = Conversion.objects.get(title__startswith="Second boat")
        self.assertEqual(different((boat, second)), [])
        place = {"place": "/source/capacity_ah", "text": "5 Ah", "version": second.version, "panel": "run"}
        self.client.post(f"/c/{second.pk}/set/", place, headers={"HX-Request": "true"})
        second.refresh_from_db()
        self.assertEqual(different((boat, second)), [("pack: Capacity", "6 Ah", "5 Ah")])
        self.assertContains(self.client.get(f"/compare/?a={boat.pk}&b={second.pk}"), "5 Ah")
        told = different((self.by["Otter-gate tag reader"], self.by["Bat detector"]))
        self.assertIn(("mode 1: Name", "reading", "listening"), told)
        self.assertIn(("mode 1: Stated in", "power", "current"), told)
        self.assertIn(("device: Warns when low", "no", "yes"), told)
        mount, receiver = self.by["Pan mount, Hide 3"], self.by["Weather receiver"]
        told = different((mount, receiver))
        self.assertIn(("mode 1: Power", "6 W", "–"), told)
        self.assertIn("(measured)", " ".join(one.was for one in difference(mount.case, receiver.case)))
        self.assertNotIn("(measured)", " ".join(words for row in told for words in row))

    def test_addresses_that_name_no_two(self) -> None:
        for query in ("", "a=1", "a=x&b=y", "a=99999&b=1", f"a={self.two[0]}&b={self.two[0]}"):
            self.assertEqual(self.client.get(f"/compare/?{query}").status_code, 200, query)
