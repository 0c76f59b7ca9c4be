"""A switching converter: buck, boost, both, a trigger board, or an inverter."""

from __future__ import annotations

from typing import Literal

from hermotrope_core.kinds.effects import Element, Holder, Station, efficiency_of
from hermotrope_core.kinds.holding import Enclosure, Holding
from hermotrope_core.kinds.stage import Fed, Place, Step, Tails, Wanted, Work
from hermotrope_core.parts.craft import SAME_V, TYPICAL_HEADROOM, TYPICAL_HEADROOM_V
from hermotrope_core.values.figures import digits, figure, stated
from hermotrope_core.values.known import Number, Table, check_table, maybe, number

Topology = Literal["buck", "boost", "buck-boost", "trigger", "inverter"]
InDropout = Literal["stops", "passes"]
"""It stops giving, or gives its input on, less its headroom, so that its output falls with the pack."""
SET_BY_HAND: tuple[Topology, ...] = ("buck", "boost", "buck-boost")


def typical_headroom(output_v: float) -> float:
    """Volts that a step-down board needs above its output where it does not say: 1 V, or 15 % of a low output."""
    return min(TYPICAL_HEADROOM_V, TYPICAL_HEADROOM * output_v)


def holding_step(what: str, efficiency: float, quiescent: float, at: Station, volts_in: float) -> Step:
    """How what a converter draws follows from what it gives."""
    out_w = at.volts_out * at.amps_out
    return Step(
        what,
        "holds its output; I = (P / η + P_q) / V",
        f"({figure(out_w, 'W')} / {digits(efficiency, 3)} + {figure(quiescent, 'W')}) / {figure(volts_in, 'V')} = "
        f"{figure(at.amps_in, 'A')}",
        figure(at.volts_out, "V"),
    )


