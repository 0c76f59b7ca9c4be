"""Phones: codes that open once, strangers who open nothing, and each phone within its right."""

from __future__ import annotations

import os
import re
import ssl
import subprocess
import sys
import tempfile
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from django.test import SimpleTestCase, TestCase, override_settings
from django.urls import URLPattern, URLResolver, get_resolver

from hermotrope.bench.models import Conversion
from hermotrope.guard import METHODS
from hermotrope.phones import rights
from hermotrope.phones.codes import CODES, GUESSES, LIFE_S, CodeError, Codes
from hermotrope.phones.door import COOKIE, OUTSIDE
from hermotrope.phones.lan import certificate, checked_address
from hermotrope.phones.models import LASTS, Phone, Right, pair
from hermotrope_core.kinds.stages import Converter
from tests.support import ROOT
from tests.web.demo import DemoTest

FROM_THE_NETWORK: dict[str, Any] = {OUTSIDE: True}


class OneTimeCodes(SimpleTestCase):
    def setUp(self) -> None:
        self.now = 0.0
        self.codes = Codes(lambda: self.now)

    def test_a_code_opens_once(self) -> None:
        code = self.codes.new(Right.READ)
        self.assertEqual(self.codes.use(f" {code.shown.lower()} "), Right.READ)
        with self.assertRaisesRegex(CodeError, "no code is waiting"):
            self.codes.use(code.text)

    def test_it_is_over_after_two_minutes_and_not_before(self) -> None:
        code = self.codes.new(Right.ALL)
        self.now = LIFE_S - 0.01
        self.assertIsNotNone(self.codes.waiting())
        self.now = LIFE_S
        self.assertIsNone(self.codes.waiting())
        with self.assertRaises(CodeError):
            self.codes.use(code.text)

    def test_guesses_end_it(self) -> None:
        code = self.codes.new(Right.ALL)
        for _ in range(GUESSES):
            with self.assertRaisesRegex(CodeError, "not the code"):
                self.codes.use("A" * 8)
        with self.assertRaisesRegex(CodeError, "no code is waiting"):
            self.codes.use(code.text)

    def test_a_new_one_ends_the_one_before(self) -> None:
        old, new = self.codes.new(Right.ALL), self.codes.new(Right.READ)
        self.assertNotEqual(old.text, new.text)
        with self.assertRaises(CodeError):
            self.codes.use(old.text)
        self.assertEqual(self.codes.use(new.text), Right.READ)


def addresses(resolver: URLResolver | None = None, before: str = "/") -> Iterator[tuple[str, str]]:
    """Every address of the application with its name, places filled with what is there (or may be)."""
    for one in (resolver or get_resolver()).url_patterns:
        path = before + re.sub(
            r"<(\w+):\w+>", lambda kind: "x" if kind[1] in ("str", "slug") else "1", str(one.pattern)
        )
        if isinstance(one, URLPattern):
            yield path, one.name or ""
        else:
            yield from addresses(one, path)


class Strangers(DemoTest):
    def test_no_address_opens_by_any_method(self) -> None:
        kept = self.everything()
        for path, name in [*addresses(), ("/static/hermotrope/look.css", ""), ("/pair/", ""), ("/nowhere/", "")]:
            for method in METHODS:
                with self.subTest(path, method=method):
                    answer = self.client.generic(method, path, **FROM_THE_NETWORK)
                    self.assertEqual(answer.status_code, 403, name)
                    self.assertEqual(len(answer.cookies), 0)
                    if method != "HEAD":
                        self.assertContains(answer, "Pair this phone", status_code=403)
                    self.assertNotContains(answer, "Pan mount", status_code=403)
        self.assertEqual(self.everything(), kept)

    def everything(self) -> list[tuple[int, int]]:
        return list(Conversion.objects.values_list("pk", "version"))

    def test_a_made_up_token_an_ended_phone_and_one_not_seen_for_long_are_strangers(self) -> None:
        ended, token = pair("was here", Right.ALL)
        ended.delete()
        long_ago, old = pair("long ago", Right.ALL)
        Phone.objects.filter(pk=long_ago.pk).update(seen_at=long_ago.seen_at - LASTS * 1.01)
        for text in (token, old, "", "x" * 5000, "ü", long_ago.token_hash):
            self.client.cookies[COOKIE] = text
            self.assertEqual(self.client.get("/", **FROM_THE_NETWORK).status_code, 403)

    def test_no_header_makes_an_insider(self) -> None:
        for header in ("X-Forwarded-For", "Forwarded", "X-Real-Ip", "Hermotrope.outside", "Host"):
            with self.subTest(header):
                answer = self.client.get("/", headers={header: "127.0.0.1"}, **FROM_THE_NETWORK)
                self.assertEqual(answer.status_code, 403)

    def test_the_laptop_needs_no_code(self) -> None:
        self.assertContains(self.client.get("/"), "Pan mount")


