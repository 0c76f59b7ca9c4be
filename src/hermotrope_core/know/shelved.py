"""What a label names, as a part for the shelf: a pack, a bank with its outlets, an adapter, a board with its ranges."""

from __future__ import annotations

import re

import msgspec

from hermotrope_core.kinds.converter import Converter, Topology
from hermotrope_core.kinds.inlets import ConnectorKind
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.know.bank import fed_from
from hermotrope_core.know.label import NUM, PORT_V, LabelError, figure_of, said, typical
from hermotrope_core.know.line_print import line_part
from hermotrope_core.know.printed import AMPS, RANGE, Outlet, Printed, read_print
from hermotrope_core.know.wall import wall_adapter
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import BOARD_EFFICIENCY, BOARD_IDLE_W, MAINS_LEAST_V, SLEEPS_AFTER_S
from hermotrope_core.plan.source import Port, Profile, RegulatedOutput, Source
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Known, Number, maybe, number

STATION_SERIES = 4
"""Cells in series taken for a bank that tells watt-hours alone; its converters hide them."""
BANK_EFFICIENCY, BANK_IDLE_W, BANK_AWAKE_A = 0.88, 0.06, 0.07
"""Of a bank's own converter, from the cells to a port; what it takes by itself; what keeps it awake (typical)."""
USED_AT_V = (5.0, 9.0, 12.0)
"""Volts at which packs are used behind a converter: what is left of a label's milliampere-hours there."""
USB_V = (5.0, 9.0, 15.0, 20.0)
USB_12V_MOST_A = 3.0
"""At 12 V more amperes than this come out of a socket of its own and not of a negotiated port (typical)."""
USB_C_MOST_A = 3.0
"""What such a port gives at 5 V where it does not say (typical)."""
MAINS_V = 230.0
"""What an inverter gives that does not say (a usual public supply)."""
USUAL_SET_V = 12.0
"""What an adjustable board is set to until somebody says (within its range)."""
_INVERTER = re.compile(r"inverter", re.IGNORECASE)
_TRIGGER = re.compile(r"trigger|decoy", re.IGNORECASE)
_UP = re.compile(r"step[\s-]?up|\bboost", re.IGNORECASE)
_DOWN = re.compile(r"step[\s-]?down|\bbuck\b", re.IGNORECASE)
_BOTH = re.compile(
    r"buck[\s/-]*boost|boost[\s/-]*buck|auto(?:matic)?\s*(?:step|buck|boost)|up[\s/-]*down", re.IGNORECASE
)
_WATTS = re.compile(rf"{NUM}\s*(k?)W\b(?!h)", re.IGNORECASE)
_VOLTS = re.compile(rf"{NUM}\s*V\b", re.IGNORECASE)
_PLAIN_USB = re.compile(rf"\busb(?:[\s-]*a\b)?[\s:x\d]*?\b5(?:\.0)?\s*V\s*[/,@x]?\s*{NUM}\s*A\b", re.IGNORECASE)
_AMP_HOURS = re.compile(r"\d\s*m?Ah\b", re.IGNORECASE)
_LISTED = re.compile(r"\d[\d.]*(?:\s*/\s*\d[\d.]*){2,}\s*V\b", re.IGNORECASE)
_ONE_TO_ONE = re.compile(rf"{NUM}\s*V\s*(?:to|->|→)\s*{NUM}\s*V\b", re.IGNORECASE)
_WORD = re.compile(r"(?:\b(?:in|out)(?:put)?|→|->|\bto)$")
"""What says of a range, standing before it, that it is of the input or of the output."""
_C_PORT = re.compile(r"usb[\s-]*c\b|type[\s-]?c\b|\bpd\b", re.IGNORECASE)


class Named(msgspec.Struct, frozen=True):
    """A part made of a label, and what was taken for granted in making it."""

    kind: str
    """As the shelf sorts it: source, converter, lead or stage."""
    part: Source | Stage
    assumed: tuple[str, ...]


