"""Reading a pack's label: what it says, what that means at the cells, and what is doubtful about it.

Labels state amp-hours at one voltage and are used at another, call a pack by its full or by a round
voltage, and claim more than their own watt-hours allow. Nothing is assumed silently: every guess is
in `assumed`, every contradiction in `doubts`.
"""

from __future__ import annotations

import re

import msgspec

from hermotrope_core.know.sold import IRON, LEAD_AH, LITHIUM_NAMES, SIZES
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import AIR_CARE_WH, SAME_V
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Known

PORT_V = 5.0
WH_TOLERANCE = 0.08
MOST_BANK_WH = 200.0
LONGEST = 120


class LabelError(ValueError):
    """A label that says nothing usable; the message gives an example."""


class Decoded(msgspec.Struct, frozen=True):
    """What a label means. Volts of the whole pack, amp-hours at its cells, watt-hours at its cells."""

    label: str
    kind: str
    """bank, pack or cells"""
    chemistry: str
    cells_in_series: int
    full_v: float
    nominal_v: float
    flat_v: float
    capacity_ah: float
    energy_wh: float
    assumed: tuple[str, ...]
    doubts: tuple[str, ...]


class _Said(msgspec.Struct):
    """The figures found on a label."""

    volts: float | None = None
    ah: float | None = None
    wh: float | None = None
    series: int | None = None
    parallel: int | None = None
    cells: int | None = None
    size: str | None = None
    chemistry: str | None = None
    barely: bool = False
    """Only the word lithium is there: on a cell of the sort, it names what that usually is."""


NUM = r"(\d[\d,]*\.?\d*|\.\d+)"


def figure_of(text: str) -> float:
    """The number that a label writes with a point, a comma, or commas between thousands."""
    if re.fullmatch(r"\d{1,3}(,\d{3})+(\.\d+)?", text):
        text = text.replace(",", "")
    return float(text.replace(",", ".").rstrip("."))


def _read(label: str) -> _Said:
    text = label.replace("×", "x").replace("·", " ")
    said = _Said()
    said.chemistry, said.barely = _chemistry_named(text)
    text = _read_cells(said, text)
    if match := re.search(r"\b(\d{1,2})\s*s\s*(?:(\d{1,2})\s*p)?\b", text, re.IGNORECASE):
        said.series, said.parallel = int(match[1]), int(match[2]) if match[2] else None
    said.ah = _amount(text, (r"\s*m\s*ah", 0.001), (r"\s*ah", 1.0))
    said.wh = _amount(text, (r"\s*k\s*wh", 1000.0), (r"\s*wh", 1.0))
    said.volts = _amount(text, (r"\s*v(?!\w)(?:olts?)?", 1.0))
    if said.volts is None and (match := re.search(r"\b(\d{1,2})v(\d)\b", text, re.IGNORECASE)):
        said.volts = float(f"{match[1]}.{match[2]}")
    said.volts = _amount(text, (r"\s*volts?", 1.0)) if said.volts is None else said.volts
    return said


def _chemistry_named(text: str) -> tuple[str | None, bool]:
    """The chemistry that a label names, and whether by the bare word lithium.

    The longest find counts, so that lithium iron phosphate is no lithium-ion.
    """
    found = {
        name: match[0]
        for name, cell in CHEMISTRIES.items()
        if cell.label_words and (match := re.search(cell.label_words, text, re.IGNORECASE))
    }
    best = max(found, key=lambda name: len(found[name]), default=None)
    return best, best is not None and found[best].lower() == "lithium"


def _read_cells(said: _Said, text: str) -> str:
    """Note how many cells of which size a label names; the text without them."""
    sizes = "|".join(sorted(SIZES, key=len, reverse=True))
    if match := re.search(rf"(\d{{1,3}})\s*(?:x\s*|pcs?\.?(?:\s*of)?\s*|(?<=\s))({sizes})\b", text, re.IGNORECASE):
        said.cells, said.size = int(match[1]), match[2].upper()
    elif match := re.search(rf"\b({sizes})\b\s*x\s*(\d{{1,3}})", text, re.IGNORECASE):
        said.size, said.cells = match[1].upper(), int(match[2])
    elif match := re.search(rf"\b({sizes})\b", text):
        said.size, said.cells = match[1].upper(), 1
    return text.replace(match[0], " ") if match else text