class Pairing(TestCase):
    def send(self, code: str, name: str = "garage phone") -> Any:
        body, kind = urlencode({"code": code, "name": name}), "application/x-www-form-urlencoded"
        return self.client.generic("POST", "/pair/", body, kind, **FROM_THE_NETWORK)

    def paired(self, right: str, name: str = "garage phone") -> None:
        self.assertEqual(self.send(CODES.new(right).shown, name).status_code, 303)

    def test_a_code_pairs_once_and_the_bench_opens(self) -> None:
        code = CODES.new(Right.READ)
        page = self.client.get("/pair/", {"code": code.text}, **FROM_THE_NETWORK)
        self.assertContains(page, code.text, status_code=403)
        self.assertIsNotNone(CODES.waiting())  # looking uses nothing up
        answer = self.send(code.text, "garage\x00 phone")
        self.assertRedirects(answer, "/", 303, fetch_redirect_response=False)
        kept = answer.cookies[COOKIE]
        self.assertEqual((kept["httponly"], kept["samesite"]), (True, "Strict"))
        self.assertEqual(self.client.get("/", **FROM_THE_NETWORK).status_code, 200)
        phone = Phone.objects.get()
        self.assertEqual((phone.name, phone.right), ("garage phone", Right.READ))
        self.assertNotIn(kept.value, phone.token_hash)
        self.client.cookies.clear()
        again = self.send(code.text)
        self.assertContains(again, "no code is waiting", status_code=403)

    def test_what_is_no_pairing_form_is_not_read(self) -> None:
        code = CODES.new(Right.READ)
        for body, kind in (("x" * 5000, "application/x-www-form-urlencoded"), (f"code={code.text}", "text/plain")):
            answer = self.client.generic("POST", "/pair/", body, kind, **FROM_THE_NETWORK)
            self.assertEqual(answer.status_code, 403)
        self.assertIsNotNone(CODES.waiting())

    def test_two_phones_each_with_its_right_and_one_is_ended(self) -> None:
        self.paired(Right.READ, "reader")
        reader = self.client.cookies[COOKIE].value
        self.paired(Right.ALL, "hand")
        hand = self.client.cookies[COOKIE].value
        for token, status in ((reader, 403), (hand, 422)):
            self.client.cookies[COOKIE] = token
            self.assertEqual(self.client.get("/shelf/", **FROM_THE_NETWORK).status_code, 200)
            self.assertEqual(self.client.post("/new/", {}, **FROM_THE_NETWORK).status_code, status)
        self.client.post(f"/phones/{Phone.objects.get(name='hand').pk}/end/")
        self.assertEqual(self.client.get("/", **FROM_THE_NETWORK).status_code, 403)
        self.client.cookies[COOKIE] = reader
        self.assertEqual(self.client.get("/", **FROM_THE_NETWORK).status_code, 200)

    def test_each_right_by_every_address(self) -> None:
        """A phone that may read changes nothing; no phone pairs another or touches a backup."""
        self.paired(Right.READ)
        phone = Phone.objects.get()
        for right in Right.values:
            Phone.objects.update(right=right)
            for path, name in addresses():
                if name in rights.LAPTOP_ALONE:
                    for method in METHODS:
                        self.assertEqual(self.client.generic(method, path, **FROM_THE_NETWORK).status_code, 403, name)
                    continue
                allowed = {Right.READ: rights.OF_ITS_OWN, Right.BENCH: rights.OF_ITS_OWN | rights.READINGS_AND_PICTURES}
                status = self.client.post(path, **FROM_THE_NETWORK).status_code
                with self.subTest(name, right=right):
                    self.assertEqual(status == 403, right != Right.ALL and name not in allowed[Right(right)])
            phone.refresh_from_db()

    def test_every_name_of_the_tables_is_an_address(self) -> None:
        names = {name for _, name in addresses()}
        self.assertLessEqual(rights.LAPTOP_ALONE | rights.OF_ITS_OWN | rights.READINGS_AND_PICTURES, names)

    def test_what_a_phone_gets_is_kept_by_nobody(self) -> None:
        self.paired(Right.READ)
        self.assertEqual(self.client.get("/", **FROM_THE_NETWORK)["Cache-Control"], "no-store")


