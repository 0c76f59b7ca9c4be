"""How far a plan is to be trusted, in one word."""

from __future__ import annotations

from unittest import TestCase

import msgspec

from hermotrope_core.plan.spread import inputs
from hermotrope_core.plan.trust import trust_of
from hermotrope_core.values.known import Known
from tests.support import case


class Trust(TestCase):
    def test_it_rises_with_what_is_measured_and_with_the_proof(self) -> None:
        bare = case("cases", "hide-mount-on-tool-pack")
        found = inputs(bare)
        guessed, known = bare, bare
        for i in range(len(found)):
            guessed = _told(guessed, i, "guess")
            known = _told(known, i, "measured")
        one = _told(guessed, 0, "measured")
        for made, word, measured in (
            (guessed, "nothing measured", 0),
            (one, "partly measured", 1),
            (known, "all measured", len(found)),
        ):
            told = trust_of(made, proved=False)
            assert told is not None
            self.assertEqual((told.word, told.measured, told.of), (word, measured, len(found)))
        proved = trust_of(guessed, proved=True)
        assert proved is not None
        self.assertEqual((proved.word, proved.measured), ("proved", 0))
        self.assertIsNone(trust_of(msgspec.structs.replace(bare, source=None), proved=False))


def _told(made, at, how):  # type: ignore[no-untyped-def]
    """A case whose figure number `at` of those that vary is known so, by a reading of much doubt."""
    return _at(made, inputs(made)[at].place, how)


def _at(made, place, how):  # type: ignore[no-untyped-def]
    head, _, rest = place.partition(".")
    name, _, index = head.rstrip("]").partition("[")
    part = getattr(made, name)
    if index:
        items = list(part)
        items[int(index)] = _at(items[int(index)], rest, how)
        return msgspec.structs.replace(made, **{name: tuple(items)})
    if rest:
        return msgspec.structs.replace(made, **{name: _at(part, rest, how)})
    value = part.value if isinstance(part, Known) else part
    return msgspec.structs.replace(made, **{name: Known(value=value, known_by=how, spread=0.2)})