def _amount(text: str, *units: tuple[str, float]) -> float | None:
    """The number before the first of these units that stands there, times what the unit is worth."""
    for unit, worth in units:
        if match := re.search(NUM + unit, text, re.IGNORECASE):
            return figure_of(match[1]) * worth
    return None


def decode(label: str) -> Decoded:
    """What a label means. Raises `LabelError` for one that says nothing usable.

    >>> bank = decode("26800mAh")
    >>> bank.kind, round(bank.energy_wh, 1)
    ('bank', 99.2)
    """
    clean = " ".join(label.split())
    if not clean:
        raise LabelError("type what the label says, for example 20V 5.0Ah 90Wh")
    if len(clean) > LONGEST:
        raise LabelError(f"a label of more than {LONGEST} characters; type only its figures, like 20V 5.0Ah 90Wh")
    said = _read(clean)
    for name, value in (("volts", said.volts), ("amp-hours", said.ah), ("watt-hours", said.wh)):
        if value is not None and not 0 < value < 100_000:
            raise LabelError(f"{value:g} {name} is no figure of a pack")
    if said.cells == 0 or said.series == 0:
        raise LabelError("a pack has at least one cell")
    if said.size:
        return _cells(clean, said)
    if said.ah is None and said.wh is None:
        have = "only volts" if said.volts else "no figure"
        raise LabelError(f"{have} of a pack in {clean!r}; amp-hours or watt-hours are needed, for example 12V 7Ah")
    if said.ah is None and said.volts is None and said.series is None and (said.wh or 0) > MOST_BANK_WH:
        raise LabelError(f"only watt-hours in {clean!r}; its volts are needed too, for example 48V 900Wh")
    if said.series is None and (said.volts is None or 3.5 <= said.volts <= 3.9 or said.volts == PORT_V):
        return _bank(clean, said)
    return _pack(clean, said)


