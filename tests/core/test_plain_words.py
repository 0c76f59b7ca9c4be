"""Plain words lead to questions about a device, and a question is asked until it is answered by itself."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.know.plain_words import HINTS, questions_of
from hermotrope_core.plan.device import TRAITS, Device, Mode
from hermotrope_core.plan.evidence import Tried


def asked(name: str, **more: Any) -> dict[str, str]:
    return {one.trait: one.word for one in questions_of(Device(name=name, **more))}


class Words(SimpleTestCase):
    def test_each_word_leads_to_its_question(self) -> None:
        for name, wanted in (
            ("Breathing hood", {"life-safety": "breathing"}),
            ("Fish tank light", {"near-water": "fish tank"}),
            ("Ride-on toy", {"child": "toy", "ridden": "ride-on"}),
            ("Microphone lead", {"receiver": "microphone"}),
            ("Seed winch", {"motor": "winch"}),
            ("Card logger", {"writes-storage": "card"}),
            ("Flash unit", {"mains-inside": "flash unit"}),
            ("Company sign", {}),
            ("Scarf with heating", {}),
        ):
            with self.subTest(name):
                self.assertEqual(asked(name), wanted)

    def test_modes_and_notes_ask_too(self) -> None:
        self.assertEqual(asked("X", modes=(Mode(name="slewing", kind="power", power_w=4),)), {"motor": "slewing"})
        note = "as the breathing set it replaces"
        self.assertEqual(asked("X", evidence=(Tried(at_v=9, note=note),)), {"life-safety": "breathing"})

    def test_asked_until_answered_and_one_answer_answers_no_other(self) -> None:
        toy = Device(name="Ride-on toy", uses_stated=True)
        self.assertEqual(len(questions_of(toy)), 2)
        one = msgspec.structs.replace(toy, traits=("child",))
        self.assertEqual([q.trait for q in questions_of(one)], ["ridden"])
        self.assertEqual(questions_of(msgspec.structs.replace(one, denied=("ridden",))), ())

    def test_every_hint_names_a_trait_and_asks(self) -> None:
        for hint in HINTS:
            self.assertIn(hint.trait, TRAITS)
            self.assertTrue(hint.ask.endswith("?"))
