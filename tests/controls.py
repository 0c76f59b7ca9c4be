"""What a page offers to press, read from its HTML: links, buttons of forms, and fields that send themselves."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from lxml import etree

Fields = tuple[tuple[str, str], ...]


class Control(NamedTuple):
    """One thing to press: where its request goes, by which method, and what it sends as the page stands."""

    method: str
    url: str
    fields: Fields = ()
    typed: tuple[str, ...] = ()
    """Names of the fields that take free text."""
    files: bool = False

    @property
    def kind(self) -> str:
        """The control without its numbers and what is typed: the same button of another row has the same kind."""
        said = [f"{name}={value}" if name in SAYS else name for name, value in self.fields if name not in HIDDEN]
        return re.sub(r"\d+", "0", f"{self.method} {self.url} {' '.join(said)}")


SAYS = ("do", "what", "as", "kind", "topology", "stage_kind", "place", "key", "find")
HIDDEN = ("version", "csrfmiddlewaretoken")


class _Form:
    def __init__(self, at: dict[str, str]) -> None:
        self.id = at.get("id", "")
        post = at.get("hx-post") or (at.get("action", "") if at.get("method", "").lower() == "post" else "")
        self.method = "post" if post else "get"
        self.url = post or at.get("hx-get") or at.get("action", "")
        self.itself = "change" in at.get("hx-trigger", "") or "input" in at.get("hx-trigger", "")
        self.fields: list[tuple[str, str]] = []
        self.typed: list[str] = []
        self.buttons: list[tuple[dict[str, str], bool]] = []
        self.files = False


class _Reader:
    """What lxml tells of a page, tag by tag."""

    def __init__(self) -> None:
        self.forms: list[_Form] = []
        self.open: _Form | None = None
        self.loose: list[tuple[str, str, dict[str, str]]] = []
        self.links: list[str] = []
        self.select: dict[str, str] | None = None
        self.options: list[tuple[str, bool]] = []
        self.area: dict[str, str] | None = None
        self.text = ""

    def start(self, tag: str, attributes: dict[str, str]) -> None:
        at = dict(attributes)
        if tag == "form":
            self.open = _Form(at)
            self.forms.append(self.open)
        elif "disabled" in at:
            return
        elif tag == "select":
            self.select, self.options = at, []
        elif tag == "option":
            self.options.append((at.get("value", ""), "selected" in at))
        elif tag == "textarea":
            self.area, self.text = at, ""
        elif tag == "input":
            self._input(at)
        elif tag == "button" and at.get("type", "submit") == "submit":
            self._field("button", at.get("value", ""), at)
        if tag != "form":
            self.links += [at[name] for name in ("href", "hx-get") if name in at and tag not in ("link", "use")]
            if "hx-post" in at:
                self.forms.append(_Form({"hx-post": at["hx-post"]}))
                self.forms[-1].itself = True

    def _input(self, at: dict[str, str]) -> None:
        kind = at.get("type", "text")
        if kind in ("checkbox", "radio"):
            if "checked" in at:
                self._field(kind, at.get("value", "on"), at)
        else:
            self._field("button" if kind == "submit" else kind, at.get("value", ""), at)

    def _field(self, kind: str, value: str, at: dict[str, str]) -> None:
        self.loose.append((kind, value, at | {"form": at.get("form") or f"#{len(self.forms) - 1}"}))
        if not at.get("form") and self.open is None:
            self.loose.pop()

    def end(self, tag: str) -> None:
        if tag == "form":
            self.open = None
        elif tag == "select" and self.select is not None:
            chosen = [value for value, selected in self.options if selected] or [v for v, _ in self.options[:1]]
            if "multiple" not in self.select and chosen:
                self._field("select", chosen[-1], self.select)
            self.select = None
        elif tag == "textarea" and self.area is not None:
            self._field("text", self.text, self.area)
            self.area = None

    def data(self, data: str) -> None:
        if self.area is not None:
            self.text += data

    def close(self) -> None:
        named = {form.id: form for form in self.forms if form.id}
        for kind, value, at in self.loose:
            form = self.forms[int(at["form"][1:])] if at["form"].startswith("#") else named.get(at["form"])
            if form is None:
                continue
            if kind == "button":
                form.buttons.append((at, bool(at.get("name"))))
            elif kind == "file":
                form.files = True
            elif at.get("name"):
                form.fields.append((at["name"], value))
                form.typed += [at["name"]] if kind in ("text", "search", "number") else []


def controls(html: str, here: str) -> Iterator[Control]:
    """Every control of a page or fragment that was read at the path `here`."""
    reader = _Reader()
    etree.HTML(html or " ", etree.HTMLParser(target=reader))
    for url in dict.fromkeys(reader.links):
        if not url.startswith(("#", "data:", "mailto:")):
            yield Control("get", _at(url, here))
    for form in reader.forms:
        sends: list[Fields] = [((at["name"], at.get("value", "")),) if named else () for at, named in form.buttons]
        goes = [at.get("formaction") or at.get("hx-post") or form.url for at, _ in form.buttons]
        if form.itself or not sends:
            sends, goes = [*sends, ()], [*goes, form.url]
        for send, url in zip(sends, goes, strict=True):
            yield Control(form.method, _at(url, here), (*form.fields, *send), tuple(form.typed), form.files)


def _at(url: str, here: str) -> str:
    return here.split("?", maxsplit=1)[0] + url if url.startswith("?") or not url else url
