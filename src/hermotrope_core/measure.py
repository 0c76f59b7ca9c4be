"""Measuring helpers: what to connect, what to expect, and the sum from readings to a figure."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal

import msgspec

from hermotrope_core.case import Case, Converter, Polarity, maybe
from hermotrope_core.chemistry import CHEMISTRIES
from hermotrope_core.figures import figure

CHARGE_EFFICIENCY = {"li-ion": 0.95, "lifepo4": 0.95, "lead-acid": 0.8, "nimh": 0.7, "nicd": 0.7}
"""Share of the watt-hours put in on charge that the pack holds (typical)."""
SAME_VOLTS = 0.005
ODD_FACTOR = 3.0
"""A figure further from its present value than this factor is worth a second look."""


class Take(msgspec.Struct, frozen=True):
    """One reading to take: its name, what to read, its unit."""

    name: str
    term: str
    unit: str


class Result(msgspec.Struct, frozen=True):
    """A figure from readings: value and unit, the sum as text, what was expected, and a doubt if any."""

    value: float
    unit: str
    formula: str
    values: str
    expected: str
    doubt: str = ""


class Helper(msgspec.Struct, frozen=True):
    """How to measure one field of the document."""

    key: str
    title: str
    connect: str
    takes: tuple[Take, ...]
    work: Callable[[Mapping[str, float], Case, str], Result]


def _present(case: Case, place: str) -> float | None:
    """The plain value that stands at a JSON pointer now."""
    part: object = case
    for token in place.strip("/").split("/"):
        part = part[int(token)] if isinstance(part, tuple) and token.isdigit() else getattr(part, token, None)
    return maybe(part) if not isinstance(part, tuple | str) else None  # type: ignore[arg-type]


def _result(value: float, unit: str, sum_: tuple[str, str], case: Case, place: str) -> Result:
    present = _present(case, place)
    expected, doubt = "nothing is known yet", ""
    if present:
        usual = f"{figure(present / 2, unit, 2)} to {figure(present * 2, unit, 2)}"
        expected = f"so far {figure(present, unit)}; {usual} is no surprise"
        if not present / ODD_FACTOR <= value <= present * ODD_FACTOR:
            doubt = "far from what was known: check the meter's range and the probes, then trust the reading"
    return Result(value, unit, *sum_, expected, doubt)


def resistance(readings: Mapping[str, float], case: Case, place: str) -> Result:
    """R = (V_light - V_heavy) / (I_heavy - I_light). Raises ValueError for readings that give none."""
    light_v, light_a, heavy_v, heavy_a = (readings[n] for n in ("light_v", "light_a", "heavy_v", "heavy_a"))
    if heavy_a <= light_a:
        raise ValueError("the heavy reading must have more amperes than the light one")
    if heavy_v > light_v:
        raise ValueError("the volts rose under the heavier load: the readings are swapped, or it was recovering")
    value = (light_v - heavy_v) / (heavy_a - light_a)
    volts = f"{figure(light_v, 'V', 4)} − {figure(heavy_v, 'V', 4)}"
    values = f"({volts}) / ({figure(heavy_a, 'A')} − {figure(light_a, 'A')})"
    return _result(value, "Ω", ("R = (V_light − V_heavy) / (I_heavy − I_light)", values), case, place)


def draw_at_inlet(readings: Mapping[str, float], case: Case, place: str) -> Result:
    """What a mode draws, from volts and amperes at the inlet, in the unit in which the mode is stated."""
    volts, amps = readings["volts"], readings["amps"]
    name = place.rsplit("/", 1)[-1]
    pair = f"{figure(volts, 'V')} × {figure(amps, 'A')}"
    if name == "current_a":
        return _result(amps, "A", ("I, as read", figure(amps, "A")), case, place)
    if amps == 0:
        raise ValueError("nothing flows: is it on, and is the meter in the line?")
    if name == "resistance_ohm":
        return _result(volts / amps, "Ω", ("R = V / I", pair.replace("×", "/")), case, place)
    return _result(volts * amps, "W", ("P = V × I", pair), case, place)


def draw_at_battery(readings: Mapping[str, float], case: Case, place: str) -> Result:
    """What a mode draws at the inlet, from readings at a battery behind an adapter: P = V I η."""
    volts, amps, eta = readings["volts"], readings["amps"], readings["efficiency"]
    if not 0 < eta <= 1:
        raise ValueError("an efficiency is above 0 and at most 100 %")
    watts = volts * amps * eta
    if watts == 0:
        raise ValueError("nothing flows: is it on, and is the meter in the line?")
    name, rated = place.rsplit("/", 1)[-1], maybe(case.device.supply.nominal_v)
    values = f"{figure(volts, 'V')} × {figure(amps, 'A')} × {figure(eta, '%', 2)}"
    if name == "power_w":
        return _result(watts, "W", ("P = V × I × η", values), case, place)
    if rated is None:
        raise ValueError("the device's rated volts are needed first, to bring the watts to amperes or ohms")
    if name == "current_a":
        return _result(watts / rated, "A", ("I = V × I × η / V_rated", f"{values} / {figure(rated, 'V')}"), case, place)
    ohms = ("R = V_rated² / (V × I × η)", f"{figure(rated, 'V')}² / ({values})")
    return _result(rated * rated / watts, "Ω", ohms, case, place)


def standby(readings: Mapping[str, float], case: Case, place: str) -> Result:
    """What a converter draws with nothing connected behind it: P = V I at its input."""
    volts, amps = readings["volts"], readings["amps"]
    sum_ = ("P_q = V × I at the input, nothing behind it", f"{figure(volts, 'V')} × {figure(amps, 'A')}")
    return _result(volts * amps, "W", sum_, case, place)


def charge_energy(readings: Mapping[str, float], case: Case, place: str) -> Result:
    """Capacity from the watt-hours that a charge from flat took: Ah = Wh × η / V_nominal."""
    if case.source is None:
        raise ValueError("choose a pack first")
    wh = readings["wh"]
    eta = CHARGE_EFFICIENCY.get(case.source.chemistry)
    if eta is None:
        raise ValueError("these cells are never charged")
    if wh == 0:
        raise ValueError("nothing went in")
    volts = CHEMISTRIES[case.source.chemistry].nominal_v * case.source.cells_in_series
    values = f"{figure(wh, 'Wh')} × {figure(eta, '%', 2)} / {figure(volts, 'V')}"
    return _result(wh * eta / volts, "Ah", ("C = Wh put in × charge efficiency / V_nominal", values), case, place)


def rf_output(readings: Mapping[str, float], case: Case, place: str) -> Result:
    """Power into a load from its peak-to-peak volts: P = V_pp² / 8R."""
    peak_to_peak, ohms = readings["peak_to_peak"], readings["load"]
    if ohms == 0 or readings["volts"] == 0:
        raise ValueError("a load of no ohms, or no volts at the inlet, gives no output")
    values = f"({figure(peak_to_peak, 'V')})² / (8 × {figure(ohms, 'Ω')})"
    watts = peak_to_peak * peak_to_peak / (8.0 * ohms)
    expected = f"at {figure(readings['volts'], 'V')} at the inlet"
    return Result(watts, "W", "P = V_pp² / 8R", values, expected)


def with_output(table: tuple[tuple[float, float], ...] | None, volts: float, output: float) -> list[list[float]]:
    """The table of output against volts with one more reading; a reading at the same volts is replaced.

    >>> with_output(((12.0, 4.0),), 10.0, 2.5)
    [[10.0, 2.5], [12.0, 4.0]]
    """
    kept = [[v, y] for v, y in table or () if abs(v - volts) > SAME_VOLTS]
    return sorted([*kept, [volts, output]])


def polarity_from(red_on: Literal["centre", "sleeve"], reading_v: float) -> Polarity:
    """Polarity of a barrel from where the red probe was and the sign read.

    Raises ValueError where the meter reads nothing: then nothing is known.

    >>> polarity_from("centre", 12.1), polarity_from("centre", -12.1), polarity_from("sleeve", 12.1)
    ('centre-positive', 'centre-negative', 'centre-negative')
    """
    if abs(reading_v) < 0.5:
        raise ValueError("the meter reads next to nothing: the source is off, or a probe does not touch")
    return "centre-positive" if (reading_v > 0) == (red_on == "centre") else "centre-negative"


VOLTS, AMPS = Take("volts", "Volts", "V"), Take("amps", "Amperes", "A")
HELPERS: dict[str, Helper] = {
    helper.key: helper
    for helper in (
        Helper(
            "resistance",
            "from two readings",
            "Meter across the pack, another in the line. Read volts and amperes with a light load, then within "
            "ten seconds with a heavy one (about a fifth of the capacity in amperes).",
            (
                Take("light_v", "Light: volts", "V"),
                Take("light_a", "Light: amperes", "A"),
                Take("heavy_v", "Heavy: volts", "V"),
                Take("heavy_a", "Heavy: amperes", "A"),
            ),
            resistance,
        ),
        Helper(
            "draw",
            "read at the inlet",
            "Meter for amperes in the plus line, its 10 A socket first; another for volts at the inlet. Let it "
            "settle in this mode, then read both at the same moment.",
            (VOLTS, AMPS),
            draw_at_inlet,
        ),
        Helper(
            "draw-behind",
            "read at a battery, through an adapter",
            "Readings at the battery include what the adapter loses: state its efficiency, 85 % if unknown.",
            (VOLTS, AMPS, Take("efficiency", "Adapter's efficiency", "%")),
            draw_at_battery,
        ),
        Helper(
            "standby",
            "standby drain",
            "Nothing connected behind it. Meter for amperes in its plus input: start in the 10 A range, go down "
            "only if it reads under a tenth of it.",
            (VOLTS, AMPS),
            standby,
        ),
        Helper(
            "charge",
            "from a charge",
            "Run the pack to its cut-off, then charge it through a watt-hour meter until the charger stops.",
            (Take("wh", "Watt-hours put in", "Wh"),),
            charge_energy,
        ),
        Helper(
            "rf",
            "watts from peak to peak",
            "Transmit into a dummy load of known ohms, never into an antenna. Oscilloscope across the load, probe "
            "at ×10; a meter at the inlet. Read both while it transmits.",
            (
                Take("volts", "Volts at the inlet", "V"),
                Take("peak_to_peak", "Peak to peak across the load", "V"),
                Take("load", "Load", "Ω"),
            ),
            rf_output,
        ),
    )
}


def helpers_for(case: Case, place: str) -> tuple[str, ...]:
    """Keys of the helpers that fill a place of the document."""
    name = place.rsplit("/", 1)[-1]
    if place == "/source/resistance_ohm":
        return ("resistance",)
    if place == "/device/output_by_v":
        return ("rf",)
    if place == "/source/capacity_ah":
        rechargeable = case.source is not None and case.source.chemistry in CHARGE_EFFICIENCY
        return ("charge",) if rechargeable else ()
    if place.startswith("/device/modes/") and name in ("power_w", "current_a", "resistance_ohm"):
        return ("draw", "draw-behind")
    if place.startswith("/path/") and name == "quiescent_w":
        index = place.split("/")[2]
        inside = index.isdigit() and int(index) < len(case.path)
        return ("standby",) if inside and isinstance(case.path[int(index)], Converter) else ()
    return ()


def summed(key: str, readings: Mapping[str, float], case: Case, place: str) -> Result:
    """Work a helper. Raises ValueError saying which reading is missing or makes no sense."""
    helper = HELPERS[key]
    for take in helper.takes:
        value = readings.get(take.name)
        if value is None:
            raise ValueError(f"{take.term.lower()} is missing")
        if value < 0:
            raise ValueError(f"{take.term.lower()} reads below zero: the probes are swapped")
    return helper.work(readings, case, place)
