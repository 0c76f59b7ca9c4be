"""Which way round a device takes its feed: what a reading, a beep or a turning motor tells."""

from __future__ import annotations

from typing import Literal

import msgspec

from hermotrope_core.kinds.inlets import Polarity
from hermotrope_core.values.quantity import parse


def polarity_from(red_on: Literal["centre", "sleeve"], reading_v: float) -> Polarity:
    """Polarity of a barrel from where the red probe was and the sign read.

    Raises ValueError where the meter reads nothing: then nothing is known.

    >>> polarity_from("centre", 12.1), polarity_from("centre", -12.1), polarity_from("sleeve", 12.1)
    ('centre-positive', 'centre-negative', 'centre-negative')
    """
    if abs(reading_v) < 0.5:
        raise ValueError("the meter reads next to nothing: the source is off, or a probe does not touch")
    return "centre-positive" if (reading_v > 0) == (red_on == "centre") else "centre-negative"


Sees = Literal["beep", "diode", "turns"]


class Find(msgspec.Struct, frozen=True):
    """A way to find which contact is plus when the original supply is gone.

    `sees` is what the meter must show: a beep, a diode's drop one way only, or a motor that turns as it should.
    """

    key: str
    title: str
    how: str
    sees: Sees
    motor: bool = False


FINDS: dict[str, Find] = {
    one.key: one
    for one in (
        Find(
            "battery-clip",
            "the clip of its block battery",
            "Battery off, supply off. A block's small stud is plus, so on the device's clip the small round stud meets "
            "the block's minus: one probe on that small stud, the other on the contact that you take for minus.",
            "beep",
        ),
        Find(
            "bay-springs",
            "springs of its cell bay",
            "Cells out, supply off. The marks in the bay say how a cell lies: at the string's last spring lies minus. "
            "One probe there, the other on the contact that you take for minus: it must beep.",
            "beep",
        ),
        Find(
            "board-marks",
            "marks on its board",
            "Supply off, opened only if nothing of mains volts is inside. + or − or GND printed beside the inlet's "
            "solder points: one probe on the point marked −, the other on the contact that you take for minus.",
            "beep",
        ),
        Find(
            "charge-socket",
            "a USB charge socket on it",
            "Supply off, cells out. The metal shell of a USB socket is nearly always the device's minus: one probe on "
            "the shell, the other on the contact that you take for minus. Take a second way as well.",
            "beep",
        ),
        Find(
            "capacitor",
            "the stripe of its input capacitor",
            "Supply off for a minute. The large round capacitor next to the inlet has a stripe along its minus leg: "
            "one probe on that leg, the other on the contact that you take for minus.",
            "beep",
        ),
        Find(
            "series-diode",
            "a diode in its input, by the diode test",
            "Supply off. Find the diode whose ring points into the device; its other leg goes to plus. Meter on diode: "
            "red on the contact that you take for plus, black on the ring's leg: 0.15 to 1 V; turned round: OL.",
            "diode",
        ),
        Find(
            "brushed-motor",
            "a small supply on a plain brushed motor",
            "Only for a motor with brushes and nothing else behind the inlet. Wheels or belt free. A supply at a third "
            "of the rated volts, limited to a few hundred milliamperes, plus on the contact that you take for plus: it "
            "must turn forwards.",
            "turns",
            motor=True,
        ),
    )
}
LEAST_DIODE_V, MOST_DIODE_V = 0.15, 1.0
MOST_BEEP_OHM = 5.0


def found_polarity(key: str, shown: str) -> Find:
    """The way by which a polarity was found, if what the meter showed bears it out. Raises ValueError otherwise.

    `shown` is what people read: beep or ohms, volts of a diode test, or "turns forwards".

    >>> found_polarity("capacitor", "beep").key, found_polarity("series-diode", "0.52 V").sees
    ('capacitor', 'diode')
    """
    find = FINDS.get(key)
    if find is None:
        raise ValueError("choose how it was found")
    text = shown.strip().lower()
    if not text:
        raise ValueError("enter what the meter showed")
    if find.sees == "turns":
        if text in ("turns forwards", "forwards", "forward"):
            return find
        raise ValueError("it counts when it turns forwards; turned backwards, the other contact is plus: swap and try")
    if find.sees == "beep":
        if text in ("beep", "beeps", "joined"):
            return find
        ohms = parse(shown, "Ω")
        if 0.0 <= ohms <= MOST_BEEP_OHM:
            return find
        raise ValueError(f"{shown.strip()} is no joint: take the other contact for minus and try again")
    volts = parse(shown, "V")
    if LEAST_DIODE_V <= volts <= MOST_DIODE_V:
        return find
    raise ValueError(f"{shown.strip()} is no diode's drop (0.15 to 1 V): take the other contact for plus and try again")
