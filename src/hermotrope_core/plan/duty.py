"""What the device does and where: its duty, the temperature, the enclosure."""

from __future__ import annotations

from collections.abc import Collection

from hermotrope_core.kinds.holding import Enclosure
from hermotrope_core.values.clock import since_midnight
from hermotrope_core.values.known import Number, Table, Value, check_table, number


def check_start(start: str | None) -> None:
    """Raise ValueError for a start that is no time of day."""
    if start is not None:
        try:
            since_midnight(start)
        except ValueError as error:
            raise ValueError(f"start {error}") from None


class Segment(Value, frozen=True):
    mode: str
    seconds: Number


class Duty(Value, frozen=True):
    """What the device does, over and over; or `once`, as one programme. `start` is when it begins by the clock."""

    repeat: tuple[Segment, ...] = ()
    start: str | None = None
    once: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        check_start(self.start)

    def check_modes(self, names: Collection[str]) -> None:
        """Raise ValueError for a segment whose mode is none of the device's."""
        for i, segment in enumerate(self.repeat):
            if segment.mode not in names:
                have = ", ".join(sorted(names)) or "none"
                raise ValueError(
                    f"duty.repeat[{i}].mode names {segment.mode!r}, which is no mode of the device (it has: {have})"
                )

    @property
    def seconds(self) -> float:
        """How long the programme lasts once, seconds."""
        return sum(number(segment.seconds) for segment in self.repeat)

    def begun_at(self, seconds: float) -> Duty:
        """The same programme for somebody who comes in so many seconds after its start; one that runs once stays."""
        whole = self.seconds
        if self.once or whole <= 0.0 or (skip := seconds % whole) == 0.0:
            return self
        early: list[Segment] = []
        late: list[Segment] = []
        for segment in self.repeat:
            lasts = number(segment.seconds)
            gone = min(skip, lasts)
            skip -= gone
            if gone > 0.0:
                early.append(Segment(mode=segment.mode, seconds=gone))
            if lasts > gone:
                late.append(Segment(mode=segment.mode, seconds=segment.seconds if gone == 0.0 else lasts - gone))
        return Duty(repeat=(*late, *early), start=self.start, once=False)

    def turns(self) -> tuple[tuple[str, float], ...]:
        """Each mode in its turn with its seconds; equal neighbours are one."""
        found: list[tuple[str, float]] = []
        for segment in self.repeat:
            lasts = number(segment.seconds)
            if found and found[-1][0] == segment.mode:
                lasts += found.pop()[1]
            found.append((segment.mode, lasts))
        return tuple(found)


MOST_HOURS = 72.0


class Conditions(Value, frozen=True):
    temperature_c: Number = 20.0
    enclosure: Enclosure = "open"
    temperature_by_h: Table | None = None
    """Hours after the start and °C there; the run through it is told beside the one at `temperature_c`."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.temperature_by_h is not None:
            check_table("temperature_by_h", self.temperature_by_h, -60.0, 100.0)
            if self.temperature_by_h[0][0] < 0.0 or self.temperature_by_h[-1][0] > MOST_HOURS:
                raise ValueError(f"temperature_by_h counts hours from the start, 0 to {MOST_HOURS:g}")
