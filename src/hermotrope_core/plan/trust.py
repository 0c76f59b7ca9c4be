"""How far a plan is to be trusted: how many of the figures behind its runtime were measured, and whether it ran."""

from __future__ import annotations

from typing import Literal

import msgspec

from hermotrope_core.plan.case import Case
from hermotrope_core.plan.spread import inputs

Word = Literal["nothing measured", "partly measured", "all measured", "proved"]


class Trust(msgspec.Struct, frozen=True):
    """One word, with how many of the figures that matter are measured."""

    word: Word
    measured: int
    of: int


def trust_of(case: Case, *, proved: bool) -> Trust | None:
    """The trust in a case; `proved` says that it was tried as it stands. None without a source.

    A figure counts as measured where it says so, whatever doubt that reading left.
    """
    if case.source is None:
        return None
    found = inputs(case)
    measured = sum(one.known_by == "measured" for one in found)
    word: Word = "partly measured"
    if proved:
        word = "proved"
    elif not measured:
        word = "nothing measured"
    elif measured == len(found):
        word = "all measured"
    return Trust(word, measured, len(found))
