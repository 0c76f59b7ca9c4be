"""Searches that go on beside the pages, each in a process of its own: begun, asked about, stopped, kept.

In the server's process a search would hold up every page: whatever reads rows waits for its turn at each of them.
"""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
import threading
import time
from collections import OrderedDict
from collections.abc import Callable

from hermotrope.bench.searcher import Done, Question
from hermotrope_core.match.groups import Group, groups
from hermotrope_core.match.search import Matched, Tried, gathered
from hermotrope_core.values.liking import liking

KEPT_JOBS = 8
KEPT_WAYS = 400_000
"""So many ways all kept searches may hold together, about 60 MB; the newest is kept in any case."""
AT_ONCE = 2
LEFT_S = 3.0
"""A search that nobody asked about for so long makes room for another."""

_idle: list[subprocess.Popen[bytes]] = []
_places = threading.BoundedSemaphore(AT_ONCE)
_jobs: OrderedDict[str, Job] = OrderedDict()
_lock = threading.Lock()
os.register_at_fork(after_in_child=_idle.clear)  # the pipes are the parent's


class Job:
    """One search; it goes on when its page is left."""

    def __init__(self, question: Question) -> None:
        self.question = question
        self.total = len(question.request.shelf.packs)
        self.result: Matched | None = None
        self.asked_at = time.monotonic()
        self._groups: tuple[Group, ...] | None = None
        self._tried: list[Tried] = []
        self._trouble: Exception | None = None
        self._stopping = False
        self._process: subprocess.Popen[bytes] | None = None
        self._mine = threading.Lock()
        """Held while it is decided whose the process is: nobody may end one that answers somebody else by now."""
        self._ended = threading.Event()
        threading.Thread(target=self._work, daemon=True).start()

    @property
    def done(self) -> int:
        """So many packs are tried."""
        return len(self._tried)

    @property
    def ended(self) -> bool:
        return self._ended.is_set()

    @property
    def groups(self) -> tuple[Group, ...]:
        """The refused ways of the result, in groups."""
        assert self.result is not None
        if self._groups is None:  # it was stopped before it came to them
            with liking(self.question.liking):
                self._groups = groups(self.result)
        return self._groups

    def stop(self) -> None:
        """End it with what was found so far."""
        with self._mine:
            self._stopping = True
            if self._process is not None:
                self._process.kill()

    def wait(self, seconds: float) -> Matched | None:
        """The result, if there is one within so many seconds. Raises what went wrong in the search."""
        self.asked_at = time.monotonic()
        self._ended.wait(seconds)
        if self._trouble is not None:
            raise self._trouble
        return self.result

    def _work(self) -> None:
        try:
            with _places:
                self._ask()
            self.result = gathered(self.question.request, self.question.limits, self._tried)
        except Exception as error:
            self._trouble = error
        finally:
            self._ended.set()

    def _ask(self) -> None:
        with self._mine:
            if self._stopping:  # while it waited for its turn
                return
            process = self._process = _taken()
        assert process.stdin is not None and process.stdout is not None
        try:
            pickle.dump(self.question, process.stdin)
            process.stdin.flush()
            answers = pickle.Unpickler(process.stdout)
            while isinstance(said := answers.load(), Tried):
                self._tried.append(said)
        except (EOFError, OSError, pickle.UnpicklingError):  # stopped by us, or by the machine: what came is whole
            _end(process)
            return
        assert isinstance(said, Done)
        self._groups, self._trouble = said.groups, said.trouble
        with self._mine:
            self._process = None
        if _idle or process.poll() is not None:
            _end(process)
        else:
            _idle.append(process)


def _end(process: subprocess.Popen[bytes]) -> None:
    with process:  # closes its pipes and waits for it
        process.kill()


def _taken() -> subprocess.Popen[bytes]:
    """The process that waits, or a new one."""
    try:
        waiting = _idle.pop()
    except IndexError:
        return _started()
    if waiting.poll() is None:
        return waiting
    _end(waiting)
    return _started()


def _started() -> subprocess.Popen[bytes]:
    path = os.pathsep.join(one for one in sys.path if one)
    return subprocess.Popen(
        [sys.executable, "-P", "-c", "from hermotrope.bench.searcher import main; main()"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env=os.environ | {"PYTHONPATH": path},
    )


def ready() -> None:
    """Start a process in advance, so that the first search need not wait for it."""
    if not _idle:
        _idle.append(_started())


def job(key: str, question: Callable[[], Question]) -> Job:
    """The search of this key, begun if it is not known yet."""
    found = known_job(key)
    if found is not None:
        return found
    asked = question()
    with _lock:
        if key not in _jobs:
            _make_room()
            _jobs[key] = Job(asked)
        return _jobs[key]


def known_job(key: str) -> Job | None:
    """A search that was begun and is still kept."""
    with _lock:
        if key in _jobs:
            _jobs.move_to_end(key)
        return _jobs.get(key)


def _make_room() -> None:
    """Before another search: end one that was left where all places are taken, and let go of the oldest."""
    running = [(key, one) for key, one in _jobs.items() if not one.ended]
    left = [(key, one) for key, one in running if time.monotonic() - one.asked_at > LEFT_S]
    if len(running) >= AT_ONCE and left:
        key, one = min(left, key=lambda pair: pair[1].asked_at)
        one.stop()
        del _jobs[key]  # whoever asks again gets a whole answer
    while len(_jobs) >= KEPT_JOBS or (_jobs and _held() > KEPT_WAYS):
        _, old = _jobs.popitem(last=False)
        old.stop()


def _held() -> int:
    return sum(tried.count for one in _jobs.values() for tried in one._tried)
