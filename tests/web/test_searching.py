"""Searches in processes of their own: whole, stopped, ended by the machine, too many, left."""

from __future__ import annotations

import os
import signal
import time
from unittest import TestCase, mock

import msgspec

from hermotrope.bench import searching
from hermotrope.bench.searcher import Question
from hermotrope.bench.searching import Job
from hermotrope.bench.ways import spares_of
from hermotrope_core.match.groups import groups
from hermotrope_core.match.readout import option_tree
from hermotrope_core.match.request import Request
from hermotrope_core.match.search import Limits, search
from hermotrope_core.match.shelf import Pack, Shelf
from hermotrope_core.values.liking import METRIC, Liking, liking
from tests.shelves import request

LARGE, SMALL = request(200, 60), request(8, 6, 3)
PATIENCE_S = 60.0


def asked(what: Request = SMALL, wish: Liking = METRIC) -> Question:
    return Question(what, Limits(), wish)


class Searching(TestCase):
    def setUp(self) -> None:
        self.addCleanup(searching._jobs.clear)

    def begun(self, job: Job) -> None:
        """Wait until a search is under way."""
        until = time.monotonic() + PATIENCE_S
        while not job.done and time.monotonic() < until:
            time.sleep(0.01)
        self.assertGreater(job.done, 0)

    def test_it_finds_what_the_search_finds(self) -> None:
        job = Job(asked())
        found, here = job.wait(PATIENCE_S), search(SMALL)
        assert found is not None
        self.assertTrue(found.complete)
        self.assertEqual(found.tried, here.tried)
        self.assertEqual([option_tree(one) for one in found.fitting], [option_tree(one) for one in here.fitting])
        self.assertEqual((found.refused, found.spares), (here.refused, here.spares))
        self.assertEqual(job.groups, groups(here))

    def test_its_sentences_are_as_somebody_likes_them(self) -> None:
        wish = Liking(decimal="comma", wire="AWG")
        job = Job(asked(wish=wish))
        found = job.wait(PATIENCE_S)
        assert found is not None
        with liking(wish):
            here = search(SMALL)
        self.assertEqual([one.findings for one in found.fitting], [one.findings for one in here.fitting])
        self.assertNotEqual([one.findings for one in found.fitting], [one.findings for one in search(SMALL).fitting])

    def test_one_that_is_stopped_shows_what_it_has(self) -> None:
        job = Job(asked(LARGE))
        self.begun(job)
        job.stop()
        found = job.wait(PATIENCE_S)
        assert found is not None
        self.assertFalse(found.complete)
        self.assertEqual((found.packs, found.of_packs), (job.done, 200))
        self.assertEqual(sum(group.count for group in job.groups), len(found.refused) + len(found.dropped))

    def test_one_that_the_machine_ends_shows_what_it_has_and_the_next_is_whole(self) -> None:
        job = Job(asked(LARGE))
        self.begun(job)
        assert job._process is not None
        os.kill(job._process.pid, signal.SIGKILL)
        found = job.wait(PATIENCE_S)
        assert found is not None
        self.assertFalse(found.complete)
        whole = Job(asked()).wait(PATIENCE_S)
        assert whole is not None
        self.assertTrue(whole.complete)

    def test_a_process_that_died_while_it_waited_is_not_asked(self) -> None:
        searching.ready()
        (waiting,) = searching._idle
        waiting.kill()
        waiting.wait()
        found = Job(asked()).wait(PATIENCE_S)
        assert found is not None
        self.assertTrue(found.complete)

    def test_stopping_one_that_has_ended_does_not_end_the_next(self) -> None:
        first = Job(asked())
        first.wait(PATIENCE_S)
        second = Job(asked(LARGE))
        first.stop()
        found = second.wait(PATIENCE_S)
        assert found is not None
        self.assertTrue(found.complete)

    def test_what_goes_wrong_in_it_is_told_to_whoever_asked(self) -> None:
        unknown = msgspec.structs.replace(SMALL.case.device.modes[0], power_w=None)
        device = msgspec.structs.replace(SMALL.case.device, modes=(unknown,))
        job = Job(asked(Request(msgspec.structs.replace(SMALL.case, device=device), SMALL.shelf)))
        with self.assertRaises(ValueError):
            job.wait(PATIENCE_S)

    def test_it_ends_with_the_server(self) -> None:
        process = searching._started()
        assert process.stdin is not None and process.stdout is not None
        process.stdin.close()
        self.assertEqual(process.wait(PATIENCE_S), 0)
        process.stdout.close()

    def test_a_search_that_was_left_makes_room_and_is_whole_when_asked_again(self) -> None:
        with mock.patch.object(searching, "LEFT_S", 0.0):
            left = searching.job("left", lambda: asked(LARGE))
            searching.job("kept", lambda: asked(LARGE))
            time.sleep(0.01)
            third = searching.job("third", lambda: asked(SMALL))
        self.assertIsNone(searching.known_job("left"))
        found = third.wait(PATIENCE_S)
        assert found is not None
        self.assertTrue(found.complete)
        ended = left.wait(PATIENCE_S)
        assert ended is not None
        self.assertFalse(ended.complete)

    def test_only_so_many_are_kept_and_so_many_ways(self) -> None:
        for n in range(searching.KEPT_JOBS + 3):
            searching.job(str(n), asked).wait(PATIENCE_S)
        self.assertEqual(len(searching._jobs), searching.KEPT_JOBS)
        with mock.patch.object(searching, "KEPT_WAYS", 0):
            searching.job("newest", asked).wait(PATIENCE_S)
        self.assertEqual(list(searching._jobs), ["newest"])

    def test_boards_that_are_no_better_are_told_with_their_own_pack(self) -> None:
        packs = tuple(
            Pack(msgspec.structs.replace(pack.source, name="the same name"), key=f"pack-{n}")
            for n, pack in enumerate(LARGE.shelf.packs[:12])
        )
        found = search(msgspec.structs.replace(LARGE, shelf=Shelf(packs, LARGE.shelf.parts)))
        told = spares_of(found)
        self.assertEqual(sum(map(len, told.values())), len(found.spares))
        self.assertGreater(len({key for key, _, _ in told}), 2)
        for key in {key for key, _, _ in told}:
            mine = [spare for spare in found.spares if spare.facts.pack.key == key]
            self.assertEqual(sum(len(names) for (of, _, _), names in told.items() if of == key), len(mine))
