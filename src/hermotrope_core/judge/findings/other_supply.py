"""A changeover: what the other supply gives behind it, whether the two meet, what happens while it changes over."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import add
from hermotrope_core.judge.findings import converters, current, endurance, voltage
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.rule import LOADED, Basis, rule
from hermotrope_core.know.wall import steady_source
from hermotrope_core.plan.naming import told
from hermotrope_core.values.figures import duration, figure

BEHIND = (
    voltage.over_absolute_max,
    voltage.over_max,
    voltage.under_min_at_full,
    converters.converter_input_high,
    converters.converter_input_low,
    converters.converter_overload,
    endurance.collapse,
    current.source_overload,
)
"""What the other supply is judged by, with what stands behind the changeover."""
WITHOUT_A_GAP_S = 0.001
"""So short a gap nothing notices (typical: what a device's own capacitors bridge)."""


def on_the_other(situation: Situation, i: int) -> Situation:
    """The case behind path[i], fed by the other supply of the changeover there."""
    beside = situation.case.path[i].beside
    assert beside is not None
    volts, amps = beside
    other = msgspec.structs.replace(steady_source("the other supply", volts), max_current_a=amps)
    return Situation(msgspec.structs.replace(situation.case, source=other, path=situation.case.path[i + 1 :]))


@rule(
    Basis(
        "other-supply",
        ("care", "refuse"),
        "what it does behind the changeover",
        ("stage.other_v", "stage.other_a", *LOADED[1:]),
        "what stands there",
        ("device.supply.max_v", "device.supply.min_v"),
    )
)
def other_supply(situation: Situation) -> Iterator[Finding]:
    """The other supply feeds what is behind the changeover: the same limits hold for it."""
    for i, stage in enumerate(situation.case.path):
        if stage.beside is None:
            continue
        other = on_the_other(situation, i)
        for judge in BEHIND:
            for found in judge(other):
                level = "care" if found.level == "note" else found.level
                text = f"On the other supply ({figure(stage.beside[0], 'V')}): {told(other.case, found.message)}"
                yield Finding(
                    "other-supply", level, text, i, found.have, found.limit, found.unit,
                    "take another supply there, or put the changeover before what holds the volts",
                )  # fmt: skip


@rule(
    Basis("supplies-meet", ("refuse",), "what is stated of its contacts", ("path",)),
)
def supplies_meet(situation: Situation) -> Iterator[Finding]:
    """Two supplies joined for a moment: the higher one drives its current into the lower."""
    for i, stage in enumerate(situation.case.path):
        if stage.lets_meet:
            text = (
                "The pack and the other supply meet in the changeover: the higher drives a current into the lower, "
                "with nothing to limit it."
            )
            cure = "take one that opens before it closes, or a diode in each plus"
            yield Finding("supplies-meet", "refuse", text, i, cure=cure, change=(add(f"/path/{i}/isolates", True),))


@rule(Basis("feed-gap", ("note", "care"), "seconds without feed", ("stage.gap_s",)))
def feed_gap(situation: Situation) -> Iterator[Finding]:
    """While it changes over, the device is without feed."""
    device, inner = situation.case.device, situation.case.device.internal_battery
    if inner is not None and inner.takes_over:
        return
    for i, stage in enumerate(situation.case.path):
        gap = stage.feed_gap_s
        if stage.beside is None or (gap is not None and gap <= WITHOUT_A_GAP_S):
            continue
        lasts = "for a moment" if gap is None else f"for {duration(gap)}"
        ends = device.ends in ("resets", "abrupt") or "writes-storage" in device.traits
        then = ": it starts anew, and what it was writing may be lost" if ends else ""
        cure = "take a changeover without a gap (diodes), or change over while it is off"
        text = f"While it changes over the device is without feed {lasts}{then}."
        yield Finding("feed-gap", "care" if ends else "note", text, i, gap, WITHOUT_A_GAP_S, "s", cure)
