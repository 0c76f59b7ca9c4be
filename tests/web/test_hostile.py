"""Every address and every field against hostile values: an answer in words, never a fault of ours, never a hang.

Addresses come from the URL table, fields from the sources that read them; each run tries a sample drawn from a fixed
seed, the slow lane twenty times as many.
"""

from __future__ import annotations

import random
import re
import time
from collections.abc import Iterator
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import connection, transaction
from django.test import tag
from django.urls import URLPattern, URLResolver, get_resolver

from hermotrope.bench.models import Conversion
from tests.lanes import SLOW
from tests.support import ROOT
from tests.web.demo import DemoTest

COUNT = 5_000 if SLOW else 150
"""Of each of the four samples."""
SLOWEST_S = 20.0
READS = re.compile(r"""(?:POST|GET|FILES|typed|query|asked|words)(?:\.get|\.getlist)?[\[(]"([a-z_0-9]+)["]""")
NUMBERS = (
    "", "0", "-1", "1", "3", "²", "٣", "1" * 5000, "9" * 18, "-0", "1e999", "1e-400", "nan", "inf", "-inf", "NaN V",
    "0x10", "1_000", "+5", "1/0", "5 V*9**9**9**9", "1e30 V", "-13 V", "1e-300 W", "0 W", "12 V; DROP TABLE",
    "5 m^99999 V",
)  # fmt: skip
TEXTS = (
    "\x00", "a\x00b", "\ud800", "\udfff x", "\r", "a\rb", "\u202egnp", "<script>alert(1)</script>",
    "'\"><svg onload=1>",
    "=1+1", "@SUM(1)", "{{ 7*7 }}", "%s%n", "../../etc/passwd", "file:///etc/passwd", "x" * 100_000, "𝔘" * 300, " ",
    "\u2028", "ÿ", "-", "[]", "{}", "null", "true", '{"a":' * 500, "0001-01-01", "9999-12-31", "24:60", "-1:00",
    "2026-02-30",
    "/device/modes/99999999999999999999/power_w", "/source/../device", "//", "/path/-1/length_m", "/title", "path[1e9]",
)  # fmt: skip
FILES = (
    b"", b"\x00" * 100, b"{}", b"[" * 50_000, b'{"format": "hermotrope-case/1"}', b'{"a": 1, "a": 2}', b"\xff\xfe\x00",
    b'{"format": "hermotrope-record/1", "case": null}', b"s,V\n0,1e999\n1,nan\n", b"s;V\r0;1\r1;2\r", b"PK\x03\x04",
    b"key,kind,group,name,have,count,price,mass_g,recharge_h,note,part\na,source,b,c,own,1e9,,,,,{}\n",
    b"\x89PNG\r\n\x1a\n",
    b'{"format": "hermotrope-outing/1", "supplies": 1e999}', b"GIF89a", b"\xff\xd8\xff\xe0" + b"\x00" * 50,
)  # fmt: skip

HEADERS = (
    "Accept", "Accept-Encoding", "Accept-Language", "Authorization", "Cookie", "If-Match", "If-Modified-Since",
    "If-None-Match", "Origin", "Range", "Referer", "HX-Current-URL", "HX-Target", "HX-Trigger", "HX-Prompt",
    "HX-Trigger-Name", "HX-Current-URL-URI-AutoEncoded", "X-CSRFToken", "X-Forwarded-Host", "Sec-Fetch-Mode",
)  # fmt: skip
IN_HEADERS = (
    "", "\xff\xfe", "a" * 50_000, "text/html; q*=no-such''a", "a;b*=rot13''%ff", "*/*;q=1e999", "a/b;q=\xb2", ",,,,",
    '"', "a=b;" * 5_000, "%ff%00", "http://[", "http://a:99999/", "Thu, 99 Jan 99999999999 00:00:00 GMT", "bytes=\xb2-",
    "bytes=9999999999999999999999-", "1e999", 'a="\\777"', "=?utf-8?q?=00?=", "gzip;q=nan", "zz-" * 5_000, "true",
    "<script>",
)  # fmt: skip


def fields() -> list[str]:
    """Every name by which a view reads something that was sent."""
    found: set[str] = set()
    for file in (ROOT / "src" / "hermotrope").rglob("*.py"):
        found |= set(READS.findall(file.read_text()))
    return sorted(found)


def addresses(dice: random.Random, resolver: URLResolver | None = None, before: str = "/") -> Iterator[str]:
    """Every address; a place is filled with what is there, or with what is not."""
    for one in (resolver or get_resolver()).url_patterns:
        path = re.sub(r"<int:\w+>", lambda _: dice.choice(("1", "2", "3", "5", "8", "0", "9" * 25)), str(one.pattern))
        path = before + re.sub(
            r"<(str|slug):\w+>", lambda _: dice.choice(("x", "runtime", "finding", "dock.stl", "%00")), path
        )
        if isinstance(one, URLPattern):
            yield path
        else:
            yield from addresses(dice, one, path)


