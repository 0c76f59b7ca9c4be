"""The document: round trips, and one line for everything that is wrong with one."""

from __future__ import annotations

import json
import pickle
import re
from collections.abc import Iterator
from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.plan import case as case_module
from hermotrope_core.plan.document import (
    LARGEST_BYTES,
    MOST_VALUES,
    CaseError,
    case_from,
    finished,
    json_tree,
    read_case,
    schema,
    write_case,
)
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.known import Known, Value
from tests.support import ROOT, golden, put, tree

# what is put where, and the place that the refusal must name
WRONG: list[tuple[str, Any, str]] = [
    ("source.capacity_ah", -3, "source.capacity_ah"),
    ("source.capacity_ah", 0, "source.capacity_ah"),
    ("source.capacity_ah", 1e30, "source.capacity_ah"),
    ("source.capacity_ah", float("nan"), "source.capacity_ah"),
    ("source.capacity_ah", float("inf"), "source.capacity_ah"),
    ("source.capacity_ah", "4 Ah", "source.capacity_ah"),
    ("source.capacity_ah", True, "source.capacity_ah"),
    ("source.capacity_ah", {"value": -1}, "source.capacity_ah"),
    ("source.capacity_ah", {"value": 4, "known_by": "rumour"}, "source.capacity_ah.known_by"),
    ("source.capacity_ah", {"value": 4, "colour": 1}, "source.capacity_ah.colour"),
    ("source.capacity_ah", {"value": 4, "spread": -1}, "source.capacity_ah.spread"),
    ("source.cells_in_series", 2.5, "source.cells_in_series"),
    ("source.cells_in_series", 0, "source.cells_in_series"),
    ("source.chemistry", "plutonium", "source.chemistry"),
    ("source.flux", 1, "source.flux"),
    ("source.ocv", [[0, 3], [0, 4]], "source.ocv"),
    ("source.ocv", [[0, 4], [1, 3]], "source.ocv"),
    ("source.ocv", [[0, 3]], "source.ocv"),
    ("source.ocv", [[0, 3], [2, 4]], "source.ocv"),
    ("path.2.efficiency", 1.2, "path[2].efficiency"),
    ("path.2.efficiency", 0, "path[2].efficiency"),
    ("path.2.topology", "magic", "path[2].topology"),
    ("path.2.stage", "teleport", "path[2].stage"),
    ("path.2.input_min_v", 40, "path[2].input_min_v"),
    ("path.0", {"rating_a": 3}, "path[0].stage"),
    ("path.1.length_m", None, "path[1].length_m"),
    ("path", [{"stage": "switch"}] * 41, "path"),
    ("device.supply.min_v", 13, "device.supply.min_v"),
    ("device.modes.0.kind", "force", "device.modes[0].kind"),
    ("device.modes.0.current_a", 1, "device.modes[0].current_a"),
    ("device.modes.1.name", "hold", "device.modes"),
    ("device.traits", ["flying"], "device.traits[0]"),
    ("duty.repeat.0.mode", "dance", "duty.repeat[0].mode"),
    ("duty.repeat.0.seconds", 0, "duty.repeat[0].seconds"),
    ("conditions.temperature_c", -300, "conditions.temperature_c"),
    ("accepted", ["anything"], "accepted[0]"),
    ("title", "x" * 400, "title"),
    ("title", None, "title"),
    ("format", "hermotrope-case/2", "format"),
    ("format", "something/1", "format"),
    ("format", 7, "format"),
    ("surprise", {}, "surprise"),
]


