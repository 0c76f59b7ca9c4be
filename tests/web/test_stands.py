"""What keeps standing: damaged rows, hostile quantities and sites, odd zones, two tabs; and consent with a reason."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from typing import Any
from unittest import mock
from wsgiref.types import StartResponse, WSGIEnvironment
from zoneinfo import ZoneInfo

from django.core.management import call_command
from django.db import OperationalError, connection
from django.test import SimpleTestCase, TestCase, tag

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.guard import in_utf8
from hermotrope.settings import local_zone
from hermotrope.shelf.models import Item
from hermotrope_core.values.quantity import QuantityError, parse
from tests.support import ROOT, case
from tests.web.client import Reader

HTMX = {"HX-Request": "true"}
START = """
import threading
import hermotrope.wsgi
from hermotrope_core.plan.document import read_case
text = open("tests/cases/hide-mount-on-tool-pack.json").read().replace('"expect"', '"_"', 1)
gate = threading.Barrier(8)
def read():
    gate.wait()
    try:
        read_case(text)
    except Exception:
        pass
threads = [threading.Thread(target=read) for _ in range(8)]
[one.start() for one in threads]
[one.join() for one in threads]
print("stands")
"""


class Rows(TestCase):
    client_class = Reader

    def setUp(self) -> None:
        self.good = actions.create(case("judgements", "all-well"), "Started")
        self.bad = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        with connection.cursor() as cursor:
            cursor.execute(
                "update bench_conversion set [case] = replace([case], 'li-ion', 'moon-ion') where id = %s",
                [self.bad.pk],
            )

    def test_a_case_that_cannot_be_read_takes_no_page_down_and_is_not_lost(self) -> None:
        page = self.client.get("/")
        self.assertContains(page, "moon-ion")
        self.assertContains(page, f"/c/{self.good.pk}/")
        opened = self.client.get(f"/c/{self.bad.pk}/")
        self.assertContains(opened, "cannot be read", status_code=409)
        kept = self.client.get(f"/c/{self.bad.pk}/case.json")
        self.assertEqual(kept.json()["source"]["chemistry"], "moon-ion")

    def test_it_goes_only_when_that_was_confirmed(self) -> None:
        url = f"/c/{self.bad.pk}/unreadable/remove/"
        self.assertContains(self.client.post(url), "Tick the box", status_code=422)
        self.assertTrue(Conversion.objects.filter(pk=self.bad.pk).exists())
        self.assertEqual(self.client.post(url, {"sure": "yes"}).status_code, 302)
        self.assertEqual([one.pk for one in Conversion.objects.all()], [self.good.pk])
        self.client.post(f"/c/{self.good.pk}/unreadable/remove/", {"sure": "yes"})
        self.assertTrue(Conversion.objects.filter(pk=self.good.pk).exists(), "a sound one does not go this way")


class Hostile(TestCase):
    client_class = Reader

    def test_a_tower_of_powers_is_refused_at_once(self) -> None:
        for text in ("5 V*9**9**9**9", "9**9**9**9 V", "5 V^9^9^9", "1e999 V", "5 " + "V*" * 4000 + "V"):
            begun = time.thread_time()
            with self.assertRaises(QuantityError, msg=text[:20]):
                parse(text, "V")
            self.assertLess(time.thread_time() - begun, 2.0)

    def test_other_sites_are_not_answered_but_a_followed_link_is(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")
        away = {"Sec-Fetch-Site": "cross-site"}
        link = away | {"Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
        url = f"/c/{made.pk}/"
        for headers, path, status in (
            (away, url, 403),
            (link, url, 200),
            (link, url + "?panel=match", 403),
            (link | {"Sec-Fetch-Dest": "iframe"}, url, 403),
            ({"Sec-Fetch-Site": "same-origin"}, url + "?panel=match", 200),
        ):
            self.assertEqual(self.client.get(path, headers=headers).status_code, status, (headers, path))
        self.assertEqual(self.client.post(f"{url}step/", {"do": "undo"}, headers=link).status_code, 403)

    def test_a_full_disk_is_told_in_words_and_nothing_is_half_saved(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")
        edit = {"place": "/source/capacity_ah", "text": "2 Ah", "version": made.version, "panel": "1"}
        for said, words in (
            ("database or disk is full", "The disk is full"),
            ("attempt to write a readonly database", "read-only"),
            ("unable to open database file", "gone or closed"),
            ("disk I/O error", "does not answer"),
        ):
            with mock.patch.object(Conversion, "save", side_effect=OperationalError(said)):
                part = self.client.post(f"/c/{made.pk}/set/", edit, headers={"HX-Request": "true"})
                page = self.client.post(f"/c/{made.pk}/set/", edit)
            self.assertEqual((part.status_code, part["Content-Type"]), (503, "text/plain; charset=utf-8"))
            self.assertIn(words, part.content.decode())
            self.assertContains(page, words, status_code=503)
        kept = Conversion.objects.get(pk=made.pk)
        self.assertEqual((kept.version, kept.revisions.count()), (made.version, 1))

    def test_another_host_gets_no_page_and_no_file_and_pages_are_kept_by_nobody(self) -> None:
        for path in ("/", "/static/hermotrope/icon.svg", "/phones/"):
            with self.assertLogs("hermotrope.guard", "WARNING") as log:
                self.assertEqual(self.client.get(path, headers={"Host": "rebound.example"}).status_code, 400, path)
            self.assertEqual(len("".join(log.output).splitlines()), 1)
        page, file = self.client.get("/"), self.client.get("/static/hermotrope/icon.svg")
        for answer in (page, file):
            self.assertEqual(answer["Cross-Origin-Resource-Policy"], "same-origin")
            self.assertNotIn("Access-Control-Allow-Origin", answer)
        self.assertEqual(page["Cache-Control"], "no-store")
        self.assertNotIn("no-store", file["Cache-Control"])

    def test_what_no_page_asks_with_is_refused(self) -> None:
        for method in ("PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "PROPFIND"):
            for path in ("/", "/static/hermotrope/icon.svg", "/nowhere/"):
                answer = self.client.generic(method, path)
                self.assertEqual((answer.status_code, answer["Allow"]), (405, "GET, HEAD, POST"), (method, path))
        self.assertEqual(self.client.head("/").status_code, 200)

    def test_no_codec_is_chosen_by_who_asks(self) -> None:
        asked: list[str] = []

        def application(environ: WSGIEnvironment, start_response: StartResponse) -> list[bytes]:
            start_response("200 OK", [])
            return []

        def ask(charset: str) -> str:
            environ = {"CONTENT_TYPE": f"multipart/form-data{charset}"}
            list(in_utf8(application)(environ, lambda status, *_: asked.append(status)))  # type: ignore[arg-type]
            return asked[-1]

        for letters in ("=rot13", "=utf-16", '="hex"', "=idna", "=no-such", "=utf-8x", "=utf-8, rot13", "", "*=x''y"):
            self.assertEqual(ask(f"; Charset{letters}"), "415 Unsupported Media Type", letters)
        self.assertEqual(ask("; boundary*=no-such''X"), "415 Unsupported Media Type")
        for letters in (
            "",
            "; charset=utf-8",
            "; boundary=----b1'()+_,-./:=?X",
            '; charset="UTF8" ; a=b',
        ):
            self.assertEqual(ask(letters), "200 OK", letters)


class Machines(SimpleTestCase):
    def test_an_odd_zone_is_passed_over(self) -> None:
        for zone in ("", ":", "Moon/Crater", "../../etc/passwd", "/etc/localtime", "UTC0", "\u00e9", "Europe/"):
            with mock.patch.dict(os.environ, {"TZ": zone}):
                ZoneInfo(local_zone())
        with mock.patch.dict(os.environ, {"TZ": "Asia/Tokyo"}):
            self.assertEqual(local_zone(), "Asia/Tokyo")

    @tag("late")
    def test_the_first_requests_may_come_all_at_once(self) -> None:
        """Decoders that were made by several threads together brought the process down."""
        source = os.pathsep.join((str(ROOT / "src"), str(ROOT)))
        for _ in range(4):
            made = subprocess.run(
                [sys.executable, "-c", START], cwd=ROOT, env={**os.environ, "PYTHONPATH": source},
                capture_output=True, text=True, timeout=60, check=False,
            )  # fmt: skip
            self.assertEqual((made.returncode, made.stdout.strip()), (0, "stands"), made.stderr[-400:])


class TwoTabs(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def test_a_note_is_not_written_over_unseen(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")

        def note(text: str, was: str) -> Any:
            form = {"key": "gather", "note": text, "was": was}
            return self.client.post(f"/c/{made.pk}/note/", form, headers=HTMX)

        self.assertEqual(note("from the left tab", "").status_code, 200)
        behind = note("from the right tab", "")
        self.assertContains(behind, "changed in another tab to “from the left tab”", status_code=422)
        self.assertContains(behind, "from the right tab", status_code=422)
        self.assertEqual(note("from the right tab", "from the left tab").status_code, 200)

    def test_a_price_is_not_written_over_unseen(self) -> None:
        item = Item.objects.get(key="bank-20")
        item.price = 38
        item.save()

        def price(text: str, was: str) -> Any:
            form = {"field": "price", "text": text, "was": was}
            return self.client.post(f"/shelf/{item.pk}/set/", form, headers=HTMX)

        self.assertEqual(price("41", "38").status_code, 200)
        self.assertContains(price("40", "38"), "40", status_code=409)
        self.assertEqual(Item.objects.get(pk=item.pk).price, 41)
        self.assertEqual(price("40", "41").status_code, 200)


class Consent(TestCase):
    client_class = Reader

    def start(self, **changes: Any) -> None:
        over = {"device.supply.max_v": 13, "device.supply.absolute_max_v": None, "path": [], **changes}
        self.made = actions.create(case("cases", "hide-mount-on-tool-pack", **over), "Started")

    def accept(self, **more: str) -> Any:
        form = {"version": self.now().version, "code": "over-max", **more}
        return self.client.post(f"/c/{self.made.pk}/choice/", form, headers=HTMX)

    def now(self) -> Conversion:
        return Conversion.objects.get(pk=self.made.pk)

    def test_an_overvoltage_is_accepted_only_with_a_reason_and_after_its_consequences(self) -> None:
        self.start(**{"device.traits": ["motor"]})
        page = self.client.get(f"/c/{self.made.pk}/").content.decode()
        consequence, button = page.index("heat at stall"), page.index("I accept it")
        self.assertLess(consequence, button)
        self.assertContains(self.accept(), "say why", status_code=422)
        self.assertEqual(self.now().case.accepted, ())
        self.assertEqual(self.accept(reason="for a race").status_code, 200)
        self.assertEqual([(one.code, one.reason) for one in self.now().case.choices], [("over-max", "for a race")])

    def test_never_for_what_a_child_rides(self) -> None:
        self.start(**{"device.traits": ["motor", "ridden", "child"]})
        self.assertContains(self.accept(reason="for a race"), "a child rides it", status_code=422)
        self.assertEqual((self.now().case.accepted, self.now().case.choices), ((), ()))
