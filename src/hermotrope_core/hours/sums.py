"""The sums that makers do on the back of an envelope beside ours, and what each of them leaves out."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.discharge import NeverEnds, Run, run
from hermotrope_core.circuit.pack import rated_volts
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums, inlet_volts
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import maybe, number

USUAL_SHARE = 0.8
"""The flat share that is often taken off for losses."""
WORTH_TELLING = 0.005
"""A cause that takes less than this share is not told."""


class Sum(msgspec.Struct, frozen=True):
    """One simple sum: its name, the figures put in, the seconds it gives, and why it is off."""

    name: str
    formula: str
    seconds: float
    off: float
    """Share by which it is longer (+) or shorter (-) than our run."""
    because: str


def over_and_over(situation: Situation) -> Run | None:
    """The run to the pack's end, also of a duty that is one programme; None where there is none."""
    if not situation.case.duty.once:
        return situation.run
    duty = msgspec.structs.replace(situation.case.duty, once=False)
    try:
        return run(msgspec.structs.replace(situation.case, duty=duty))
    except NeverEnds:
        return None


def simple_sums(situation: Situation) -> tuple[Sum, ...]:
    """Ah / A, Wh / W, Wh x 0.8 / W, and label mAh at the port's volts; empty where the device does not run.

    Watts and amperes are the duty's own, as the modes state them.
    """
    ended, source, duty = over_and_over(situation), situation.source, duty_sums(situation)
    if ended is None or duty is None or ended.runtime_s <= 0.0 or duty.mean_w <= 0.0:
        return ()
    ah = number(source.capacity_ah)
    nominal = rated_volts(source)
    wh = ah * nominal
    watts, amps, inlet_v = duty.mean_w, duty.inlet_ah * 3600.0 / duty.seconds, inlet_volts(situation)
    rest = causes(situation, ended)
    meant = ""
    if situation.circuit.holders:
        meant = f"the Ah are meant at {figure(nominal, 'V')}, the amperes flow at {figure(inlet_v, 'V')}"
    reaches = ended.energy_to_device_wh / wh
    flat = f"a flat 80 %; here {figure(reaches, '%', 2)} of the label’s energy reaches the device"
    share = stated(USUAL_SHARE)
    made = [
        ("Ah / A", f"{figure(ah, 'Ah')} / {figure(amps, 'A')}", ah / amps, _joined(meant, rest)),
        ("Wh / W", f"{figure(wh, 'Wh')} / {figure(watts, 'W')}", wh / watts, _joined(rest)),
        (f"Wh × {share} / W", f"{figure(wh, 'Wh')} × {share} / {figure(watts, 'W')}", USUAL_SHARE * wh / watts, flat),
    ]
    port = source.regulated_output
    if port is not None:
        port_v = number(port.output_v)
        port_a = watts / port_v
        because = f"the mAh are counted at the cell, {figure(nominal, 'V')}, not at {figure(port_v, 'V')}"
        formula = f"{figure(ah, 'Ah')} / {figure(port_a, 'A')} at {figure(port_v, 'V')}"
        made.append(("label mAh at the port", formula, ah / port_a, _joined(because, rest)))
    return tuple(
        Sum(name, formula, 3600.0 * said, 3600.0 * said / ended.runtime_s - 1.0, because)
        for name, formula, said, because in made
    )


def causes(situation: Situation, ended: Run) -> str:
    """Everything that keeps label energy from the device, each with its share; empty where nothing is worth telling."""
    circuit, source = situation.circuit, situation.source
    used = circuit.start_soc - ended.final_soc
    counted = used * circuit.charge_ah
    health = maybe(source.state_of_health)
    cold = circuit.charge_ah / number(source.capacity_ah) / (1.0 if health is None else health)
    lost = 1.0 - ended.energy_to_device_wh / ended.energy_from_source_wh if ended.energy_from_source_wh else 0.0
    fast = 1.0 - ended.charge_ah / counted if counted > 0.0 else 0.0
    table = (
        (lost, f"{figure(lost, '%', 2)} lost in converter and wires"),
        (1.0 - used, f"{figure(1.0 - used, '%', 2)} of the charge left at the end ({ended.end_cause})"),
        (fast, f"{figure(fast, '%', 2)} of the charge lost to the high current (Peukert)"),
        (1.0 - cold, f"{figure(1.0 - cold, '%', 2)} of the charge lost to the cold"),
        (1.0 - (1.0 if health is None else health), f"{figure(1.0 - (health or 1.0), '%', 2)} lost to age"),
    )
    return ", ".join(words for share, words in table if share >= WORTH_TELLING)


def _joined(*parts: str) -> str:
    return "; ".join(part for part in parts if part) or "nothing of weight is lost here"