def part_of(label: str, reading: int = 0) -> Named:
    """The part that a label names, in one of its readings. Raises `LabelError`.

    >>> board = part_of("DC-DC 4.5-28V in, 0.8-20V out, 3A max").part
    >>> board.input_max_v.value, board.adjusts_to_v.value, board.output_current_max_a.value
    (28.0, 20.0, 3.0)
    """
    name = " ".join(label.split())[:120]
    if (small := line_part(name)) is not None:
        return Named("lead" if small[0].kind == "lead" else "stage", *small)
    read = read_print(label)
    if read.kind == "board":
        return _board(name, read)
    if read.kind == "adapter":
        return Named("source", *wall_adapter(name, read))
    return _with_cells(name, read, reading)


class Held(msgspec.Struct, frozen=True):
    """What cells behind a label hold: volts of them all, Ah and Wh at the cells, and what is usable."""

    full_v: float
    nominal_v: float
    flat_v: float
    capacity_ah: float
    wh: float
    usable_mah: tuple[tuple[float, float], ...]
    """Volts, and milliampere-hours there after a typical converter."""


def held(label: str, read: Printed, source: Source, reading: int = 0) -> Held:
    """The sums of a label's cells, in the reading that was chosen: watt-hours as printed, else those of its cells."""
    cell, series, capacity = CHEMISTRIES[source.chemistry], source.cells_in_series, number(source.capacity_ah)
    printed = read.wh is not None and (reading == 0 or not _AMP_HOURS.search(label))
    wh = read.wh if printed and read.wh is not None else capacity * series * cell.nominal_v
    usable = tuple((v, 1000.0 * wh * BANK_EFFICIENCY / v) for v in USED_AT_V)
    return Held(series * cell.full_v, series * cell.nominal_v, series * cell.cutoff_v, capacity, wh, usable)


def _with_cells(name: str, read: Printed, reading: int) -> Named:
    chemistry, series, assumed = read.chemistry or "li-ion", read.cells_in_series, list(read.assumed)
    capacity = read.capacity_ah
    if read.readings:
        if not 0 <= reading < len(read.readings):
            raise LabelError("that reading is not one of this label's")
        chosen = read.readings[reading]
        if reading:
            capacity = _charge_of(name, read, chosen.chemistry, chosen.cells_in_series)
            assumed = ["read as it was chosen"]
        chemistry, series = chosen.chemistry, chosen.cells_in_series
    if series is None:
        series = STATION_SERIES
        assumed.append(f"{series} cells in series, behind its own converters")
    cell = CHEMISTRIES[chemistry]
    if capacity is None:
        capacity = (read.wh or 0.0) / (series * cell.nominal_v)
    source = Source(
        name=name,
        chemistry=chemistry,
        cells_in_series=series,
        cells_in_parallel=read.cells_in_parallel,
        capacity_ah=said(round(capacity, 4)),
        resistance_ohm=typical(float(f"{series * cell.ohm_ah / capacity:.3g}")),
        resistance_by_soc=cell.resistance_factor_by_soc,
        cutoff_v=round(series * cell.cutoff_v, 3),
    )
    if read.kind != "bank":
        return Named("source", source, tuple(assumed))
    outlets = tuple(one for one in read.outlets if (one.volts or 0.0) < MAINS_LEAST_V)
    if len(outlets) < len(read.outlets):
        assumed.append("its mains socket is left out here: only the device's own cord and adapter go into it")
    ports = _ports(name, outlets)
    own = RegulatedOutput(output_v=PORT_V, efficiency=BANK_EFFICIENCY, quiescent_w=BANK_IDLE_W)
    bank = msgspec.structs.replace(
        source,
        low_voltage_cut_off=True,
        regulated_output=own,
        ports=ports,
        ports_power_max_w=_total(name, outlets),
    )
    assumed.append("its efficiency and when it switches itself off: typical figures")
    return Named("source", fed_from(bank, 0, 0), tuple(assumed))


def _charge_of(label: str, read: Printed, chemistry: str, series: int) -> float | None:
    """Ampere-hours in another reading: those printed stay, watt-hours alone are shared among other cells."""
    if read.wh is None or _AMP_HOURS.search(label):
        return read.capacity_ah
    return read.wh / (series * CHEMISTRIES[chemistry].nominal_v)


