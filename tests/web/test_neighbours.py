"""A bench answers its owner and root; another user of the machine is told that it is closed."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable
from http.client import HTTPConnection
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock, skipUnless
from wsgiref.simple_server import WSGIRequestHandler, make_server
from wsgiref.types import StartResponse, WSGIEnvironment

from django.test import SimpleTestCase

from hermotrope import neighbours
from hermotrope.neighbours import NOBODY, closed_to_neighbours, user_of

STRANGER = 65_534


class Quiet(WSGIRequestHandler):
    def get_environ(self) -> WSGIEnvironment:
        return super().get_environ() | {"REMOTE_PORT": str(self.client_address[1])}

    def log_message(self, *words: object) -> None:
        pass


def hello(_: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
    start_response("200 OK", [("Content-Type", "text/plain")])
    return [b"the bench"]


@skipUnless(neighbours.CONNECTIONS.exists(), "only Linux tells whose a connection is")
class Neighbours(SimpleTestCase):
    def asked_by(self, user: int, owner: int) -> str:
        """What the server of an owner answers to a connection that a user opened."""
        server = make_server("127.0.0.1", 0, closed_to_neighbours(hello, owner), handler_class=Quiet)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        here = os.geteuid()
        os.seteuid(user)
        try:
            one = HTTPConnection("127.0.0.1", server.server_address[1], timeout=20)
            one.connect()
        finally:
            os.seteuid(here)
        self.addCleanup(one.close)
        one.request("GET", "/")
        answer = one.getresponse()
        return f"{answer.status} {answer.read().decode()}"

    def test_whoever_runs_it_comes_in(self) -> None:
        self.assertIn("200 the bench", self.asked_by(os.geteuid(), neighbours.this_user()))

    @skipUnless(os.geteuid() == 0, "only root can be somebody else")
    def test_another_user_does_not_and_root_does(self) -> None:
        self.assertIn("403 This bench belongs to another user", self.asked_by(STRANGER, 1000))
        self.assertIn("200 the bench", self.asked_by(STRANGER, STRANGER))
        self.assertIn("200 the bench", self.asked_by(0, 1000))
        self.assertIn("200 the bench", self.asked_by(STRANGER, 0))  # run by root it serves the machine

    def told(self, rows: str) -> int | None:
        with TemporaryDirectory() as folder:
            table = Path(folder) / "tcp"
            table.write_text("  sl  local_address rem_address   st ...\n" + rows)
            with mock.patch.object(neighbours, "CONNECTIONS", table):
                return user_of("127.0.0.1", 40_000, 8123)

    def test_what_the_table_says(self) -> None:
        listens = "0: 0100007F:1FBB 00000000:0000 0A 00000000:00000000 00:00000000 00000000 1000 0 1\n"
        row = "1: 0100007F:9C40 0100007F:1FBB 01 00000000:00000000 00:00000000 00000000 {} 0 1\n"
        self.assertEqual(self.told(listens + row.format(1001)), 1001)
        self.assertEqual(self.told(listens), NOBODY)  # gone meanwhile
        self.assertEqual(self.told(listens + row.format(0).replace(" 01 ", " 04 ")), NOBODY)  # closed: told as root's
        self.assertIsNone(self.told(row.format(1001)))  # a table that does not know us knows nobody
        self.assertIsNone(self.told(""))

    def test_a_connection_that_is_gone_gets_nothing_done(self) -> None:
        said: list[str] = []
        with mock.patch.object(neighbours, "user_of", return_value=NOBODY):
            environ = {"REMOTE_ADDR": "127.0.0.1", "REMOTE_PORT": "40000", "SERVER_PORT": "8123"}
            list(closed_to_neighbours(hello, 1000)(environ, lambda status, *_: said.append(status)))  # type: ignore[arg-type,func-returns-value,return-value]
        self.assertEqual(said, ["403 Forbidden"])
