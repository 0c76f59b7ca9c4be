"""The path as a SPICE netlist: a charge-dependent pack, every stage, every mode in its turn, run to its end.

``ngspice -b`` runs it; its ``.meas`` prints ``runtime_s``. The model is that of `circuit` and
`discharge`, written once more in another language, so that the two can be held against each other:

* the state of charge is the voltage of a capacitor of one farad, drained by the pack's current with Peukert's law;
* a stretch is a chain of resistors and fixed drops; a holder fixes its output and draws its input power;
* every condition that ends a run is a margin that must stay above zero; `margin` is the least of them,
  and the run ends when it first falls through zero. A constant power is not followed below the volts
  at which it has collapsed (a floor under its divisor), so the solver gets past the end.
"""

from __future__ import annotations

from math import sqrt

from hermotrope_core.circuit.discharge import NOTHING, run
from hermotrope_core.circuit.path import Circuit, Stretch, bands, circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand
from hermotrope_core.circuit.spice import EDGE_S, LEAST_V, START_S, num, pwl, words
from hermotrope_core.kinds.effects import Demand, Holder
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import maybe, number

MOST_STEPS = 400_000
"""However short a mode: the simulator stops at every edge of a pulse by itself."""
STEPS = 400


def netlist(case: Case) -> str:
    """The netlist of a finished case. Raises what `run` and `circuit_of` raise."""
    circuit = circuit_of(case)
    solved = run(case, circuit=circuit)
    writer = PathWriter(case, circuit)
    lines = [f"* {words(case.title)}: {words(case.device.name)}", *_about(case)]
    lines += writer.pack()
    node = writer.path()
    lines += writer.lines
    lines += writer.load(node)
    lines += writer.duty()
    lines += writer.ending(node)
    shortest = min((number(s.seconds) for s in case.duty.repeat), default=solved.runtime_s)
    stop = 1.05 * solved.runtime_s + 10.0
    step = min(stop / STEPS, max(shortest / 4.0, stop / MOST_STEPS) if len(writer.modes) > 1 else stop)
    lines += [
        ".options reltol=1e-6 abstol=1e-10 vntol=1e-8 itl4=200",
        f".tran {num(step)} {num(stop)} 0 {num(step)} uic",
        ".meas tran runtime_s WHEN v(margin)=0 FALL=1",
        ".end",
    ]
    return "\n".join(lines) + "\n"


def _about(case: Case) -> list[str]:
    source = case.source
    assert source is not None
    return [
        f"* source: {words(source.name)}; {len(case.path)} stages; at {number(case.conditions.temperature_c):g} C",
        "* run it with: ngspice -b FILE; look for runtime_s (seconds)",
    ]


def pack_resistance(source: Source | None, name: str, between: tuple[str, str], ohm: float) -> str:
    """A resistor between two nodes; that of a `source` follows its table over the charge, where it has one.

    `ohm` is then what it has while full.
    """
    table = source.resistance_by_soc if source is not None else None
    if table is None:
        return f"R{name} {between[0]} {between[1]} {num(ohm)}"
    fresh = ohm / bands(source)[-1][1]
    return f"B{name} {between[0]} {between[1]} V = i(Vpack)*{num(fresh)}*({pwl('v(soc)', table)})"


