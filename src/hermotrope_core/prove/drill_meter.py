"""What a meter shows between any two points of a line with a hidden fault: volts, ohms or amperes.

The line is a network of resistances with one or two sources, solved by nodal analysis (Kirchhoff's current law). The
converter's input is a sink of the power that its output gives, found by turns.
"""

from __future__ import annotations

from math import inf
from typing import Literal

import msgspec
import numpy as np

from hermotrope_core.circuit.arrays import Array
from hermotrope_core.prove.drill_line import Hidden, Line

Mode = Literal["V", "Ω", "A"]
MODES: tuple[Mode, ...] = ("V", "Ω", "A")
INPUT_OHM, SHUNT_OHM = 10e6, 0.05
"""A meter's own, as a voltmeter and as an ammeter."""
METER_FUSE_A = 10.0
"""Of a hand meter's ampere socket (typical)."""
PART_OHM, NOTHING_OHM = 0.02, 1e11
"""Of a closed switch, a fuse or a touching wire; of nothing."""
SETTLED_A, NEAR_A = 1e-5, 0.5
"""The converter's input is settled, and near enough for a whole step."""
OVER_OHM = 20e6
"""An ohmmeter shows OL from here (typical)."""
CONVERTER_OHM = 60e3
"""What an ohmmeter sees of a converter's two sides, its capacitors once charged (typical)."""
OUTPUT_OHM, EFFICIENCY = 0.02, 0.9
LEAST_INPUT_V = 3.0
"""Of its converter (typical)."""
ASLEEP_BELOW_A = 0.06
"""What a bank takes for nothing connected (typical)."""
LINE_FUSE_A = 15.0
"""More than any of the lines draws, less than any pack gives into a short."""
TURNS = 30


class State(msgspec.Struct, frozen=True):
    """How the bench stands while a reading is taken."""

    pack: bool = True
    switch: bool = True
    load: bool = False


class Probe(msgspec.Struct, frozen=True):
    """A reading that is asked for: red and black point (indices into `Line.points`), mode, state."""

    red: int
    black: int
    mode: Mode
    state: State = State()


class Reading(msgspec.Struct, frozen=True):
    """What the meter shows; `inf` is an open circuit. `event` is what happened besides."""

    value: float
    event: Literal["", "fuse", "meter-fuse", "live"] = ""
    """The line's fuse opened; the meter's own did; ohms were asked of a line with its pack in."""


def read(line: Line, hidden: Hidden, probe: Probe) -> Reading:
    """Take a reading. Ohms need the pack out: with it in, the meter shows nonsense, and that is told."""
    if probe.red == probe.black:
        return Reading(0.0)
    if probe.mode == "Ω":
        if probe.state.pack:
            return Reading(inf, "live")
        volts = _Net(line, hidden, probe.state).volts((probe.red, probe.black, NOTHING_OHM), inject=1e-3)
        ohm = (volts[probe.red] - volts[probe.black]) / 1e-3
        return Reading(inf if ohm > OVER_OHM else max(round(ohm, 3), 0.0))
    between = INPUT_OHM if probe.mode == "V" else SHUNT_OHM
    net = _Net(line, hidden, probe.state)
    volts = net.volts((probe.red, probe.black, between))
    if net.fuse_a > LINE_FUSE_A:
        return Reading(0.0, "fuse")
    shown = float(volts[probe.red] - volts[probe.black])
    if probe.mode == "V":
        return Reading(round(shown, 3))
    amps = shown / SHUNT_OHM
    return Reading(0.0, "meter-fuse") if abs(amps) > METER_FUSE_A else Reading(round(amps, 4))


def at_the_device(line: Line, hidden: Hidden) -> tuple[float, float]:
    """Volts at the plug, unloaded and with the device's draw; nought where the fuse opens."""
    at = line.points()
    probe = Probe(at.index("plug +"), at.index("plug -"), "V")
    still = read(line, hidden, probe)
    loaded = read(line, hidden, msgspec.structs.replace(probe, state=State(load=True)))
    return still.value, loaded.value


