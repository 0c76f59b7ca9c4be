"""Taking one reading with the instruments at hand: load on, wait, measure, load off."""

from __future__ import annotations

import time
from collections.abc import Mapping
from contextlib import suppress
from math import inf, isinf

from hermotrope.instruments.scpi import Instrument, InstrumentError
from hermotrope.instruments.simulated import Role
from hermotrope_core.prove import Ask

QUERIES = {
    "volts": "MEAS:VOLT:DC?",
    "ripple": "MEAS:VOLT:AC?",
    "ohms": "MEAS:RES?",
    "diode": "MEAS:DIOD?",
    "amps": "MEAS:CURR:DC?",
    "temperature": "MEAS:TEMP?",
    "trip": "MEAS:VOLT:DC?",
}
PEAK_TO_PEAK = 2.83
"""Peak to peak over effective value of a sine, 2 sqrt(2)."""
LONGEST_WAIT_S = 60.0
RAMP_STEPS = 80
RAMP_SPAN = 0.15
"""A cut-off is looked for from this share above where it should open to this share below."""
OFF_SHARE = 0.3


def needed(ask: Ask) -> tuple[Role, ...]:
    """The instruments that an ask takes; a dummy load may also be a resistor switched by hand."""
    if ask.meter in ("clock", "mains", "seen"):
        return ()
    return ("meter", "supply") if ask.meter == "trip" else ("meter",)


def take(ask: Ask, resources: Mapping[Role, str], *, simulated: bool = False) -> float:
    """The reading in the unit of the ask; infinite for an open circuit. Raises `InstrumentError`."""
    missing = [role for role in needed(ask) if not resources.get(role)]
    if missing or not needed(ask):
        raise InstrumentError(
            f"no {missing[0]} is named: give its resource name, or type the reading"
            if missing
            else "this is read by hand: off a clock, a log, a plug-in meter, or a meter while you watch the device"
        )
    with Instrument(resources["meter"]) as meter:
        if simulated:
            meter.tell(f'SIM:WIRE "{ask.key}"')
        if ask.meter == "trip":
            value = _ramp(ask, meter, resources["supply"])
        elif ask.setup.load_a is not None and resources.get("load") and (ask.setup.electronic or simulated):
            value = _loaded(ask, meter, resources["load"], simulated=simulated)
        else:
            value = meter.number(QUERIES[ask.meter])
    if isinf(value) and ask.meter not in ("ohms", "diode"):
        raise InstrumentError("overload: the meter's range is too small, or a probe is off")
    return inf if isinf(value) else value * (PEAK_TO_PEAK if ask.meter == "ripple" else 1.0)


def _loaded(ask: Ask, meter: Instrument, resource: str, *, simulated: bool) -> float:
    """Measure while the electronic load draws what the ask says; it is switched off whatever happens."""
    with Instrument(resource) as load:
        try:
            load.tell(f"CURR {ask.setup.load_a:.4f}")
            load.tell("INP ON")
            _accepted(load)
            if not simulated:
                time.sleep(min(max(0.5, ask.setup.wait_s), LONGEST_WAIT_S))
            return meter.number(QUERIES[ask.meter])
        finally:
            _off(load, "INP OFF")


def _ramp(ask: Ask, meter: Instrument, resource: str) -> float:
    """Turn a supply down until what is behind the cut-off goes dead; the last volts at which it lived."""
    middle = ask.expected or 0.5 * (ask.low + ask.high)
    high, low = middle * (1 + RAMP_SPAN), middle * (1 - RAMP_SPAN)
    with Instrument(resource) as supply:
        try:
            supply.tell("CURR 0.5")
            supply.tell(f"VOLT {high:.3f}")
            supply.tell("OUTP ON")
            _accepted(supply)
            if abs(meter.number(QUERIES["trip"])) < OFF_SHARE * high:
                raise InstrumentError(f"nothing comes through the cut-off even at {high:.2f} V")
            for i in range(RAMP_STEPS + 1):
                volts = high + (low - high) * i / RAMP_STEPS
                supply.tell(f"VOLT {volts:.3f}")
                supply.ask("*OPC?")  # both listen on lines of their own: wait until the knob is turned
                if abs(meter.number(QUERIES["trip"])) < OFF_SHARE * high:
                    return volts
        finally:
            _off(supply, "OUTP OFF")
    raise InstrumentError(f"it does not open down to {low:.2f} V")


def _off(instrument: Instrument, command: str) -> None:
    """Switch off and wait until that is done; a line that is dead by then changes nothing more."""
    with suppress(InstrumentError):
        instrument.tell(command)
        instrument.ask("*OPC?")


def _accepted(instrument: Instrument) -> None:
    """Raise `InstrumentError` where the instrument did not take a command."""
    reply = instrument.ask("SYST:ERR?")
    if not reply.startswith(("0", "+0")):
        raise InstrumentError(f"{instrument.name} refused a command: {reply[:80]}")