class PathWriter:
    """Collects the elements of a path; `margins` are expressions that must stay above zero."""

    def __init__(self, case: Case, circuit: Circuit) -> None:
        self.case, self.circuit = case, circuit
        self.modes = case.duty_modes()
        self.lines: list[str] = []
        self.margins: list[str] = []

    def pack(self, less: str = "") -> list[str]:
        """The cells and their charge; `less` are amperes that do not come out of it on average."""
        circuit = self.circuit
        charge = 3600.0 * circuit.charge_ah
        law = (
            "1"
            if circuit.peukert == 1.0
            else f"pwr(max(1,i(Vpack)/{num(circuit.rated_a)}),{num(circuit.peukert - 1.0)})"
        )
        self.margins.append(f"v(soc)-{num(circuit.reserve_soc)}")
        amps = f"(i(Vpack){less})" if less else "i(Vpack)"
        drained = f"{amps}/{num(charge)}*{law}"
        if any(mode.share < 1.0 for mode in self.modes):  # switched too fast to be followed: charge goes on average
            on = "+".join(f"v(m{i})*{num(mode.share)}" for i, mode in enumerate(self.modes))
            drained = f"{drained}*({on})+{self._between()}*(1-({on}))/{num(charge)}"
        return [
            f"Csoc soc 0 1 ic={num(circuit.start_soc)}",
            f"Bsoc soc 0 I = {drained}",
            f"Bemf emf 0 V = {pwl('v(soc)', circuit.emf_by_soc)}",
            "Vpack emf pack 0",
        ]

    def _between(self) -> str:
        """Amperes from the pack while a controller has its heater off."""
        idle = draw_of(self.circuit, NOTHING, len(self.case.path)).demand
        first = self.circuit.stretches[0]
        if idle is None or idle.value == 0.0:
            return num(first.shunt_a)
        above = f"max({LEAST_V},v(emf)-{num(first.drop_v)})"
        rest = num(4.0 * first.resistance_ohm * idle.value)
        watts = f"2*{num(idle.value)}/({above}+sqrt(max(0,{above}*{above}-{rest})))"
        return f"({watts if idle.kind == 'power' else num(idle.value)}+{num(first.shunt_a)})"

    def path(self) -> str:
        """Write everything from the cells on; the node at its end."""
        node = "pack"
        for k, stretch in enumerate(self.circuit.stretches):
            node = self.stretch(k, stretch, node)
            if k < len(self.circuit.holders):
                node = self.holder(k, self.circuit.holders[k], node)
        return node

    def stretch(self, k: int, stretch: Stretch, node: str) -> str:
        """Write the plain stages of a stretch from `node`; the node at its end."""
        if stretch.shunt_a > 0.0:
            self.lines.append(f"Ikeep{k} {node} 0 {num(stretch.shunt_a)}")
        for i, element in enumerate(stretch.elements):
            if element.trips_v is not None:
                self.margins.append(f"v({node})-{num(element.trips_v)}")
            if element.drop_v > 0.0:
                end = f"d{k}_{i}" if element.resistance_ohm > 0.0 else f"n{k}_{i}"
                self.lines.append(f"Vdrop{k}_{i} {node} {end} {num(element.drop_v)}")
                node = end
            if element.resistance_ohm > 0.0:
                end = f"n{k}_{i}"
                own, ohm, name = self.case.source if element.stage == -1 else None, element.resistance_ohm, f"{k}_{i}"
                self.lines.append(pack_resistance(own, name, (node, end), ohm))
                node = end
            if element.stage == -1:
                self.margins.append(f"v({node})-{num(self.circuit.cutoff_v)}")
        return node

    def holder(self, k: int, holder: Holder, node: str) -> str:
        """Write a part that holds its output; the node of its output."""
        out, held, least = f"h{k}", num(holder.output_v), holder.input_min_v
        passes = self._passes(holder)
        if passes is None:
            self.lines.append(f"Vset{k} s{k} 0 {held}")
        else:
            below, drop, least = passes
            self.lines.append(f"Bset{k} s{k} 0 V = v({node}) >= {num(below)} ? {held} : v({node})-{num(drop)}")
        self.lines.append(f"Vout{k} s{k} {out} 0")
        if holder.linear:
            drawn = f"i(Vout{k})+{num(holder.quiescent)}"
        else:
            efficiency = holder.efficiency
            share = num(efficiency) if isinstance(efficiency, float) else pwl(f"i(Vout{k})", efficiency)
            drawn = (
                f"({num(holder.output_v)}*i(Vout{k})/({share})+{num(holder.quiescent)})/max(v({node}),{self._floor(k)})"
            )
        if passes is not None:
            drawn = f"v({node}) >= {num(passes[0])} ? {drawn} : i(Vout{k})"
        self.lines.append(f"Bin{k} {node} 0 I = {drawn}")
        if least > 0.0:
            self.margins.append(f"v({node})-{num(least)}")
        if holder.input_max_v is not None:
            self.margins.append(f"{num(holder.input_max_v)}-v({node})")
        if holder.output_current_max_a is not None:
            self.margins.append(f"{num(holder.output_current_max_a)}-i(Vout{k})")
        self._collapse(k, node)
        return out

    def _passes(self, holder: Holder) -> tuple[float, float, float] | None:
        """Volts below which a board passes its input on, its drop then, and its own least input; None if it stops."""
        stage = self.case.path[holder.stage] if holder.stage >= 0 else None
        if stage is None or not stage.passes_on:
            return None
        below = holder.input_min_v if holder.passes_below_v is None else holder.passes_below_v
        passing = stage.element(holder.stage)
        return below, passing.drop_v, passing.trips_v or 0.0

    def _floor(self, k: int) -> str:
        """Volts below which a constant-power draw is not followed: it has collapsed by then."""
        watts = self._watts(k)
        ohm = self.circuit.stretches[k].resistance_ohm
        return num(max(LEAST_V, 0.9 * sqrt(ohm * max(watts, default=0.0))))

    def _watts(self, k: int) -> list[float]:
        """Constant power that each mode asks of the end of a stretch; 0 where it asks for none."""
        found = []
        for mode in self.modes:
            demand = mode_demand(mode)
            if k < len(self.circuit.holders):
                given = draw_of(self.circuit, demand, len(self.case.path)).given
                behind = len(self.circuit.holders) - k
                seen = self.circuit.holders[k].demand(given[-behind]) if behind <= len(given) else None
                found.append(seen.value if seen is not None and seen.kind == "power" else 0.0)
            else:
                found.append(demand.value if demand.kind == "power" else 0.0)
        return found

    def _collapse(self, k: int, node: str) -> None:
        """At collapse a constant power stands at half the open volts, V = sqrt(R P); diodes are dark at their own."""
        ohm = self.circuit.stretches[k].resistance_ohm
        least = [sqrt(ohm * watts) for watts in self._watts(k)]
        if k == len(self.circuit.holders):
            dark = [self._dark(mode_demand(mode), ohm) for mode in self.modes]
            least = [max(pair) for pair in zip(least, dark, strict=True)]
        terms = [f"v(m{i})*{num(volts)}" for i, volts in enumerate(least) if volts > 0.0]
        if terms:
            self.margins.append(f"v({node})-({'+'.join(terms)})")

    def _dark(self, demand: Demand, ohm: float) -> float:
        """Volts at the inlet where the open volts before `ohm` are those at which it is dark."""
        if not demand.dark_v:
            return 0.0
        return demand.drop_v + (demand.dark_v - demand.drop_v) * demand.value / (demand.value + ohm)

    def load(self, node: str) -> list[str]:
        """The device: each mode draws while its turn lasts."""
        draws = []
        last = len(self.circuit.holders)
        for i, mode in enumerate(self.modes):
            demand = mode_demand(mode)
            if demand.kind == "power":
                draws.append(f"v(m{i})*{num(demand.value)}/max(v({node}),{self._floor(last)})")
            elif demand.kind == "current":
                draws.append(f"v(m{i})*{num(demand.value)}")
            else:
                above = f"max(0,v({node})-{num(demand.drop_v)})" if demand.drop_v else f"v({node})"
                draws.append(f"v(m{i})*{above}/{num(demand.value)}")
        self._collapse(last, node)
        return [f"Bload {node} 0 I = {'+'.join(draws)}"]

    def duty(self) -> list[str]:
        """One source per mode, 1 V while it runs, over and over."""
        lines: list[str] = []
        cycle = sum(number(s.seconds) for s in self.case.duty.repeat)
        for i, mode in enumerate(self.modes):
            turns, at = [], 0.0
            for segment in self.case.duty.repeat:
                if segment.mode == mode.name:
                    turns.append((at, number(segment.seconds)))
                at += number(segment.seconds)
            if len(self.modes) == 1:
                lines.append(f"Vm{i} m{i} 0 1")
                continue
            for j, (start, lasts) in enumerate(turns):
                below = f"m{i}_{j - 1}" if j else "0"
                top = f"m{i}" if j == len(turns) - 1 else f"m{i}_{j}"
                width = max(lasts - EDGE_S, EDGE_S)
                lines.append(
                    f"Vm{i}_{j} {top} {below} "
                    f"PULSE(0 1 {num(start)} {num(EDGE_S)} {num(EDGE_S)} {num(width)} {num(cycle)})"
                )
        return lines

    def ending(self, node: str) -> list[str]:
        """The margins of a device at a node, and the least of all."""
        if not self.circuit.holders or self.circuit.device_min_v > 0.0:
            self.margins.append(f"v({node})-{num(self.circuit.device_min_v)}")
        if self.case.duty.once:
            self.margins.append(f"{num(self.case.duty.seconds)}-time")
        return self.margin()

    def margin(self) -> list[str]:
        """The least of all margins."""
        lines = self._timer()
        least = self.margins[0]
        for margin in self.margins[1:]:
            least = f"min({least},{margin})"
        return [
            *lines,
            f"Bmargin margin 0 V = time < {num(START_S)} ? 1 : ({least})",
        ]

    def _timer(self) -> list[str]:
        """A bank's nap: each second below its threshold counts as a volt, which is forgotten as soon as it ends."""
        port = self.circuit.port
        least = maybe(port.output_min_current_a) if port else None
        if port is None or least is None:
            return []
        self.margins.append(f"{num(port.sleeps_after_s)}-v(nap)")
        return [
            "Cnap nap 0 1 ic=0",
            f"Bnap 0 nap I = i(Vout0) < {num(least)} ? 1 : -1000*v(nap)",
        ]
