"""Proving on the bench: gates with expected windows, readings judged, what is locked; and a stand-in bench."""

from hermotrope_core.prove.gate import Ask, Gate, Rule, Setup, Spot
from hermotrope_core.prove.gates import gates
from hermotrope_core.prove.judge import Judgement, judge, read_reading
from hermotrope_core.prove.learn import Told, told_by
from hermotrope_core.prove.progress import Progress, Reading, Waiver, progress, refusal_of
from hermotrope_core.prove.standin import FAULTS, StandIn, applicable

__all__ = [
    "FAULTS",
    "Ask",
    "Gate",
    "Judgement",
    "Progress",
    "Reading",
    "Rule",
    "Setup",
    "Spot",
    "StandIn",
    "Told",
    "Waiver",
    "applicable",
    "gates",
    "judge",
    "progress",
    "read_reading",
    "refusal_of",
    "told_by",
]