def _ports(label: str, outlets: tuple[Outlet, ...]) -> tuple[Port, ...]:
    """Its outlets as ports: the volts of a negotiated port together, every other socket by itself."""
    known = [one for one in outlets if one.volts is not None] or [Outlet(PORT_V, None)]
    negotiated, plain = bool(_C_PORT.search(label)), _plain_usb(label)
    usb: list[Outlet] = []
    flat: list[Outlet] = []
    others: list[Outlet] = []
    for one in known:
        volts, amps = one.volts or 0.0, one.amps
        at_12 = volts == 12.0 and negotiated and (amps is None or amps <= USB_12V_MOST_A) and len(known) > 2
        if negotiated and volts == PORT_V and amps in plain:
            flat.append(one)
        else:
            (usb if volts in USB_V or at_12 else others).append(one)
    first_5 = [one for one in usb if one.volts == PORT_V]
    if len(first_5) > 1 and not flat:
        flat.append(min(first_5, key=lambda one: one.amps or 0.0))
    ports = []
    if usb:
        kind: ConnectorKind = "usb-c" if negotiated else "usb-a"
        profiles = tuple(_profile(one) for one in sorted(_best_of_each(usb), key=lambda one: one.volts or 0.0))
        if number(profiles[0].output_v) != PORT_V:  # what every such port gives before anybody asks for more
            profiles = (Profile(output_v=PORT_V, output_current_max_a=typical(USB_C_MOST_A)), *profiles)
        ports.append(_port("USB-C" if negotiated else "USB", kind, profiles))
    if flat:
        ports.append(_port("USB-A", "usb-a", (_profile(flat[0]),)))
    for one in others:
        at = figure(one.volts or 0.0, "V", 2)
        ports.append(_port(f"{at} socket", "barrel", (_profile(one),)))
    return tuple(ports)


def _plain_usb(label: str) -> set[float | None]:
    """Amperes of the 5 V that a label tells right behind the word USB, or USB-A."""
    return {figure_of(match[1]) for match in _PLAIN_USB.finditer(label)}


def _best_of_each(outlets: list[Outlet]) -> list[Outlet]:
    best: dict[float, Outlet] = {}
    for one in outlets:
        volts = one.volts or 0.0
        if volts not in best or (one.amps or 0.0) > (best[volts].amps or 0.0):
            best[volts] = one
    return list(best.values())


def _profile(outlet: Outlet) -> Profile:
    most = said(outlet.amps) if outlet.amps is not None else None
    return Profile(output_v=said(outlet.volts or PORT_V), output_current_max_a=most)


def _port(name: str, kind: ConnectorKind, profiles: tuple[Profile, ...]) -> Port:
    return Port(
        name=name,
        kind=kind,
        profiles=profiles,
        output_min_current_a=typical(BANK_AWAKE_A),
        output_off_delay_s=typical(SLEEPS_AFTER_S),
    )


def _total(label: str, outlets: tuple[Outlet, ...]) -> Known | None:
    """Watts of all its ports together, where the label tells watts that are more than its best outlet's."""
    best = max(((one.volts or 0.0) * (one.amps or 0.0) for one in outlets), default=0.0)
    told = [figure_of(match[1]) * (1000.0 if match[2] else 1.0) for match in _WATTS.finditer(label)]
    most = max(told, default=0.0)
    return said(most) if len(outlets) > 1 and most > 1.05 * best else None


def _board(name: str, read: Printed) -> Named:
    assumed: list[str] = []
    inward, outward = _ranges(name)
    fixed = _fixed(name, read, inward)
    topology = _topology(name, inward, outward, fixed, assumed)
    watts = max((figure_of(m[1]) * (1000.0 if m[2] else 1.0) for m in _WATTS.finditer(name)), default=None)
    if topology == "inverter":
        fixed, outward = MAINS_V, None
        assumed.append(f"it gives {MAINS_V:g} V")
    if fixed is None and outward is not None:
        fixed = min(max(USUAL_SET_V, outward[0]), outward[1])
        assumed.append(f"set to {fixed:g} V until you say")
    if fixed is None:
        raise LabelError("which volts does it give? For example 4.5-28V in, 0.8-20V out, 3A")
    amps = next((one.amps for one in read.outlets if one.amps is not None), None)
    if amps is None and (match := AMPS.search(name)):
        amps = figure_of(match[1]) / (1e3 if match[2] else 1.0)
    if watts is not None and (amps is None or topology == "inverter"):
        amps = watts / fixed
        assumed.append(f"{figure(watts, 'W')} are what it gives, {figure(amps, 'A')} at {fixed:g} V")
    assumed.append("efficiency and what it draws by itself: typical figures, to be measured")
    board = Converter(
        topology=topology,
        output_v=said(fixed),
        efficiency=typical(BOARD_EFFICIENCY),
        quiescent_w=typical(BOARD_IDLE_W),
        input_min_v=said(inward[0]) if inward else None,
        input_max_v=said(inward[1]) if inward else None,
        adjusts_from_v=said(outward[0]) if outward else None,
        adjusts_to_v=said(outward[1]) if outward else None,
        output_current_max_a=said(amps) if amps is not None else None,
    )
    return Named("converter", board, tuple(assumed))


