"""Units, money and dates as somebody likes them, on every page; files for other programs stay as they are."""

from __future__ import annotations

import re
from html import unescape

from django.test import tag

from hermotrope.bench.models import Conversion
from hermotrope.entry.liked import COOKIE, of_cookie
from hermotrope.outing.models import Outing
from hermotrope.shelf.models import Item
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.values.liking import METRIC, Liking
from tests.lanes import drawn
from tests.support import VIEW_KEYS
from tests.web.demo import DemoTest

OTHERWISE = {
    "length": "ft", "wire": "AWG", "mass": "oz", "warmth": "°F", "decimal": "comma", "money": "$",
    "day": "month-first", "clock": "12",
}  # fmt: skip
FIGURE = re.compile(r"(?<![\w.])\d+\.\d+(?: |–\d|</)[^.]{0,12}|[\d.]+ ?°C|\d kg\b|\d:\d\d(?! ?[ap]m)\b")
FIGURED = r'<text class="figure.*?</text>|<p class="remark.*?</p>|<ul class="chargers">.*?</span>'
"""Where the page of an outing tells figures of what it keeps, and hours."""
EXAMPLES = re.compile(
    r"0\.82 mm²|1\.05 to 1|0\.15 to 1 V|20\.9 0|0\.4 V of a S|0\.7 V of a s|iron disu|0\.8 Set|~|15 °C; 8 h|2 °C"
    r"|^0:[03]0"
)
"""Where a page says what may be typed, or where a figure is usually found."""


def words_of(page: str, names: list[str]) -> str:
    """What a page says, without what things are called and what is offered as an example."""
    page = re.sub(r"<(script|style)\b.*?</\1>|<section id=.keys..*?</section>", " ", page, flags=re.DOTALL)
    text = " ".join(unescape(re.sub(r"<[^>]*>", " ", page)).split())
    for name in names:
        text = text.replace(name, "~").replace(name[:15], "~")
    return text


class Liked(DemoTest):
    def like(self, **words: str) -> None:
        response = self.client.post("/units/", {**OTHERWISE, **words, "back": "/shelf/?q=pack"})
        self.assertRedirects(response, "/shelf/?q=pack", fetch_redirect_response=False)

    @tag("slow")
    def test_every_figure_that_is_computed_follows(self) -> None:
        """Every view of every conversion in the slow lane, else a sample."""
        self.like()
        names = [*Item.objects.values_list("name", flat=True), *(one.label for one in CHEMISTRIES.values())]
        names = sorted(names, key=len, reverse=True)
        for made in Conversion.objects.order_by("pk"):
            for panel in ("", *range(1, len(made.case.path) + 3), *(one for one in VIEW_KEYS if one != "record")):
                if not drawn(f"{made.title} {panel}", one_in=3):
                    continue
                page = self.client.get(f"/c/{made.pk}/?panel={panel}").content.decode()
                found = [one for one in FIGURE.findall(words_of(page, names)) if not EXAMPLES.search(one)]
                self.assertEqual(found, [], f"{made.title} {panel}")

    def test_what_is_kept_of_an_outing_is_kept_for_each_liking(self) -> None:
        def told() -> list[str]:
            page = self.client.get(Outing.objects.get().get_absolute_url()).content.decode()
            return re.findall(FIGURED, page, re.DOTALL)

        plain = told()
        self.assertTrue(FIGURE.search(" ".join(plain)))
        self.like()
        self.assertEqual(FIGURE.findall(" ".join(told())), [])
        self.client.cookies.clear()
        self.assertEqual(told(), plain)

    def test_what_is_shown_posted_again_changes_nothing(self) -> None:
        self.like()
        made = Conversion.objects.get(title="Pan mount, Hide 3")
        lead = next(i for i, stage in enumerate(made.case.path) if stage.kind == "lead")
        page = self.client.get(f"/c/{made.pk}/?panel={lead + 2}").content.decode()
        for field in ("length_m", "area_mm2"):
            place = f"/path/{lead}/{field}"
            text = re.search(rf'value="{re.escape(place)}".*?name="text"[^>]*?value="([^"]*)"', page, re.DOTALL)
            assert text is not None
            version = Conversion.objects.get(pk=made.pk).version
            self.client.post(f"/c/{made.pk}/set/", {"place": place, "text": unescape(text[1]), "version": version})
        now = Conversion.objects.get(pk=made.pk).case.path[lead]
        self.assertEqual(now, made.case.path[lead])

    def test_a_bare_number_is_taken_in_the_units_of_the_page(self) -> None:
        self.like()
        made = Conversion.objects.get(title="Pan mount, Hide 3")
        answer = {"place": "/conditions/temperature_c", "text": "41", "version": made.version}
        self.client.post(f"/c/{made.pk}/set/", answer)
        self.assertEqual(Conversion.objects.get(pk=made.pk).case.conditions.temperature_c, 5.0)

    def test_files_for_other_programs_stay(self) -> None:
        made = Conversion.objects.get(title="Pan mount, Hide 3")
        urls = [f"/c/{made.pk}/{name}" for name in ("case.json", "path.cir", "run.csv")]
        urls += ["/shelf/shelf.csv", "/shelf/shelf.json"]

        def read() -> dict[str, bytes]:
            answers = {url: self.client.get(url) for url in urls}
            return {url: b"".join(one) if one.streaming else one.content for url, one in answers.items()}

        before = read()
        self.like()
        self.assertEqual([url for url, content in read().items() if content != before[url]], [])

    def test_a_slip_keeps_what_was_typed_and_the_old_liking(self) -> None:
        self.like(money="€")
        answer = self.client.post("/units/", {**OTHERWISE, "money": "<b>"})
        self.assertContains(answer, "a sign of money has up to 4 letters", status_code=422)
        self.assertContains(answer, 'value="&lt;b&gt;"', status_code=422)
        self.assertEqual(of_cookie(self.client.cookies[COOKIE].value).money, "€")
        self.assertEqual(self.client.post("/units/", {"length": "furlong"}).status_code, 422)

    def test_it_leads_back_only_to_pages_of_this_bench(self) -> None:
        elsewhere = ("https://elsewhere.example/", "//elsewhere.example/", "/\\elsewhere", "javascript:alert(1)")
        for back in (*elsewhere, "/units/"):
            self.assertEqual(self.client.post("/units/", {**OTHERWISE, "back": back})["Location"], "/", back)

    def test_a_cookie_of_somebody_else_says_nothing(self) -> None:
        for text in ("length=furlong", "x" * 5000, "money=%00%00%00%00%00", "{}", "length=ft&length=m"):
            self.assertIsInstance(of_cookie(text), Liking)
        self.assertEqual(of_cookie("length=furlong"), METRIC)
