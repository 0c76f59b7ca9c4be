"""The recipes of docs/extending.md, each done once with something thrown away; a kind of stage in test_kinds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any, get_args
from unittest.mock import patch

import msgspec
from django.test import SimpleTestCase, TestCase

from hermotrope.bench import panels
from hermotrope.bench.actions import create
from hermotrope.bench.contexts import PANELS, Shown
from hermotrope.bench.feed import _feed_of
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge import findings
from hermotrope_core.judge.cautions import cautions
from hermotrope_core.judge.evidence import judgement_working
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.rule import Basis, rule
from hermotrope_core.know.label import decode
from hermotrope_core.know.measure import helpers_for
from hermotrope_core.know.shelved import part_of
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.device import TRAITS, Trait
from hermotrope_core.prove import gates
from hermotrope_core.prove.gate import Key
from hermotrope_core.values.figures import figure
from hermotrope_core.values.quantity import parse
from hermotrope_core.values.units import MILLI, UNITS, Unit
from tests.support import case, golden
from tests.web.client import Reader

MOUNT = "hide-mount-on-tool-pack"
HEAVY: Any = "too-heavy"


@rule(Basis(HEAVY, ("note",), "the pack’s mass", ("source.mass_g",), "what a hand likes", ("source.capacity_ah",)))
def too_heavy(situation: Situation) -> Iterator[Finding]:
    """A pack that nobody wants to carry."""
    yield Finding(HEAVY, "note", "It is heavy.", -1, 680.0, 500.0, "g", "take a lighter one")


class AFinding(TestCase):
    client_class = Reader

    def test_a_rule_with_its_codes_is_judged_told_and_worked_out(self) -> None:
        made = create(case("cases", MOUNT), "Made")
        address = f"/c/{made.pk}/"
        with (
            patch.object(findings, "RULES", (*findings.RULES, too_heavy)),
            patch.dict(findings.BASES, {one.code: one for one in too_heavy.codes}),
        ):
            _feed_of.cache_clear()  # a rule that comes while the bench runs: nobody but this test has one
            self.addCleanup(_feed_of.cache_clear)
            situation = Situation(made.case)
            found = next(one for one in findings.check(situation) if one.code == HEAVY)
            told = judgement_working(situation, found)
            self.assertEqual([step.result for step in told.steps], ["680 g", "500 g"])
            self.assertContains(self.client.get(address), "It is heavy.")
            page = self.client.get(f"{address}working/finding/?code={HEAVY}&stage=-1")
            self.assertContains(page, "what a hand likes")

    def test_every_code_of_the_document_has_its_rule(self) -> None:
        self.assertEqual(sorted(findings.BASES), sorted(get_args(Code)))
        codes = [basis.code for one in findings.RULES for basis in one.codes]
        self.assertEqual(len(codes), len(set(codes)))
        self.assertTrue(all(one.question for one in findings.RULES))

    def test_what_is_found_has_a_level_that_its_rule_names(self) -> None:
        for folder in ("cases", "judgements"):
            for name, _, _ in golden(folder):
                for found in findings.check(Situation(case(folder, name))):
                    with self.subTest(name, code=found.code):
                        self.assertIn(found.level, findings.BASES[found.code].levels)

    def test_what_cannot_be_accepted_stays_as_bad_as_it_is(self) -> None:
        for name, _, _ in golden("judgements"):
            plain = {(one.code, one.stage): one.level for one in findings.check(Situation(case("judgements", name)))}
            codes = sorted({code for code, _ in plain})
            taken = Situation(case("judgements", name, accepted=codes))
            for one in findings.check(taken):
                if not findings.BASES[one.code].can_be_accepted:
                    with self.subTest(name, code=one.code):
                        self.assertEqual(one.level, plain[one.code, one.stage])


class ATrait(SimpleTestCase):
    def test_every_trait_of_the_document_is_asked_for(self) -> None:
        self.assertEqual(sorted(TRAITS), sorted(get_args(Trait)))
        panel = panels.panel_for(case("cases", MOUNT), "99")
        asked = {key for key, _, _ in (*panel.traits, *panel.uses)}
        self.assertEqual(asked, set(TRAITS))


class AChemistry(TestCase):
    client_class = Reader

    def test_data_alone_brings_a_label_a_run_its_cautions_and_its_place_in_the_lists(self) -> None:
        cell = msgspec.structs.replace(
            CHEMISTRIES["li-ion"],
            label="Salt water",
            family="zinc",
            label_words=r"salt\s*water",
            ohm_ah=0.5,
            charge_efficiency=0.5,
        )
        with patch.dict(CHEMISTRIES, {"salt": cell}):
            read = decode("7.2V 5Ah salt water")
            self.assertEqual((read.chemistry, read.cells_in_series), ("salt", 2))
            self.assertEqual(part_of("7.2V 5Ah salt water").part.resistance_ohm.value, 0.2)  # type: ignore[union-attr]
            made = create(case("cases", MOUNT, **{"source.chemistry": "salt"}), "Made")
            situation = Situation(made.case)
            assert situation.run is not None
            self.assertGreater(situation.run.runtime_s, 0)
            self.assertNotIn("lithium", [one.key for one in cautions(made.case)])
            self.assertEqual(helpers_for(made.case, "/source/capacity_ah"), ("charge",))
            self.assertIn("Salt water", self.client.get(f"/c/{made.pk}/?panel=6").content.decode())


class AUnit(SimpleTestCase):
    def test_it_is_read_and_written(self) -> None:
        with patch.dict(UNITS, {"T": Unit("tesla", "a flux density", "40 mT", MILLI)}):
            self.assertEqual(parse("40 mT", "T"), 0.04)
            self.assertEqual(figure(0.04, "T", 2), "40 mT")


class APanel(TestCase):
    client_class = Reader

    def test_a_view_is_a_panel_a_template_and_what_that_asks_for(self) -> None:
        made = create(case("cases", MOUNT), "Made")

        def scales(_: Case) -> panels.Panel:
            return panels.Panel("scales", "Scales", "scales")

        def context(shown: Shown) -> dict[str, Any]:
            return {"revisions": [(1, f"weighed: {shown.case.device.name}", None)], "proved_rows": []}

        kind = replace(PANELS["record"], context=context, view="Scales")
        with patch.dict(panels.VIEWS, {"scales": scales}), patch.dict(PANELS, {"scales": kind}):
            page = self.client.get(f"/c/{made.pk}/?panel=scales")
            self.assertContains(page, 'id="tab-scales"')
            self.assertContains(page, f"weighed: {made.case.device.name}")


class AGate(SimpleTestCase):
    def test_every_gate_comes_up_somewhere_and_its_asks_are_told_apart(self) -> None:
        seen = set()
        for folder in ("cases", "judgements"):
            for name, _, _ in golden(folder):
                found = gates(Situation(case(folder, name)), {}, None)
                seen |= {gate.key for gate in found}
                keys = [ask.key for gate in found for ask in gate.asks]
                self.assertEqual(len(keys), len(set(keys)), name)
                self.assertTrue(all(ask.key.startswith(f"{gate.key}.") for gate in found for ask in gate.asks), name)
        self.assertEqual(seen, set(get_args(Key)))
