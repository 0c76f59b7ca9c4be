"""What the server's process does with its memory."""

from __future__ import annotations

import ctypes
import sys

LARGE = 1 << 20
"""Pieces of so many bytes go back to the system once they are free."""
SLACK = 16 << 20
"""So many free bytes stay for the small pieces, which come and go all the time."""
_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3


def give_back() -> None:
    """Keep no large pieces that are free. To be called before any were taken.

    Left alone, glibc (`mallopt`) raises its own threshold to the largest piece ever freed, up to 32 MB, and of a log
    of 99 MB sixty stay with the process for good.
    """
    if sys.platform == "linux" and (mallopt := getattr(ctypes.CDLL(None), "mallopt", None)):  # musl has none
        mallopt(_M_MMAP_THRESHOLD, LARGE)
        mallopt(_M_TRIM_THRESHOLD, SLACK)
