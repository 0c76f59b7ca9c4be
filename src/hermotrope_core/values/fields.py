"""Every quantity of the case document: its term, unit and the range that makes sense.

One table serves validation, the forms, the published schema and the glossary. The bounds are
wide: they stop slips (a minus sign, milliohms typed as ohms), not unusual hardware.
"""

from __future__ import annotations

import msgspec

from hermotrope_core.values.figures import stated
from hermotrope_core.values.liking import other


class Field(msgspec.Struct, frozen=True, gc=False):
    """A named quantity.

    ``unit`` is the symbol shown to people ("" for a pure number, "%" for a fraction that people
    read as per cent); ``low`` and ``high`` bound the stored value; ``above`` means that ``low``
    itself is not allowed.
    """

    term: str
    unit: str
    low: float
    high: float
    above: bool = False
    help: str = ""

    def problem(self, value: float) -> str | None:
        """Say why `value` (in the stored unit) is outside the range, or None if it is inside."""
        if not (self.low <= value <= self.high) or (self.above and value == self.low):
            unit = self.unit if self.unit != "%" else ""
            word = "above" if self.above else "at least"
            got = stated(value, unit) if other(unit) else f"{value:g}"
            return f"must be {word} {stated(self.low, unit)} and at most {stated(self.high, unit)} (got {got})"
        return None


def _positive(term: str, unit: str, high: float, note: str = "") -> Field:
    return Field(term, unit, 0.0, high, above=True, help=note)


def _from_zero(term: str, unit: str, high: float, note: str = "") -> Field:
    return Field(term, unit, 0.0, high, help=note)


