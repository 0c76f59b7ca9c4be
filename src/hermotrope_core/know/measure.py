"""Measuring helpers: what to connect, what to expect, and the sum from readings to a figure."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import msgspec

from hermotrope_core.circuit.pack import rated_volts
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe
from hermotrope_core.values.whole import whole_number

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


Readings = Sequence[Mapping[str, float]]
"""Rows of readings: one mapping from a take's name to its figure for each row."""


class Helper(msgspec.Struct, frozen=True):
    """How to measure one field of the document: what is read in each row, and what once for all of them."""

    key: str
    title: str
    connect: str
    takes: tuple[Take, ...]
    work: Callable[[Readings, Case, str], Result]
    once: tuple[Take, ...] = ()
    rows: int = 1
    """So many rows are offered; as many as hold readings are used."""
    least: int = 1
    """So many rows it takes at least."""


def _present(case: Case, place: str) -> float | None:
    """The plain value that stands at a JSON pointer now."""
    part: object = case
    for token in place.strip("/").split("/"):
        if isinstance(part, tuple):
            at = whole_number(token, len(part) - 1)
            if at is None:
                return None
            part = part[at]
        else:
            part = getattr(part, token, None)
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


def resistance(readings: Readings, case: Case, place: str) -> Result:
    """R from two readings or more: R = (V_light - V_heavy) / (I_heavy - I_light); over more rows the slope of V(I).

    Raises ValueError for readings that give none.
    """
    rows = sorted((one["amps"], one["volts"]) for one in readings)
    light, heavy = rows[0], rows[-1]
    if heavy[0] <= light[0]:
        raise ValueError("the heavy reading must have more amperes than the light one")
    if heavy[1] > light[1]:
        raise ValueError("the volts rose under the heavier load: the readings are swapped, or it was recovering")
    if len(rows) == 2:
        value = (light[1] - heavy[1]) / (heavy[0] - light[0])
        volts = f"{figure(light[1], 'V', 4)} − {figure(heavy[1], 'V', 4)}"
        values = f"({volts}) / ({figure(heavy[0], 'A')} − {figure(light[0], 'A')})"
        return _result(value, "Ω", ("R = (V_light − V_heavy) / (I_heavy − I_light)", values), case, place)
    amps, volts_mean = (sum(row[k] for row in rows) / len(rows) for k in (0, 1))
    spread = sum((a - amps) ** 2 for a, _ in rows)
    value = -sum((a - amps) * (v - volts_mean) for a, v in rows) / spread
    return _result(value, "Ω", ("R = −slope of V over I", f"{len(rows)} readings, least squares"), case, place)


def _mean(readings: Readings, work: Callable[[Mapping[str, float]], float], each: str) -> tuple[float, str]:
    """The mean of a figure over rows, and how it reads: the sum of the one row, or how many were taken."""
    values = [work(one) for one in readings]
    return sum(values) / len(values), each if len(values) == 1 else f"mean of {len(values)} readings"


def draw_at_inlet(readings: Readings, case: Case, place: str) -> Result:
    """What a mode draws, from volts and amperes at the inlet, in the unit in which the mode is stated."""
    first = readings[0]
    name = place.rsplit("/", 1)[-1]
    pair = f"{figure(first['volts'], 'V')} × {figure(first['amps'], 'A')}"
    mode = _mode_at(case, place)
    if mode is not None and mode.kind == "led":
        value, words = _mean(readings, lambda one: mode.led_amps(one["amps"], one["volts"]), pair.replace("×", "at"))
        return _result(value, "A", ("I × (V_at − V_dark) / (V − V_dark)", words), case, place)
    if name == "current_a":
        value, words = _mean(readings, lambda one: one["amps"], figure(first["amps"], "A"))
        return _result(value, "A", ("I, as read", words), case, place)
    if any(one["amps"] == 0 for one in readings):
        raise ValueError("nothing flows: is it on, and is the meter in the line?")
    if name == "resistance_ohm":
        value, words = _mean(readings, lambda one: one["volts"] / one["amps"], pair.replace("×", "/"))
        return _result(value, "Ω", ("R = V / I", words), case, place)
    value, words = _mean(readings, lambda one: one["volts"] * one["amps"], pair)
    return _result(value, "W", ("P = V × I", words), case, place)


