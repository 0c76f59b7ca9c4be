"""What cells and packs are sold as: sizes with their usual chemistry and charge, names in volts, usual capacities."""

from __future__ import annotations

# size: chemistry taken where none is stated, typical capacity in Ah, most that is plausible
SIZES: dict[str, tuple[str, float, float]] = {
    "AAAA": ("alkaline", 0.5, 0.7),
    "AAA": ("alkaline", 1.1, 1.4),
    "AA": ("alkaline", 2.5, 3.6),
    "C": ("alkaline", 7.5, 9.0),
    "D": ("alkaline", 15.0, 22.0),
    "18650": ("li-ion", 2.6, 3.7),
    "21700": ("li-ion", 4.5, 6.0),
    "14500": ("li-ion", 0.8, 1.1),
    "10440": ("li-ion", 0.35, 0.5),
    "26650": ("li-ion", 5.0, 5.8),
    "16340": ("li-ion", 0.7, 0.95),
    "32650": ("lifepo4", 6.0, 7.0),
    "CR2016": ("lithium-manganese-dioxide", 0.09, 0.1),
    "CR2450": ("lithium-manganese-dioxide", 0.6, 0.65),
    "LR44": ("alkaline", 0.11, 0.16),
    "A23": ("alkaline", 0.055, 0.07),
    "CR2": ("lithium-manganese-dioxide", 0.85, 0.95),
    "CR123A": ("lithium-manganese-dioxide", 1.5, 1.7),
    "CR2032": ("lithium-manganese-dioxide", 0.22, 0.25),
    "CR2025": ("lithium-manganese-dioxide", 0.16, 0.18),
}
# cells of lithium-ion by the volts that packs are sold under: nominal, full, or a round number
LITHIUM_NAMES: dict[float, int] = {
    12.0: 3, 14.0: 4, 16.0: 4, 18.0: 5, 20.0: 5, 24.0: 6, 28.0: 7, 36.0: 10, 40.0: 10, 48.0: 13, 54.0: 15, 56.0: 15,
    60.0: 16, 80.0: 20,
}  # fmt: skip
IRON = (1, 2, 4, 8, 16)
"""Cells of iron phosphate in a row that packs without a chemistry on them have."""
LEAD_AH = {
    1.2, 1.3, 2.1, 2.3, 3.2, 3.4, 4, 4.5, 5, 7, 7.2, 8, 9, 10, 12, 14, 15, 17, 18, 20, 22, 24, 26, 28, 33, 35, 38, 40,
    42, 44, 55, 60, 65, 70, 75, 80, 90, 100,
}  # fmt: skip
"""Usual capacities of sealed lead blocks."""
