"""The forms for what somebody knows of a device: one table of what is asked for each kind of evidence."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from hermotrope.entry.typed import EditError, without_place
from hermotrope_core.know.evidence import line_of
from hermotrope_core.know.sold import SIZES
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.evidence import Evidence, Learned, RanBefore
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.quantity import QuantityError, parse, parse_field, show

WENT = (("worked", "it worked"), ("too-few", "it stopped, or did not start"), ("too-many", "it was too much for it"))


class Ask(msgspec.Struct, frozen=True):
    """One thing a form asks for: a quantity of the document, a count, words, or one of some choices."""

    name: str
    term: str
    kind: str = "quantity"
    example: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    start: str = ""

    @property
    def options(self) -> tuple[tuple[str, str], ...]:
        """What can be chosen; the chemistries are those that are known now."""
        if self.name == "chemistry":
            return tuple((key, one.label) for key, one in CHEMISTRIES.items() if not one.endless)
        return self.choices


class Form(msgspec.Struct, frozen=True):
    """How one kind of evidence is asked for; `press` is what its chip says."""

    key: str
    press: str
    asks: tuple[Ask, ...]
    help: str = ""


_CHEMISTRY = Ask("chemistry", "of", "choice", start="alkaline")
_COUNT = Ask("cells_in_series", "cells in series", "count", "4")
_MODE = Ask("mode", "while it does", "text", "lit, slewing, listening", start="on")

FORMS: tuple[Form, ...] = (
    Form("cells", "It ran on cells", (_COUNT, _CHEMISTRY), "Fresh to flat, they are volts that it has survived."),
    Form(
        "adapter",
        "It ran on an adapter",
        (
            Ask("nominal_v", "volts on its label", example="12 V"),
            Ask("current_a", "amperes on its label", example="1 A"),
            Ask(
                "regulated",
                "kind",
                "choice",
                choices=(("yes", "DC, regulated, or not known"), ("no", "DC, unregulated"), ("ac", "AC")),
                start="yes",
            ),
            Ask("unloaded_v", "unloaded it reads", example="12.2 V"),
        ),
        "Its amperes are the most that the device takes, not what it draws.",
    ),
    Form(
        "car",
        "It ran in a car",
        (
            Ask(
                "engine_running",
                "",
                "choice",
                choices=(("no", "engine off"), ("yes", "also with the engine running")),
                start="no",
            ),
        ),
        "On charge a car's socket stands about 2 V higher than at rest.",
    ),
    Form(
        "printed",
        "Its label or data sheet",
        (
            Ask("by", "", "choice", choices=(("label", "its label"), ("datasheet", "its data sheet")), start="label"),
            Ask("min_v", "least", example="9 V"),
            Ask("nominal_v", "rated", example="12 V"),
            Ask("max_v", "most", example="15 V"),
            Ask("absolute_max_v", "never above", example="16 V"),
            Ask("power_w", "watts", example="6 W"),
            Ask("current_a", "or amperes", example="0.5 A"),
        ),
    ),
    Form(
        "reading",
        "A meter reading",
        (
            Ask("current_a", "amperes at its inlet", example="310 mA"),
            Ask("power_w", "or watts", example="3.7 W"),
            Ask("at_v", "at", example="12.1 V"),
            _MODE,
        ),
        "Read at the device's inlet. Behind an adapter, or at a mains plug: under all its fields.",
    ),
    Form(
        "life",
        "How long a set lasted",
        (
            Ask("lasted_s", "hours of use", example="21 * 2 h"),
            Ask("cells_in_series", "from cells in series", "count", "4"),
            Ask("cell_size", "size", "choice", choices=(("", "other"), *((one, one) for one in SIZES)), start="AA"),
            _CHEMISTRY,
            Ask("cells_in_parallel", "such strings side by side", "count", "1", start="1"),
            Ask("capacity_ah", "each cell holds, if known", example="2500 mAh"),
            _MODE,
        ),
        "A full set, until the device stopped. The draw that this takes is worked out, with the doubt of the cells.",
    ),
    Form(
        "tried",
        "It worked, or failed, at so many volts",
        (Ask("at_v", "at", example="9.6 V"), Ask("went", "", "choice", choices=WENT, start="worked")),
    ),
)
BEFORE = Form(
    "conversion",
    "It ran in another conversion",
    (Ask("lasted_s", "it ran", example="9 h"), _MODE),
    "On that pack and through that path, until it stopped. Another device of the bench brings it along.",
)
"""Not offered: it comes with a device that is converted once more, with the pack and the path of that time."""
BY_KEY = {form.key: form for form in (*FORMS, BEFORE)}
KEPT = (
    Ask("on", "learned on, if it matters", "text", "2026-05-17"),
    Ask("note", "note", "text", "from the maker's forum, second-hand meter, …"),
)
"""What is asked of every piece, whatever its kind."""
AC = (
    "an AC adapter says nothing about direct current: measure the volts behind the device's rectifier, "
    "or leave the adapter in place"
)


def learned(key: str, post: Mapping[str, str], was: Evidence | None = None) -> Evidence:
    """The piece of evidence that a form holds; what it does not ask for stays as it `was`.

    Raises `EditError` with what is wrong, by the words of the form.
    """
    form = BY_KEY.get(key)
    if form is None or (form is BEFORE and not isinstance(was, RanBefore)):
        raise EditError("nothing of this kind is asked")
    tree: dict[str, Any] = {"from": key}
    if form is BEFORE:
        asked = {ask.name for ask in (*form.asks, *KEPT)}
        tree = {name: value for name, value in msgspec.to_builtins(was).items() if name not in asked}
    for ask in (*form.asks, *KEPT):
        text = post.get(ask.name, "").strip()
        if text:
            tree[ask.name] = _read(ask, text)
    try:
        return msgspec.convert(tree, Evidence)  # type: ignore[no-any-return]  # a union
    except msgspec.ValidationError as error:
        raise EditError(_explained(error, form)) from None


def _read(ask: Ask, text: str) -> Any:
    if ask.name == "regulated" and text == "ac":
        raise EditError(AC)
    if ask.kind == "choice" and text in ("yes", "no"):
        return text == "yes"
    if ask.kind in ("choice", "text"):
        return text
    try:
        if ask.kind == "count":
            value = parse(text, "")
            if value != int(value):
                raise QuantityError(f"{text} is no count; for example {ask.example}")
            return int(value)
        return parse_field(text, FIELDS[ask.name])
    except QuantityError as error:
        raise EditError(f"{ask.term or ask.name}: {error}") from None


def _explained(error: Exception, form: Form) -> str:
    """A refusal of the document in the words of the form that was filled in."""
    why = without_place(error)
    for ask in form.asks:
        term = ask.term or ask.name
        if f"required field `{ask.name}`" in why:
            return f"{term}: still to be told, for example {ask.example or ask.start}"
        why = why.replace(f"{ask.name} ", f"{term} ").replace(f"{ask.name}:", f"{term}:")
    return why


def written(piece: Evidence) -> dict[str, str]:
    """What a form holds that asks for this piece again."""
    tree = msgspec.to_builtins(piece)
    form = BY_KEY[tree["from"]]
    texts = {}
    for ask in (*form.asks, *KEPT):
        value = getattr(piece, ask.name)
        if value is None:
            continue
        if isinstance(value, bool):
            texts[ask.name] = "yes" if value else "no"
        elif ask.kind == "quantity":
            texts[ask.name] = show(float(value), FIELDS[ask.name].unit)
        else:
            texts[ask.name] = str(value)
    return texts


class Filled(msgspec.Struct, frozen=True):
    """A form as it is shown: its asks with what they hold."""

    form: Form
    cells: tuple[tuple[Ask, str], ...]
    at: int
    """Which piece it changes; -1 for a new one."""
    words: str = ""
    doubted: bool = False
    problem: str = ""
    error: str = ""

    @property
    def suffix(self) -> str:
        """What tells its fields from those of the other forms of its kind."""
        return "" if self.at < 0 else f"-{self.at}"


def blank(typed: Mapping[str, str]) -> tuple[Filled, ...]:
    """The forms for new evidence; one that was refused holds what was typed."""
    made = []
    for form in FORMS:
        refused = typed.get("form") == "evidence" and typed.get("kind") == form.key and typed.get("at", "") == ""
        texts = typed if refused else {ask.name: ask.start for ask in form.asks}
        made.append(
            Filled(
                form,
                tuple((ask, texts.get(ask.name, "")) for ask in (*form.asks, *KEPT)),
                -1,
                error=typed.get("error", "") if refused else "",
            )
        )
    return tuple(made)


def kept(pieces: tuple[Evidence, ...], problems: tuple[str, ...], typed: Mapping[str, str]) -> tuple[Filled, ...]:
    """A form per piece of evidence that is there."""
    made = []
    for i, piece in enumerate(pieces):
        form = BY_KEY[str(piece.__struct_config__.tag)]
        refused = typed.get("form") == "evidence" and typed.get("at") == str(i) and typed.get("do") == "change"
        texts = typed if refused else written(piece)
        made.append(
            Filled(
                form,
                tuple((ask, texts.get(ask.name, "")) for ask in (*form.asks, *KEPT)),
                i,
                line_of(piece).words,
                piece.doubted,
                problems[i],
                typed.get("error", "") if refused else "",
            )
        )
    return tuple(made)


def doubted(piece: Learned) -> Learned:
    """The same piece, doubted where it was trusted and the other way."""
    return msgspec.structs.replace(piece, doubted=not piece.doubted)
