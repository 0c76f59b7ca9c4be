"""Barrel connectors: usual sizes, and those that are easily mistaken for each other."""

from __future__ import annotations

from hermotrope_core.kinds.inlets import KIND_WORDS, Connector, fixed_by_standard, knows_sign
from hermotrope_core.know.pins import nets_of
from hermotrope_core.parts.wire import PARTS
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import number

SAME_MM = 0.06
"""Two sizes closer than this are one; callipers and burrs are no better."""
ALIKE_OUTER_MM, ALIKE_INNER_MM = 0.35, 0.55
"""Barrels closer than this in both diameters look alike."""


def look_alikes(outer_mm: float, inner_mm: float) -> tuple[tuple[float, float], ...]:
    """Usual barrel sizes (outer, inner, in mm) that look like this one and are not."""
    return tuple(
        (outer, inner)
        for outer, inner in PARTS.barrel_sizes_mm_outer_inner
        if abs(outer - outer_mm) < ALIKE_OUTER_MM
        and abs(inner - inner_mm) < ALIKE_INNER_MM
        and (abs(outer - outer_mm) > SAME_MM or abs(inner - inner_mm) > SAME_MM)
    )


def is_usual(outer_mm: float, inner_mm: float) -> bool:
    """True for a size that plugs are commonly made in."""
    return any(
        abs(outer - outer_mm) <= SAME_MM and abs(inner - inner_mm) <= SAME_MM
        for outer, inner in PARTS.barrel_sizes_mm_outer_inner
    )


def barrel_advice(outer_mm: float, inner_mm: float) -> tuple[str, ...]:
    """What to check before buying a plug of this size; empty where nothing is easily mistaken."""
    told = []
    if not is_usual(outer_mm, inner_mm):
        told.append(
            f"{stated(outer_mm)} × {stated(inner_mm)} mm is no usual size: measure both diameters again with callipers."
        )
    for outer, inner in look_alikes(outer_mm, inner_mm):
        if inner > inner_mm + SAME_MM:
            fits = f"a {stated(inner)} mm plug is loose on its {stated(inner_mm)} mm pin and drops out or flickers"
        elif inner < inner_mm - SAME_MM:
            fits = f"a {stated(inner)} mm plug will not go on its {stated(inner_mm)} mm pin"
        else:
            fits = f"the shell is {stated(outer)} mm, not {stated(outer_mm)} mm"
        told.append(f"{stated(outer)} × {stated(inner)} mm looks the same: {fits}.")
    return tuple(told)


def connector_words(connector: Connector) -> str:
    """Kind, size, gender and sign of a connector."""
    size = (
        f" {stated(number(connector.outer_mm))} × {stated(number(connector.inner_mm))} mm"
        if connector.outer_mm and connector.inner_mm
        else ""
    )
    pins = f", {connector.pin_count} pins" if connector.pin_count else ""
    sign = {"centre-positive": ", centre plus", "centre-negative": ", centre minus"}.get(connector.polarity, "")
    gender = f" {connector.gender}" if connector.gender else ""
    return f"{KIND_WORDS[connector.kind]}{size}{gender}{pins}{sign}"


def contacts_of(connector: Connector | None) -> tuple[str, str] | None:
    """Names of the contacts that carry plus and minus; None where nobody knows, and where there are none (mains)."""
    if connector is None or not knows_sign(connector):
        return None
    if fixed_by_standard(connector):
        return "plus, as its standard has it", "minus, as its standard has it"
    if connector.kind == "barrel":
        ends = ("centre", "sleeve")
        return ends if connector.polarity == "centre-positive" else (ends[1], ends[0])
    if connector.kind == "pins":
        nets = nets_of(connector)
        if nets.settled:
            return pin_names(nets.plus), pin_names(nets.minus)
    return "plus, as marked", "minus, as marked"


def pin_names(pins: tuple[int, ...]) -> str:
    """Pins by number, as a sentence names them.

    >>> pin_names((3,)), pin_names((1, 2, 5))
    ('pin 3', 'pins 1, 2 and 5')
    """
    numbers = " and ".join(filter(None, (", ".join(str(p) for p in pins[:-1]), str(pins[-1]))))
    return f"pin {numbers}" if len(pins) == 1 else f"pins {numbers}"
