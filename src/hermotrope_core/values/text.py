"""Text as people see it."""

from __future__ import annotations

import re

_UNSEEN = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\xad\u061c\u180e\u200b\u200e\u200f\u2028-\u202e\u2060-\u206f\ufeff"
    "\ufff9-\ufffb\ufffe\uffff\U000e0001\U000e0020-\U000e007f]"
)
"""Controls but tabs and ends of lines, marks of direction, joints of no width but those that letters and pictures need
(categories Cc, Cf, Zl and Zp of the Unicode Standard), and what no XML may hold (XML 1.0, 2.2)."""


def seen(text: str) -> str:
    """A text without the signs that nobody sees.

    A mark of direction turns the figures that stand after it (12 V reads V 21), a control is an order to a terminal.
    """
    return text if text.isprintable() else _UNSEEN.sub("", text)
