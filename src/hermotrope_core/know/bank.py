"""A simulated power bank: it negotiates a profile, trips at its limits, and falls asleep.

It stands in for a real one, so that the habits of a port can be tried before the night. Time is in
seconds, and everything is decided at events, not by small steps.
"""

from __future__ import annotations

import msgspec

from hermotrope_core.kinds.inlets import Connector, fixed_by_standard
from hermotrope_core.parts.craft import SAME_V, SLEEPS_AFTER_S
from hermotrope_core.plan.source import Port, Profile, RegulatedOutput, Source
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe, number

NEGOTIATES_S = 0.6
"""A port gives its lowest profile first, and what was asked for after this (typical)."""
TRIPS_S = 0.1
"""An overload lasts this long before the port opens (typical)."""


class Plug(msgspec.Struct, frozen=True):
    """Something plugged into a port: the volts it asks for (None: as they come), and its amperes by time.

    `draws` are (from second, amperes) in ascending order, the first at 0.
    """

    port: int
    wants_v: float | None
    draws: tuple[tuple[float, float], ...]


class Event(msgspec.Struct, frozen=True):
    """Something that a port does at a moment."""

    at_s: float
    port: int
    kind: str
    """gives, cannot, trips, sleeps"""
    words: str


class Trial(msgspec.Struct, frozen=True):
    """What each port gave: events in order, and volts as (second, volts) steps for each plug."""

    events: tuple[Event, ...]
    volts: tuple[tuple[tuple[float, float], ...], ...]
    seconds: float


def ports_of(source: Source) -> tuple[Port, ...]:
    """The ports of a bank; a bank that names none has the one in use."""
    if source.ports or source.regulated_output is None:
        return source.ports
    held = source.regulated_output
    kind = source.outlet.kind if source.outlet else "usb-a"
    profile = Profile(output_v=held.output_v, output_current_max_a=held.output_current_max_a)
    return (
        Port(
            name="port",
            kind=kind,
            profiles=(profile,),
            output_min_current_a=held.output_min_current_a,
            output_off_delay_s=held.output_off_delay_s,
        ),
    )


def profile_for(port: Port, wants_v: float | None) -> Profile | None:
    """The profile of a port for wanted volts: the lowest where nothing is asked; None if it has none."""
    if wants_v is None:
        return min(port.profiles, key=lambda profile: number(profile.output_v))
    return next((p for p in port.profiles if abs(number(p.output_v) - wants_v) < SAME_V), None)


def fed_from(source: Source, port_at: int, profile_at: int) -> Source:
    """The bank with a port and profile of its list in use. Raises ValueError where there is none."""
    ports = source.ports
    if not 0 <= port_at < len(ports) or not 0 <= profile_at < len(ports[port_at].profiles):
        raise ValueError("that port is not there")
    port = ports[port_at]
    profile, old = port.profiles[profile_at], source.regulated_output
    held = RegulatedOutput(
        output_v=profile.output_v,
        efficiency=old.efficiency if old else 0.85,
        quiescent_w=old.quiescent_w if old else 0.1,
        output_current_max_a=profile.output_current_max_a,
        output_min_current_a=port.output_min_current_a,
        output_off_delay_s=port.output_off_delay_s,
    )
    outlet = Connector(kind=port.kind, gender="socket")
    if fixed_by_standard(outlet):
        outlet = msgspec.structs.replace(outlet, polarity="marked", measured=True)
    return msgspec.structs.replace(source, regulated_output=held, outlet=outlet)


def attempt(source: Source, plugs: tuple[Plug, ...], seconds: float) -> Trial:
    """Plug all in at second 0 and watch for so many seconds. Raises ValueError for a port that is not there."""
    ports = ports_of(source)
    for plug in plugs:
        if not 0 <= plug.port < len(ports):
            raise ValueError(f"it has no port {plug.port + 1}")
    events = [event for plug in plugs for event in _port_events(ports[plug.port], plug, seconds)]
    overall = _all_ports(source, ports, plugs, events, seconds)
    if overall is not None:
        events = [event for event in events if event.at_s < overall.at_s] + [overall]
    events.sort(key=lambda event: (event.at_s, event.port))
    return Trial(tuple(events), tuple(_volts(ports[p.port], p, events, seconds) for p in plugs), seconds)


