"""What plain words about a device ask after: a word leads to a question, never silently to a trait."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pkgutil import get_data

import msgspec

from hermotrope_core.plan.device import Device, Trait


class Hint(msgspec.Struct, frozen=True):
    """A pattern of words, the trait that it hints at, and the question it asks."""

    words: str
    trait: Trait
    ask: str


class _Book(msgspec.Struct, frozen=True):
    about: str
    hints: tuple[Hint, ...]


HINTS = msgspec.json.decode(get_data("hermotrope_core.know", "data/plain_words.json") or b"", type=_Book).hints


class Question(msgspec.Struct, frozen=True):
    """A question about a device, the word that asks it, and what a yes would state."""

    word: str
    trait: Trait
    ask: str


def questions_of(device: Device) -> tuple[Question, ...]:
    """What its name, its modes and the notes of its evidence ask after, until each is answered by itself."""
    texts: Iterable[str] = (
        device.name,
        *(mode.name for mode in device.modes),
        *(piece.note for piece in device.evidence if piece.note),
    )
    told = " · ".join(texts)
    found: dict[Trait, Question] = {}
    for hint in HINTS:
        if hint.trait in (*device.traits, *device.denied, *found):
            continue
        if match := re.search(rf"\b(?:{hint.words})\b", told, re.IGNORECASE):
            found[hint.trait] = Question(match[0].lower(), hint.trait, hint.ask)
    return tuple(found.values())
