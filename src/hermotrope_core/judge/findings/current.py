"""Can the source deliver the current, and does it stay awake?"""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.point import mode_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import Change, keep_alive_change
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.looks import Figure, Kind, held, worst
from hermotrope_core.judge.findings.rule import LOADED, Basis, rule
from hermotrope_core.parts.craft import SAME_V
from hermotrope_core.plan.source import RegulatedOutput, Source
from hermotrope_core.values.figures import duration, figure
from hermotrope_core.values.known import maybe, number


@rule(
    Basis(
        "source-overload",
        ("care", "refuse"),
        "I at 20 % charge, the greatest of the duty's modes",
        ("ocv", *LOADED, "duty"),
        "stated",
        ("source.max_current_a", "source.regulated_output.output_current_max_a"),
    ),
    Basis(
        "source-overload-peak",
        ("care",),
        "I at 20 % charge in the greatest peak",
        ("ocv", *LOADED, "peaks"),
        "stated",
        ("source.peak_current_a", "source.max_current_a", "source.regulated_output.output_current_max_a"),
    ),
)
def source_overload(situation: Situation) -> Iterator[Finding]:
    """Typical and peak current above what the source, or a bank's port, may give."""
    source = situation.source
    most = maybe(source.max_current_a)
    peak = maybe(source.peak_current_a)
    port = source.regulated_output
    port_most = _port_limit(source, port) if port else None
    sides: tuple[tuple[str, Figure, float | None, float | None], ...] = (
        ("pack", lambda look: look.at.source_a, most, most if peak is None else peak),
        ("port", lambda look: look.at.stations[0].amps_out, port_most, port_most),
    )
    for side, amps, steady, brief in sides:
        kinds: tuple[Kind, ...] = (
            ("source-overload", "refuse", situation.looks, steady),
            ("source-overload-peak", "care", situation.peak_looks, brief),
        )
        for code, level, looks, limit in kinds:
            look = None if limit is None else worst(looks, amps, limit)
            if look is None or limit is None:
                continue
            have = amps(look)
            when = f"{look.when[0].upper()}{look.when[1:]}"
            text = f"{when}, {look.words} draws {figure(have, 'A')} from the {side}; it may give {figure(limit, 'A')}."
            cure = "take a source or port rated higher, or two packs in parallel made for it"
            yield Finding(code, held(look, level), text, -1, have, limit, "A", cure)


def _port_limit(source: Source, port: RegulatedOutput) -> float | None:
    """The least of what the port in use, its profile and all ports together may give, amperes at its volts."""
    volts = number(port.output_v)
    limits = [maybe(port.output_current_max_a)]
    kind = source.outlet.kind if source.outlet else None
    for one in source.ports:
        if kind is None or one.kind == kind:
            limits += [maybe(p.output_current_max_a) for p in one.profiles if abs(number(p.output_v) - volts) < SAME_V]
    if source.ports_power_max_w is not None:
        limits.append(number(source.ports_power_max_w) / volts)
    known = [limit for limit in limits if limit is not None]
    return min(known) if known else None


@rule(
    Basis(
        "auto-off",
        ("care", "refuse"),
        "I at the port in the longest unbroken nap",
        ("duty", "path"),
        "stated",
        ("source.regulated_output.output_min_current_a", "source.regulated_output.output_off_delay_s"),
    )
)
def auto_off(situation: Situation) -> Iterator[Finding]:
    """A power bank that takes a light load for no load and switches off."""
    port = situation.source.regulated_output
    least = maybe(port.output_min_current_a) if port else None
    if port is None or least is None:
        return
    delay = port.sleeps_after_s
    amps = {m.name: situation.draw(mode_demand(m)).port_a for m in situation.modes}
    duty = situation.case.duty
    pulsed = next((mode for mode in situation.modes if mode.share < 1.0 and amps[mode.name] >= least), None)
    naps = _naps([(amps[s.mode] < least, number(s.seconds), s.mode) for s in duty.repeat], once=duty.once)
    if not naps and pulsed is not None:
        yield Finding(
            "auto-off",
            "care",
            f"“{pulsed.name}” is switched by its own controller, and between its pulses the port gives nothing; "
            f"a pause of more than {duration(delay)} puts the bank to sleep",
            -1,
            0.0,
            least,
            "A",
            *_keep_awake(situation, 0.0, least),
        )
    if not naps:
        return
    lasts, mode = max(naps)
    have = amps[mode]
    sleeps = lasts > delay
    span = "for as long as it runs" if lasts == float("inf") else f"for {duration(lasts)}"
    end = (
        f"and switches off after {duration(delay)}. A port that stays awake, or plain cells, would not."
        if sleeps
        else f"but waits {duration(delay)} before it switches off."
    )
    yield Finding(
        "auto-off",
        "refuse" if sleeps else "care",
        f"“{mode}” draws {figure(have, 'A', 2)} from the port {span}; the bank takes less than "
        f"{figure(least, 'A', 2)} for nothing connected {end}",
        -1,
        have,
        least,
        "A",
        *_keep_awake(situation, have, least),
    )


def _keep_awake(situation: Situation, have: float, least: float) -> tuple[str, Change]:
    """A keep-alive load with what it costs; the other ways to keep a bank awake are in words."""
    change = keep_alive_change(situation.case, have)
    extra = change[0]["value"]["current_a"] if change else least - have
    watts = extra * situation.circuit.holders[0].output_v
    if not change:
        others = "or take a port that stays awake, a bank with an always-on mode, cells instead of a bank"
        return f"put on a keep-alive load of {figure(extra, 'A', 2)} more, {others}", ()
    return f"put a keep-alive load of {figure(extra, 'A', 2)} across the port ({figure(watts, 'W', 2)} lost)", change


def _naps(segments: list[tuple[bool, float, str]], *, once: bool) -> list[tuple[float, str]]:
    """Unbroken spans below the threshold: (seconds, a mode in it); round the end of a duty that repeats."""
    if not segments or (not once and all(low for low, _, _ in segments)):
        return [(float("inf"), segments[0][2])] if segments else []
    start = 0 if once else next(i for i, (low, _, _) in enumerate(segments) if not low)
    naps: list[tuple[float, str]] = []
    span, name = 0.0, ""
    for low, lasts, mode in [*segments[start:], *segments[:start], (False, 0.0, "")]:
        if low:
            span, name = span + lasts, name or mode
        elif span:
            naps.append((span, name))
            span, name = 0.0, ""
    return naps