class EachOnce(DemoTest):
    """The water-level gauge waits for the volts of its pack."""

    def setUp(self) -> None:
        self.gauge = next(one for one in Conversion.objects.all() if one.case.device.name == "Water-level gauge")

    def take(self, mark: str, text: str = "14.2 V") -> int:
        ask = {"ask": "open-voltage.volts", "gate": "open-voltage", "text": text, "once": mark}
        return self.client.post(f"/c/{self.gauge.pk}/gate/", ask, headers={"HX-Request": "true"}).status_code

    def test_a_mark_counts_once_and_another_again(self) -> None:
        self.assertEqual([self.take("a1"), self.take("a1"), self.take("b2"), self.take("")], [200, 204, 200, 200])
        self.assertEqual(self.gauge.readings.count(), 3)

    def test_what_is_refused_uses_no_mark_up(self) -> None:
        self.assertEqual([self.take("a1", "fourteen"), self.take("a1"), self.take("a1")], [422, 200, 204])
        self.assertEqual(self.gauge.readings.count(), 1)

    def test_a_reading_of_the_parts_as_they_were_does_not_count_for_others(self) -> None:
        """It was read and kept in a phone; the set-point was changed before it arrived."""
        ask = {"ask": "open-voltage.volts", "gate": "open-voltage", "text": "14.2 V", "basis": self.basis()}
        at = next(i for i, one in enumerate(self.gauge.case.path) if isinstance(one, Converter))
        edit = {"place": f"/path/{at}/output_v", "text": "24.3 V", "version": self.gauge.version, "panel": "1"}
        changed = self.client.post(f"/c/{self.gauge.pk}/set/", edit, headers={"HX-Request": "true"})
        self.assertEqual(changed.status_code, 200)
        late = self.client.post(f"/c/{self.gauge.pk}/gate/", ask, headers={"HX-Request": "true"})
        self.assertContains(late, "the parts of this plan changed since that was read", status_code=422)
        self.assertEqual(self.gauge.readings.count(), 0)
        again = {**ask, "basis": self.basis()}
        self.client.post(f"/c/{self.gauge.pk}/gate/", again, headers={"HX-Request": "true"})
        self.assertEqual(self.gauge.readings.count(), 1)

    def basis(self) -> str:
        page = self.client.get(f"/c/{self.gauge.pk}/?panel=prove").content.decode()
        return str(re.findall(r'name="basis" value="([^"]+)"', page)[0])

    def test_a_mark_that_is_none_is_passed_over(self) -> None:
        self.assertEqual([self.take("x" * 41), self.take("a b"), self.take("x" * 41)], [200, 200, 200])


