"""Every change: revisions, undo and redo, conflicts, nothing half-saved."""

from __future__ import annotations

from django.core.exceptions import ValidationError
from django.test import TestCase

from hermotrope.bench import actions
from hermotrope.bench.edits import edit, with_trait
from hermotrope.bench.models import Conversion
from hermotrope.entry.typed import TABLE_EXAMPLES, EditError, parse_table, show_table
from hermotrope_core.plan.document import CaseError
from hermotrope_core.values.known import number
from tests.support import case
from tests.web.client import Reader


class Changes(TestCase):
    client_class = Reader

    def setUp(self) -> None:
        self.made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")

    def set(self, place: str, text: str, known_by: str = "") -> Conversion:
        now = Conversion.objects.get(pk=self.made.pk)
        change = edit(now.case, place, text, known_by)
        return actions.change(now.pk, now.version, change.patch, change.label)

    def test_columns_follow_the_case(self) -> None:
        self.assertEqual(self.made.verdict, "refused")
        self.assertAlmostEqual(self.made.runtime_s or 0, 18515.7, delta=0.1)
        self.assertLess(self.made.runtime_low_s or 0, self.made.runtime_s or 0)

    def test_undo_redo_and_a_new_branch(self) -> None:
        self.set("/source/capacity_ah", "2000 mAh", "measured")
        now = self.set("/path/0/rating_a", "10")
        self.assertEqual((now.revision, now.version), (3, 3))
        now = actions.step(now.pk, now.version, -1)
        now = actions.step(now.pk, now.version, -1)
        self.assertEqual(number(now.case.source.capacity_ah), 4.0)  # type: ignore[union-attr]
        now = actions.step(now.pk, now.version, +1)
        self.assertEqual(number(now.case.source.capacity_ah), 2.0)  # type: ignore[union-attr]
        self.assertEqual(now.version, 6)
        self.set("/title", "Another way")
        now = Conversion.objects.get(pk=now.pk)
        self.assertEqual([r.number for r in now.revisions.all()], [1, 2, 3])
        self.assertEqual(now.title, "Another way")
        self.assertEqual(actions.step(now.pk, now.version, +1).revision, 3)

    def test_the_second_of_two_tabs_is_told(self) -> None:
        stale = self.made.version
        self.set("/path/0/rating_a", "10")
        with self.assertRaises(actions.Conflict) as caught:
            actions.change(self.made.pk, stale, [{"op": "replace", "path": "/path/0/rating_a", "value": 3}], "late")
        self.assertEqual(number(caught.exception.conversion.case.path[0].rating_a), 10)  # type: ignore[union-attr]
        self.assertEqual(Conversion.objects.get(pk=self.made.pk).revision, 2)

    def test_what_is_refused_leaves_nothing_behind(self) -> None:
        for patch in (
            [{"op": "replace", "path": "/source/capacity_ah", "value": -1}],
            [{"op": "replace", "path": "/path/9/rating_a", "value": 1}],
            [{"op": "replace", "path": "/title", "value": "ok"}, {"op": "add", "path": "/nonsense", "value": 1}],
        ):
            with self.subTest(str(patch)), self.assertRaises(CaseError):
                actions.change(self.made.pk, self.made.version, patch, "bad")
        now = Conversion.objects.get(pk=self.made.pk)
        self.assertEqual((now.version, now.revisions.count()), (1, 1))

    def test_same_again_is_no_revision(self) -> None:
        self.assertEqual(self.set("/path/0/rating_a", "7.5 A").revision, 1)

    def test_renaming_a_mode_renames_it_in_the_duty(self) -> None:
        renamed = actions.with_mode_renamed(self.made.case, 1, "pan")
        self.assertEqual([s.mode for s in renamed.duty.repeat], ["hold", "pan"])
        with self.assertRaises(CaseError):
            actions.with_mode_renamed(self.made.case, 1, "hold")
        self.assertEqual(len(actions.without_mode(self.made.case, 0).duty.repeat), 1)

    def test_the_field_refuses_what_is_no_case(self) -> None:
        self.made.case = {"format": "hermotrope-case/1", "title": 3}  # type: ignore[assignment]
        with self.assertRaises(ValidationError):
            self.made.full_clean()


