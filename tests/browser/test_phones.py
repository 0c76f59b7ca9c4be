"""A phone beside the laptop: paired, limited, ended; readings that are taken while the connection is gone."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile

from django.core.management import call_command
from django.test import tag
from playwright.sync_api import ConsoleMessage, Page, expect

from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest, chromium
from tests.support import ROOT


class WithoutConnection(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        call_command("load_demo", verbosity=0)
        self.gauge = next(one for one in Conversion.objects.all() if one.case.device.name == "Water-level gauge")
        self.path = f"/c/{self.gauge.pk}/?panel=prove"
        self.phone = self.open_page(390, 844)

    def _listen(self, message: ConsoleMessage) -> None:
        """Chromium logs every request that finds no network."""
        if not any(
            word in message.text for word in ("ERR_INTERNET_DISCONNECTED", "ERR_CONNECTION_RESET", "htmx:sendError")
        ):
            super()._listen(message)

    def test_a_reading_is_kept_survives_a_second_page_and_arrives_once(self) -> None:
        page = self.phone
        self.goto(self.path, page)
        page.context.set_offline(True)
        page.get_by_label("It reads").first.fill("14.2 V")
        page.get_by_role("button", name="Take it").first.click()
        expect(page.locator("#kept-here")).to_contain_text("14.2 V is kept in this browser")
        self.assertEqual(self.gauge.readings.count(), 0)
        page.context.set_offline(False)
        expect(page.locator("#kept-here")).to_be_hidden()
        expect(page.locator("#prove")).to_contain_text("1 of 9 gates passed")
        self.assertEqual([(row.ask, row.value) for row in self.gauge.readings.all()], [("open-voltage.volts", 14.2)])

    @tag("late")
    def test_an_answer_that_is_lost_doubles_nothing(self) -> None:
        """The bench took it, the phone never heard: it sends again, and it counts once."""
        page = self.phone
        self.goto(self.path, page)
        page.route(re.compile("/gate/$"), lambda route: (route.fetch(), route.abort("connectionreset")))
        page.get_by_label("It reads").first.fill("14.2 V")
        page.get_by_role("button", name="Take it").first.click()
        expect(page.locator("#kept-here")).to_contain_text("kept in this browser")
        self.assertEqual(self.gauge.readings.count(), 1)
        page.unroute(re.compile("/gate/$"))
        expect(page.locator("#kept-here")).to_be_hidden()
        self.assertEqual(self.gauge.readings.count(), 1)

    @tag("late")
    def test_a_run_is_kept_and_arrives_too(self) -> None:
        page = self.phone
        self.goto(self.path.replace("prove", "run"), page)
        page.locator("#trials summary").click()
        page.context.set_offline(True)
        page.locator("#trials").get_by_label("It ran").fill("30 h")
        page.get_by_role("button", name="Keep this run").click()
        expect(page.locator("#kept-here")).to_contain_text("Run: 30 h is kept in this browser")
        page.context.set_offline(False)
        expect(page.locator("#kept-here")).to_be_hidden()
        expect(page.locator("#trials")).to_contain_text("After 1 run")
        self.assertEqual([row.seconds for row in self.gauge.trials.all()], [108_000.0])

    @tag("late")
    def test_what_the_bench_refuses_is_told_and_can_be_discarded(self) -> None:
        page = self.phone
        self.goto(self.path, page)
        page.context.set_offline(True)
        page.get_by_label("It reads").first.fill("fourteen")
        page.get_by_role("button", name="Take it").first.click()
        page.context.set_offline(False)
        expect(page.locator("#kept-here")).to_contain_text("Not taken")
        page.get_by_role("button", name="Discard").click()
        expect(page.locator("#kept-here")).to_be_hidden()
        self.assertEqual(self.gauge.readings.count(), 0)


@tag("late")
class Paired(BrowserTest):
    """Against a server of its own: 127.0.0.2 stands for the network's address."""

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        words = [sys.executable, "-m", "hermotrope", "demo", "--data", folder.name, "--no-browser", "--port", "8951"]
        env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "DJANGO_SETTINGS_MODULE": "hermotrope.settings"}
        server = subprocess.Popen([*words, "--lan", "127.0.0.2"], stdout=subprocess.PIPE, text=True, env=env)
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        said = ""
        assert server.stdout
        self.addCleanup(server.stdout.close)
        for line in server.stdout:
            said += line
            if found := re.search(r"Hermotrope is at (http://127\.0\.0\.1:\d+)/", line):
                break
        else:
            self.fail(said)
        self.laptop, self.network = found[1], found[1].replace("127.0.0.1", "127.0.0.2")

    def _listen(self, message: ConsoleMessage) -> None:
        if "403" not in message.text and "htmx:responseError" not in message.text:
            super()._listen(message)

    def pair(self, right: str, name: str) -> Page:
        self.page.goto(f"{self.laptop}/phones/")
        self.page.get_by_label("The next phone may").select_option(label=right)
        self.page.get_by_role("button", name="Show a code").click()
        code = self.page.locator(".pair-code").inner_text()
        context = chromium().new_context(viewport={"width": 390, "height": 844}, has_touch=True)
        self.addCleanup(context.close)
        phone = context.new_page()
        phone.goto(f"{self.network}/c/2/")
        expect(phone.get_by_role("heading")).to_have_text("Pair this phone")
        phone.get_by_label("Code").fill(code.lower())
        phone.get_by_label("What to call this phone").fill(name)
        phone.get_by_role("button", name="Pair").click()
        expect(phone.locator(".may")).to_have_text(re.compile(rf"{name}:\s+{right}"))
        expect(self.page.locator("#phones")).to_contain_text(f"End {name}")
        return phone

    def test_two_phones_each_with_its_right_until_it_is_ended(self) -> None:
        hand, reader = self.pair("readings and pictures", "hand"), self.pair("read only", "reader")
        for phone in (hand, reader):
            phone.goto(f"{self.network}/c/2/?panel=prove")
            phone.get_by_label("It reads").first.fill("14.2 V")
            phone.get_by_role("button", name="Take it").first.click()
        expect(hand.locator("#prove")).to_contain_text("1 of 9 gates passed")
        expect(reader.locator("#trouble")).to_contain_text("This phone may only read")
        hand.get_by_role("button", name="Undo").first.click()
        expect(hand.locator("#trouble")).to_contain_text("may bring readings and pictures")
        self.page.reload()
        self.page.get_by_role("button", name="End hand").click()
        expect(self.page.locator("#phones")).not_to_contain_text("End hand")
        hand.reload()
        expect(hand.get_by_role("heading")).to_have_text("Pair this phone")
        reader.reload()
        expect(reader.locator("#prove")).to_contain_text("1 of 9 gates passed")
