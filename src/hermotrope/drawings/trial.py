"""What the ports of a bank give over two minutes: a track of volts each, with what happens on it."""

from __future__ import annotations

import msgspec

from hermotrope_core.know.bank import Plug, Trial
from hermotrope_core.plan.source import Port
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import number

WIDTH, LEFT, RIGHT = 560.0, 70.0, 26.0
TRACK, GAP, TOP = 58.0, 30.0, 20.0
FASTER = 10.0
"""The track is played this many times faster than the clock."""
MARKS = {"sleeps": "asleep", "trips": "tripped"}


class Track(msgspec.Struct, frozen=True):
    """One port: where its track is, its curve of volts, what ends it, and its lamp."""

    name: str
    load: str
    top: float
    base: float
    path: str
    gone_x: float | None
    gone_width: float
    gone_words: str
    gone_kind: str
    lamp_off: str
    top_volts: str


class TrialView(msgspec.Struct, frozen=True):
    """Tracks, a time axis, what happened in words, and how long the playhead takes."""

    height: float
    tracks: tuple[Track, ...]
    ticks: tuple[tuple[float, str], ...]
    events: tuple[tuple[str, str, str], ...]
    plays: str
    start_x: float
    end_x: float


def trial_view(trial: Trial, plugs: tuple[Plug, ...], ports: tuple[Port, ...]) -> TrialView:
    """The tracks of a trial."""

    def x(seconds: float) -> float:
        return round(LEFT + seconds / trial.seconds * (WIDTH - LEFT - RIGHT), 1)

    most = max(number(profile.output_v) for port in ports for profile in port.profiles)
    tracks = []
    for i, (plug, steps) in enumerate(zip(plugs, trial.volts, strict=True)):
        top = TOP + i * (TRACK + GAP)
        base = top + TRACK
        path = f"M{x(0)} {base}"
        for second, volts in steps:
            path += f"H{x(second)}V{round(base - volts / most * TRACK, 1)}"
        path += f"H{x(trial.seconds)}"
        gone = next((e for e in trial.events if e.kind in MARKS and e.port in (plug.port, -1)), None)
        loads = " then ".join(figure(amps, "A") for _, amps in plug.draws)
        tracks.append(
            Track(
                name=ports[plug.port].name,
                load=loads,
                top=top,
                base=base,
                path=path,
                gone_x=x(gone.at_s) if gone else None,
                gone_width=round(x(trial.seconds) - x(gone.at_s), 1) if gone else 0.0,
                gone_words=f"{MARKS[gone.kind]} at {figure(gone.at_s, 's')}" if gone else "",
                gone_kind=gone.kind if gone else "",
                lamp_off=f"{gone.at_s / FASTER:.2f}s" if gone else "",
                top_volts=figure(max((v for _, v in steps), default=0.0), "V", 2),
            )
        )
    return TrialView(
        height=TOP + len(plugs) * (TRACK + GAP) + 6,
        tracks=tuple(tracks),
        ticks=tuple((x(s), stated(s, "s")) for s in range(0, int(trial.seconds) + 1, 20)),
        events=tuple((figure(e.at_s, "s"), e.kind, e.words) for e in trial.events),
        plays=f"{trial.seconds / FASTER:g}s",
        start_x=x(0),
        end_x=x(trial.seconds),
    )