def _mode_at(case: Case, place: str) -> Mode | None:
    """The mode that a place names; None for one that is not there yet."""
    part = place.split("/")[3] if place.startswith("/device/modes/") else ""
    at = whole_number(part, len(case.device.modes) - 1)
    return None if at is None else case.device.modes[at]


def draw_at_battery(readings: Readings, case: Case, place: str) -> Result:
    """What a mode draws at the inlet, from readings at a battery behind an adapter: P = V I η."""
    first = readings[0]
    eta = first["efficiency"]
    if not 0 < eta <= 1:
        raise ValueError("an efficiency is above 0 and at most 100 %")
    pair = f"{figure(first['volts'], 'V')} × {figure(first['amps'], 'A')} × {figure(eta, '%', 2)}"
    watts, values = _mean(readings, lambda one: one["volts"] * one["amps"] * eta, pair)
    if watts == 0:
        raise ValueError("nothing flows: is it on, and is the meter in the line?")
    return _watts_at(watts, values, "P = V × I × η", case, place)


def draw_by_plug_in(readings: Readings, case: Case, place: str) -> Result:
    """What a mode draws from a mains socket, as a plug-in meter shows it in watts."""
    watts, values = _mean(readings, lambda one: one["watts"], figure(readings[0]["watts"], "W"))
    if watts == 0:
        raise ValueError("nothing flows: is it on?")
    return _watts_at(watts, values, "P, as read", case, place)


def _watts_at(watts: float, values: str, formula: str, case: Case, place: str) -> Result:
    """Watts brought to the unit in which a mode is stated, at the device's rated volts."""
    name, rated = place.rsplit("/", 1)[-1], maybe(case.device.supply.nominal_v)
    if name == "power_w":
        return _result(watts, "W", (formula, values), case, place)
    if rated is None:
        raise ValueError("the device's rated volts are needed first, to bring the watts to amperes or ohms")
    if name == "current_a":
        return _result(
            watts / rated, "A", (f"I = P / V_rated, {formula}", f"{values} / {figure(rated, 'V')}"), case, place
        )
    ohms = (f"R = V_rated² / P, {formula}", f"{figure(rated, 'V')}² / ({values})")
    return _result(rated * rated / watts, "Ω", ohms, case, place)


def standby(readings: Readings, case: Case, place: str) -> Result:
    """What a converter draws with nothing connected behind it: P = V I at its input."""
    first = readings[0]
    pair = f"{figure(first['volts'], 'V')} × {figure(first['amps'], 'A')}"
    value, words = _mean(readings, lambda one: one["volts"] * one["amps"], pair)
    return _result(value, "W", ("P_q = V × I at the input, nothing behind it", words), case, place)


def charge_energy(readings: Readings, case: Case, place: str) -> Result:
    """Capacity from the watt-hours that a charge from flat took: Ah = Wh × η / V_nominal."""
    if case.source is None:
        raise ValueError("choose a pack first")
    wh, words = _mean(readings, lambda one: one["wh"], figure(readings[0]["wh"], "Wh"))
    eta = CHEMISTRIES[case.source.chemistry].charge_efficiency
    if eta is None:
        raise ValueError("these cells are never charged")
    if wh == 0:
        raise ValueError("nothing went in")
    volts = rated_volts(case.source)
    values = f"{words} × {figure(eta, '%', 2)} / {figure(volts, 'V')}"
    return _result(wh * eta / volts, "Ah", ("C = Wh put in × charge efficiency / V_nominal", values), case, place)