FIELDS: dict[str, Field] = {
    # device
    "min_v": _positive("Least volts", "V", 1000, "below this it stops working"),
    "nominal_v": _positive("Rated volts", "V", 1000, "what the label or the original cells say"),
    "max_v": _positive("Most volts", "V", 1000, "the highest it is known to stand"),
    "absolute_max_v": _positive("Never above", "V", 1000, "it breaks above this"),
    "at_v": _positive("At", "V", 1000, "the volts at which it was tried or read"),
    "fade_v": _positive("Dark at", "V", 1000, "the volts at which its light is gone: those of its diodes in a row"),
    "no_load_share": Field("Turning free it takes", "%", 0.0, 0.95, help="of its amperes; 20 % where nobody read it"),
    "on_share": Field("On for", "%", 0.01, 1.0, help="of that time, by its controller or thermostat; between, nothing"),
    "stall_a": _positive("Held fast it takes", "A", 10_000, "at those volts, the shaft held: for a moment only"),
    "unloaded_v": _positive("Unloaded it reads", "V", 1000, "an adapter's volts with nothing connected"),
    "lasted_s": _positive("Lasted", "s", 1e9, "hours of use until it stopped; 21 * 2 h for three weeks of two hours"),
    "power_w": _from_zero("Power", "W", 100_000),
    "current_a": _from_zero("Current", "A", 10_000),
    "peak_a": _positive("Peak current", "A", 10_000, "start, stall, transmit"),
    "peak_w": _positive("Peak power", "W", 1_000_000, "start, stall, transmit"),
    "peak_s": _positive("Peak lasts", "s", 86_400),
    "input_capacitance_f": _positive("Input capacitance", "F", 10, "what fills up at the moment of switching on"),
    "energy_wh": _positive("Energy", "Wh", 1_000_000),
    "charge_w": _positive("Charges with", "W", 10_000, "what it takes from the feed meanwhile"),
    "charges_to_v": _positive("Charges up to", "V", 1000, "the volts at which its charger stops"),
    # source
    "cells_in_series": Field("Cells in series", "", 1, 1000),
    "cells_in_parallel": Field("Cells in parallel", "", 1, 1000),
    "capacity_ah": _positive("Capacity", "Ah", 100_000, "at the volts of the cells, not of a port"),
    "stated_at_v": _positive("Stated at", "V", 1000, "the volts at which the label's Ah are meant"),
    "resistance_ohm": _from_zero("Resistance", "Ω", 1_000_000),
    "cutoff_v": _from_zero("Cut-off", "V", 1000, "the pack gives up at this"),
    "full_v": _positive("Full volts", "V", 1000, "fresh off the charger, nothing connected"),
    "max_current_a": _positive("Most current", "A", 10_000, "for as long as it lasts"),
    "peak_current_a": _positive("Peak current", "A", 10_000, "for some seconds"),
    "state_of_health": Field("State of health", "%", 0.01, 1.0, help="what age has left of the capacity"),
    "initial_soc": Field("Charge at start", "%", 0.0, 1.0),
    "reserve_soc": Field("Reserve kept", "%", 0.0, 1.0, help="the run ends here by choice"),
    "peukert": Field("Peukert exponent", "", 1.0, 2.0),
    "rated_hours": _positive("Rated over", "h", 10_000, "the hours at which the Ah are stated"),
    "mass_g": _positive("Mass", "g", 1_000_000),
    "price": _from_zero("Price", "", 1_000_000),
    "recharge_h": _positive("Recharge", "h", 1000),
    # stages and ports
    "output_v": _positive("Set to", "V", 1000),
    "quiescent_w": _from_zero("Draws by itself", "W", 1000, "with nothing connected behind it"),
    "quiescent_a": _from_zero("Draws by itself", "A", 1000, "with nothing connected behind it"),
    "output_current_max_a": _positive("Gives at most", "A", 10_000),
    "output_min_current_a": _positive("Stays awake above", "A", 100),
    "output_off_delay_s": _from_zero("Falls asleep after", "s", 86_400),
    "input_min_v": _from_zero("Takes in from", "V", 1000),
    "input_max_v": _positive("Takes in up to", "V", 1000),
    "headroom_v": _from_zero("Headroom", "V", 100, "its input must stay this far above its output"),
    "adjusts_from_v": _positive("Can be set from", "V", 1000),
    "adjusts_to_v": _positive("Can be set up to", "V", 1000),
    "thermal_k_per_w": _positive("Warms by", "K/W", 1000),
    "dropout_v": _from_zero("Dropout", "V", 100, "its input must stay this far above its output"),
    "length_m": _from_zero("Length", "m", 10_000, "one way"),
    "area_mm2": _positive("Copper", "mm²", 1000),
    "rating_a": _positive("Rating", "A", 10_000),
    "rating_v": _positive("Rated volts (direct current)", "V", 10_000),
    "rating_w": _positive("Rating", "W", 100_000),
    "trips_v": _positive("Opens at", "V", 1000),
    "other_v": _positive("Other supply gives", "V", 1000, "the most, with nothing connected"),
    "other_a": _positive("Other supply, at most", "A", 10_000),
    "gap_s": _from_zero("Without feed", "s", 3600, "while it changes over; 0 for diodes"),
    "warns_v": _positive("Warns at", "V", 1000, "an alarm's own setting; left open for a voltmeter that only shows"),
    "forward_v": _from_zero("Drop of one", "V", 10),
    "count": Field("How many", "", 1, 100),
    "outer_mm": _positive("Outer", "mm", 50),
    "inner_mm": _positive("Inner", "mm", 50),
    "pin_count": Field("Pins", "", 2, 24),
    "arc_deg": _positive("Spread over", "°", 360, "degrees from first pin to last; 360 for a full circle"),
    "reading_v": Field("Reads", "V", -1000, 1000),
    "columns": Field("Side by side", "", 1, 24),
    "fed_slot": Field("Both wires in slot", "", 1, 24, help="leave open to feed at the two ends"),
    "ports_power_max_w": _positive("All ports together", "W", 10_000),
    # duty and conditions
    "seconds": _positive("Lasts", "s", 1e9),
    "temperature_c": Field("Temperature", "°C", -60, 100),
    "hours": _positive("For", "h", 10_000, "to the programme's end; without it each supply runs until it or all stop"),
    # provenance
    "spread": Field("Spread", "%", 0.0, 10.0, above=True, help="half-width of the 90 % interval"),
    # a fraction where a single number is given
    "efficiency": Field("Efficiency", "%", 0.01, 1.0),
}

TABLES: dict[str, tuple[str, str]] = {
    "efficiency": ("A", "%"),
    "ocv": ("%", "V"),
    "resistance_by_soc": ("%", ""),
    "output_by_v": ("V", ""),
    "temperature_by_h": ("h", "°C"),
}
"""Fields that may hold a table, with the units of its two columns."""
