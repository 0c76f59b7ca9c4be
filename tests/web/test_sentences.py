"""Every sentence that the product says over the demonstration and the golden cases, in one list that is read by people.

``HERMOTROPE_WRITE_SENTENCES=1 ./hermotrope test tests.web.test_sentences`` writes the list anew; read what changed.
Figures are written as 0 and each sentence stands once, beside the place where it is said.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from html import unescape

import jsonpatch
import msgspec
from django.core.management import call_command
from django.test import TestCase

from hermotrope.bench.models import Conversion
from hermotrope_core.build.reversal import changes, way_back
from hermotrope_core.build.steps import steps
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cautions import cautions, stops
from hermotrope_core.judge.findings import check
from hermotrope_core.know.shelved import part_of
from hermotrope_core.match.groups import groups
from hermotrope_core.match.search import search
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.prove.gates import gates
from tests.shelves import request
from tests.support import TESTS, case, golden

LIST = TESTS / "sentences" / "sentences.txt"
BROKEN = re.compile(r"[{}]|  |\.\.|,\.|;\.|:\.|\bNone\b|\bnan\b|\binf\b|\be\+0|\ba [aeio]\w+|\b(\w+) \1\b|[^.!?:)]$")
FINE = re.compile(r"\ba (?:one|once|used|USB|unit|useful|user)|\bthat that\b|\bhad had\b")


def said(case: Case) -> Iterator[tuple[str, str]]:
    """Places and sentences of one case."""
    situation = Situation(case)
    for finding in check(situation) if case.source and case.duty.repeat else ():
        yield f"finding {finding.code}", finding.message
        if finding.cure:
            yield f"cure of {finding.code}", f"Cure: {finding.cure}."
    for caution in (*cautions(case), *stops(case)):
        yield "caution", f"{caution.says} Ask: {caution.ask}."
    for step in steps(case):
        yield "step", f"{step.title}: {step.how}"
        if step.caution:
            yield "step's caution", step.caution
    for words in (*changes(case), *way_back(case)):
        yield "undoing", words
    if case.source is None or not case.duty.repeat:
        return
    for gate in gates(situation, {}, None):
        yield f"gate {gate.key}", f"{gate.title}: {' '.join(gate.connect)}"
        if gate.caution:
            yield f"gate {gate.key}", gate.caution
        for ask in gate.asks:
            yield f"reading {ask.key.split('-')[0]}", f"{ask.what}, because {ask.because}."
            for rule in ask.rules:
                yield f"rule {ask.key.split('-')[0]}", f"{rule.says.rstrip('?')}."


def cured(case: Case) -> Iterator[tuple[str, str]]:
    """What is said of a case once a cure that is offered has been applied."""
    if case.source is None or not case.duty.repeat:
        return
    for finding in check(Situation(case)):
        if finding.change:
            yield from said(case_from(jsonpatch.apply_patch(tree_of(case), [dict(step) for step in finding.change])))


def from_the_wall() -> Iterator[Case]:
    """The golden cases fed by a wall adapter: right, too weak and too high."""
    for name, volts, most in (
        ("hide-mount-on-tool-pack", 19.0, 6.0),
        ("sampling-boat-direct", 12.0, 1.0),
        ("moth-lamp-on-lead-acid", 24.0, 0.1),
    ):
        port = {"output_v": volts, "efficiency": 1.0, "output_current_max_a": most}
        adapter = {
            "name": f"Wall adapter {volts:g} V {most:g} A",
            "chemistry": "mains-adapter",
            "cells_in_series": int(volts),
            "capacity_ah": 1.0,
            "resistance_ohm": 0.001,
            "cutoff_v": 0.0,
            "regulated_output": port,
        }
        yield case("cases", name, source=adapter)
        unregulated = part_of(f"{volts:g} V {most:g} A unregulated adapter").part
        yield msgspec.structs.replace(case("cases", name), source=unregulated)


class Sentences(TestCase):
    maxDiff = None

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)
        call_command("load_demo", verbosity=0)

    def told_of_the_run(self, made: Conversion) -> Iterator[tuple[str, str]]:
        """The swap plan and what stands beside it, as the Run panel writes them."""
        page = self.client.get(f"/c/{made.pk}/run/", {"job": "20 h", "own": "2", "charger": "20 W"}).content.decode()
        page = re.sub(r'<details class="tool working-box">.*?</details>', "", page, flags=re.DOTALL)  # no sentences
        for words in re.findall(r"<(?:p|li)\b[^>]*>(.*?)</(?:p|li)>", page, re.DOTALL):
            plain = " ".join(unescape(re.sub(r"<[^>]+>", " ", words)).split())
            if "." in plain:
                yield "run", plain

    def test_the_list_is_as_it_was_read(self) -> None:
        seen = {
            (place, re.sub(r"-?\d+([.,]\d+)?", "0", re.sub(r"“[^”]+”", "“on”", words))): words
            for place, words in self.all_said()
        }
        lines = [f"{place} | {words}" for place, words in sorted(seen)]
        if os.environ.get("HERMOTROPE_WRITE_SENTENCES"):
            LIST.write_text("\n".join(lines) + "\n")
        self.assertEqual(lines, LIST.read_text().splitlines())

    def test_no_sentence_is_broken(self) -> None:
        broken = []
        for place, words in self.all_said():
            found = BROKEN.search(FINE.sub("", words))
            if found:
                broken.append(f"{place} | {words} | {found.group()!r}")
        self.assertEqual(sorted(set(broken)), [])

    def all_said(self) -> Iterator[tuple[str, str]]:
        for made in Conversion.objects.all():
            yield from said(made.case)
            yield from self.told_of_the_run(made)
        for folder in ("cases", "judgements"):
            for _, tree, _ in golden(folder):
                yield from said(case_from(tree))
                yield from cured(case_from(tree))
        for made in from_the_wall():
            yield from said(made)
        for seed in range(4):
            for group in groups(search(request(16, 10, seed, modes=[{"name": "on", "kind": "power", "power_w": 24}]))):
                yield "refused", f"{group.words}: {group.nearest}."
                if group.cure:
                    yield "refused", f"Cure: {group.cure.words}."
                elif group.hint:
                    yield "refused", f"What would help: {group.hint}."