def rf_output(readings: Readings, case: Case, place: str) -> Result:
    """Power into a load from its peak-to-peak volts, at each of the volts at the inlet: P = V_pp² / 8R."""
    if any(one["load"] == 0 or one["volts"] == 0 for one in readings):
        raise ValueError("a load of no ohms, or no volts at the inlet, gives no output")
    first = readings[0]
    watts = rf_watts(first)
    if len(readings) == 1:
        values = f"({figure(first['peak_to_peak'], 'V')})² / (8 × {figure(first['load'], 'Ω')})"
        return Result(watts, "W", "P = V_pp² / 8R", values, f"at {figure(first['volts'], 'V')} at the inlet")
    values = ", ".join(f"{figure(one['volts'], 'V')}: {figure(rf_watts(one), 'W')}" for one in readings)
    return Result(watts, "W", "P = V_pp² / 8R, for each", values, f"{len(readings)} rows go into the table")


def rf_watts(reading: Mapping[str, float]) -> float:
    """P = V_pp² / 8R of one row, watts."""
    peak_to_peak = reading["peak_to_peak"]
    return peak_to_peak * peak_to_peak / (8.0 * reading["load"])


def with_output(table: tuple[tuple[float, float], ...] | None, volts: float, output: float) -> list[list[float]]:
    """The table of output against volts with one more reading; a reading at the same volts is replaced.

    >>> with_output(((12.0, 4.0),), 10.0, 2.5)
    [[10.0, 2.5], [12.0, 4.0]]
    """
    kept = [[v, y] for v, y in table or () if abs(v - volts) > SAME_VOLTS]
    return sorted([*kept, [volts, output]])


VOLTS, AMPS = Take("volts", "Volts", "V"), Take("amps", "Amperes", "A")
HELPERS: dict[str, Helper] = {
    helper.key: helper
    for helper in (
        Helper(
            "resistance",
            "from two readings",
            "Meter across the pack, another in the line. Read volts and amperes with a light load, then within "
            "ten seconds with a heavy one (about a fifth of the capacity in amperes).",
            (VOLTS, AMPS),
            resistance,
            rows=3,
            least=2,
        ),
        Helper(
            "draw",
            "read at the inlet",
            "Meter for amperes in the plus line, its 10 A socket first; another for volts at the inlet. Let it "
            "settle in this mode, then read both at the same moment.",
            (VOLTS, AMPS),
            draw_at_inlet,
            rows=3,
        ),
        Helper(
            "draw-behind",
            "read at a battery, through an adapter",
            "Readings at the battery include what the adapter loses: state its efficiency, 85 % if unknown.",
            (VOLTS, AMPS),
            draw_at_battery,
            once=(Take("efficiency", "Adapter’s efficiency", "%"),),
            rows=3,
        ),
        Helper(
            "plug-in",
            "by a plug-in meter",
            "The device's own plug goes into a plug-in power meter, that into the socket. No probe ever goes to mains "
            "volts.",
            (Take("watts", "Watts shown", "W"),),
            draw_by_plug_in,
            rows=3,
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
            (Take("volts", "Volts at the inlet", "V"), Take("peak_to_peak", "Peak to peak across the load", "V")),
            rf_output,
            once=(Take("load", "Load", "Ω"),),
            rows=4,
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
        rechargeable = case.source is not None and CHEMISTRIES[case.source.chemistry].rechargeable
        return ("charge",) if rechargeable else ()
    if place.startswith("/device/modes/") and name in ("power_w", "current_a", "resistance_ohm"):
        mode = _mode_at(case, place)
        if mode is not None and mode.kind == "led":
            return ("draw",)
        return ("plug-in",) if case.mains_at(len(case.path)) else ("draw", "draw-behind")
    if place.startswith("/path/") and name == "quiescent_w":
        at = whole_number(place.split("/")[2], len(case.path) - 1)
        return ("standby",) if at is not None and case.path[at].SWITCHES else ()
    return ()


def summed(key: str, readings: Readings, case: Case, place: str) -> Result:
    """Work a helper over its rows. Raises ValueError saying which reading is missing or makes no sense."""
    helper = HELPERS[key]
    if len(readings) < helper.least:
        raise ValueError(f"it takes {helper.least} rows of readings")
    for row in readings:
        for take in (*helper.takes, *helper.once):
            value = row.get(take.name)
            if value is None:
                raise ValueError(f"{take.term.lower()} is missing")
            if value < 0:
                raise ValueError(f"{take.term.lower()} reads below zero: the probes are swapped")
    return helper.work(readings, case, place)