Span = tuple[float, float]


def _ranges(label: str) -> tuple[Span | None, Span | None]:
    """The range it takes in and the one it can be set to; in that order where neither says which it is."""
    inward = outward = None
    if match := _LISTED.search(label):
        listed = [float(one) for one in re.findall(r"[\d.]+", match[0])]
        return None, (min(listed), max(listed))
    found = [match for match in RANGE.finditer(label) if not _ONE_TO_ONE.fullmatch(match[0].strip())]
    before = [label[: match.start()].lower().rstrip(" :,=") for match in found]
    prefixed = bool(found) and bool(_WORD.search(before[0]))
    for match, led in zip(found, before, strict=True):
        low, high = sorted((figure_of(match[1]), figure_of(match[2])))
        told = _WORD.search(led) if prefixed else None
        word = told[0] if told else "" if prefixed else (match[3] or "").lower()
        if word.startswith(("out", "to", "→", "->")) or (not word.startswith("in") and inward is not None):
            outward = outward or (low, high)
        else:
            inward = inward or (low, high)
    return inward, outward


def _fixed(label: str, read: Printed, inward: Span | None) -> float | None:
    """The one voltage it gives, where it gives one: of its outlet, or the last that is no range's end."""
    told = [one.volts for one in read.outlets if one.volts is not None]
    if told:
        return told[0]
    if match := _ONE_TO_ONE.search(label):
        return figure_of(match[2])
    single = [figure_of(match[1]) for match in _VOLTS.finditer(RANGE.sub(" ", _LISTED.sub(" ", label)))]
    return single[-1] if single and (inward is not None or _TRIGGER.search(label)) else None


def _topology(
    label: str, inward: Span | None, outward: Span | None, fixed: float | None, assumed: list[str]
) -> Topology:
    if _INVERTER.search(label):
        return "inverter"
    if _TRIGGER.search(label):
        return "trigger"
    if _BOTH.search(label) or (_UP.search(label) and _DOWN.search(label)):
        return "buck-boost"
    if _UP.search(label):
        return "boost"
    if not _DOWN.search(label):
        gives = outward[0] if outward else fixed
        if inward is not None and gives is not None and gives >= inward[1]:
            assumed.append("it steps up, as its volts say")
            return "boost"
        assumed.append("it steps down: the label does not say; one that also steps up says so")
    return "buck"


def board_facts(board: Stage) -> list[tuple[str, str]]:
    """What a board takes and gives, in rows of a term and its words."""
    assert isinstance(board, Converter)

    def span(low: Number | None, high: Number | None) -> str:
        return f"{number(low):g} to {number(high):g} V" if low is not None and high is not None else "not told"

    most = maybe(board.output_current_max_a)
    gives = f"{number(board.output_v):g} V"
    if board.adjusts_to_v is not None:
        gives = f"{span(board.adjusts_from_v, board.adjusts_to_v)}, set to {gives}"
    return [
        ("It is", f"{board.topology} converter"),
        ("Takes in", span(board.input_min_v, board.input_max_v)),
        ("Gives", gives),
        ("At most", f"{most:.3g} A" if most else "not told"),
    ]


Mark = tuple[str, bool]


def marked(label: str, not_understood: tuple[str, ...]) -> tuple[Mark, ...]:
    """The label in pieces, each with whether something was made of it; blanks and signs between words count as read."""
    unread = {word.lower() for word in not_understood}
    pieces = re.findall(r"[^\W\d_][\w-]*|[\d.,]+|\s+|.", label)
    return tuple((piece, piece.lower() not in unread) for piece in pieces)
