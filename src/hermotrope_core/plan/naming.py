"""What feeds the device, as sentences name it: they are written for a pack, and an adapter is told as one."""

from __future__ import annotations

import re

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case

ADAPTER = (
    (r"\b(?:On a full pack|Nearly empty|nearly empty|Even full|Full and unloaded), ", ""),
    (r" (?:on a full pack|with the pack full)\b|, even full\b", ""),
    (r"\b([Tt]he) full pack\b", r"\1 adapter"),
    (r"\bPack off\b", "Adapter unplugged"),
    (r"\bPack on\b", "Adapter plugged in"),
    (r"\bThe pack stays away\b", "The adapter stays out of the wall"),
    (r"\bWith the pack away\b", "With the adapter out of the wall"),
    (r"\ba source or port rated higher, or two packs in parallel made for it\b", "an adapter rated higher"),
    (r"\ba stronger pack\b", "a stronger adapter"),
    (r"\bit will run (?:longer|shorter); ", ""),
    (r"\b([Aa]) pack\b", r"\1n adapter"),
    (r"\bpack(s|’s|'s)?\b", r"adapter\1"),
    (r"\bbank asleep, ", ""),
)
"""In this order; what stands between “ and ” is the user's own and stays."""
OWN = re.compile(r"(“[^”]*”)")


def endless(case: Case) -> bool:
    """Whether the device is fed by an adapter, which holds no charge."""
    return case.source is not None and CHEMISTRIES[case.source.chemistry].endless


def told(case: Case, words: str) -> str:
    """A sentence as it fits what feeds this case."""
    if not endless(case):
        return words
    parts = OWN.split(words)
    for i in range(0, len(parts), 2):
        for pattern, instead in ADAPTER:
            parts[i] = re.sub(pattern, instead, parts[i])
    whole = "".join(parts)
    return whole[:1].upper() + whole[1:] if words[:1].isupper() else whole
