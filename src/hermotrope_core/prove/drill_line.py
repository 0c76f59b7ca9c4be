"""A line that is probed: its parts between its points, and what may be wrong with it."""

from __future__ import annotations

from typing import Literal

import msgspec

Part = Literal["fuse", "switch", "converter", "lead"]
FaultKind = Literal[
    "none", "reversed-plug", "reversed-pack", "no-link", "broken-plus", "broken-minus", "dead-switch", "stuck-switch",
    "dry-joint", "short", "set-high", "set-low", "weak-pack", "sleepy",
]  # fmt: skip
WORDS: dict[FaultKind, str] = {
    "none": "nothing is wrong",
    "reversed-plug": "plus and minus swapped at the plug",
    "reversed-pack": "plus and minus swapped at the pack",
    "no-link": "no link in the fuse holder",
    "broken-plus": "the lead’s plus wire is broken",
    "broken-minus": "the lead’s minus wire is broken",
    "dead-switch": "the switch never closes",
    "stuck-switch": "the switch never opens",
    "dry-joint": "a dry joint in the lead’s plus",
    "short": "plus and minus touch in the plug",
    "set-high": "the converter is set too high",
    "set-low": "the converter is set too low",
    "weak-pack": "the pack is worn out",
    "sleepy": "the bank falls asleep without a load",
}
NEEDS: dict[FaultKind, Part | Literal["bank"]] = {
    "no-link": "fuse", "dead-switch": "switch", "stuck-switch": "switch", "set-high": "converter",
    "set-low": "converter", "sleepy": "bank",
}  # fmt: skip
"""What a line must have for the fault to be possible."""


class Line(msgspec.Struct, frozen=True):
    """A pack, its parts in order, and the device at the plug. Volts, ohms, amperes."""

    name: str
    pack_v: float
    pack_ohm: float
    parts: tuple[Part, ...]
    device_min_v: float
    device_max_v: float
    load_a: float
    """What the device draws, and what the test load at the plug draws at the device's middle volts."""
    set_v: float = 0.0
    bank: bool = False
    lead_ohm: float = 0.08
    """Of each of its two wires."""

    @property
    def device_v(self) -> float:
        return (self.device_min_v + self.device_max_v) / 2.0

    @property
    def load_ohm(self) -> float:
        return self.device_v / self.load_a

    @property
    def pack_a(self) -> float:
        """About what the device draws from the pack."""
        return self.load_a * (self.device_v / self.pack_v / 0.9 if "converter" in self.parts else 1.0)

    def points(self) -> tuple[str, ...]:
        """Where a probe can go: the pack's contacts, behind each part on the plus, the plug's contacts."""
        behind = tuple(f"behind the {part}" for part in self.parts if part != "lead")
        return ("pack +", *behind, "plug +", "plug -", "pack -")

    def faults(self) -> tuple[FaultKind, ...]:
        """What may be wrong with this line."""
        has = {*self.parts, *(["bank"] if self.bank else [])}
        return tuple(kind for kind in WORDS if kind not in NEEDS or NEEDS[kind] in has)


class Hidden(msgspec.Struct, frozen=True):
    """A fault with its size: ohms of a joint, share of a set-point, share of its volts that a worn pack loses."""

    kind: FaultKind
    size: float = 1.0


SIZES: dict[FaultKind, float] = {"dry-joint": 6.0, "set-high": 1.3, "set-low": 0.7, "weak-pack": 0.16}
"""The usual size of those that have one."""
WIDE = 0.2
"""A fault's size lies within this share of its usual one."""

LINES = (
    Line("Moth-trap lamp on a lead block", 12.7, 0.05, ("fuse", "switch", "lead"), 11.0, 14.0, 1.2),
    Line("Pan mount on a tool pack", 20.0, 0.12, ("fuse", "switch", "converter", "lead"), 10.5, 13.5, 2.0, 12.0),
    Line("Tag reader on a bank", 5.0, 0.15, ("converter", "lead"), 8.0, 10.0, 0.25, 9.0, bank=True),
    Line("Water-level gauge, boosted", 13.1, 0.06, ("fuse", "converter", "lead"), 22.0, 26.0, 0.3, 24.0),
    Line("Jetty lamp, straight on", 12.6, 0.05, ("fuse", "lead"), 11.0, 14.5, 0.8),
)
