"""What is printed on a supply or a board: of which sort it is, what its cells hold, its outlets, what stays unread.

The cells are read by `label`; here is what stands around them: outlets with their volts and amperes, inputs, the
words of banks, adapters and boards, the codes and counts of cells.
"""

from __future__ import annotations

import re
from pkgutil import get_data
from typing import Any, Literal

import msgspec

from hermotrope_core.know.label import LONGEST, NUM, Decoded, LabelError, decode, figure_of
from hermotrope_core.know.sold import SIZES
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.values.figures import figure

Kind = Literal["pack", "bank", "cells", "adapter", "board"]
_SIZE = "|".join(sorted((size for size in SIZES if len(size) > 1), key=len, reverse=True))
_JOIN = r"\s*(?:DC|AC|⎓|=+|~|-{1,2}|–|/|,|@|x|at)?\s*(?:DC|AC|max\.?)?\s*"
_OUTLET = re.compile(rf"(?:DC|AC)?\s*{NUM}\s*V(?:DC|AC)?(?![a-z]){_JOIN}{NUM}\s*(m?)A(?!h)\b", re.IGNORECASE)
_TURNED = re.compile(rf"{NUM}\s*(m?)A(?!h)\s*(?:@|at|/)\s*{NUM}\s*V\b", re.IGNORECASE)
_INPUT = re.compile(r"(?<!\dV )\b(?:input|in|eingang)\b\s*:?(.*?)(?=\b(?:output|out|ausgang)\b|;|$)", re.IGNORECASE)
RANGE = re.compile(rf"{NUM}\s*(?:V\s*)?(?:-|–|to)\s*{NUM}\s*V(?:AC|DC)?\s*(in|out)?(?:put)?\b", re.IGNORECASE)
AMPS = re.compile(rf"{NUM}\s*(m?)A(?!h)\b", re.IGNORECASE)
_BOARD = re.compile(
    r"dc[\s/-]*dc|step[\s-]?(?:down|up)|\bbuck\b|\bboost\b|converter|\bmodule\b|inverter|trigger|regulator|\bboard\b",
    re.IGNORECASE,
)
_ADAPTER = re.compile(
    r"adapt[eo]r|power\s+supply|\bac[\s/-]+dc\b|wall\s*(?:wart|plug)|\bpsu\b|\bmains\b|1[01]0\s*(?:V\s*)?[-–]\s*2[234]0",
    re.IGNORECASE,
)
_BANK = re.compile(r"power\s*-?\s*bank|power\s+station|\busb\b|\bpd\b|\bqc\b|type[\s-]?c", re.IGNORECASE)
_USB = re.compile(r"\busb\b[\s-]*(?:type)?[\s-]*[abc]?\b|\btype[\s-]?[ac]\b", re.IGNORECASE)
_OTHER = re.compile(
    r"charge\s+controller|\b(?:fuse|switch|relay|plug|cable|extension|meter|motor|pump|fan|lamp|bulb|led|heater)\b",
    re.IGNORECASE,
)
"""What has volts and amperes on it and gives nothing."""
_UNKNOWN = re.compile(r"\bLTO\b|titanate|\bNa-?ion\b|sodium|zinc[\s-]?air|silver[\s-]?oxide|\bLi-?S\b", re.IGNORECASE)
"""Chemistries whose volts nobody here knows."""
_BLOCK = re.compile(r"\b9\s*V\b(?=.*\b(?:block|alkaline|zinc)\b)|(?:\bblock\b|\balkaline\b).*?\b9\s*V\b", re.IGNORECASE)
"""A block of six small cells that states no charge."""
_ALARM = re.compile(r"\b(?:A23|23A|MN21|LRV08|8LR932)\b", re.IGNORECASE)
"""A block of eight button cells, as remote controls have them; its name looks like amperes."""
_MAKE = re.compile(r"\b(I[NCM]R|IFR|NCR)[\s-]?(\d{5})[-\w]*", re.IGNORECASE)
"""A round lithium cell by its standard letters: the F of iron phosphate, then diameter and length."""
_PIECES = re.compile(r"\(?\b(?:pack|set|box)\s+of\s+(\d{1,2})\b\)?|\b(\d{1,2})\s*(?:pcs|pieces)\b", re.IGNORECASE)
_CELL_OF = re.compile(r"\b(?:battery|cell|akku|accu|phone|camera)\b", re.IGNORECASE)
_LITHIUM_SHAPE = {"AA": "14500", "AAA": "10440"}
_SPELT = (
    (r"\bmilli-?\s*amp(?:ere)?s?[\s-]*hours?\b", "mAh"),
    (r"\bamp(?:ere)?s?[\s-]*hours?\b", "Ah"),
    (r"\bwatt[\s-]*hours?\b", "Wh"),
    (r"\bvolts?\b", "V"),
    (r"(?<=\d)\s*amp(?:ere)?s?\b", "A"),
)
"""Units in words, the longer ones first."""
_FIXED = re.compile(rf"{NUM}\s*V\s*(?:to|->|→)\s*{NUM}\s*V\b", re.IGNORECASE)
"""A board for one voltage in and one out."""
_HOURS = re.compile(r"/?\s*\d{1,3}\s*h(?:r|rs|ours?)\b", re.IGNORECASE)
_TELLS_ITS_KIND = re.compile(r"regulated|stabili[sz]ed|\bswitch|\bsmps\b", re.IGNORECASE)
_FIGURE = re.compile(
    r"[\d.,]+\s*(?:m?Ah|k?Wh|m?A|V(?:AC|DC)?|k?W|k?g|oz|lb|s\d*p?|p|Hz|x|pcs|C)?\b",
    re.IGNORECASE,
)
_MASS = re.compile(rf"{NUM}\s*(k?g|oz|lb)\b", re.IGNORECASE)
_SIZED = re.compile(rf"\b(?:\d{{1,3}}\s*x\s*)?(?:{_SIZE})\b", re.IGNORECASE)


