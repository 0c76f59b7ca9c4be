"""When a bank that is loaded too lightly falls asleep under a duty."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf


def off_after(low: Sequence[bool], turns: list[tuple[int, float]], delay_s: float, *, once: bool) -> float:
    """Seconds until a bank has been loaded too lightly for its whole delay; inf if that never happens.

    `low` says for each mode whether it is too light; `turns` are modes by index with their seconds, `once` or
    over and over.
    """
    if all(low[mode] for mode, _ in turns):
        return delay_s if not once or sum(lasts for _, lasts in turns) > delay_s else inf
    time = since = 0.0
    for mode, lasts in turns * (1 if once else 2):
        time += lasts
        if not low[mode]:
            since = time
        elif time - since > delay_s:
            return since + delay_s
    return inf
