"""Showing the working of a judgement: both numbers, how each came about, and what it rests on.

One table says for every code which formula gives the number that was compared, which places of the
document go into it, and where the limit comes from. The numbers themselves are the finding's own;
nothing is worked out a second time.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import Finding
from hermotrope_core.judge.working import Given, Working, given, stage_givens
from hermotrope_core.kinds.stage import Step
from hermotrope_core.kinds.stages import Converter
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Code, Mode
from hermotrope_core.values.figures import digits, duration, figure

RULE = "a rule of the craft, taken as typical"


class Basis(msgspec.Struct, frozen=True):
    """How a code's two numbers come about; the names are places, `{stage}` being the finding's own."""

    have: str
    have_from: tuple[str, ...]
    limit: str = RULE
    limit_from: tuple[str, ...] = ()


_FULL = ("full",)
_LOADED = ("source.resistance_ohm", "path")
BASES: dict[Code, Basis] = {
    "over-absolute-max": Basis(
        "E_full − fixed drops, no current", (*_FULL, "path"), "stated", ("device.supply.absolute_max_v",)
    ),
    "over-max": Basis(
        "E_full − I R − drops in the lightest mode", (*_FULL, *_LOADED, "lightest"), "stated", ("device.supply.max_v",)
    ),
    "under-min-at-full": Basis(
        "E(100 %) − I R − drops in the heaviest mode", ("ocv", *_LOADED, "heaviest"), "stated", ("device.supply.min_v",)
    ),
    "early-stop": Basis("charge left at the end of the run − reserve", ("source.capacity_ah", *_LOADED, "duty")),
    "collapse": Basis("P asked for", ("heaviest",), "V² / 4R of the weakest stretch", ("ocv", *_LOADED)),
    "source-overload": Basis(
        "I at 20 % charge, the greatest of the duty's modes",
        ("ocv", *_LOADED, "duty"),
        "stated",
        ("source.max_current_a", "source.regulated_output.output_current_max_a"),
    ),
    "source-overload-peak": Basis(
        "I at 20 % charge in the greatest peak",
        ("ocv", *_LOADED, "peaks"),
        "stated",
        ("source.peak_current_a", "source.max_current_a", "source.regulated_output.output_current_max_a"),
    ),
    "converter-overload": Basis(
        "I_out, the greatest of the duty's modes",
        ("path", "duty"),
        "stated; × 0.7 in a closed box",
        ("stage.output_current_max_a",),
    ),
    "converter-overload-peak": Basis(
        "I_out in the greatest peak",
        ("path", "peaks"),
        "stated; × 0.7 in a closed box",
        ("stage.output_current_max_a",),
    ),
    "converter-input-high": Basis(
        "E_full − fixed drops, no current",
        (*_FULL, "path"),
        "stated, or its own output for a boost",
        ("stage.input_max_v", "stage.output_v"),
    ),
    "converter-input-low": Basis(
        "V_in at 100 % in the heaviest mode, or charge left when it gives up",
        ("ocv", *_LOADED, "heaviest"),
        "stated, or output + headroom",
        ("stage.input_min_v", "stage.headroom_v"),
    ),
    "polarity-unknown": Basis("what is recorded of inlet and outlet", ("inlet", "outlet")),
    "polarity-reversed": Basis("signs of inlet and outlet, leads that swap", ("inlet", "outlet", "path")),
    "polarity-swapped": Basis("signs of inlet and outlet, leads that swap", ("inlet", "outlet", "path")),
    "auto-off": Basis(
        "I at the port in the longest unbroken nap",
        ("duty", "path"),
        "stated",
        ("source.regulated_output.output_min_current_a", "source.regulated_output.output_off_delay_s"),
    ),
    "no-low-voltage-cut-off": Basis(
        "the highest volts at which anything opens", ("path",), "n × volts that ruin a cell", ("chemistry",)
    ),
    "deep-discharge": Basis(
        "reserve kept at the end", ("source.reserve_soc",), "1 − the depth these cells like", ("chemistry",)
    ),
    "standing-drain": Basis(
        "Q / I with the device off", ("source.capacity_ah", "source.regulated_output.quiescent_w", "path")
    ),
    "no-load-rise": Basis("E_full, no current", _FULL, "stated", ("device.supply.max_v",)),
    "no-fuse": Basis("E_full / R into a short", (*_FULL, "source.resistance_ohm")),
    "fuse-over-wire": Basis(
        "the fuse's rating", ("stage.rating_a",), "safe current of the thinnest lead behind it", ("path",)
    ),
    "fuse-under-load": Basis(
        "the fuse's rating, or how long a peak lasts",
        ("stage.rating_a", "peaks"),
        "1.25 × I of the heaviest mode, or its shortest opening time",
        ("heaviest", "path"),
    ),
    "wire-drop": Basis(
        "I × 2 L ρ / A as a share of V_in, heaviest mode at 50 %", ("stage.length_m", "stage.area_mm2", "heaviest")
    ),
    "wire-hot": Basis(
        "I in the heaviest mode at 20 %", ("heaviest", *_LOADED), "safe current of its copper", ("stage.area_mm2",)
    ),
    "hot-part": Basis(
        "(P_in − P_out) × K/W, or I² R",
        ("stage.efficiency", "stage.quiescent_w", "stage.thermal_k_per_w", "stage.resistance_ohm", "heaviest"),
        "40 K and 70 K, or half the rating",
        ("stage.rating_w",),
    ),
    "abrupt-stop": Basis("what is stated of how it ends", ("traits",)),
    "no-warning": Basis("what is stated of its warning", ("traits",)),
    "backfeed": Basis("cells left in the bay", ("inlet",)),
    "live-pins": Basis("the outlet's end", ("outlet",)),
    "wrong-socket": Basis("volts at the connector", ("inlet", "outlet"), "a mains connector is for mains volts"),
    "second-supply": Basis("what was measured at the bay or the pins", ("inlet",)),
    "mixed-cells": Basis("what is stated of the cells", ("chemistry",)),
    "look-alike-cells": Basis(
        "volts of one fresh cell", ("chemistry",), "the most that a cell made for that slot gives"
    ),
    "primary-charged": Basis("what is stated of the device", ("chemistry",)),
    "inrush": Basis("capacitance at the inlet", ("device.input_capacitance_f",)),
    "radio-noise": Basis("a switching part before a receiver", ("traits",)),
    "cold-run": Basis("temperature", ("conditions.temperature_c",), "the chemistry's range", ("chemistry",)),
    "too-hot": Basis("temperature", ("conditions.temperature_c",), "the chemistry's range", ("chemistry",)),
    "cold-charge": Basis(
        "temperature", ("conditions.temperature_c",), "the chemistry's range for charging", ("chemistry",)
    ),
    "does-not-start": Basis(
        "what stands at the place that gives up, at the charge it starts from",
        ("ocv", *_LOADED, "duty"),
        "what that place needs",
        ("device.supply.min_v", "source.cutoff_v", "source.reserve_soc"),
    ),
    "does-not-last": Basis("the run", ("source.capacity_ah", *_LOADED, "duty"), "the programme", ("duty",)),
    "peak-drop": Basis(
        "V in the peak, full or at 20 % charge",
        ("ocv", *_LOADED, "peaks"),
        "stated",
        ("device.supply.min_v", "source.cutoff_v", "stage.input_min_v"),
    ),
    "set-point-near-limit": Basis(
        "V at the inlet, no current", ("stage.output_v",), "stated", ("device.supply.max_v",)
    ),
    "diode-at-rest": Basis("E_full, the diodes left aside", (*_FULL, "path"), "stated", ("device.supply.max_v",)),
    "converter-near-limit": Basis(
        "V_out × I_out of the heaviest mode",
        ("path", "heaviest"),
        "80 % of its rating",
        ("stage.output_current_max_a",),
    ),
    "set-point-outside": Basis(
        "what it is set to", ("stage.output_v",), "stated", ("stage.adjusts_from_v", "stage.adjusts_to_v")
    ),
    "wrong-profile": Basis(
        "what the trigger asks for", ("stage.output_v",), "what the port gives", ("source.regulated_output.output_v",)
    ),
    "plug-mismatch": Basis("ends of outlet, leads and inlet", ("outlet", "inlet")),
    "plug-overload": Basis(
        "I at 20 % charge in the heaviest mode", ("ocv", *_LOADED, "heaviest"), "stated, or typical of its kind"
    ),
    "ac-inlet": Basis("what outlet and inlet are made for", ("outlet", "inlet")),
    "unfused-lead": Basis(
        "E_full / R into a short", (*_FULL, "source.resistance_ohm"), "safe current of its copper", ("stage.area_mm2",)
    ),
    "fuse-cannot-open": Basis(
        "E_full / (R + what lies before the fuse)", (*_FULL, *_LOADED), "1.35 × its rating", ("stage.rating_a",)
    ),
    "rating-volts": Basis("volts that stand at it, full", _FULL, "stated, or 32 V", ("stage.rating_v",)),
    "no-switch": Basis("what is stated of its use", ("traits",)),
    "wrong-charger": Basis("what its charger is made for", ("device.charges_to_v",), "what the pack is full at", _FULL),
    "back-feed-motor": Basis("a motor behind a part that holds its output", ("traits", "path")),
    "not-stated": Basis("ratings that are left open", ("path",)),
    "child": Basis("what is stated of its use", ("traits",)),
    "ridden": Basis("what is stated of its use", ("traits",)),
    "near-water": Basis("what is stated of its use", ("traits",)),
    "life-safety": Basis("what is stated of its use", ("traits",)),
    "mains": Basis(
        "volts of the outlet, or what is stated of the device", ("stage.output_v", "traits"), "50 V alternating"
    ),
}


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
    fields = ("peak_a", "peak_w", "peak_s") if name == "peaks" else ("power_w", "current_a", "resistance_ohm")
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
    if any(isinstance(s, Converter) and isinstance(s.efficiency, tuple) for s in situation.case.path):
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