class _Words(msgspec.Struct, frozen=True):
    about: str
    codes: dict[str, tuple[str, int]]
    """Cells by their standard codes: the size or sort that `label` reads, and how many are in one."""
    common: tuple[str, ...]
    """Words that say nothing beside what was read."""


WORDS = msgspec.json.decode(get_data("hermotrope_core.parts", "data/labels.json") or b"", type=_Words)


LEAST_BANK_AH = 4.0
"""A single cell with its volts on it and less than this is a cell for a device, not a bank (typical)."""


MOST_CELL_V = 4.3
"""Own volts above these are those of a pack, whatever its plug is called."""


class Outlet(msgspec.Struct, frozen=True):
    """Volts and amperes of an outlet; None where they are not told."""

    volts: float | None
    amps: float | None


class Reading(msgspec.Struct, frozen=True):
    """One way to read the cells behind a label."""

    chemistry: str
    cells_in_series: int


class Printed(msgspec.Struct, frozen=True):
    """What a label says. Watt-hours are those stated, else ampere-hours times the volts at which they are meant."""

    kind: Kind
    chemistry: str | None
    cells_in_series: int | None
    cells_in_parallel: int | None
    capacity_ah: float | None
    wh: float | None
    outlets: tuple[Outlet, ...]
    assumed: tuple[str, ...]
    """What was taken for granted."""
    doubts: tuple[str, ...]
    not_understood: tuple[str, ...]
    readings: tuple[Reading, ...]


