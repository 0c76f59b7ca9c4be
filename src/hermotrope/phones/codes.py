"""One-time codes: shown at the laptop, typed or scanned at a phone, dead after two minutes, one use or a few guesses.

They live in this process alone, so none outlasts the server; their life is counted by a clock that nobody sets.
"""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

LIFE_S = 120.0
"""How long a code may be used."""
GUESSES = 5
"""So many wrong ones, from whomever, and the code that waits is dead."""
SIGNS = "23456789ABCDEFGHJKMNPQRSTVWXYZ"
"""None that looks like another: no 0 and O, no 1, I and L, no U and V together."""
LENGTH = 8


class CodeError(ValueError):
    """A code that opens nothing, with the reason."""


@dataclass(frozen=True)
class Code:
    """A code that waits."""

    text: str
    right: str
    """What the phone that uses it may do."""
    until: float
    """By the clock of `Codes`, in seconds."""

    @property
    def shown(self) -> str:
        """As it is read aloud: ABCD-EFGH."""
        return f"{self.text[: LENGTH // 2]}-{self.text[LENGTH // 2 :]}"


def read(text: str) -> str:
    """A typed code without its dashes and blanks, in capitals."""
    return "".join(sign for sign in text.upper()[:40] if sign.isalnum())


class Codes:
    """The one code that waits; a new one ends the one before."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._lock = threading.Lock()
        self._code: Code | None = None
        self._guesses = 0

    def new(self, right: str) -> Code:
        """A fresh code for a phone with this right."""
        code = Code("".join(secrets.choice(SIGNS) for _ in range(LENGTH)), right, self._clock() + LIFE_S)
        with self._lock:
            self._code, self._guesses = code, 0
        return code

    def waiting(self) -> tuple[Code, int] | None:
        """The code that waits and for how many seconds yet."""
        with self._lock:
            code = self._living()
            return (code, round(code.until - self._clock())) if code else None

    def use(self, text: str) -> str:
        """The right that a code gives, once. Raises `CodeError`."""
        with self._lock:
            code = self._living()
            if code is None:
                raise CodeError("no code is waiting: it was used, guessed at or is over; ask for another at the laptop")
            if not secrets.compare_digest(read(text).encode(), code.text.encode()):
                self._guesses += 1
                if self._guesses >= GUESSES:
                    self._code = None
                raise CodeError("that is not the code at the laptop")
            self._code = None
            return code.right

    def _living(self) -> Code | None:
        if self._code is not None and self._clock() >= self._code.until:
            self._code = None
        return self._code


CODES = Codes()
"""The code of this server."""
