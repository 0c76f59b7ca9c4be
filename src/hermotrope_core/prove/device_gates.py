"""The gates with the device: its current, warm parts, what warns and opens, the run-down."""

from __future__ import annotations

from math import inf

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.heat import HAND_HOT_C, part_heats
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.spread import spread_of
from hermotrope_core.prove.gate import PLUG_IN, Ask, Gate, Meter, Rule, Setup, Spot, above, asleep, below
from hermotrope_core.prove.loaded_gates import at_plug
from hermotrope_core.values.figures import duration, figure, fixed, stated
from hermotrope_core.values.known import maybe, number

AMPS_A = 0.003
"""What a hand meter may be off on amperes, beside 1.5 % (typical)."""
FAR_OVER = 2.0
FAR_MORE = (
    "far more than planned, or more than the converter, fuse or pack stands: switch off. "
    "A stalled part, a short, or too many volts"
)
NOTHING_SHARE = 0.3
"""Under this share of the least that is planned it does not run."""
WARN_SOC, MIDDLE_SOC = 0.2, 0.5
WARM_K = 5.0
"""Parts that are to rise less are not asked for."""
HOTTER = 1.5
"""The rise may be so many times the estimated one (K/W is typical at best)."""
MOST_WARM = 4
TEN_MINUTES_S = 600.0
TRIP_SHARE = 0.02
STARTS = 0.98


def device(situation: Situation, basis: str) -> Gate:
    """The device's current in each mode of the duty, and its peaks."""
    asks = [_mode_ask(situation, mode) for mode in situation.modes]
    asks += [_peak_ask(situation, mode, demand) for mode, demand in situation.peaks()]
    between = "an ammeter in the plus conductor before it"
    if situation.alternating:
        between = f"between them {PLUG_IN}"
    connect = (
        f"Switch off, plug the device in, {between}; switch on.",
        "Stop at once if the current stays far above the window, or if it smells.",
    )
    return Gate(
        "device",
        "The device’s current",
        connect,
        tuple(asks),
        basis,
        energises=True,
        caution="The device gets power here for the first time: current limited where you can, one hand, eye on the ammeter, away from anything that burns.",
    )


def _limit(situation: Situation) -> float:
    """Amperes at the inlet that something in the path does not stand for long."""
    found = [amps for stage in situation.case.path if (amps := stage.opens_above_a) is not None]
    held = [h.output_current_max_a for h in situation.circuit.holders[-1:] if h.output_current_max_a is not None]
    if situation.circuit.holders:
        found = []
    most = maybe(situation.source.max_current_a)
    return min([*found, *held, *([most] if most is not None and not situation.circuit.holders else [])], default=inf)


def _amps_rules(low: float, high: float, nothing: float, limit: float, sleeps: str) -> tuple[Rule, ...]:
    """What amperes beside the window mean; at and under `nothing` it does not run, above `limit` something gives way.

    `sleeps` names a bank that may be asleep.
    """
    over = max(high, min(limit, FAR_OVER * high))
    return (
        below(-over, "stop", f"minus, and {FAR_MORE}"),
        Rule(-over, -max(AMPS_A, nothing), "note", "minus: the ammeter’s leads are swapped; the figure itself counts"),
        Rule(
            -max(AMPS_A, nothing),
            nothing,
            "fail",
            f"no current: not switched on, {sleeps}a fuse, or the plug does not touch",
        ),
        Rule(nothing, low, "note", "less than planned: it will run longer; put the reading into the plan"),
        Rule(high, over, "note", "more than planned: it will run shorter; put the reading into the plan"),
        above(over, "stop", FAR_MORE),
    )


def _ammeter(situation: Situation) -> tuple[Meter, Spot | None]:
    """What reads the device's current, and where it goes."""
    if situation.alternating:
        return "mains", None
    return "amps", Spot(len(situation.case.path), "+", "in the plus conductor, before the device")


def _mode_ask(situation: Situation, mode: Mode) -> Ask:
    now = situation.at(mode, STARTS)
    amps = now.inlet_a if now.complete else 0.0
    h = spread_of(mode.draw) if mode.draw is not None else 0.3
    meter, spot = _ammeter(situation)
    slack = 0.015 * amps + AMPS_A
    limit = _limit(situation)
    low, high = max(0.0, amps / (1 + h) - slack), min(amps * (1 + h) + slack, max(limit, amps + slack))
    return Ask(
        f"device.{_slug(situation, mode)}",
        f"Amperes in “{mode.name}”",
        "A",
        meter,
        low,
        high,
        Setup(mode=mode.name),
        f"{figure(amps, 'A')} computed, known to ± {100 * h:.0f} %",
        spot,
        None,
        _amps_rules(low, high, NOTHING_SHARE * amps / (1 + h), limit, asleep(situation)),
        expected=amps,
    )


