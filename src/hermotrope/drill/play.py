"""Playing a level: readings, naming the fault, switching on, and what is told afterwards."""

from __future__ import annotations

from math import inf
from typing import Any

import msgspec
from django.db import transaction
from django.db.models import Count
from django.utils import timezone

from hermotrope.drill.models import Attempt
from hermotrope.entry.typed import EditError
from hermotrope_core.prove.drill_levels import SHIPPED, Level, level
from hermotrope_core.prove.drill_line import WORDS, FaultKind, Line
from hermotrope_core.prove.drill_meter import MODES, Mode, Probe, Reading, State, read
from hermotrope_core.prove.drill_tells import alike, best_readings, left, power_up, worth
from hermotrope_core.values.figures import figure
from hermotrope_core.values.whole import whole_number

MOST_POINTS = 20
MOST_KEPT = 1_000
"""Attempts; the oldest unfinished ones go first."""


def probe_of(row: list[Any]) -> Probe:
    red, black, mode, pack, switch, load = row
    return Probe(int(red), int(black), mode, State(bool(pack), bool(switch), bool(load)))


@transaction.atomic
def take(attempt: Attempt, probe: Probe) -> None:
    """Take a reading. The last that is allowed is followed by somebody switching it on. Raises `EditError`."""
    playing = level(attempt.level)
    _open(attempt)
    points = len(playing.line.points())
    if not (0 <= probe.red < points and 0 <= probe.black < points) or probe.mode not in MODES:
        raise EditError("choose two points and what the meter reads")
    if probe.red == probe.black:
        raise EditError("both probes on one point read nothing: choose two")
    row = [probe.red, probe.black, probe.mode, probe.state.pack, probe.state.switch, probe.state.load]
    attempt.readings = [*attempt.readings, row]
    attempt.save(update_fields=["readings"])
    if len(attempt.readings) >= playing.readings:
        _end(attempt, named="", powered=True)


@transaction.atomic
def name(attempt: Attempt, kind: str) -> None:
    """Say what it is, and end. Raises `EditError`."""
    _open(attempt)
    if kind not in level(attempt.level).line.faults():
        raise EditError("choose one of the faults")
    _end(attempt, named=kind, powered=False)


@transaction.atomic
def power(attempt: Attempt) -> None:
    """Connect the device and switch it on, and end. Raises `EditError`."""
    _open(attempt)
    _end(attempt, named="none", powered=True)


def _open(attempt: Attempt) -> None:
    if attempt.ended_at is not None:
        raise EditError("this one is over: begin it again")


def _end(attempt: Attempt, named: str, powered: bool) -> None:
    playing = level(attempt.level)
    attempt.named, attempt.powered, attempt.ended_at = named, powered, timezone.now()
    attempt.right = named in alike(playing.line, playing.hidden.kind)
    attempt.save()


def begin(key: str) -> Attempt:
    """A new attempt. Raises ValueError where there is no such level."""
    level(key)
    for old in Attempt.objects.filter(ended_at=None).order_by("-pk")[MOST_KEPT:]:
        old.delete()
    return Attempt.objects.create(level=key)


def shown(line: Line, probe: Probe, reading: Reading) -> dict[str, str]:
    """A reading in words."""
    points, state = line.points(), probe.state
    how = [f"pack {'in' if state.pack else 'out'}"]
    if "switch" in line.parts:
        how.append(f"switch {'on' if state.switch else 'off'}")
    if state.load:
        how.append("test load on")
    told = {
        "live": "not with the pack in: the meter shows nonsense",
        "fuse": "the line’s fuse opened with a crack; a new link is in",
        "meter-fuse": "the meter’s own fuse opened: amperes are read in the line, never across it",
    }
    value = "OL" if reading.value == inf else figure(reading.value, {"V": "V", "A": "A"}.get(probe.mode, "Ω"))
    return {
        "where": f"red on {points[probe.red]}, black on {points[probe.black]}",
        "how": ", ".join(how),
        "value": told.get(reading.event, value),
        "mode": probe.mode,
    }


def context(attempt: Attempt) -> dict[str, Any]:
    """What the page of an attempt shows; nothing that gives the fault away before it is over."""
    playing = level(attempt.level)
    line = playing.line
    probes = [probe_of(row) for row in attempt.readings]
    made: dict[str, Any] = {
        "attempt": attempt,
        "level": playing,
        "points": list(enumerate(line.points())),
        "modes": MODES,
        "has_switch": "switch" in line.parts,
        "taken": [shown(line, probe, read(line, playing.hidden, probe)) for probe in probes][::-1],
        "left_over": playing.readings - len(probes),
        "faults": [(kind, WORDS[kind]) for kind in line.faults()],
    }
    return made | (_afterwards(attempt, playing, probes) if attempt.ended_at else {})


def _afterwards(attempt: Attempt, playing: Level, probes: list[Probe]) -> dict[str, Any]:
    line, hidden = playing.line, playing.hidden
    kinds: tuple[FaultKind, ...] = line.faults()
    told = []
    for probe in probes:
        reading = read(line, hidden, probe)
        bits = worth(line, kinds, probe) if not reading.event else 0.0
        kinds = left(line, kinds, probe, reading) or kinds
        told.append({**shown(line, probe, reading), "bits": round(bits, 1), "left": len(kinds)})
    best = [
        {
            **shown(line, one.probe, read(line, hidden, one.probe)),
            "bits": round(one.bits, 1),
            "left": len(leaves),
        }
        for one, leaves in best_readings(line, hidden)
    ]
    return {
        "was": WORDS[hidden.kind],
        "said": next((words for kind, words in WORDS.items() if kind == attempt.named), ""),
        "powered_says": power_up(line, hidden),
        "told": told,
        "best": best,
        "possible": [WORDS[kind] for kind in kinds],
    }


def scores() -> list[dict[str, Any]]:
    """The ten levels with what was reached in each."""
    ended = Attempt.objects.filter(ended_at__isnull=False).order_by().values_list("level").annotate(Count("pk"))
    tries = dict(ended)
    fewest: dict[str, int] = {}
    for key, readings in Attempt.objects.filter(right=True, powered=False).values_list("level", "readings")[:5000]:
        fewest[key] = min(len(readings), fewest.get(key, len(readings)))
    return [
        {
            "key": str(i),
            "title": title,
            "line": level(str(i)).line.name,
            "tries": tries.get(str(i), 0),
            "fewest": fewest.get(str(i)),
        }
        for i, (title, _, _, _) in enumerate(SHIPPED, start=1)
    ]


def read_probe(typed: Any) -> Probe:
    """A probe as a form says it. Raises `EditError`."""
    red, black = (whole_number(typed.get(name, ""), MOST_POINTS) for name in ("red", "black"))
    mode = typed.get("mode", "")
    if mode not in MODES:
        raise EditError("choose what the meter reads")
    state = State(typed.get("pack") != "out", typed.get("switch") != "off", typed.get("load") == "on")
    return Probe(-1 if red is None else red, -1 if black is None else black, msgspec.convert(mode, Mode), state)