def read_print(label: str) -> Printed:
    """Read a label. Raises `LabelError` for one that says nothing usable.

    >>> bank = read_print("10000mAh power bank, USB 5V 2.1A")
    >>> bank.kind, bank.wh, bank.outlets[0].volts, bank.outlets[0].amps
    ('bank', 37.0, 5.0, 2.1)
    """
    clean = " ".join(label.replace("×", "x").replace("·", " ").replace("⎓", "=").split())
    if not clean:
        raise LabelError("type what the label says, for example 20V 5.0Ah 90Wh")
    if len(clean) > LONGEST:
        raise LabelError(f"a label of more than {LONGEST} characters; type only its figures, like 20V 5.0Ah 90Wh")
    text = _coded(clean)
    if match := _UNKNOWN.search(text):
        raise LabelError(
            f"{match[0]} is a chemistry that is not known here: its volts are to be measured, full and flat"
        )
    board = bool(_BOARD.search(text)) or len(RANGE.findall(text)) > 1
    rest, outlets = _outlets(text, board=board)
    stored = re.search(r"\d\s*m?\s*A\s*h|\d\s*k?\s*Wh", rest, re.IGNORECASE)
    if board:
        return _without_cells("board", outlets, text)
    if not stored and not _ADAPTER.search(text) and not _names_cells(rest) and (match := _OTHER.search(text)):
        raise LabelError(f"a {match[0].lower()} gives nothing by itself: a pack, an adapter or a board is wanted")
    if not stored and (outlets or _ADAPTER.search(text)) and not _names_cells(rest):
        if not outlets:
            raise LabelError("an adapter's volts and amperes are needed, for example OUTPUT 12V 1.5A")
        return _without_cells("adapter", outlets, text)
    try:
        return _with_cells(rest, outlets, text)
    except LabelError as error:  # in the words that were typed, not in ours
        raise LabelError(re.sub(r" in '[^']*'", lambda _: f" in {label.strip()!r}", str(error), count=1)) from None


def _coded(text: str) -> str:
    """Standard codes, counts of counts and counts behind, written as `label` reads them."""
    text = re.sub(r"\b(\d{1,3}) (\d{3})(?=\s*mAh)", r"\1\2", text, flags=re.IGNORECASE)
    text = re.sub(r"(\dV)(\d[\d.]*\s*m?Ah)", r"\1 \2", text, flags=re.IGNORECASE)
    for words, unit in _SPELT:
        text = re.sub(words, unit, text, flags=re.IGNORECASE)
    text = _MAKE.sub(lambda m: f"{m[2]} {'LiFePO4' if m[1].upper() == 'IFR' else 'li-ion'}", text)
    if (many := _PIECES.search(text)) and re.search(rf"\b(?:{_SIZE})\b", text):
        text = f"{text[: many.start()]} {text[many.end() :]} x{many[1] or many[2]}"
    if not re.search(r"\d\s*m?A?\s*Ah\b|\d\s*Wh\b", text, re.IGNORECASE):
        text = _BLOCK.sub(" 6xAAAA ", text, count=1)
    if _ALARM.search(text) and re.search(r"\b12\s*V\b", text):
        text = _ALARM.sub(" 8xA23 ", text, count=1)
    if re.search(r"\b3[.,][67]\s*V\b", text) and (small := re.search(r"\bA?AA\b", text)):
        text = text.replace(small[0], _LITHIUM_SHAPE[small[0]], 1)
    text = re.sub(r"\b(?:\d{1,2}\s*x\s*)?sub[\s-]?c\b", " ", text, flags=re.IGNORECASE)
    text = re.sub(rf"\b(\d{{1,2}})\s*x\s*{NUM}\s*V\b", _in_series, text, flags=re.IGNORECASE)
    for code, (sort, count) in WORDS.codes.items():
        text = re.sub(rf"(?<![\dA-WYZ]){code}\b", f"{count}x{sort}" if count > 1 else sort, text, flags=re.IGNORECASE)
    text = re.sub(r"\b(\d)\s*x\s*(\d{1,2})\s*x(?=\s*[A-Z\d])", lambda m: f"{int(m[1]) * int(m[2])}x", text)
    text = re.sub(rf"\b({_SIZE}|[CD])\s+(\d{{1,2}})\s*x\b", r"\2x\1", text)
    text = re.sub(rf"\b({_SIZE})x(\d{{1,2}})\b", r"\2x\1", text)
    behind = re.search(r"\sx\s*(\d{1,2})\b(?!\s*x)", text)
    if behind and (size := re.search(rf"\b({_SIZE}|(?<![\w-])[CD](?![\w-]))\b", text)):
        text = (text[: behind.start()] + text[behind.end() :]).replace(size[0], f"{behind[1]}x{size[0]}", 1)
        text = re.sub(rf"\b{NUM}\s*V\b", r"each \1V", text)
    return _HOURS.sub(" ", text) if re.search(r"\dAh", text, re.IGNORECASE) else text


