"""The sums that makers do on the back of an envelope beside ours, and what each of them leaves out."""

from __future__ import annotations

import msgspec

from hermotrope_core.case import maybe, number
from hermotrope_core.figures import figure
from hermotrope_core.situation import Situation

USUAL_SHARE = 0.8
"""The flat share that is often taken off for losses."""


class Sum(msgspec.Struct, frozen=True):
    """One simple sum: its name, the figures put in, the seconds it gives, and why it is off."""

    name: str
    formula: str
    seconds: float
    off: float
    """Share by which it is longer (+) or shorter (-) than our run."""
    because: str


def simple_sums(situation: Situation) -> tuple[Sum, ...]:
    """Ah / A, Wh / W, Wh x 0.8 / W, and label mAh at the port's volts; empty where the device does not run."""
    run, source = situation.run, situation.source
    if run is None or run.runtime_s <= 0.0 or run.energy_to_device_wh <= 0.0:
        return ()
    hours = run.runtime_s / 3600.0
    ah = number(source.capacity_ah)
    nominal = maybe(source.stated_at_v) or situation.cell.nominal_v * source.cells_in_series
    wh = ah * nominal
    watts = run.energy_to_device_wh / hours
    inlet_v = maybe(situation.case.device.supply.nominal_v) or nominal
    amps = watts / inlet_v
    lost = 1.0 - run.energy_to_device_wh / run.energy_from_source_wh if run.energy_from_source_wh else 0.0
    losses = f"{figure(lost, '%', 2)} lost on the way"
    used = situation.circuit.start_soc - run.final_soc
    usable = situation.circuit.charge_ah / ah
    rest = ", ".join(
        part
        for part in (
            losses,
            f"{figure(1.0 - used, '%', 2)} of the charge left ({run.end_cause})" if used < 0.995 else "",
            f"cold and age leave {figure(usable, '%', 2)} of the charge" if usable < 0.995 else "",
        )
        if part
    )
    made = [
        ("Ah / A", f"{figure(ah, 'Ah')} / {figure(amps, 'A')}", ah / amps,
         f"the Ah are meant at {figure(nominal, 'V')}, the amperes flow at {figure(inlet_v, 'V')}; {rest}"),
        ("Wh / W", f"{figure(wh, 'Wh')} / {figure(watts, 'W')}", wh / watts, rest),
        ("Wh × 0.8 / W", f"{figure(wh, 'Wh')} × 0.8 / {figure(watts, 'W')}", USUAL_SHARE * wh / watts,
         f"a flat 80 %; here {figure(run.energy_to_device_wh / wh, '%', 2)} of the label's energy reaches the device"),
    ]  # fmt: skip
    port = source.regulated_output
    if port is not None:
        port_v = number(port.output_v)
        port_a = watts / port_v
        because = f"the mAh are counted at the cell, {figure(nominal, 'V')}, not at {figure(port_v, 'V')}; {rest}"
        formula = f"{figure(ah, 'Ah')} / {figure(port_a, 'A')} at {figure(port_v, 'V')}"
        made.append(("label mAh at the port", formula, ah / port_a, because))
    return tuple(
        Sum(name, formula, 3600.0 * said, 3600.0 * said / run.runtime_s - 1.0, because)
        for name, formula, said, because in made
    )
