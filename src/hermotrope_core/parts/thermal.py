"""How warm parts get that do not say, and what a closed box does to them: typical figures of the craft."""

from __future__ import annotations

CLOSED_BOX_DERATING = 0.7
"""A converter in a closed box is good for this share of its rated output (typical)."""
OPEN_K_PER_W, CLOSED_K_PER_W = 30.0, 50.0
"""How much a part warms that does not say, kelvin per watt, in the open and in a closed box (typical)."""
BOXED_TIMES = CLOSED_K_PER_W / OPEN_K_PER_W
"""So many times warmer a part gets in a closed box than on the open bench (typical)."""
RESISTOR_RISE_K = 150.0
"""Rise of a resistor at its rated heat in the open (typical); in proportion below."""
LEAD_K_M_PER_W = 8.0
"""Rise of an insulated wire for each watt per metre in free air (typical, thin hook-up wire)."""
