"""A file dropped on any page is recognised, and sent only when that is pressed."""

from __future__ import annotations

import base64
import csv
import json
import re
from io import BytesIO, StringIO

from django.core.management import call_command
from django.test import tag
from PIL import Image
from playwright.sync_api import expect

from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest
from tests.support import golden

DROP = """([name, data]) => {
  const bytes = Uint8Array.from(atob(data), (sign) => sign.charCodeAt(0));
  const files = new DataTransfer();
  files.items.add(new File([bytes], name));
  const event = new DragEvent("drop", { dataTransfer: files, bubbles: true, cancelable: true });
  document.querySelector("main").dispatchEvent(event);
}"""


class Dropped(BrowserTest):
    def drop(self, name: str, data: bytes) -> None:
        self.page.evaluate(DROP, [name, base64.b64encode(data).decode()])

    def test_a_case_comes_on_the_bench_when_it_is_pressed(self) -> None:
        tree = next(tree for name, tree, _ in golden("cases") if name == "reference-1")
        self.goto("/shelf/")
        self.drop("mine.json", json.dumps(tree).encode())
        said = self.page.locator("#dropped")
        expect(said).to_contain_text("“mine.json” (")
        expect(said).to_contain_text("is a case")
        self.assertEqual(Conversion.objects.count(), 0)
        said.get_by_role("button", name="Leave it").click()
        expect(said).to_have_count(0)
        self.assertEqual(Conversion.objects.count(), 0)
        self.drop("mine.json", json.dumps(tree, indent=2).encode())
        said.get_by_role("button", name="Put it on the bench").click()
        expect(self.page.locator("#line")).to_be_visible()
        self.assertEqual(Conversion.objects.count(), 1)

    @tag("late")
    def test_each_kind_is_told_and_goes_where_it_belongs(self) -> None:
        call_command("load_demo", verbosity=0)
        out = BytesIO()
        Image.new("RGB", (900, 700), "white").save(out, "JPEG")
        self.goto("/")
        said = self.page.locator("#dropped")
        for name, data, words in (
            ("x.bin", b"\x00\x01\x02", "is nothing that this bench reads"),
            ("x.json", b'{"format": "other/1"}', "is nothing that this bench reads"),
            ("x.zip", b"PK\x03\x04 other", "is nothing that this bench reads"),
            ("back.zip", b"PK\x03\x04..........bench.sqlite3", "is a backup of a whole bench"),
            ("log.csv", b"s,V\n0,12.4\n60,12.3\n", "Open the conversion that was logged"),
            ("labels.txt", b"10,000 mAh 3.7 V\n20V MAX 4Ah 72Wh\n", "is a list of labels"),
            ("shelf.csv", b"key,kind,group,name\na,source,b,c\n", "is a shelf"),
            ("p.jpg", out.getvalue(), "is a picture"),
        ):
            self.drop(name, data)
            expect(said).to_contain_text(words)
            said.get_by_role("button").last.click()
            expect(said).to_have_count(0)
        self.drop("p.jpg", out.getvalue())
        said.get_by_role("button", name="Measure a board in it").click()
        expect(self.page).to_have_url(re.compile(r"/shelf/measured/\d+/$"))
        gauge = next(one for one in Conversion.objects.all() if one.case.device.name == "Water-level gauge")
        self.goto(f"/c/{gauge.pk}/?panel=prove")
        rows = "\n".join(f"{60 * i},{12.9 - 0.01 * i:.2f},0.4" for i in range(40))
        self.drop("log.csv", f"seconds,volts,amps\n{rows}\n".encode())
        said.get_by_role("button", name="Look at it as a run").click()
        expect(self.page.locator("#prove")).to_contain_text("log.csv")
        self.goto("/")
        self.drop("shelf.csv", self.shelf())
        said.get_by_role("button", name="See what it would change").click()
        expect(self.page.locator("main")).to_contain_text("one more pack")

    def shelf(self) -> bytes:
        text = self.page.request.get(f"{self.live_server_url}/shelf/shelf.csv").text()
        names, first = list(csv.reader(text.splitlines()))[:2]
        row = dict(zip(names, first, strict=True)) | {"key": "one-more", "name": "one more pack"}
        out = StringIO()
        writer = csv.DictWriter(out, names)
        writer.writeheader()
        writer.writerow(row)
        return out.getvalue().encode()
