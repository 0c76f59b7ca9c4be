"""What all that is known of a device comes to: its window of volts and its draws, whatever the order it was learned in.

What the device ran on, it has survived; where its cells were flat, it stopped. What is printed goes before what is
inferred, a trial before both. What contradicts itself is told in words and decides nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import msgspec

from hermotrope_core.know.intake import DISAGREE, RANK, Original, from_adapter, from_cells
from hermotrope_core.know.life import inlet_volts_before, watts_before, watts_of
from hermotrope_core.parts.craft import CAR_CHARGING_V, CAR_FULL_V, CAR_LEAST_V, CAR_RATED_V
from hermotrope_core.plan.device import Mode, Supply
from hermotrope_core.plan.evidence import (
    Evidence,
    Lasted,
    MeterRead,
    OfCells,
    Printed,
    RanBefore,
    RanInCar,
    RanOnAdapter,
    RanOnCells,
    Tried,
)
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import duration, figure
from hermotrope_core.values.known import Known, number

LIMITS = ("min_v", "nominal_v", "max_v", "absolute_max_v")
MODES_DIFFER = 0.3
"""Two figures of one draw that differ by more than this share are told."""
BRACKET = 0.1
"""Volts at which it worked within this share above those at which it stopped are the least it works at."""
PLATE_MODE = "on"
"""The mode that an adapter's or a label's amperes belong to while nothing else is known of any."""


class Line(msgspec.Struct, frozen=True):
    """One piece of evidence for people: its words, the volts it speaks of, what does not add up in it."""

    words: str
    low_v: float | None = None
    high_v: float | None = None
    fails_below_v: float | None = None
    fails_above_v: float | None = None
    problem: str = ""
    counts: bool = True


class Worked(msgspec.Struct, frozen=True):
    """What evidence comes to: a window, modes, a line per piece, and what there is to tell."""

    supply: Supply = Supply()
    modes: tuple[Mode, ...] = ()
    lines: tuple[Line, ...] = ()
    told: tuple[str, ...] = ()


def line_of(piece: Evidence) -> Line:
    """A piece of evidence in words, with the volts that it speaks of."""
    line = _LINES[type(piece)](piece)
    return msgspec.structs.replace(line, counts=False) if piece.doubted else line


def _cells_line(piece: RanOnCells) -> Line:
    ran = from_cells(piece.chemistry, piece.cells_in_series)
    return Line(f"ran on {ran.words}", ran.flat_v.value, ran.full_v.value)


def _life_line(piece: Lasted) -> Line:
    ran = from_cells(piece.chemistry, piece.cells_in_series)
    beside = f", {piece.cells_in_parallel} strings of them," if piece.cells_in_parallel > 1 else ""
    words = f"{ran.words}{beside} lasted {duration(piece.lasted_s)} ({piece.mode})"
    return Line(words, ran.flat_v.value, ran.full_v.value)


def _adapter_line(piece: RanOnAdapter) -> Line:
    ran = _adapter(piece)
    amps = f", at most {figure(piece.current_a, 'A')}" if piece.current_a else ""
    return Line(f"ran on {ran.words}{amps}", ran.flat_v.value, ran.full_v.value)


def _car_line(piece: RanInCar) -> Line:
    words = "ran in a car, also with the engine running" if piece.engine_running else "ran in a car, engine off"
    return Line(words, CAR_LEAST_V, CAR_CHARGING_V if piece.engine_running else CAR_FULL_V)


def _printed_line(piece: Printed) -> Line:
    stated = [
        f"{word} {figure(value, unit)}"
        for word, value, unit in (
            ("least", piece.min_v, "V"),
            ("rated", piece.nominal_v, "V"),
            ("most", piece.max_v, "V"),
            ("never above", piece.absolute_max_v, "V"),
            ("draws", piece.power_w, "W"),
            ("draws", piece.current_a, "A"),
        )
        if value is not None
    ]
    who = "its label" if piece.by == "label" else "its data sheet"
    volts = [v for v in (piece.min_v, piece.nominal_v, piece.max_v) if v is not None]
    return Line(
        f"{who} says: {', '.join(stated) or 'nothing yet'}",
        min(volts, default=None),
        max(volts, default=None),
        fails_above_v=piece.absolute_max_v,
    )


def _reading_line(piece: MeterRead) -> Line:
    read = figure(piece.power_w, "W") if piece.power_w is not None else figure(piece.current_a or 0.0, "A")
    return Line(f"a meter read {read} at {figure(piece.at_v, 'V')} ({piece.mode})", piece.at_v, piece.at_v)


def _tried_line(piece: Tried) -> Line:
    at = figure(piece.at_v, "V")
    if piece.went == "worked":
        return Line(f"it worked at {at}", piece.at_v, piece.at_v)
    if piece.went == "too-few":
        return Line(f"it stopped at {at}", fails_below_v=piece.at_v)
    return Line(f"{at} were too many for it", fails_above_v=piece.at_v)


def _before_line(piece: RanBefore) -> Line:
    words = f"ran {duration(piece.lasted_s)} ({piece.mode}) on {piece.source.name}, in “{piece.title}”"
    at = inlet_volts_before(piece)
    return Line(words, at, at)


_LINES: dict[type, Callable[..., Line]] = {
    RanOnCells: _cells_line,
    RanOnAdapter: _adapter_line,
    RanInCar: _car_line,
    Printed: _printed_line,
    MeterRead: _reading_line,
    Lasted: _life_line,
    Tried: _tried_line,
    RanBefore: _before_line,
}


def _adapter(piece: RanOnAdapter) -> Original:
    return from_adapter(piece.nominal_v, regulated=piece.regulated, unloaded_v=piece.unloaded_v)


class _Claims(msgspec.Struct):
    """What the pieces that count say of the volts, sorted by what kind of saying it is."""

    survived: list[Known] = []
    most: list[Known] = []
    never: list[Known] = []
    rated: list[Known] = []
    least: list[Known] = []
    worked: list[Known] = []
    too_few: list[Known] = []
    too_many: list[Known] = []


def _claims(pieces: Iterable[Evidence]) -> _Claims:
    claims = _Claims()
    for piece in pieces:
        if isinstance(piece, OfCells):
            _ran_on(claims, from_cells(piece.chemistry, piece.cells_in_series))
        elif isinstance(piece, RanOnAdapter):
            _ran_on(claims, _adapter(piece))
        elif isinstance(piece, RanInCar):
            _in_car(claims, engine=piece.engine_running)
        elif isinstance(piece, Printed):
            _printed(claims, piece)
        elif isinstance(piece, RanBefore):
            note = f"inferred: {line_of(piece).words}"
            claims.survived.append(Known(value=inlet_volts_before(piece), known_by="typical", note=note))
        else:
            read = Known(value=piece.at_v, known_by="measured", note=f"inferred: {line_of(piece).words}")
            went = piece.went if isinstance(piece, Tried) else "worked"
            {"worked": claims.worked, "too-few": claims.too_few, "too-many": claims.too_many}[went].append(read)
    return claims


def _ran_on(claims: _Claims, ran: Original) -> None:
    claims.survived.append(ran.full_v)
    claims.rated.append(ran.nominal_v)
    claims.least.append(ran.flat_v)


def _in_car(claims: _Claims, *, engine: bool) -> None:
    on = "a car with its engine running" if engine else "a car's rested battery"
    top = CAR_CHARGING_V if engine else CAR_FULL_V
    claims.survived.append(Known(value=top, known_by="typical", note=f"inferred: {on}"))
    claims.rated.append(Known(value=CAR_RATED_V, known_by="typical", note="inferred: a car's socket"))
    note = "inferred: a car's battery, low; it may well work below"
    claims.least.append(Known(value=CAR_LEAST_V, known_by="guess", note=note))


def _printed(claims: _Claims, piece: Printed) -> None:
    who = "its label" if piece.by == "label" else "its data sheet"
    for name, claimed in (
        ("min_v", claims.least),
        ("nominal_v", claims.rated),
        ("max_v", claims.most),
        ("absolute_max_v", claims.never),
    ):
        value = getattr(piece, name)
        if value is not None:
            claimed.append(Known(value=value, known_by=piece.by, note=f"{who} says so"))


def _best(claims: list[Known], *, highest: bool) -> Known | None:
    """The best known of several; of equally well known ones the highest or the lowest."""
    return min(claims, key=lambda one: (RANK[one.known_by], -one.value if highest else one.value), default=None)


def _highest(claims: list[Known]) -> Known | None:
    return max(claims, key=lambda one: (one.value, -RANK[one.known_by]), default=None)


def _lowest(claims: list[Known]) -> Known | None:
    return min(claims, key=lambda one: (one.value, RANK[one.known_by]), default=None)


def worked_out(evidence: Sequence[Evidence]) -> Worked:
    """Window and modes from all the evidence that counts; the order of the pieces makes no difference."""
    told: list[str] = []
    counted = [piece for piece in evidence if not piece.doubted]
    claims = _claims(counted)
    limits = {
        "absolute_max_v": _never(claims),
        "max_v": _most(claims, told),
        "min_v": _least(claims, told),
        "nominal_v": _rated(claims, told),
    }
    supply = _without_contradiction(limits, told)
    stops_at = number(supply.min_v) if supply.min_v is not None else None
    lives, problems = _lives(evidence, stops_at)
    modes = _modes(evidence, lives, told)
    lines = [msgspec.structs.replace(line_of(piece), problem=problems.get(i, "")) for i, piece in enumerate(evidence)]
    return Worked(supply, modes, tuple(lines), tuple(told))


def _never(claims: _Claims) -> Known | None:
    """What it must never get: as stated, or the lowest volts that were too many."""
    return _lowest([*claims.never, *claims.too_many])


def _most(claims: _Claims, told: list[str]) -> Known | None:
    survived = _highest([*claims.survived, *claims.worked])
    stated = _best(claims.most, highest=False)
    ceiling = _lowest(claims.too_many)
    if stated is None:
        most = survived
        if most is not None and ceiling is not None and most.value >= ceiling.value:
            ran, broke = figure(most.value, "V"), figure(ceiling.value, "V")
            told.append(f"It has run on {ran}, and {broke} were too many: one of them is not so.")
            most = _highest([one for one in (*claims.survived, *claims.worked) if one.value < ceiling.value])
        return most
    if survived is not None and survived.value > stated.value * (1.0 + DISAGREE):
        ran, allows = figure(survived.value, "V"), figure(stated.value, "V")
        told.append(f"It has run on {ran} ({_why(survived)}), above the {allows} of {_why(stated)}; that stands.")
    return stated


def _least(claims: _Claims, told: list[str]) -> Known | None:
    said = _best(claims.least, highest=False)
    works, stops = _lowest(claims.worked), _highest(claims.too_few)
    if works is not None and stops is not None:
        if stops.value < works.value:
            return works if works.value <= stops.value * (1.0 + BRACKET) else stops
        told.append(f"It worked at {figure(works.value, 'V')} and stopped at {figure(stops.value, 'V')}: try it again.")
        return stops
    if works is not None and (said is None or works.value < said.value * (1.0 - DISAGREE)):
        if said is not None:
            told.append(
                f"It worked at {figure(works.value, 'V')}, below the {figure(said.value, 'V')} of {_why(said)}."
            )
        return msgspec.structs.replace(works, known_by="measured" if said is not None else "guess")
    if stops is not None and (said is None or stops.value >= said.value):
        return stops
    return said


def _rated(claims: _Claims, told: list[str]) -> Known | None:
    best = _best(claims.rated, highest=False)
    if best is not None:
        others = {one.value: one for one in claims.rated if abs(one.value - best.value) > 0.1 * best.value}
        for other in sorted(others.values(), key=lambda one: one.value):
            told.append(
                f"Rated volts: {figure(best.value, 'V')} by {_why(best)}, {figure(other.value, 'V')} by {_why(other)}."
            )
    return best


def _why(known: Known) -> str:
    return (known.note or "what is known").removeprefix("inferred: ").removesuffix(" says so")


def _without_contradiction(limits: dict[str, Known | None], told: list[str]) -> Supply:
    """The window of what fits together, the best known first; what does not is told and left open."""
    kept: dict[str, Known] = {}
    order = sorted(
        (name for name in LIMITS if limits[name] is not None),
        key=lambda name: (RANK[limits[name].known_by], LIMITS[::-1].index(name)),  # type: ignore[union-attr]  # filtered
    )
    for name in order:
        value = limits[name]
        assert value is not None
        try:
            Supply(**{**kept, name: value})
        except ValueError:
            against = ", ".join(f"{FIELDS[one].term.lower()} {figure(kept[one].value, 'V')}" for one in kept)
            told.append(
                f"{FIELDS[name].term} {figure(value.value, 'V')} ({_why(value)}) cannot be, beside {against}: "
                "one of them is not of this device."
            )
        else:
            kept[name] = value
    return Supply(**kept)


def _lives(evidence: Sequence[Evidence], stops_at_v: float | None) -> tuple[dict[int, Known], dict[int, str]]:
    """The watts that each life implies, by its place; and what is wrong with those that imply none."""
    found, problems = {}, {}
    for i, piece in enumerate(evidence):
        if isinstance(piece, Lasted | RanBefore):
            try:
                watts = watts_of(piece, stops_at_v) if isinstance(piece, Lasted) else watts_before(piece, stops_at_v)
            except ValueError as error:
                problems[i] = str(error).removeprefix("capacity_ah: ")
            else:
                if not piece.doubted:
                    note = f"worked out: {line_of(piece).words}"
                    found[i] = msgspec.structs.replace(watts, note=note[:300])
    return found, problems


def _modes(evidence: Sequence[Evidence], lives: dict[int, Known], told: list[str]) -> tuple[Mode, ...]:
    draws: dict[str, list[Known]] = {}
    counted = [piece for piece in evidence if not piece.doubted]
    for i, piece in enumerate(evidence):
        if isinstance(piece, MeterRead) and not piece.doubted:
            draws.setdefault(piece.mode, []).append(_read_watts(piece))
        elif isinstance(piece, Lasted | RanBefore) and i in lives:
            draws.setdefault(piece.mode, []).append(lives[i])
    plates = _plates(counted)
    if not draws and plates:
        least = min(plates, key=lambda one: (RANK[one.known_by], one.value))
        return (Mode(name=PLATE_MODE, kind="power", power_w=least, stands_for="maximum"),)
    modes = []
    for name in sorted(draws):
        best = min(draws[name], key=lambda one: (RANK[one.known_by], one.value))
        for other in draws[name]:
            if other is not best and abs(other.value - best.value) > MODES_DIFFER * best.value:
                one, two = (f"{figure(known.value, 'W')} ({_told_by(known)})" for known in (best, other))
                told.append(f"{name}: {one}, but {two}.")
        for plate in plates:
            if best.value > plate.value * (1.0 + DISAGREE):
                takes, allows = figure(best.value, "W"), figure(plate.value, "W")
                told.append(f"{name} takes {takes}, more than the {allows} of {_why(plate)}.")
        modes.append(Mode(name=name, kind="power", power_w=best))
    return tuple(modes)


def _told_by(known: Known) -> str:
    return (known.note or "").removeprefix("worked out: ").removeprefix("read: ")


def _read_watts(piece: MeterRead) -> Known:
    watts = piece.power_w if piece.power_w is not None else (piece.current_a or 0.0) * piece.at_v
    return Known(value=float(f"{watts:.4g}"), known_by="measured", note=f"read: {line_of(piece).words}")


def _plates(counted: Sequence[Evidence]) -> list[Known]:
    """The most that adapters and labels say it takes."""
    found = []
    for piece in counted:
        if isinstance(piece, RanOnAdapter) and piece.current_a is not None:
            watts = piece.nominal_v * piece.current_a
            note = f"at most: an adapter of {figure(piece.nominal_v, 'V')} and {figure(piece.current_a, 'A')}"
            found.append(Known(value=float(f"{watts:.4g}"), known_by="guess", note=note))
        elif isinstance(piece, Printed):
            watts_ = piece.power_w
            if watts_ is None and piece.current_a is not None and piece.nominal_v is not None:
                watts_ = piece.current_a * piece.nominal_v
            if watts_ is not None:
                note = "its label says so" if piece.by == "label" else "its data sheet says so"
                found.append(Known(value=float(f"{watts_:.4g}"), known_by=piece.by, note=note))
    return found