def _peak_ask(situation: Situation, mode: Mode, demand: Demand) -> Ask:
    now = situation.at_demand(demand, situation.circuit.emf(STARTS))
    amps = now.inlet_a if now.complete else 0.0
    low, high = 0.3 * amps, 1.3 * amps + AMPS_A
    meter, spot = _ammeter(situation)
    limit = f"{figure(number(mode.peak_s), 's', 2)}" if mode.peak_s is not None else "a moment"
    rules = (
        below(-2 * high, "stop", f"minus, and {FAR_MORE}"),
        Rule(-2 * high, low, "note", "a smaller peak than planned, or the meter is too slow to see it"),
        Rule(
            high,
            2 * high,
            "note",
            "a larger peak than planned: put it into the plan and look at fuse and converter again",
        ),
        above(2 * high, "stop", FAR_MORE),
    )
    return Ask(
        f"device.{_slug(situation, mode)}-peak",
        f"Peak amperes in “{mode.name}” ({limit})",
        "A",
        meter,
        low,
        high,
        Setup(mode=mode.name, peak=True),
        f"{figure(amps, 'A')} planned; a meter that holds its maximum",
        spot,
        None,
        rules,
        optional=True,
        expected=amps,
    )


def _slug(situation: Situation, mode: Mode) -> str:
    return f"mode-{situation.case.device.modes.index(mode)}"


def warm_parts(situation: Situation, basis: str) -> Gate | None:
    """Temperatures after ten minutes in the heaviest mode; None where nothing is to get warm."""
    ambient, closed = situation.temperature_c, situation.closed
    rows = []
    for one in part_heats(situation):
        warmest = one.warmest_closed_c if closed else one.warmest_open_c
        if warmest - ambient >= WARM_K:
            rows.append((warmest, one.stage))
    asks = []
    for warmest, stage in sorted(rows, reverse=True)[:MOST_WARM]:
        rise = situation.case.path[stage].most_rise_k
        most = ambient + rise
        high = min(ambient + HOTTER * (warmest - ambient), most)
        rules = (
            above(
                most, "stop", f"over {stated(rise, 'K')} above the air: switch off; a better part, air, or less load"
            ),
            Rule(high, most, "fail", "hotter than estimated: a poor contact, no air, or a part at its limit"),
            Rule(HAND_HOT_C, high, "note", "as estimated, but too hot to touch: guard it, and mind what lies near"),
            below(ambient - 15.0, "fail", "colder than the air around it: is this °C?"),
        )
        asks.append(
            Ask(
                f"warm-parts.{stage}",
                f"Part {stage + 1}: {situation.stage_name(stage)}",
                "°C",
                "temperature",
                ambient - 15.0,
                high,
                Setup(mode=situation.heaviest.name, wait_s=TEN_MINUTES_S),
                f"{fixed(warmest, 0, '°C')} estimated at {fixed(ambient, 0, '°C')} around it; its rise times {HOTTER:g}, at most {fixed(most, 0, '°C')}",
                Spot(stage, "part", f"on the body of part {stage + 1}"),
                None,
                rules,
                expected=warmest,
            )
        )
    if not asks:
        return None
    connect = (
        f"Run “{situation.heaviest.name}” for ten minutes, {'lid on' if closed else 'as it will lie'}.",
        "A thermometer on the body; the back of a finger is a warning, not a reading.",
    )
    return Gate("warm-parts", "Warm parts after ten minutes", connect, tuple(asks), basis, energises=True)