def _in_series(match: re.Match[str]) -> str:
    """So many times the volts of one cell, as a pack of them in a row."""
    return f"{int(match[1]) * figure_of(match[2]):g}V {match[1]}S"


def _names_cells(text: str) -> bool:
    return bool(_SIZED.search(text) or re.search(r"\d\s*s\b", text, re.IGNORECASE))


def _outlets(text: str, *, board: bool) -> tuple[str, tuple[Outlet, ...]]:
    """The text without its outlets and inputs, and the outlets in their order."""
    found: list[tuple[int, Outlet]] = []
    taken: list[tuple[int, int]] = []
    if board:
        taken += [match.span() for match in RANGE.finditer(text)]
    elif inward := _INPUT.search(text):
        taken.append(inward.span())

    def free(span: tuple[int, int]) -> bool:
        return all(span[1] <= a or span[0] >= b for a, b in taken)

    for pattern, volts, amps, milli in ((_OUTLET, 1, 2, 3), (_TURNED, 3, 1, 2)):
        for match in pattern.finditer(text):
            if free(match.span()):
                taken.append(match.span())
                most = figure_of(match[amps]) / (1e3 if match[milli] else 1.0)
                found.append((match.start(), Outlet(figure_of(match[volts]), most)))
    fixed = _FIXED.search(text) if board else None
    if fixed and not found:
        told = next((one for one in AMPS.finditer(text) if free(one.span())), None)
        gives = None if told is None else figure_of(told[1]) / (1e3 if told[2] else 1.0)
        found.append((fixed.start(), Outlet(figure_of(fixed[2]), gives)))
    if board and not found and (first := next((one for one in AMPS.finditer(text) if free(one.span())), None)):
        found.append((first.start(), Outlet(None, figure_of(first[1]) / (1e3 if first[2] else 1.0))))
    rest = "".join(" " if any(a <= i < b for a, b in taken) else char for i, char in enumerate(text))
    return rest, tuple(outlet for _, outlet in sorted(found, key=lambda one: one[0]))


def _without_cells(kind: Kind, outlets: tuple[Outlet, ...], text: str) -> Printed:
    doubts = []
    if kind == "adapter":
        idle = "" if _TELLS_ITS_KIND.search(text) else "; one that is not regulated gives more volts while it is idle"
        doubts.append(f"its polarity is to be measured{idle}")
        if re.search(r"\dV?\s*AC\b|\bAC\s*\d|\dV?\s*~|\bAC[\s/-]AC\b", re.sub(_INPUT, " ", text), re.IGNORECASE):
            doubts.append("it gives alternating current: direct-current devices do not take that")
    return Printed(kind, None, None, None, None, None, outlets, (), tuple(doubts), _unread(text), ())