def _cells(label: str, said: _Said) -> Decoded:
    assert said.size and said.cells
    usual, typical, most = SIZES[said.size]
    chemistry = said.chemistry or usual
    if said.barely:  # a lithium cell of a size that others make too is a primary one of its volts
        chemistry = {"alkaline": "lithium-iron-disulfide"}.get(usual, usual)
    elif said.chemistry is None and usual == "alkaline" and said.volts == 1.2:
        chemistry = "nimh"
    assumed, doubts = [], []
    if said.chemistry is None:
        assumed.append(f"no chemistry is stated: {CHEMISTRIES[chemistry].label.lower()} is taken")
        if chemistry == "alkaline":
            doubts.append("rechargeable cells of this size are 1.2 V, lithium look-alikes 3.7 V: read the cell itself")
    cell = CHEMISTRIES[chemistry]
    ah = said.ah
    if ah is None:
        ah = typical * (0.8 if chemistry in ("nimh", "nicd") else 1.0)
        assumed.append(f"no capacity is stated: {figure(ah, 'Ah', 2)} a cell is typical")
    elif ah > most:
        doubts.append(
            f"{figure(ah, 'Ah')} in one {said.size} cell is more than such a cell holds ({figure(most, 'Ah', 2)})"
        )
    if said.series is None and said.cells == 1 and said.volts is not None and said.volts > 1.3 * cell.full_v:
        said.cells = max(1, round(said.volts / cell.nominal_v))
    series = said.series or said.cells
    if said.series is None and said.cells > 1:
        assumed.append(f"all {said.cells} cells are taken to be in series")
        of_one = cell.family != "lithium" and said.volts is not None and said.volts < 1.3 * cell.full_v
        if said.volts and not of_one and abs(said.volts - said.cells * cell.nominal_v) > 0.12 * said.volts:
            series = max(1, round(said.volts / cell.nominal_v))
            assumed[-1] = f"{figure(said.volts, 'V')} makes {series} of the {said.cells} cells in series"
    parallel = max(1, said.cells // series)
    return _decoded(label, "cells", chemistry, series, ah * parallel, (assumed, doubts))


def _bank(label: str, said: _Said) -> Decoded:
    assumed, doubts = [], []
    chemistry = said.chemistry if said.chemistry in ("li-ion", "lifepo4") else "li-ion"
    nominal = 3.7 if chemistry == "li-ion" else 3.2
    if said.volts is None:
        assumed.append(f"no volts are stated: a power bank's amp-hours are meant at the cell, {nominal:g} V")
    ah, wh = said.ah, said.wh
    if ah is None:
        assert wh is not None
        ah = wh / nominal
        assumed.append(f"amp-hours follow from the watt-hours at {nominal:g} V")
    elif said.volts == PORT_V:
        ah = ah * PORT_V / nominal
        doubts.append("amp-hours stated at 5 V are either what the port gives or a mistake; the cells must hold more")
    elif wh is not None and abs(wh - ah * nominal) > WH_TOLERANCE * wh:
        doubts.append(
            f"{figure(wh, 'Wh')} and {figure(ah, 'Ah')} make {figure(wh / ah, 'V')} a cell, "
            f"where {nominal:g} V is usual: one of them is wrong"
        )
        if wh < ah * nominal:
            ah = wh / nominal
            assumed.append("the smaller of the two claims is taken")
    if ah > 50:
        doubts.append(f"{figure(ah, 'Ah')} is a claim that few banks keep: weigh it, 200 Wh weigh a kilogram")
    assumed.append("cells side by side, one in series, behind the bank's own 5 V converter")
    return _decoded(label, "bank", chemistry, 1, ah, (assumed, doubts))


def _pack(label: str, said: _Said) -> Decoded:
    assumed: list[str] = []
    doubts: list[str] = []
    at_the_cell = bool(said.ah and said.wh and said.volts and said.volts > PORT_V and 3.5 <= said.wh / said.ah <= 3.85)
    if at_the_cell:
        doubts.append(
            f"{figure(said.ah or 0, 'Ah')} are counted at one cell ({figure((said.wh or 0) / (said.ah or 1), 'V')}), "
            f"not at {figure(said.volts or 0, 'V')}: there it is far less"
        )
        said.ah = None
    chemistry, series = _series(said, assumed, doubts)
    cell = CHEMISTRIES[chemistry]
    nominal = series * cell.nominal_v
    ah, wh = said.ah, said.wh
    if ah is None:
        assert wh is not None
        ah = wh / nominal
        assumed.append(f"amp-hours follow from {figure(wh, 'Wh')} at {figure(nominal, 'V')}")
    elif wh is not None and abs(wh - ah * nominal) > WH_TOLERANCE * wh:
        doubts.append(
            f"{figure(wh, 'Wh')} do not fit {figure(ah, 'Ah')} at {figure(nominal, 'V')} "
            f"({figure(ah * nominal, 'Wh')}): one of them is wrong"
        )
    if said.volts is not None and said.volts > 1.06 * nominal:
        doubts.append(
            f"{figure(said.volts, 'V')} is what it reads full, not what it gives: {figure(nominal, 'V')} on average"
        )
    if chemistry == "li-ion" and said.volts == 12.0 and series == 3:
        doubts.append("many 12 V devices stop before three lithium cells are empty (9 V), and some mind 12.6 V")
    return _decoded(label, "pack", chemistry, series, ah, (assumed, doubts))


def _series(said: _Said, assumed: list[str], doubts: list[str]) -> tuple[str, int]:
    """Chemistry and cells in series; says what it takes for granted."""
    if said.series is not None:
        chemistry = said.chemistry or "li-ion"
        if said.chemistry is None:
            assumed.append("no chemistry is stated: lithium-ion is taken, as the cell count suggests")
        if said.volts:
            low, high = CHEMISTRIES[chemistry].cutoff_v * said.series, CHEMISTRIES[chemistry].full_v * said.series
            if not 0.98 * low <= said.volts <= 1.02 * high:
                doubts.append(f"{figure(said.volts, 'V')} is outside what {said.series} such cells give")
        return chemistry, said.series
    volts = said.volts
    assert volts is not None
    measured = said.wh / said.ah if said.wh and said.ah else None
    chemistry = said.chemistry or _chemistry_by_volts(said, measured, assumed, doubts)
    cell = CHEMISTRIES[chemistry]
    named = said.chemistry is not None
    if chemistry == "li-ion" and not named and measured and abs(measured / 3.65 - round(measured / 3.65)) < 0.12:
        count = max(1, round(measured / 3.65))
        assumed.append(f"{count} lithium cells in series, from {figure(measured, 'V')} = Wh / Ah")
        return chemistry, count
    if chemistry == "li-ion":
        count = LITHIUM_NAMES.get(volts) or max(1, round(volts / 3.65))
        for each in (3.6, 3.7, 4.2):
            if abs(volts / each - round(volts / each)) < 0.02:
                count = LITHIUM_NAMES.get(volts) or max(1, round(volts / each))
                break
    else:
        count = max(1, round(volts / cell.nominal_v))
        if abs(volts - count * cell.full_v) < 0.02 * volts < abs(volts - count * cell.nominal_v):
            count = max(1, round(volts / cell.full_v))
    assumed.append(f"{count} cells in series, guessed from {figure(volts, 'V')}")
    if not 0.9 * cell.cutoff_v * count <= volts <= 1.1 * cell.full_v * count:
        doubts.append(f"{figure(volts, 'V')} is no usual voltage of such cells")
    return chemistry, count


def _chemistry_by_volts(said: _Said, measured: float | None, assumed: list[str], doubts: list[str]) -> str:
    volts = said.volts or 0.0
    iron = [v for v in (3.2, 3.3) if any(abs(volts - n * v) < SAME_V for n in IRON)]
    if iron:
        assumed.append(f"no chemistry is stated: {volts:g} V is a multiple of {iron[0]} V, iron phosphate")
        return "lifepo4"
    if volts in (6.0, 12.0, 24.0) and measured is None and said.ah in LEAD_AH:
        assumed.append(f"no chemistry is stated: {volts:g} V with {said.ah:g} Ah is a usual sealed lead block")
        doubts.append("packs of lithium or NiMH are sold as this too: look for a chemistry on it")
        return "lead-acid"
    if volts in (1.5, 3.0, 4.5, 9.0):
        assumed.append(f"no chemistry is stated: {volts:g} V is a multiple of 1.5 V, alkaline")
        doubts.append("rechargeable ones of this shape give less: 1.2 V a cell, or 7.4 to 8.4 V in a 9 V block")
        return "alkaline"
    if volts in (1.2, 2.4, 4.8, 6.0, 8.4, 9.6):
        assumed.append(f"no chemistry is stated: {volts:g} V is a multiple of 1.2 V, NiMH")
        return "nimh"
    assumed.append("no chemistry is stated: lithium-ion is taken")
    if volts == 12.0:
        doubts.append(
            "a “12 V” pack is three lithium cells (12.6 to 9 V), four (16.8 to 12 V), "
            "or four of iron phosphate (14.6 to 10 V)"
        )
    elif volts in (6.0, 24.0):
        doubts.append(f"a “{volts:g} V” pack may be lead, lithium or iron phosphate: measure it full")
    return "li-ion"


def _decoded(
    label: str, kind: str, chemistry: str, series: int, ah: float, told: tuple[list[str], list[str]]
) -> Decoded:
    cell = CHEMISTRIES[chemistry]
    per_cell = 3.7 if kind == "bank" and chemistry == "li-ion" else cell.nominal_v
    wh = ah * series * per_cell
    assumed, doubts = told
    if wh > AIR_CARE_WH and chemistry in ("li-ion", "lifepo4"):
        doubts.append(f"{figure(wh, 'Wh')}: above {AIR_CARE_WH:g} Wh air carriers ask first; check yours")
    if not cell.rechargeable:
        assumed.append("primary cells: never charged")
    return Decoded(
        label=label,
        kind=kind,
        chemistry=chemistry,
        cells_in_series=series,
        full_v=series * cell.full_v,
        nominal_v=series * per_cell,
        flat_v=series * cell.cutoff_v,
        capacity_ah=ah,
        energy_wh=wh,
        assumed=tuple(assumed),
        doubts=tuple(doubts),
    )


def said(value: float) -> Known:
    """A figure as it stands on a label."""
    return Known(value=round(value, 6), known_by="label", note="decoded from the label")


def typical(value: float) -> Known:
    """A figure that the label does not tell."""
    return Known(value=value, known_by="typical")