def alarm(situation: Situation, basis: str) -> Gate | None:
    """Whether what warns or opens does so where it should; None where nothing does."""
    case = situation.case
    asks = []
    for i, stage in enumerate(case.path):
        trips = stage.opens_below_v or stage.warns_below_v
        if trips is None:
            continue
        slack = TRIP_SHARE * trips + 0.05
        opens = stage.opens_below_v is not None
        late = "it opens too late: the pack is drained below what it stands" if opens else "it warns too late"
        early = "it opens too early: charge stays unused" if opens else "it warns too early: nobody will heed it"
        rules = (
            below(trips - slack, "fail", f"{late}; set it higher"),
            above(trips + slack, "fail", f"{early}; set it lower"),
        )
        asks.append(
            Ask(
                f"alarm.{i}",
                f"Volts at which the {stage.called} (part {i + 1}) {'opens' if opens else 'warns'}",
                "V",
                "trip",
                trips - slack,
                trips + slack,
                Setup(cuts=(0, len(case.path)), stages=(i, i + 1)),
                f"{stated(trips, 'V')} ± {100 * TRIP_SHARE:.0f} %",
                Spot(i, "+", f"plus into part {i + 1}, from a supply turned down slowly"),
                Spot(i, "-", "minus there"),
                rules,
                expected=trips,
            )
        )
    if case.device.low_warning:
        asks.append(_warning(situation))
    if not asks:
        return None
    connect = (
        "With a current-limited supply in the pack’s place, turn it down slowly; or let the pack run down. "
        "Read where it opens or warns.",
    )
    return Gate("alarm", "What warns, and what opens", connect, tuple(asks), basis)


def _warning(situation: Situation) -> Ask:
    """The volts at which a warning shows, seen by eye: at the plug, or at the pack where a converter holds the plug."""
    late = "it warns only when it is about to stop: plan another warning"
    circuit, lightest = situation.circuit, situation.lightest.name
    spots: tuple[Spot | None, Spot | None]
    if circuit.holders:
        low, high = circuit.cutoff_v, circuit.emf(MIDDLE_SOC)
        where, spots = "at the pack", (Spot(0, "+", "plus at the pack"), Spot(0, "-", "minus at the pack"))
        because, expected = "above the pack’s cut-off, under half its charge", circuit.emf(WARN_SOC)
        setup = Setup(mode=lightest)
    else:
        supply = situation.case.device.supply
        low, high = maybe(supply.min_v) or 0.0, maybe(supply.nominal_v) or inf
        where, spots = "at the plug", at_plug(situation)
        because = "above the device’s least volts, under its rated ones"
        expected = 0.5 * (low + min(high, 2 * low or 1.0))
        setup = Setup(cuts=(0,), mode=lightest)
    rules = (below(low, "fail", late),)
    return Ask(
        "alarm.device",
        f"Volts {where} when the warning shows",
        "V",
        "seen",
        low,
        high,
        setup,
        because,
        *spots,
        rules,
        expected=expected,
    )


def _until(situation: Situation) -> str:
    """When a run-down is over: at the pack's volts where the plan keeps a reserve, else by itself."""
    run, circuit = situation.run, situation.circuit
    if run is None or run.end_cause != "reserve":
        return "until it ends by itself"
    left = f"{100 * circuit.reserve_soc:.0f} % left, the plan’s reserve"
    mode = next(one for one in situation.modes if one.name == run.end_mode)
    volts = situation.pack_v(mode, circuit.reserve_soc)
    if circuit.port is not None or volts is None:
        return f"until its own gauge shows {left}: nothing stops it there but you"
    return (
        f"stop it where the pack reads {fixed(volts, 2, 'V')} in “{mode.name}” ({left}): nothing stops it there but you"
    )


def run_down(situation: Situation, basis: str, runtime: tuple[float, float] | None) -> Gate | None:
    """How long it really runs, against the range of the estimate."""
    if situation.run is None or situation.run.runtime_s <= 0.0:
        return None
    low, high = runtime or (0.7 * situation.run.runtime_s, 1.4 * situation.run.runtime_s)
    rules = (
        below(0.02 * low, "fail", "it stopped at once: look at the gates before"),
        Rule(
            0.02 * low,
            low,
            "note",
            "shorter than the plan’s worst case: fit the log and see which assumption was wrong",
        ),
        above(high, "note", "longer than the plan’s best case: fit the log and see which assumption was wrong"),
    )
    ask = Ask(
        "run-down.runtime",
        "How long it ran",
        "s",
        "clock",
        low,
        high,
        Setup(),
        f"{duration(low)} to {duration(high)} hold nine of ten runs",
        None,
        None,
        rules,
        expected=situation.run.runtime_s,
    )
    connect = (
        f"A full pack, the duty as planned, a logger in line; {_until(situation)}.",
        "Stay near, or in sight of it: a first run is not left alone.",
    )
    return Gate("run-down", "Run-down", connect, (ask,), basis, energises=True)