class Upwards(DemoTest):
    """Addresses of presses are met as pages too: a tab that is restored, a bookmark, Enter in the address."""

    def test_the_address_of_a_press_leads_to_the_page_above_it(self) -> None:
        self.assertEqual(self.client.get("/several/").status_code, 405)
        led = {}
        for path in addresses(random.Random(3)):
            answer = self.client.get(path, HTTP_ACCEPT="text/html,*/*")
            self.assertNotEqual(answer.status_code, 405, path)
            if answer.status_code == 302:
                led[re.sub(r"\d+", "1", path)] = re.sub(r"\d+", "1", answer["Location"])
        ends = {"/several/": "/", "/c/1/duty/": "/c/1/", "/c/1/gate/put/": "/c/1/", "/shelf/several/": "/shelf/"}
        for path, page in ends.items():
            to = led[path]
            while to in led:
                to = led[to]
            self.assertEqual(to, page)

    def test_what_is_refused_keeps_its_ways_on(self) -> None:
        refused = self.client.post("/several/", {"do": "archive"})
        self.assertContains(refused, 'href="/?show=', status_code=refused.status_code)
        self.assertNotContains(refused, 'href="?', status_code=refused.status_code)


@tag("slow")
class Hostile(DemoTest):
    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        call_command("load_outing", verbosity=0)
        call_command("load_making", verbosity=0)
        call_command("load_logbook", verbosity=0)

    def values(self, dice: random.Random, names: list[str], version: int) -> dict[str, Any]:
        sent: dict[str, Any] = {}
        for name in dice.sample(names, dice.randint(1, 6)):
            sent[name] = dice.choice(dice.choice((NUMBERS, TEXTS)))
        if dice.random() < 0.7:
            sent["version"] = str(version)
        if dice.random() < 0.3:
            sent["do"] = dice.choice(("add", "remove", "move", "set", "undo", "take", "keep", "archive", "tag", "drop"))
        return sent

    def tried(self, seed: int) -> None:
        dice, names = random.Random(seed), fields()
        self.assertGreater(len(names), 80)
        self.client.raise_request_exception = False
        trouble: list[str] = []
        paths: list[str] = []
        for _ in range(COUNT):
            paths = paths or dice.sample(list(addresses(dice)), k=len(list(addresses(dice))))
            path = paths.pop()
            with transaction.atomic():
                one = Conversion.objects.order_by("?").first()
                sent = self.values(dice, names, one.version if one else 1)
                if dice.random() < 0.25:
                    name = dice.choice(("file", "picture"))
                    sent[name] = SimpleUploadedFile(
                        f"a{dice.choice(('.csv', '.json', '.zip', '.png'))}", dice.choice(FILES)
                    )
                began = time.perf_counter()
                if dice.random() < 0.3:
                    asked = {name: value for name, value in sent.items() if isinstance(value, str)}
                    answer = self.client.get(path, _sendable(asked), headers=_header(dice))
                else:
                    answer = self.client.post(path, _sendable(sent), headers=_header(dice))
                lasted = time.perf_counter() - began
                if answer.streaming:
                    b"".join(answer)  # type: ignore[arg-type]
                transaction.set_rollback(True)
            if answer.status_code >= 500 or lasted > SLOWEST_S:
                trouble.append(
                    f"{answer.status_code} {lasted:.1f} s {path} { {k: str(v)[:40] for k, v in sent.items()} }"
                )
        connection.check_constraints()
        self.assertEqual(trouble, [], "\n".join(trouble))

    def test_no_input_is_a_fault_of_ours_and_none_hangs(self) -> None:
        self.tried(19)

    def test_nor_is_any_of_a_second_sample(self) -> None:
        self.tried(20)

    def test_nor_is_any_of_a_third_sample(self) -> None:
        self.tried(21)

    def test_nor_is_any_of_a_fourth_sample(self) -> None:
        self.tried(22)


def _sendable(sent: dict[str, Any]) -> dict[str, Any]:
    """Lone surrogates cannot leave a client as UTF-8: they go as their bytes would."""
    return {name: _as_bytes(value) if isinstance(value, str) else value for name, value in sent.items()}


def _as_bytes(text: str) -> str:
    return text.encode("utf-8", "surrogatepass").decode("latin-1") if _lone(text) else text


def _lone(text: str) -> bool:
    return any("\ud800" <= sign <= "\udfff" for sign in text)


def _header(dice: random.Random) -> dict[str, str]:
    """As the page asks, mostly; and sometimes something in a header that somebody reads."""
    asked = {"HX-Request": "true"} if dice.random() < 0.7 else {}
    return asked | ({dice.choice(HEADERS): dice.choice(IN_HEADERS)} if dice.random() < 0.3 else {})
