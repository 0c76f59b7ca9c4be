"""A linear regulator: it holds its output and turns the rest into heat."""

from __future__ import annotations

from hermotrope_core.kinds.effects import Holder, Station
from hermotrope_core.kinds.holding import Enclosure, Holding
from hermotrope_core.kinds.stage import Fed, Step, Wanted
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Number, maybe, number


class Linear(Holding, frozen=True, tag="linear"):
    """It needs its dropout above its output, and draws what it gives, and a little."""

    TITLE = OFFERED = "Linear regulator"
    ROWS = (
        "output_v",
        "dropout_v",
        "quiescent_a",
        "output_current_max_a",
        "thermal_k_per_w",
        "thermal_enclosure",
        "built_in",
    )
    SHOWN = ("output_v", "dropout_v", "quiescent_a")

    output_v: Number
    dropout_v: Number
    quiescent_a: Number = 0.0
    output_current_max_a: Number | None = None
    thermal_k_per_w: Number | None = None
    thermal_enclosure: Enclosure = "open"
    takes_back_feed: bool = False
    built_in: bool = False

    @classmethod
    def typical(cls, wanted: Wanted) -> Linear:
        return cls(output_v=wanted.rated_v, dropout_v=2.0, quiescent_a=0.005)

    @property
    def held_v(self) -> float:
        return number(self.output_v)

    def holder(self, i: int) -> Holder:
        return Holder(
            stage=i,
            linear=True,
            output_v=self.held_v,
            efficiency=1.0,
            quiescent=number(self.quiescent_a),
            input_min_v=self.held_v + number(self.dropout_v),
            input_max_v=None,
            output_current_max_a=maybe(self.output_current_max_a),
        )

    def working(self, at: Station) -> Step:
        values = f"{figure(at.amps_out, 'A')} + {figure(number(self.quiescent_a), 'A')}"
        return Step("linear regulator", "holds its output; I_in = I_out + I_q", values, figure(at.volts_out, "V"))

    def misfit(self, fed: Fed) -> str | None:
        need = self.held_v + number(self.dropout_v)
        if fed.high_v is None or fed.high_v >= need:
            return None
        return f"it needs {figure(need, 'V')} and gets {figure(fed.high_v, 'V')} at most"

    @property
    def bare_board(self) -> bool:
        return True

    @property
    def set_to(self) -> tuple[object, ...]:
        return self.held_v, True

    @property
    def part(self) -> tuple[str, str]:
        return self.TITLE, f"{stated(self.held_v, 'V')}, on a heat sink"
