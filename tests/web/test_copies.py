"""A conversion once more under another name, and the words by which it is found."""

from __future__ import annotations

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.plan.trust import trust_of
from tests.web.demo import DemoTest


class Copies(DemoTest):
    def setUp(self) -> None:
        self.made = Conversion.objects.get(title="Pan mount, Hide 3")

    def copied(self, **words: str) -> Conversion:
        answer = self.client.post(f"/c/{self.made.pk}/copy/", words)
        self.assertEqual(answer.status_code, 302)
        newest = Conversion.objects.order_by("-pk")[0]
        self.assertEqual(answer["Location"], newest.get_absolute_url())
        return newest

    def test_all_of_the_plan_and_nothing_of_its_proof(self) -> None:
        self.assertIsNotNone(self.made.proved_on)
        copy = self.copied(what="all", title="Hide 4")
        self.assertEqual((copy.case.path, copy.case.device, copy.case.source), self.parts("path", "device", "source"))
        self.assertEqual(
            (copy.title, copy.verdict, copy.proved_on, copy.done_on), ("Hide 4", self.made.verdict, None, None)
        )
        self.assertFalse(copy.proved_as_it_is)
        self.assertNotEqual(trust_of(copy.case, proved=False).word, trust_of(self.made.case, proved=True).word)
        self.assertEqual(copy.revisions.get().label, "Copied from “Pan mount, Hide 3”")

    def test_the_device_with_its_duty(self) -> None:
        copy = self.copied(what="device")
        self.assertEqual(
            (copy.case.device, copy.case.duty, copy.case.conditions), self.parts("device", "duty", "conditions")
        )
        self.assertEqual(
            (copy.title, copy.verdict, copy.case.path, copy.case.source), ("Pan mount, Hide 3, copy", "open", (), None)
        )

    def test_the_pack_with_its_line(self) -> None:
        copy = self.copied(what="line", title="Line of Hide 3")
        self.assertEqual((copy.case.path, copy.case.source), self.parts("path", "source"))
        self.assertEqual((copy.case.device.modes, copy.verdict), ((), "open"))
        self.assertEqual(self.client.get(copy.get_absolute_url()).status_code, 200)

    def test_a_slip_keeps_what_was_typed(self) -> None:
        before = Conversion.objects.count()
        for words, why in (
            ({"what": "half", "title": "Hide 5"}, "Choose what is copied"),
            ({"title": "x" * 201}, "up to 200"),
        ):
            answer = self.client.post(f"/c/{self.made.pk}/copy/", {**words, "panel": "record"})
            self.assertContains(answer, why, status_code=422)
            self.assertContains(answer, f'value="{words["title"]}"', status_code=422)
        self.assertEqual(Conversion.objects.count(), before)

    def test_tags_find_it(self) -> None:
        words = {"text": " Hide;  By the  Water, hide,", "version": str(self.made.version), "panel": "record"}
        self.assertEqual(self.client.post(f"/c/{self.made.pk}/tags/", words).status_code, 302)
        self.made.refresh_from_db()
        self.assertEqual(self.made.tag_words, ["hide", "by the water"])
        found = self.client.get("/?q=by the water")
        self.assertContains(found, "One conversion")
        self.assertContains(found, 'href="/?q=by%20the%20water"')
        late = self.client.post(f"/c/{self.made.pk}/tags/", words)
        self.assertContains(late, "Another tab changed this conversion", status_code=409)
        long = {"text": "x" * 201, "version": str(self.made.version), "panel": "record"}
        answer = self.client.post(f"/c/{self.made.pk}/tags/", long)
        self.assertContains(answer, "up to 200 letters together", status_code=422)
        self.assertContains(answer, "x" * 201, status_code=422)
        self.assertEqual(actions.copy(self.made.pk, "all", "Hide 4").pk, Conversion.objects.order_by("-pk")[0].pk)
        self.assertEqual(Conversion.objects.order_by("-pk")[0].tag_words, ["hide", "by the water"])
        Conversion.objects.filter(pk=self.made.pk).update(tags="überland")
        link = f'href="/c/{self.made.pk}/"'
        for typed in ("Überland", "ÜBERLAND"):
            self.assertContains(self.client.get("/", {"q": typed}), link)
        self.assertNotContains(self.client.get("/", {"q": "Unterland"}), link)

    def parts(self, *names: str) -> tuple[object, ...]:
        return tuple(getattr(self.made.case, name) for name in names)