class Converter(Holding, frozen=True, tag="converter"):
    """A board that holds its output at a share of loss."""

    OFFERED = "Converter"
    SWITCHES = True
    ROWS = (
        "topology",
        "output_v",
        "efficiency",
        "quiescent_w",
        "input_min_v",
        "input_max_v",
        "headroom_v",
        "in_dropout",
        "output_current_max_a",
        "thermal_k_per_w",
        "thermal_enclosure",
        "adjusts_from_v",
        "adjusts_to_v",
        "takes_back_feed",
        "built_in",
    )
    SHOWN = ("output_v", "efficiency", "quiescent_w")

    topology: Topology
    output_v: Number
    efficiency: Number | Table
    quiescent_w: Number = 0.0
    input_min_v: Number | None = None
    input_max_v: Number | None = None
    headroom_v: Number | None = None
    in_dropout: InDropout = "stops"
    """What a step-down board does once its input is within the headroom of its output (buck only)."""
    output_current_max_a: Number | None = None
    thermal_k_per_w: Number | None = None
    adjusts_from_v: Number | None = None
    adjusts_to_v: Number | None = None
    """What its output can be set to; a board that does not say can be set to anything."""
    thermal_enclosure: Enclosure = "open"
    """The enclosure for which `thermal_k_per_w` is stated."""
    takes_back_feed: bool = False
    built_in: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        if isinstance(self.efficiency, tuple):
            check_table("efficiency", self.efficiency, 0.01, 1.0)
        for least, most in (("input_min_v", "input_max_v"), ("adjusts_from_v", "adjusts_to_v")):
            low, high = maybe(getattr(self, least)), maybe(getattr(self, most))
            if low is not None and high is not None and low > high:
                raise ValueError(f"{least} ({stated(low, 'V')}) is above {most} ({stated(high, 'V')})")

    @classmethod
    def typical(cls, wanted: Wanted) -> Converter:
        return cls(topology="buck-boost", output_v=wanted.rated_v, efficiency=0.85, quiescent_w=0.1)

    @property
    def set_by_hand(self) -> bool:
        return self.topology in SET_BY_HAND

    @property
    def bare_board(self) -> bool:
        return self.set_by_hand

    @property
    def alternating(self) -> bool:
        return self.topology == "inverter"

    @property
    def boxed(self) -> tuple[str, ...]:
        if isinstance(self.efficiency, tuple):
            return (self.topology, "η by table")
        return (self.topology, f"η {stated(100 * number(self.efficiency), '%', 3)}")

    @property
    def held_v(self) -> float:
        return number(self.output_v)

    @property
    def title(self) -> str:
        if self.set_by_hand:
            return f"{self.topology.capitalize()} converter"
        return {"trigger": "Trigger board", "inverter": "Inverter"}[self.topology]

    @property
    def called(self) -> str:
        return self.topology

    @property
    def passes_on(self) -> bool:
        """Whether it gives its input on once that is within its headroom; a matter of step-down boards alone."""
        return self.topology == "buck" and self.in_dropout == "passes"

    @property
    def headroom(self) -> float:
        """Volts that a step-down board needs above its output: its own, or typical ones."""
        stated_v = maybe(self.headroom_v)
        return typical_headroom(self.held_v) if stated_v is None else stated_v

    @property
    def assumed_headroom_v(self) -> float | None:
        return self.headroom if self.topology == "buck" and self.headroom_v is None else None

    def element(self, i: int) -> Element:
        """While it passes its input on: a drop of its headroom; its own draw is not counted, since it stands still."""
        return Element(
            i,
            0.0,
            self.headroom,
            trips_v=maybe(self.input_min_v),
            trips="converter input too low",
            most_a=maybe(self.output_current_max_a),
        )

    def holder(self, i: int) -> Holder:
        low, held = maybe(self.input_min_v) or 0.0, self.held_v
        if self.topology == "buck":
            low = max(low, held + self.headroom)
        return Holder(
            stage=i,
            linear=False,
            output_v=held,
            efficiency=efficiency_of(self.efficiency),
            quiescent=number(self.quiescent_w),
            input_min_v=low,
            input_max_v=maybe(self.input_max_v),
            output_current_max_a=maybe(self.output_current_max_a),
        )

    def working(self, at: Station) -> Step:
        if self.passes_on and at.volts_out < self.held_v:
            formula = "its input is within its headroom, so it passes on V − headroom"
            values = f"{figure(at.volts_in, 'V')} − {figure(self.headroom, 'V')}"
            return Step("buck converter", formula, values, figure(at.volts_out, "V"))
        spent = number(self.quiescent_w)
        drawn = at.volts_in * at.amps_in - spent
        efficiency = at.volts_out * at.amps_out / drawn if drawn > 0 else 1.0
        return holding_step(f"{self.topology} converter", efficiency, spent, at, at.volts_in)

    def misfit(self, fed: Fed) -> str | None:
        if fed.high_v is None:
            return None
        least, most, gets = maybe(self.input_min_v) or 0.0, maybe(self.input_max_v), figure(fed.high_v, "V")
        if most is not None and fed.high_v > most:
            return f"it takes in {stated(most, 'V')} at most and would get {gets}"
        if fed.high_v < least:
            return f"it needs {stated(least, 'V')} and gets {gets} at most"
        if self.topology == "buck" and fed.high_v < self.held_v:
            return f"a buck steps down: it cannot make {stated(self.held_v, 'V')} of {gets}"
        if self.topology == "boost" and fed.high_v > self.held_v:
            return f"a boost steps up: it cannot hold {stated(self.held_v, 'V')} from {gets}"
        asked = self.topology == "trigger" and not (self._given(fed.port_v) and self._given(fed.low_v))
        wants = (
            f"a trigger board asks a negotiated port for {stated(self.held_v, 'V')}; here there is none that gives them"
        )
        return wants if asked else None

    def _given(self, volts: float | None) -> bool:
        return volts is not None and abs(volts - self.held_v) <= SAME_V

    @property
    def part(self) -> tuple[str, str]:
        most = f", {stated(number(self.output_current_max_a), 'A')}" if self.output_current_max_a is not None else ""
        return f"{self.topology.capitalize()} converter", f"{self.detail}{most}"

    def mounted(self, place: Place) -> str:
        if not self.set_by_hand:
            return self.whole
        most = (
            f", gives {figure(number(self.output_current_max_a), 'A', 2)} at most" if self.output_current_max_a else ""
        )
        return f"{self.whole}: set and measured unloaded, before the device is connected{most}"

    def tails(self, place: Place) -> Tails | None:
        return Tails("in", 2, "+ and −") if self.alternating else super().tails(place)

    def work(self, place: Place) -> Work:
        if self.alternating:
            how = "As bought, closed. Its outlet takes the device’s own adapter."
            caution = "Its outlet is as dangerous as the wall’s: never open it; ask a qualified person."
            return Work("the inverter", how, 10, "none", caution)
        if self.topology == "trigger" and not place.mains:
            return self.joined("trigger", "It asks the port for its volts when it is plugged in.")
        return super().work(place)