class AtTheLaptop(TestCase):
    def test_without_a_network_it_says_how(self) -> None:
        page = self.client.get("/phones/")
        self.assertContains(page, "--lan")
        self.client.post("/phones/code/", {"right": "all"})
        self.assertNotContains(self.client.get("/phones/"), "pair-code")

    @override_settings(LAN_URL="http://192.168.1.20:8737/")
    def test_a_code_is_shown_named_and_limited(self) -> None:
        self.client.post("/phones/code/", {"right": "read"})
        page = self.client.get("/phones/")
        code, _ = CODES.waiting() or (None, 0)
        assert code
        self.assertContains(page, code.shown)
        self.assertContains(page, "<svg")
        self.assertContains(page, "Not encrypted")
        phone, _ = pair("garage", CODES.use(code.text))
        now = self.client.get("/phones/now/")
        self.assertNotContains(now, code.shown)
        self.assertContains(now, "garage")
        self.client.post(f"/phones/{phone.pk}/set/", {"name": "shed", "right": "bench"})
        self.client.post(f"/phones/{phone.pk}/set/", {"name": "", "right": "owner"})
        phone.refresh_from_db()
        self.assertEqual((phone.name, phone.right), ("shed", "bench"))


class Network(SimpleTestCase):
    def test_addresses_that_are_none(self) -> None:
        for text in ("0.0.0.0", "127.0.0.1", "224.0.0.1", "laptop", "1.2.3", "::1", "192.168.1.5:80"):
            with self.subTest(text), self.assertRaisesRegex(OSError, "--lan"):
                checked_address(text)

    def test_the_certificate_is_kept_and_made_anew_for_another_address(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            file, first = certificate(folder, "192.168.1.20")
            self.assertEqual(file.stat().st_mode & 0o077, 0)
            self.assertEqual(certificate(folder, "192.168.1.20")[1], first)
            self.assertNotEqual(certificate(folder, "192.168.1.21")[1], first)
            file.write_text("rubbish")
            self.assertNotEqual(certificate(folder, "192.168.1.20")[1], first)

    def test_served_to_the_network_encrypted_and_closed_to_strangers(self) -> None:
        """The door itself: 127.0.0.2 stands for the network's address."""
        with tempfile.TemporaryDirectory() as data:
            words = [sys.executable, "-m", "hermotrope", "run", "--data", data, "--no-browser", "--port", "8931"]
            words += ["--lan", "127.0.0.2", "--tls"]
            env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "DJANGO_SETTINGS_MODULE": "hermotrope.settings"}
            with subprocess.Popen(
                [*words, "--lan", "127.0.0.2", "--tls"], stdout=subprocess.PIPE, text=True, env=env
            ) as it:
                try:
                    said = ""
                    assert it.stdout
                    for line in it.stdout:
                        said += line
                        if "Hermotrope is at" in line:
                            break
                    inside = re.search(r"Hermotrope is at (http://127\.0\.0\.1:\d+/)", said)
                    outside = re.search(r"open (https://127\.0\.0\.2:\d+/) and type (\S+)", said)
                    assert inside and outside, said
                    self.assertEqual(urllib.request.urlopen(inside[1], timeout=20).status, 200)
                    self.assertRegex(said, "SHA-256 ([0-9A-F]{2}:){31}")
                    blind = ssl.create_default_context()
                    blind.check_hostname, blind.verify_mode = False, ssl.CERT_NONE
                    with self.assertRaises(urllib.error.HTTPError) as closed:
                        urllib.request.urlopen(outside[1], timeout=20, context=blind)
                    self.assertEqual(closed.exception.code, 403)
                    page = closed.exception.read().decode()
                    self.assertIn("Pair this phone", page)
                    body = f"code={outside[2]}&name=shed".encode()
                    jar = urllib.request.HTTPCookieProcessor()
                    phone = urllib.request.build_opener(jar, urllib.request.HTTPSHandler(context=blind))
                    with phone.open(f"{outside[1]}pair/", body, timeout=20) as bench:
                        self.assertIn("Bench", bench.read().decode())
                    self.assertEqual([one.secure for one in jar.cookiejar if one.name.endswith("-phone")], [True])
                finally:
                    it.terminate()
            self.assertFalse(Path(data, "bench.sqlite3-wal").exists())  # stopped cleanly
