"""The process that searches: a question on its input, what each pack gives on its output as soon as it is known.

It knows nothing of pages or of the database. Whoever asked may end it at any moment; where nobody reads, it ends.
"""

from __future__ import annotations

import os
import pickle
import signal
import sys
from typing import IO

import msgspec

from hermotrope_core.match.groups import Group, groups
from hermotrope_core.match.request import Request
from hermotrope_core.match.search import Limits, Tried, gathered, pack_by_pack
from hermotrope_core.values.liking import Liking, liking

NICE = 5
"""Pages go before searches."""


class Question(msgspec.Struct, frozen=True):
    """What is searched for, and how its sentences are to be written."""

    request: Request
    limits: Limits
    liking: Liking


class Done(msgspec.Struct, frozen=True):
    """The last that is said of a question: the refused in groups, or what went wrong."""

    groups: tuple[Group, ...] = ()
    trouble: Exception | None = None


def answer(question: Question, out: IO[bytes]) -> None:
    """Write a `Tried` for each pack, then `Done`; all with one pickler, so that what they share is sent once."""
    pickler = pickle.Pickler(out, pickle.HIGHEST_PROTOCOL)

    def say(what: Tried | Done) -> None:
        pickler.dump(what)
        out.flush()

    every: list[Tried] = []
    try:
        with liking(question.liking):
            for tried in pack_by_pack(question.request, question.limits):
                every.append(tried)
                say(tried)
            last = Done(groups(gathered(question.request, question.limits, every)))
    except OSError:
        raise
    except Exception as error:
        last = Done(trouble=error)
    say(last)


def main() -> None:
    """Answer one question after the other until the input is closed."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # of the terminal: the server that is stopped by it closes the input
    os.nice(NICE)
    out = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())  # nothing that is printed gets between the answers
    try:
        while True:
            answer(pickle.load(sys.stdin.buffer), out)
    except (EOFError, BrokenPipeError):
        os._exit(0)
