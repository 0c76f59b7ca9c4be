"""A shelf of thousands: every list shows its first page, and what is not on it is found by its name."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.outing.models import Outing
from hermotrope.shelf.models import Item
from tests.web.client import Reader
from tests.web.demo import DemoTest

COPIES = 25
LARGEST_KB = 200


class Crowded(DemoTest):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        facts = [one.attname for one in Item._meta.concrete_fields if one.attname not in ("id", "key", "name")]
        rows = list(Item.objects.exclude(kind="meter"))
        for copy in range(COPIES):
            Item.objects.bulk_create(
                Item(
                    key=f"copy-{row.pk}-{copy}",
                    name=f"{row.name} of crate number{copy}x",
                    **{fact: getattr(row, fact) for fact in facts} | {"have": Item.Have.MAYBE},
                )
                for row in rows
            )
        cls.pack = Item.objects.filter(kind="source", key__startswith="copy-").order_by("pk").last()
        cls.lamp = Conversion.objects.get(pk=2)

    def text(self, url: str, **asked: Any) -> str:
        answer = self.client.get(url, asked)
        self.assertEqual(answer.status_code, 200)
        return answer.content.decode()

    def test_no_view_holds_them_all(self) -> None:
        self.assertGreater(Item.objects.count(), 2000)
        for panel in ("1", "2", "add-1", "run", "match", "build", "make"):
            text = self.text("/c/2/", panel=panel)
            self.assertLess(len(text) / 1000, LARGEST_KB, panel)
            if job := re.search(r'name="job" value="(\w+)"', text):  # else it goes on beside all the tests that follow
                self.client.post("/c/2/ways/stop/", {"job": job[1], "query": ""})
        for url in ("/", "/shelf/", "/outings/1/", "/new/"):
            self.assertLess(len(self.text(url)) / 1000, LARGEST_KB, url)

    def test_a_pack_beyond_the_page_is_found_and_taken(self) -> None:
        assert self.pack is not None
        plain, found = (self.text("/c/2/", panel="1", **asked) for asked in ({}, {"find": self.pack.name.upper()}))
        button = f'name="key" value="{self.pack.key}"'
        self.assertIn(f"find among {Item.objects.filter(kind='source').count()}", plain)
        self.assertNotIn(button, plain)
        self.assertIn(button, found)
        self.assertIn(f'value="{self.pack.name.upper()}"', found)
        version = self.lamp.version
        self.client.post("/c/2/pack/", {"key": self.pack.key, "version": version, "panel": "1"})
        source = Conversion.objects.get(pk=2).case.source
        assert source is not None
        self.assertEqual(source.name, self.pack.readable().name)  # type: ignore[union-attr]
        self.assertIn("No pack is called that", self.text("/c/2/", panel="1", find="zz%_'\"<&"))

    def test_a_part_beyond_the_page_is_found(self) -> None:
        last = Item.objects.filter(kind="fuse", key__startswith="copy-").order_by("pk").last()
        assert last is not None
        self.assertNotIn(f'data-part="{last.key}"', self.text("/c/2/", panel="add-1"))
        self.assertIn(f'data-part="{last.key}"', self.text("/c/2/", panel="add-1", find=last.name))

    def test_a_pack_beyond_the_page_is_laid_over(self) -> None:
        assert self.pack is not None
        option = f'<option value="{self.pack.key}">'
        self.assertNotIn(option, self.text("/c/2/", panel="run"))
        self.assertIn(option, self.text("/c/2/run/", panel="run", find=self.pack.name))
        laid = self.text("/c/2/run/", **{"panel": "run", "with": self.pack.key})  # stays when the search is over
        self.assertIn(f'<option value="{self.pack.key}" selected>', laid)

    def test_a_pack_and_a_device_beyond_the_page_go_along(self) -> None:
        assert self.pack is not None
        page = self.text("/outings/1/")
        self.assertIn('hx-get="/outings/choices/packs/"', page)
        self.assertNotIn('hx-get="/outings/choices/conversions/"', page)  # eight fit on it
        self.assertNotIn(f'<option value="{self.pack.pk}">', page)
        found = self.text("/outings/choices/packs/", find=self.pack.name)
        self.assertEqual(re.findall(r'value="(\d+)"', found), [str(self.pack.pk)])
        before = len(Outing.objects.get(pk=1).content().supplies)
        self.client.post("/outings/1/supply/", {"item": self.pack.pk, "version": Outing.objects.get(pk=1).version})
        self.assertEqual(len(Outing.objects.get(pk=1).content().supplies), before + 1)
        self.assertIn(self.lamp.title, self.text("/outings/choices/conversions/", find=self.lamp.title[:5].lower()))
        self.assertIn("nothing is called that", self.text("/outings/choices/conversions/", find="zz"))
        self.assertEqual(self.client.get("/outings/choices/parts/").status_code, 404)

    def test_a_bench_longer_than_its_page_goes_on_by_a_press(self) -> None:
        many = [Conversion(case=self.lamp.case, title=f"Lamp {n}", verdict="fits") for n in range(60)]
        Conversion.objects.bulk_create(many)
        first = self.text("/", order="title")
        total = Conversion.objects.filter(archived=False).count()
        self.assertEqual(first.count('name="pk"'), 40)
        more = re.search(r'href="(/\?show=all&amp;q=&amp;order=\w+&amp;n=(\d+))"[^>]*>(\d+) more<', first, re.DOTALL)
        assert more is not None
        self.assertEqual(int(more[3]), total - 40)
        whole = self.text(more[1].replace("&amp;", "&"))
        self.assertEqual(whole.count('name="pk"'), total)
        self.assertNotIn(" more<", whole)
        for nonsense in ("-1", "9" * 40, "x", "1e9"):
            self.assertEqual(self.text("/", n=nonsense).count('name="pk"'), 40)

    def test_what_a_part_costs_is_found_among_thousands(self) -> None:
        source = self.lamp.case.source
        assert source is not None
        self.assertTrue(Item.objects.filter(part__name=source.name).update(price=17.5))
        bare = msgspec.structs.replace(self.lamp.case, source=msgspec.structs.replace(source, price=None))
        made = actions.create(bare, "Started")
        self.assertIn("17.5", self.text(f"/c/{made.pk}/", panel="buy"))
