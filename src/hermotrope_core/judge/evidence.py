"""Showing the working of a judgement: both numbers, how each came about, and what it rests on.

Each code's `Basis`, at its rule, says which formula gives the number that was compared, which places of the
document go into it, and where the limit comes from. The numbers themselves are the finding's own;
nothing is worked out a second time.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import BASES, Finding
from hermotrope_core.judge.working import Given, Working, given, stage_givens
from hermotrope_core.kinds.stage import Step
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.figures import digits, duration, figure


def basis_givens(situation: Situation, finding: Finding, names: tuple[str, ...]) -> tuple[Given, ...]:
    """The inputs behind names of a `Basis`, each once, as far as the case states them."""
    found: dict[str, Given] = {}
    for name in names:
        for one in _named(situation, finding, name):
            found.setdefault(one.place, one)
    return tuple(found.values())


def _named(situation: Situation, finding: Finding, name: str) -> Iterator[Given]:
    case, source, cell = situation.case, situation.source, situation.cell
    chemistry = CHEMISTRIES[source.chemistry].label
    match name:
        case "full":
            stated = given(source, "full_v", "source.full_v")
            text = f"{source.cells_in_series} × {figure(cell.full_v, 'V')}"
            yield stated or Given("Full volts", text, "typical", "source.chemistry", chemistry)
        case "ocv":
            yield Given("Cell volts", "table", "datasheet" if source.ocv else "typical", "source.ocv", chemistry)
        case "chemistry":
            yield Given("Chemistry", chemistry, "typical", "source.chemistry")
        case "path":
            for i in range(len(case.path)):
                yield from stage_givens(case, i)
        case "duty" | "peaks" | "heaviest" | "lightest":
            yield from _modes(situation, name)
        case "inlet" | "outlet":
            here = case.device.inlet if name == "inlet" else source.outlet
            place = "device.inlet" if name == "inlet" else "source.outlet"
            polarity = "not stated" if here is None else here.polarity
            yield Given(name.capitalize(), polarity, "measured" if here and here.measured else "guess", place)
        case "traits":
            yield Given("Stated", ", ".join(case.device.traits) or "nothing", "label", "device.traits")
        case _:
            yield from _at_place(situation, finding, name)


def _modes(situation: Situation, name: str) -> Iterator[Given]:
    wanted: list[Mode] = {
        "duty": list(situation.modes),
        "peaks": [mode for mode, _ in situation.peaks()],
        "heaviest": [situation.heaviest],
        "lightest": [situation.lightest],
    }[name]
    peaks, draws = (
        ("peak_a", "peak_w", "stall_a", "peak_s"),
        ("power_w", "current_a", "resistance_ohm", "at_v", "fade_v"),
    )
    fields = peaks if name == "peaks" else draws
    for mode in wanted:
        i = situation.case.device.modes.index(mode)
        for field in fields:
            one = given(mode, field, f"device.modes[{i}].{field}")
            if one is not None:
                yield msgspec.structs.replace(one, term=f"{one.term}, “{mode.name}”")


def _at_place(situation: Situation, finding: Finding, name: str) -> Iterator[Given]:
    """A single place: a part of the case by its dotted name; `stage` is the finding's own stage."""
    *parents, field = name.split(".")
    part: object = situation.case
    place = name
    for step in parents:
        if step == "stage":
            if not 0 <= finding.stage < len(situation.case.path):
                return
            part, place = situation.case.path[finding.stage], f"path[{finding.stage}].{field}"
        else:
            part = getattr(part, step)
        if part is None:
            return
    if hasattr(part, field):
        one = given(part, field, place)
        if one is not None:
            yield one


def judgement_working(situation: Situation, finding: Finding) -> Working:
    """Both numbers of a finding, how each came about, and the inputs of each with how they are known."""
    basis = BASES[finding.code]
    steps = [Step("found", basis.have, "", number_words(finding.have, finding.unit))]
    if finding.limit is not None:
        steps.append(Step("held against", basis.limit, "", number_words(finding.limit, finding.unit)))
    givens = basis_givens(situation, finding, (*basis.have_from, *basis.limit_from))
    remarks = (f"Cure: {finding.cure}.",) if finding.cure else ()
    if any(isinstance(getattr(s, "efficiency", None), tuple) for s in situation.case.path):
        remarks = (*remarks, "Efficiencies come from a table over the output current.")
    return Working(finding.code.replace("-", " "), finding.level, tuple(steps), givens, remarks)


def number_words(value: float | None, unit: str) -> str:
    """A finding's number for people."""
    if value is None:
        return "–"
    if unit == "days":
        return duration(value * 86400.0)
    if unit.startswith("of the"):
        return f"{figure(value, '%', 2)} {unit}"
    return figure(value, unit) if unit else digits(value, 3)


def sources_of(situation: Situation, finding: Finding) -> tuple[str, str]:
    """Where each of a finding's numbers comes from, as places with how they are known."""
    basis = BASES[finding.code]

    def words(names: tuple[str, ...], otherwise: str) -> str:
        found = basis_givens(situation, finding, names)
        return ", ".join(f"{one.place} ({one.known_by})" for one in found) or otherwise

    return words(basis.have_from, basis.have), words(basis.limit_from, basis.limit)