class Edits(TestCase):
    client_class = Reader

    def setUp(self) -> None:
        self.case = case("cases", "hide-mount-on-tool-pack")

    def test_how_it_is_known_is_kept(self) -> None:
        value = edit(self.case, "/source/capacity_ah", "3.8 Ah", "measured").patch[-1]["value"]
        self.assertEqual(value, {"value": 3.8, "known_by": "measured"})
        self.assertEqual(edit(self.case, "/source/capacity_ah", "3.8 Ah").patch[-1]["value"], 3.8)

    def test_a_new_part_gets_its_parent(self) -> None:
        change = edit(self.case, "/device/inlet/kind", "barrel")
        self.assertEqual([op["path"] for op in change.patch], ["/device/inlet", "/device/inlet/kind"])
        after = actions.patched(self.case, change.patch)
        self.assertEqual(after.device.inlet.kind, "barrel")  # type: ignore[union-attr]

    def test_emptying_a_field_leaves_it_open(self) -> None:
        after = actions.patched(self.case, edit(self.case, "/device/supply/min_v", "  ").patch)
        self.assertIsNone(after.device.supply.min_v)
        with self.assertRaises(CaseError):
            actions.patched(self.case, edit(self.case, "/source/capacity_ah", "").patch)

    def test_traits_flags_and_kinds(self) -> None:
        after = with_trait(self.case, "child", on=True)
        self.assertEqual((after.device.traits, after.device.uses_stated), (("child",), True))
        after = with_trait(with_trait(after, "child", on=False), "motor", on=True)
        self.assertEqual(after.device.traits, ("motor",))
        self.assertFalse(with_trait(self.case, "motor", on=True).device.uses_stated)
        after = actions.patched(after, edit(after, "/device/modes/0/kind", "current").patch)
        self.assertEqual(number(after.device.modes[0].current_a), 0.5)  # type: ignore[arg-type]
        self.assertEqual(after.device.modes[0].current_a.known_by, "guess")  # type: ignore[union-attr]

    def test_refused(self) -> None:
        for place, text in (
            ("/source/capacity_ah", "12 V"),
            ("/source/capacity_ah", "-2 Ah"),
            ("/source/cells_in_series", "2.5"),
            ("/path/0/rating_a", "9" * 99),
            ("/device/inlet/measured", "perhaps"),
            ("/path/2/efficiency", "1 A: 900 %"),
            ("", "x"),
        ):
            with self.subTest(place, text=text[:9]), self.assertRaises((EditError, CaseError)):
                actions.patched(self.case, edit(self.case, place, text, "").patch)

    def test_tables(self) -> None:
        table = parse_table("1 A: 90 %; 50 mA: 78 %;", "efficiency")
        self.assertEqual(table, [[0.05, 0.78], [1.0, 0.9]])
        self.assertEqual(parse_table(show_table(tuple(map(tuple, table)), "efficiency"), "efficiency"), table)  # type: ignore[arg-type]
        for text in ("1 A 90 %", "1 A: 90: 3", "1 V: 90 %"):
            with self.subTest(text), self.assertRaises(EditError):
                parse_table(text, "efficiency")

    def test_every_table_reads_what_it_shows_and_asks_for_its_like(self) -> None:
        for name, example in TABLE_EXAMPLES.items():
            with self.subTest(name):
                table = parse_table(example, name)
                self.assertEqual(parse_table(show_table(tuple(map(tuple, table)), name), name), table)  # type: ignore[arg-type]
                with self.assertRaisesMessage(EditError, example.partition(";")[0]):
                    parse_table("nonsense", name)