def _with_cells(rest: str, outlets: tuple[Outlet, ...], text: str) -> Printed:
    own = [figure_of(match[1]) for match in re.finditer(rf"{NUM}\s*V\b", rest)]
    named = _BANK.search(text)
    bank = bool(outlets) or (
        named is not None and ("power" in named[0].lower() or max(own, default=0.0) <= MOST_CELL_V)
    )
    told = _USB.sub(" ", re.sub(rf"\beach {NUM}V", " ", rest))
    if bank and not _names_cells(rest):  # a bank's own volts are those of its outlets, unless a cell's are stated
        told = re.sub(rf"\b{NUM}\s*V\b", lambda m: m[0] if 3.0 <= figure_of(m[1]) <= 3.9 else " ", told)
    try:
        read = decode(told)
    except LabelError:
        if not bank:
            raise
        return _station(told, outlets, text)
    kind: Kind = "bank" if bank and read.kind != "cells" else read.kind  # type: ignore[assignment]  # one of its three
    if kind == "bank" and not bank and read.capacity_ah < LEAST_BANK_AH and re.search(rf"{NUM}\s*V\b", told):
        kind = "pack"  # one cell, with its own volts on it
    if kind == "bank" and not bank and _CELL_OF.search(text):
        kind = "pack"
    series = read.cells_in_series
    doubts = list(read.doubts)
    if re.search(r"rechargeable", text, re.IGNORECASE) and not CHEMISTRIES[read.chemistry].rechargeable:
        doubts.append("it calls itself rechargeable and its volts are those of a cell that is not: look at it again")
    if re.search(r"\b(?:14500|10440)\b", text):
        doubts.append("3.7 V in the shape of a 1.5 V cell: it must never go where 1.5 V cells belong")
    if read.kind == "pack" and read.chemistry == "li-ion" and re.search(r"\b(?:25[.,]2|50[.,]4)\s*V\b", text):
        doubts.append(
            "these volts are the mean of so many cells, or what fewer read full: count the cells, measure it full"
        )
    if read.kind == "pack" and read.chemistry == "nimh" and re.search(r"\b9\s*V\b", text):
        doubts.append("blocks sold as 9 V hold six, seven or eight such cells: measure it full")
    if kind == "bank" and read.chemistry == "lifepo4" and any(one.volts == 12.0 for one in outlets):
        series = 4
        doubts.append("four cells in series are taken, as its 12 V outlet suggests")
    parallel = re.search(r"\d\s*s\s*(\d{1,2})\s*p\b", text, re.IGNORECASE)
    wh = _stated_wh(rest, read)
    doubts += _by_mass(text, read.chemistry, wh)
    readings = _readings(read, told)
    if readings and not doubts:
        doubts.append("packs of other cells are sold with these volts too: look for a chemistry on it")
    return Printed(
        kind=kind,
        chemistry=read.chemistry,
        cells_in_series=series,
        cells_in_parallel=int(parallel[1]) if parallel else None,
        capacity_ah=round(read.capacity_ah * read.cells_in_series / series, 6),
        wh=wh,
        outlets=outlets,
        assumed=read.assumed,
        doubts=tuple(doubts),
        not_understood=_unread(text),
        readings=readings,
    )


def _by_mass(text: str, chemistry: str, wh: float) -> list[str]:
    """What its mass says of its watt-hours, where the label tells both."""
    match, most = _MASS.search(text), CHEMISTRIES[chemistry].most_wh_per_kg
    if match is None or most is None:
        return []
    kilograms = figure_of(match[1]) * {"g": 0.001, "kg": 1.0, "oz": 0.02835, "lb": 0.4536}[match[2].lower()]
    if kilograms <= 0 or wh <= most * kilograms:
        return []
    holds = f"{figure(kilograms, 'kg', 2)} of such cells hold {figure(most * kilograms, 'Wh', 2)} at the very most"
    return [f"{figure(wh, 'Wh')} is more than its mass allows: {holds}"]


def _per_cell(read: Decoded) -> float:
    return read.nominal_v / read.cells_in_series


