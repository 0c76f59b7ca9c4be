"""Another user of this machine reaches 127.0.0.1 as well as its owner does: the kernel tells whose connection it is."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from socket import AF_INET, inet_pton
from sys import byteorder
from wsgiref.types import StartResponse, WSGIApplication, WSGIEnvironment

from hermotrope_core.values.whole import whole_number

CONNECTIONS = Path("/proc/net/tcp")
"""The kernel's table: number, local and remote address in hexadecimal digits, state, ..., user (proc_pid_net(5))."""
LOCAL, STATE, USER = 1, 3, 7
ESTABLISHED, LISTENS = "01", "0A"
TRIES = 3
"""The table is read in pieces while it changes: one that is there may be missed once."""
ROOT = 0
NOBODY = -1
"""The user of a connection that is gone: whoever it was reads no answer."""
TOLD = (
    b"This bench belongs to another user of this machine, so it stays closed to you.\n"
    b"Start your own: ./hermotrope run finds a free port by itself.\n"
)


def user_of(address: str, port: int, server_port: int) -> int | None:
    """The number of the user who holds the far end of a loopback connection to our port; `NOBODY` where it is gone.

    None where the kernel tells nothing: another system than Linux, or a table without our own listening port.
    """
    number = int.from_bytes(inet_pton(AF_INET, address), byteorder)
    wanted, ours = f"{number:08X}:{port:04X}", f":{server_port:04X}"
    for _ in range(TRIES):
        try:
            rows = [row for row in map(str.split, CONNECTIONS.read_text().splitlines()[1:]) if len(row) > USER]
        except OSError:
            return None
        if not any(row[STATE] == LISTENS and row[LOCAL].endswith(ours) for row in rows):
            return None
        users = [row[USER] for row in rows if row[LOCAL] == wanted and row[STATE] == ESTABLISHED]
        if users:
            return whole_number(users[0], 2**32)
    return NOBODY


def closed_to_neighbours(application: WSGIApplication, owner: int) -> WSGIApplication:
    """The application for one user, and root; run by root it serves the machine and everybody on it."""

    def asked(environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        ends = [whole_number(str(environ.get(name, "")), 65_535) for name in ("REMOTE_PORT", "SERVER_PORT")]
        user = None if None in ends else user_of(environ["REMOTE_ADDR"], *ends)  # type: ignore[arg-type]  # both are there
        if user in (None, owner, ROOT):
            return application(environ, start_response)
        start_response("403 Forbidden", [("Content-Type", "text/plain; charset=utf-8"), ("Cache-Control", "no-store")])
        return [TOLD]

    return application if owner == ROOT else asked


def this_user() -> int:
    """The number of the user whose bench this is; root's where the system has no such numbers."""
    return os.geteuid() if hasattr(os, "geteuid") else ROOT
