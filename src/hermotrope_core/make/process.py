"""How a part is made: printed layer by layer, with one's own nozzle, clearance and material."""

from __future__ import annotations

import msgspec

from hermotrope_core.make.sizes import Size


class Material(msgspec.Struct, frozen=True):
    """A printed material: density in g/cm³, where it goes soft, and the bending stress it holds for years."""

    name: str
    density: float
    softens_c: float
    holds_mpa: float


MATERIALS = {
    "pla": Material("PLA", 1.24, 55.0, 8.0),
    "petg": Material("PETG", 1.27, 70.0, 8.0),
    "abs": Material("ABS", 1.04, 90.0, 7.0),
    "asa": Material("ASA", 1.07, 90.0, 7.0),
}
"""Density and heat deflection of usual filaments as their makers state them (ISO 1183, ISO 75); the stress is about a
sixth of the strength across layers, since plastic creeps."""
LEAST_CLEARANCE_MM = 0.05
SOLID_SHARE = 0.7
"""Of a part's volume, what is printed with a few walls and a usual infill."""
MM3_PER_S = 6.0
"""What a common printer lays down, on average over a small part with its turns and moves."""

PRINTING = {
    "nozzle_mm": Size("Nozzle", 0.1, 2.0, "What it is drilled to."),
    "layer_mm": Size("Layer", 0.04, 1.0, "Height of one layer."),
    "clearance_mm": Size("Clearance", LEAST_CLEARANCE_MM, 2.0, "Air on each side where two parts meet."),
    "bed_mm": Size("Bed", 50.0, 2000.0, "Its shorter side."),
    "kerf_mm": Size("Cutter’s kerf", 0.0, 3.0, "What a laser or a saw takes away; nought for none."),
}
"""The numbers of a printing, with the ranges that make sense."""


class Process(msgspec.Struct, frozen=True):
    """The user's own printing: nozzle, layer and clearance in millimetres, the bed, the material."""

    nozzle_mm: float = 0.4
    layer_mm: float = 0.2
    clearance_mm: float = 0.25
    bed_mm: float = 200.0
    kerf_mm: float = 0.0
    """What a laser or a saw takes away: outlines for the cutter are moved by half of it, so that parts come out true."""
    material: str = "petg"

    def __post_init__(self) -> None:
        for name, size in PRINTING.items():
            if told := size.problem(getattr(self, name)):
                raise ValueError(told)
        if self.material not in MATERIALS:
            raise ValueError(f"material must be one of {', '.join(MATERIALS)}")

    @property
    def of(self) -> Material:
        """The material itself."""
        return MATERIALS[self.material]

    @property
    def least_wall_mm(self) -> float:
        """Two lines of the nozzle: thinner walls come out with gaps."""
        return 2.0 * self.nozzle_mm

    def grams(self, volume_mm3: float) -> float:
        """Mass of a printed part, about: its volume, as far as it is filled."""
        return volume_mm3 / 1000.0 * self.of.density * SOLID_SHARE

    def seconds(self, volume_mm3: float) -> float:
        """Time on the printer, about."""
        return volume_mm3 * SOLID_SHARE / (MM3_PER_S * (self.nozzle_mm / 0.4) * (self.layer_mm / 0.2))
