"""How wide a text will stand in a drawing, near enough to place it; a browser test measures what comes of it."""

from __future__ import annotations

from collections.abc import Iterator

NARROW, SLIM, ROUND, WIDE = 0.3, 0.42, 0.58, 0.92
"""Shares of the font's size, of the text face that ships (its bold is a twentieth wider, and that is counted in)."""
KINDS = {NARROW: "iljI.,:;'’|!()[] ·", SLIM: 'frtJ-/–“”"*1', WIDE: "mwMW@%&—…Ω"}
SHARES = {letter: share for share, letters in KINDS.items() for letter in letters}
CAPITAL = 0.7


def width(text: str, size: float) -> float:
    """Units that a text of a font size takes along a line."""
    return size * sum(SHARES.get(one, CAPITAL if one.isupper() else ROUND) for one in text)


def shorten(text: str, room: float, size: float) -> str:
    """The text as far as there is room for it, with … for what is left out.

    >>> shorten("pack", 100, 12), shorten("20,000 mAh bank with an own port", 80, 12)
    ('pack', '20,000 mAh…')
    """
    if width(text, size) <= room:
        return text
    while text and width(text + "…", size) > room:
        text = text[:-1]
    return text.rstrip(" ,") + "…"


def lines(text: str, room: float, size: float, most: int = 2) -> Iterator[str]:
    """The text broken at its blanks into lines that fit, the last one shortened."""
    words, line = text.split(), ""
    for i, word in enumerate(words):
        longer = f"{line} {word}".strip()
        if line and width(longer, size) > room:
            if most == 1:
                yield shorten(" ".join([line, *words[i:]]), room, size)
                return
            yield shorten(line, room, size)
            line, most = word, most - 1
        else:
            line = longer
    if line:
        yield shorten(line, room, size)
