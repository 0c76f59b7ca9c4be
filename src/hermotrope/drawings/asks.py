"""A reading that a gate asks for, as it is shown: where the probes go, its window, what was read and its meaning."""

from __future__ import annotations

from typing import Any

from hermotrope.drawings.probes import probe_drawing
from hermotrope.drawings.window import window_gauge
from hermotrope_core.plan.case import Case
from hermotrope_core.prove.judge import LEVEL_WORDS, as_read, written
from hermotrope_core.prove.progress import AskState
from hermotrope_core.values.figures import duration


def asked(case: Case, one: AskState, key: str, *, draw: bool) -> dict[str, Any]:
    """What a template states of it; `key` names it on the page, `draw` adds where the probes go."""
    ask, taken, judged = one.ask, one.reading, one.judgement
    read = None if taken is None else as_read(taken.value)
    value = None if one.stale else read
    return {
        "ask": ask,
        "id": key.replace(".", "-"),
        "gauge": window_gauge(ask, value),
        "drawing": probe_drawing(case, ask) if draw else None,
        "reading": "" if value is None else written(value, ask.unit),
        "old": "" if read is None else written(read, ask.unit),
        "taken": taken,
        "stale": one.stale,
        "level": judged.level if judged else "",
        "word": LEVEL_WORDS[judged.level] if judged else "",
        "says": judged.says if judged else "",
        "wait": duration(ask.setup.wait_s) if ask.setup.wait_s else "",
        "mode": "decimal" if ask.unit != "s" else "text",
    }
