"""With what lies on one's own table: a label, the shelf, Match, a built record, and no generic part anywhere."""

from __future__ import annotations

import json
import re
from pathlib import Path

from django.test import tag
from playwright.sync_api import expect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.shelf.models import Item
from tests.browser.base import BrowserTest
from tests.support import case

FEEDER = {
    "source": None,
    "path": [],
    "device.supply": {"min_v": 9, "nominal_v": 11.1, "max_v": 13},
    "device.ends": "clean",
    "device.inlet": {"kind": "terminals", "polarity": "marked", "measured": True},
    "duty.repeat": [{"mode": "hold", "seconds": 600}],
}


class OwnPack(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        Item.objects.all().delete()

    @tag("late")
    def test_from_its_label_to_a_built_record(self) -> None:
        page = self.page
        self.goto("/shelf/")
        page.locator("#label").fill("3S2P 11.1V 5Ah")
        expect(page.locator("#decoded")).to_contain_text("12.6 full")
        page.get_by_role("button", name="Put it on the shelf").click()
        page.locator("tr.own a", has_text="3S2P 11.1V 5Ah").first.click()
        for row, choice in (("kind", "terminals"), ("polarity", "marked"), ("measured", "yes")):
            field = page.locator(f"#f-outlet-{row}").first
            field.select_option(choice)
            expect(page.locator(f"#f-outlet-{row}").first).to_have_value(choice)
        item = Item.objects.get()
        self.assertEqual(item.content().outlet.kind, "terminals")  # type: ignore[union-attr]

        made = actions.create(case("cases", "hide-mount-on-tool-pack", **FEEDER), "Started")
        self.goto(f"/c/{made.pk}/?panel=match")
        first = page.locator(".way-list .way").first
        expect(first).to_contain_text("3S2P 11.1V 5Ah")
        expect(page.locator("#ways")).not_to_contain_text("0 against 0")
        expect(page.locator("#ways")).not_to_contain_text("Trying every way")  # the list is drawn anew meanwhile
        first.get_by_role("button", name="Take it").click()
        expect(page.locator("#verdict .verdict").first).to_have_text(re.compile("^Fits"))
        taken = Conversion.objects.get(pk=made.pk).case
        assert taken.source is not None and taken.source.outlet is not None
        self.assertEqual((taken.source.name, taken.source.outlet.measured), ("3S2P 11.1V 5Ah", True))

        page.locator("#tab-build").click()
        page.locator("#tab-do").click()
        ticks = page.locator("#steps input[type=checkbox][name=done]")
        expect(ticks.first).to_be_visible()
        for i in range(ticks.count()):
            ticks.nth(i).click()  # the answer to one may come while the next is pressed: what counts is what is kept
            expect(page.locator("#steps .row-note", has_text="; done")).to_have_count(i + 1)
        expect(page.locator("#steps input[type=checkbox][name=done]:checked")).to_have_count(ticks.count())
        page.locator("#tab-record").click()
        with page.expect_download() as kept:
            page.locator("a[href$='record.json']").first.click()
        record = json.loads(Path(kept.value.path()).read_text())
        text = json.dumps(record)
        self.assertIn("3S2P 11.1V 5Ah", text)
        self.assertNotIn("generic", text.lower())
