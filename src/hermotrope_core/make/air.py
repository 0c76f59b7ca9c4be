"""How much opening a box needs for the heat that is lost inside. An estimate, on the safe side."""

from __future__ import annotations

from math import sqrt

U_W_M2K = 3.0
"""Through a thin wall with still air on both sides: two films of 6 to 8 W/m²K in a row."""
DISCHARGE = 0.6
"""Of a sharp-edged opening."""
AIR_J_M3K = 1.2 * 1005.0
"""Density times specific heat of air at room temperature."""
WARM_K = 300.0
GRAVITY = 9.81


def through_walls_w(surface_mm2: float, rise_k: float) -> float:
    """Watts that leave through closed walls at a given rise of the air inside.

    >>> through_walls_w(10_000.0, 20.0)
    0.6
    """
    return U_W_M2K * surface_mm2 * 1e-6 * rise_k


def vents_mm2(heat_w: float, rise_k: float, surface_mm2: float, height_mm: float) -> float:
    """Open area in mm² that is needed low and once more high; 0 where the walls do it.

    Chimney flow through two equal openings, `height_mm` apart: Q = C A sqrt(g h dT / T), P = rho c Q dT (ASHRAE
    Fundamentals, ventilation by the stack effect).

    >>> vents_mm2(0.3, 20.0, 12_000.0, 20.0), round(vents_mm2(3.0, 20.0, 12_000.0, 20.0))
    (0.0, 1378)
    """
    rest = heat_w - through_walls_w(surface_mm2, rise_k)
    if rest <= 0.0:
        return 0.0
    speed = DISCHARGE * sqrt(GRAVITY * height_mm * 1e-3 * rise_k / WARM_K)
    return 1e6 * rest / (AIR_J_M3K * rise_k * speed)