def _port_events(port: Port, plug: Plug, seconds: float) -> list[Event]:
    """What one port does by itself: gives, then trips or falls asleep, whichever is first."""
    at, name = plug.port, port.name
    first = profile_for(port, None)
    events = [_gives(0.0, at, name, first)] if first else []
    profile, since = first, 0.0
    wanted = profile_for(port, plug.wants_v)
    if wanted is None:
        have = ", ".join(figure(number(p.output_v), "V", 2) for p in port.profiles)
        words = f"{name} offers no {figure(plug.wants_v or 0.0, 'V', 2)} (it has {have}): it stays where it is"
        events.append(Event(NEGOTIATES_S, at, "cannot", words))
    elif wanted is not first:
        profile, since = wanted, NEGOTIATES_S
        events.append(_gives(NEGOTIATES_S, at, name, wanted))
    limit = maybe(profile.output_current_max_a) if profile else None
    ends = [_trip(plug, name, limit, since), _sleep(plug, port, since)]
    firm = [event for event in ends if event is not None and event.at_s <= seconds]
    return [*events, min(firm, key=lambda event: event.at_s)] if firm else events


def _gives(at_s: float, at: int, name: str, profile: Profile) -> Event:
    most = maybe(profile.output_current_max_a)
    limit = f", {figure(most, 'A')} at most" if most is not None else ""
    return Event(at_s, at, "gives", f"{name} gives {figure(number(profile.output_v), 'V')}{limit}")


def _trip(plug: Plug, name: str, limit: float | None, since: float) -> Event | None:
    over = next(((t, amps) for t, amps in plug.draws if limit is not None and amps > limit), None)
    if over is None or limit is None:
        return None
    words = f"{name} trips: {figure(over[1], 'A')} is above its {figure(limit, 'A')}; unplug to wake it"
    return Event(max(over[0], since) + TRIPS_S, plug.port, "trips", words)


def _sleep(plug: Plug, port: Port, since: float) -> Event | None:
    """The first stretch under the threshold that outlasts the delay."""
    threshold = maybe(port.output_min_current_a)
    if threshold is None:
        return None
    delay = SLEEPS_AFTER_S if port.output_off_delay_s is None else number(port.output_off_delay_s)
    low_since: float | None = None
    for (start, amps), end in zip(plug.draws, [*(t for t, _ in plug.draws[1:]), float("inf")], strict=True):
        if amps >= threshold:
            low_since = None
            continue
        low_since = max(start, since) if low_since is None else low_since
        if end - low_since > delay:
            less = f"{figure(amps, 'A')} is under the {figure(threshold, 'A')} it wants"
            words = f"{port.name} falls asleep: {less}, for {figure(delay, 's', 2)}"
            return Event(low_since + delay, plug.port, "sleeps", words)
    return None


def _all_ports(
    source: Source, ports: tuple[Port, ...], plugs: tuple[Plug, ...], events: list[Event], seconds: float
) -> Event | None:
    """The moment at which all ports together ask for more than the bank gives."""
    most = maybe(source.ports_power_max_w)
    if most is None:
        return None
    for at in sorted({t for plug in plugs for t, _ in plug.draws} | {NEGOTIATES_S}):
        watts = sum(_volts_at(_volts(ports[p.port], p, events, seconds), at) * _amps_at(p, at) for p in plugs)
        if watts > most and at + TRIPS_S <= seconds:
            words = f"all ports trip: {figure(watts, 'W')} together is above its {figure(most, 'W')}"
            return Event(at + TRIPS_S, -1, "trips", words)
    return None


def _amps_at(plug: Plug, at_s: float) -> float:
    return next((amps for t, amps in reversed(plug.draws) if t <= at_s), 0.0)


def _volts_at(steps: tuple[tuple[float, float], ...], at_s: float) -> float:
    return next((volts for t, volts in reversed(steps) if t <= at_s), 0.0)


def _volts(port: Port, plug: Plug, events: list[Event], seconds: float) -> tuple[tuple[float, float], ...]:
    """(second, volts) at each change of one port."""
    steps: list[tuple[float, float]] = []
    wanted, first = profile_for(port, plug.wants_v), profile_for(port, None)
    for event in events:
        if event.port not in (plug.port, -1) or event.at_s > seconds:
            continue
        if event.kind in ("trips", "sleeps"):
            steps.append((event.at_s, 0.0))
        elif event.kind == "gives":
            profile = first if event.at_s == 0 else wanted
            steps.append((event.at_s, number(profile.output_v) if profile else 0.0))
    return tuple(sorted(steps))