class Documents(SimpleTestCase):
    def test_round_trip(self) -> None:
        for name, made, _ in golden("cases") + golden("judgements"):
            with self.subTest(name):
                self.assertEqual(read_case(write_case(case_from(made))), case_from(made))

    def test_what_is_sent_to_another_process_arrives_as_it_was_written(self) -> None:
        for name, made, _ in golden("judgements"):
            case = case_from(made)
            self.assertEqual(write_case(pickle.loads(pickle.dumps(case))), write_case(case), name)

    def test_wrong_values_name_their_place_in_one_line(self) -> None:
        for place, value, named in WRONG:
            made = put(tree("cases", "hide-mount-on-tool-pack"), place, value)
            with self.subTest(place, value=str(value)[:40]), self.assertRaises(CaseError) as caught:
                read_case(json.dumps(made))
            self.assertEqual(caught.exception.place, named, str(caught.exception))
            self.assertNotIn("\n", str(caught.exception))
            self.assertLess(len(str(caught.exception)), 400)

    def test_a_count_may_be_written_as_a_float(self) -> None:
        made = case_from(tree("cases", "reference-1", **{"source.cells_in_series": 5.0}))
        self.assertEqual(made, case_from(tree("cases", "reference-1")))

    def test_what_nobody_sees_falls_away(self) -> None:
        """A mark of direction would turn the figures beside it, a control would be an order to a terminal."""
        made = tree(
            "cases", "reference-1", title="a\u202e21 V\x1b[31m", **{"source.name": "one\r\ntwo \u200d\ufeff\uffffö"}
        )
        found = read_case(json.dumps(made))
        self.assertEqual(found.title, "a21 V[31m")
        self.assertEqual(found.source and found.source.name, "one\r\ntwo \u200dö")
        self.assertEqual(read_case(json.dumps(made, ensure_ascii=False)), found)
        for name in ("tit\u202ele", "title\x07"):
            with self.subTest(name), self.assertRaises(CaseError) as caught:
                read_case(json.dumps({**made, name: "x"}))
            self.assertTrue(str(caught.exception).isprintable(), str(caught.exception))

    def test_what_is_no_document(self) -> None:
        whole = json.dumps(tree("cases", "reference-1"))
        for data in (
            "",
            "  ",
            "{",
            whole[:-30],
            "[1]",
            "7",
            "null",
            "\x00\xff",
            '{"a": "\\ud800"}',
            "[" * 100_000,
            '{"format": 1e9999}',
            '{"format": "hermotrope-case/1", "title": "t", "device": {"name": "d", "output_by_v": [[1e999, 5]]}}',
            '{"format": "hermotrope-case/1", "title": "t", "device": {"name": "d", "supply": {"max_v": NaN}}}',
        ):
            with self.subTest(data[:20]), self.assertRaises(CaseError):
                read_case(data)
        with self.assertRaisesRegex(CaseError, "2 MB"):
            read_case(b" " * (LARGEST_BYTES + 1))
        with self.assertRaises(CaseError):
            read_case(b"\xff\xfe{}")
        for half in (b'{"a": "\xed\xa0\x80"}', b'{"a": "\\uDFff"}'):
            with self.assertRaisesRegex(CaseError, "not a JSON document"):
                json_tree(half, "case")
        self.assertEqual(json_tree(b'{"a": "\\ud83e\\udd87"}', "case"), {"a": "\U0001f987"})

    def test_more_values_than_a_document_holds(self) -> None:
        many = b"[" + b"1," * MOST_VALUES + b"1]"
        with self.assertRaisesRegex(CaseError, "1,000,000 values"):
            json_tree(many, "record", 1e8)
        self.assertEqual(len(json_tree(many[: 2 * MOST_VALUES - 2] + b"]", "record", 1e8)), MOST_VALUES - 1)  # type: ignore[arg-type]

    def test_a_key_that_is_given_twice_among_many(self) -> None:
        pairs = ",".join(f'"{i}": 0' for i in range(200_000))
        with self.assertRaisesRegex(CaseError, "'7' is given twice"):
            json_tree(f'{{{pairs}, "7": 1}}', "record", 1e8)

    def test_unfinished_cases_are_read_and_say_what_is_open(self) -> None:
        made = case_from({"format": "hermotrope-case/1", "title": "new", "device": {"name": "lamp"}})
        places = [question.place for question in case_module.questions(made)]
        self.assertEqual(places[0], "device.supply.min_v")
        self.assertIn("source", places)
        with self.assertRaisesRegex(CaseError, r"^device\.supply\.min_v: missing"):
            finished(made)

    def test_the_schema_knows_every_part(self) -> None:
        made = schema()
        self.assertIn("Converter", made["$defs"])
        capacity = made["$defs"]["Source"]["properties"]["capacity_ah"]
        self.assertIn("Ah", capacity["description"])
        self.assertTrue(any(branch.get("exclusiveMinimum") == 0 for branch in capacity["anyOf"]))


def _kinds_of(kind: type) -> Iterator[type]:
    """Every part of the document: what is made of checked values, down to the last."""
    for one in kind.__subclasses__():
        if one.__module__.startswith("hermotrope_core.") and not one.__module__.startswith("hermotrope_core.match"):
            yield one
        yield from _kinds_of(one)


class Glossary(SimpleTestCase):
    def test_every_field_of_the_document_is_in_it(self) -> None:
        fields = {
            name
            for kind in (Known, *_kinds_of(Value))
            for name in msgspec.structs.fields(kind) and [f.name for f in msgspec.structs.fields(kind)]
        }
        for page in ("glossary.md", "case.md"):
            text = (ROOT / "docs" / page).read_text()
            listed = set(re.findall(r"[`\"]([a-z0-9_]+)[`\"]", text))
            self.assertEqual(sorted(fields - listed), [], page)
        self.assertLessEqual(set(FIELDS), fields)
