"""Every unit that people read and type: what the unit library calls it, its words, how it is shown when small."""

from __future__ import annotations

import msgspec


class Small(msgspec.Struct, frozen=True):
    """A prefix for values under a tenth of the unit."""

    prefix: str
    times: float


MILLI, MICRO = Small("m", 1e3), Small("µ", 1e6)


class Unit(msgspec.Struct, frozen=True):
    """One unit; `pint` is empty for what is no dimension (per cent, plain numbers)."""

    pint: str
    called: str
    example: str
    small: Small | None = None


UNITS: dict[str, Unit] = {
    "V": Unit("volt", "volts", "12.6 V or 12V6", MILLI),
    "A": Unit("ampere", "amperes", "420 mA or 2.5 A", MILLI),
    "W": Unit("watt", "watts", "6 W or 1/4 W", MILLI),
    "Ω": Unit("ohm", "ohms", "0.125 Ω or 125 mΩ", MILLI),
    "F": Unit("farad", "a capacitance", "1000 µF", MICRO),
    "Ah": Unit("ampere * hour", "ampere-hours", "2500 mAh or 2.5 Ah", MILLI),
    "Wh": Unit("watt * hour", "watt-hours", "74 Wh"),
    "s": Unit("second", "a time", "90 min, 4h30 or 45 s"),
    "h": Unit("hour", "hours", "3 h or 90 min"),
    "m": Unit("meter", "a length", "1.2 m or 60 cm", MILLI),
    "mm": Unit("millimeter", "millimetres", "5.5 mm"),
    "mm²": Unit("millimeter ** 2", "a wire size", "0.75 mm² or 18 AWG"),
    "g": Unit("gram", "a mass", "640 g"),
    "K/W": Unit("kelvin / watt", "kelvin per watt", "30 K/W"),
    "K": Unit("kelvin", "a difference of temperature", "20 K"),
    "N·m": Unit("newton * meter", "a torque", "1.5 N·m"),
    "°C": Unit("degC", "a temperature", "5 °C"),
    "°": Unit("degree", "an angle", "270°"),
    "%": Unit("", "a percentage", "92 %"),
    "": Unit("", "a number", "5"),
}