class _Net:
    """The line's points as nodes of a network; the pack's minus, the last of them, is at nought."""

    def __init__(self, line: Line, hidden: Hidden, state: State) -> None:
        self.line, self.hidden, self.state = line, hidden, state
        self.count = len(line.points())
        self.inner = [part for part in line.parts if part != "lead"]
        self.fuse_a = 0.0

    def volts(self, meter: tuple[int, int, float], inject: float = 0.0) -> Array:
        """Volts of every point; the meter lies between two of them as a resistance and may bring a current."""
        asleep, gives, taken = False, False, 0.0
        found = np.zeros(self.count)
        for _ in range(TURNS):
            found = self._solved(meter, inject, taken if gives else 0.0, gives, asleep)
            if self.hidden.kind == "sleepy" and not asleep and self._source_a(found) < ASLEEP_BELOW_A:
                asleep, gives, taken = True, False, 0.0
                continue
            if "converter" not in self.inner:
                break
            at = self.inner.index("converter")
            output_a = max((self._set_v() - found[at + 1]) / OUTPUT_OHM, 0.0) if gives else 0.0
            wants = output_a * found[at + 1] / (EFFICIENCY * max(found[at], LEAST_INPUT_V))
            gave, gives = gives, bool(found[at] > LEAST_INPUT_V)
            if gave == gives and abs(wants - taken) < SETTLED_A:
                break
            taken = wants if abs(wants - taken) < NEAR_A else (taken + wants) / 2.0
        if "fuse" in self.inner and self.hidden.kind != "no-link":
            at = self.inner.index("fuse")
            self.fuse_a = abs(float(found[at] - found[at + 1])) / PART_OHM
        return found

    def _solved(self, meter: tuple[int, int, float], inject: float, taken: float, gives: bool, asleep: bool) -> Array:
        """One turn: everything linear, the converter's input as a current that is taken."""
        line, kind, minus = self.line, self.hidden.kind, self.count - 1
        grid, into = np.eye(self.count) / NOTHING_OHM, np.zeros(self.count)

        def join(a: int, b: int, ohm: float, emf: float = 0.0) -> None:
            g = 1.0 / ohm
            grid[[a, b], [a, b]] += g
            grid[[a, b], [b, a]] -= g
            into[a] += emf * g
            into[b] -= emf * g

        if self.state.pack and not asleep:
            join(0, minus, self._pack_ohm(), -line.pack_v if kind == "reversed-pack" else line.pack_v)
        for at, part in enumerate(self.inner):
            if part == "converter":
                join(at, minus, CONVERTER_OHM)
                join(at + 1, minus, OUTPUT_OHM if gives else CONVERTER_OHM, self._set_v() if gives else 0.0)
                into[at] -= taken
                into[minus] += taken
            else:
                join(at, at + 1, self._part_ohm(part))
        plus, black = (minus - 1, minus - 2) if kind == "reversed-plug" else (minus - 2, minus - 1)
        joint = self.hidden.size if kind == "dry-joint" else 0.0
        join(len(self.inner), plus, NOTHING_OHM if kind == "broken-plus" else line.lead_ohm + joint)
        join(black, minus, NOTHING_OHM if kind == "broken-minus" else line.lead_ohm)
        if kind == "short":
            join(plus, black, PART_OHM)
        if self.state.load:
            join(plus, black, line.load_ohm)
        join(*meter)
        into[meter[0]] += inject
        into[meter[1]] -= inject
        found: Array = np.asarray(np.linalg.solve(grid, into), dtype=np.float64)
        return np.asarray(found - found[minus])

    def _pack_ohm(self) -> float:
        if self.hidden.kind == "weak-pack":
            return self.hidden.size * self.line.pack_v / self.line.pack_a
        return self.line.pack_ohm

    def _source_a(self, found: Array) -> float:
        return float(self.line.pack_v - found[0]) / self._pack_ohm() if self.state.pack else 0.0

    def _set_v(self) -> float:
        return self.line.set_v * (self.hidden.size if self.hidden.kind in ("set-high", "set-low") else 1.0)

    def _part_ohm(self, part: str) -> float:
        if part == "fuse":
            return NOTHING_OHM if self.hidden.kind == "no-link" else PART_OHM
        closed = (self.state.switch and self.hidden.kind != "dead-switch") or self.hidden.kind == "stuck-switch"
        return PART_OHM if closed else NOTHING_OHM
