"""The run as series for the chart: volts, amperes, charge and the mode over time."""

from __future__ import annotations

from typing import Any

from hermotrope_core.circuit.discharge import Mark, Run
from hermotrope_core.circuit.estimate import Range
from hermotrope_core.circuit.point import Draw, draw_of, mode_demand, point
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe

MOST_POINTS = 3000
LEAP_POINTS = 60


def run_chart(situation: Situation, run: Run, range_: Range | None) -> dict[str, Any]:
    """Series for the browser: seconds, pack and inlet volts, pack amperes, charge in per cent, mode.

    Every change of mode is a step, so each mark gives two rows (end of one mode, start of the
    next). Cycles that were taken at once are drawn thinned, mode by mode.
    """
    modes = situation.modes
    draws = [draw_of(situation.circuit, mode_demand(mode), situation.device_stage) for mode in modes]
    rows: list[list[float | None]] = []
    for mark, after in zip(run.marks, run.marks[1:], strict=False):
        if mark.cycles > 1:
            _thinned(rows, situation, draws, mark, after)
            continue
        rows.append(_row(situation, draws[mark.mode], mark.seconds, mark.soc, mark.mode))
        rows.append(_row(situation, draws[mark.mode], after.seconds, after.soc, mark.mode))
    if len(rows) > MOST_POINTS:
        stride = -(-len(rows) // MOST_POINTS)
        rows = rows[::stride] + rows[-1:]
    supply = situation.case.device.supply
    return {
        "series": [list(column) for column in zip(*rows, strict=True)] if rows else [],
        "modes": [mode.name for mode in modes],
        "end": {"seconds": run.runtime_s, "cause": run.end_cause, "mode": run.end_mode},
        "range": [range_.p5, range_.p95] if range_ else None,
        "limits": {
            "min": maybe(supply.min_v),
            "max": maybe(supply.max_v),
            "cutoff": situation.circuit.cutoff_v,
            "guards": _guards(situation),
        },
        "bank": situation.source.regulated_output is not None,
    }


def _row(situation: Situation, draw: Draw, seconds: float, soc: float, mode: int) -> list[float | None]:
    now = point(draw, situation.circuit.emf(soc))
    if not now.complete:
        return [round(seconds, 3), None, None, None, round(100 * soc, 4), mode]
    source = now.stations[0]
    return [
        round(seconds, 3),
        float(f"{now.terminal_v:.6g}"),
        float(f"{now.inlet_v:.6g}"),
        float(f"{source.amps_in:.6g}"),
        round(100 * soc, 4),
        mode,
    ]


def _thinned(rows: list[list[float | None]], situation: Situation, draws: list[Draw], mark: Mark, after: Mark) -> None:
    count = min(LEAP_POINTS, mark.cycles)
    for i in range(count):
        share = i / count
        seconds = mark.seconds + share * (after.seconds - mark.seconds)
        soc = mark.soc + share * (after.soc - mark.soc)
        for mode, draw in enumerate(draws):
            moment = seconds + mode * (after.seconds - mark.seconds) / count / len(draws)
            rows.append(_row(situation, draw, moment, soc, mode))


def _guards(situation: Situation) -> list[tuple[str, float, str]]:
    """What warns or opens while the pack runs down: words, volts, the colour's name."""
    found = []
    for _, stage in situation.seeing:
        for volts, colour in ((stage.warns_below_v, "--care"), (stage.opens_below_v, "--refused")):
            if volts is not None:
                found.append((f"{stage.called} {stated(volts, 'V')}", volts, colour))
    return found