def _stated_wh(text: str, read: Decoded) -> float:
    """Watt-hours as stated, where they are believed; else ampere-hours at the volts stated, or at usual ones."""
    if match := re.search(rf"{NUM}\s*(k?)Wh", text, re.IGNORECASE):
        stated = figure_of(match[1]) * (1000.0 if match[2] else 1.0)
        if read.kind != "bank" or stated <= 1.08 * read.energy_wh:
            return stated
    volts = re.search(rf"{NUM}\s*V\b", text, re.IGNORECASE)
    if volts is None or (read.kind == "bank" and read.capacity_ah >= LEAST_BANK_AH):
        return round(read.energy_wh, 2)
    stated_v = figure_of(volts[1])
    each = read.kind == "cells" and stated_v < 1.5 * _per_cell(read)
    fits = each or abs(stated_v - read.nominal_v) <= 0.06 * read.nominal_v
    return round(read.capacity_ah * (stated_v * (read.cells_in_series if each else 1) if fits else read.nominal_v), 2)


def _station(text: str, outlets: tuple[Outlet, ...], whole: str) -> Printed:
    """A bank whose watt-hours alone are told, and too many for cells side by side: how many in series is not told."""
    match = re.search(rf"{NUM}\s*(k?)Wh", text, re.IGNORECASE)
    if match is None:
        raise LabelError(f"no figure of its cells in {whole!r}: milliampere-hours or watt-hours are needed")
    wh = figure_of(match[1]) * (1000.0 if match[2] else 1.0)
    chemistry = "lifepo4" if re.search(CHEMISTRIES["lifepo4"].label_words, whole, re.IGNORECASE) else "li-ion"
    doubts = ("how many cells are in series is not told; the watt-hours count",)
    return Printed("bank", chemistry, None, None, None, wh, outlets, (), doubts, _unread(whole), ())


def _readings(read: Decoded, text: str) -> tuple[Reading, ...]:
    """Every reading where a round voltage and no chemistry leave several."""
    named = any(cell.label_words and re.search(cell.label_words, text, re.IGNORECASE) for cell in CHEMISTRIES.values())
    volts = re.search(rf"{NUM}\s*V\b", text, re.IGNORECASE)
    if read.kind != "pack" or named or volts is None or re.search(r"\d\s*s\b", text, re.IGNORECASE):
        return ()
    other = {
        6.0: (("lead-acid", 3), ("nimh", 5), ("li-ion", 2)),
        12.0: (("li-ion", 3), ("li-ion", 4), ("lifepo4", 4), ("lead-acid", 6), ("nimh", 10)),
        24.0: (("li-ion", 6), ("lifepo4", 8), ("lead-acid", 12)),
        7.2: (("li-ion", 2), ("nimh", 6)),
        8.4: (("nimh", 7), ("li-ion", 2)),
        14.4: (("li-ion", 4), ("nimh", 12)),
        25.2: (("li-ion", 7), ("li-ion", 6)),
        50.4: (("li-ion", 14), ("li-ion", 12)),
    }.get(figure_of(volts[1]))
    if other is None:
        return ()
    first = Reading(read.chemistry, read.cells_in_series)
    return (first, *(one for one in (Reading(*pair) for pair in other) if one != first))


def _unread(text: str) -> tuple[str, ...]:
    """The words that nothing was made of."""
    known = text
    for cell in CHEMISTRIES.values():
        if cell.label_words:
            known = re.sub(cell.label_words, " ", known, flags=re.IGNORECASE)
    for pattern in (_ADAPTER, _BOARD, _USB, _BANK, _SIZED):
        known = pattern.sub(" ", known)
    known = _FIGURE.sub(" ", re.sub(r"\b\d{1,3}\s*x\s*(?=\w)", " ", known))
    words = re.findall(r"[^\W\d_][\w-]*", known)
    unread = (word for word in words if len(word) > 1 and word.lower() not in WORDS.common and not _names_cells(word))
    return tuple(dict.fromkeys(unread))


def print_tree(read: Printed) -> dict[str, Any]:
    """As the command prints it: plain values, `readings` only where there is more than one."""
    tree: dict[str, Any] = msgspec.to_builtins(read)
    if not tree["readings"]:
        del tree["readings"]
    return tree
