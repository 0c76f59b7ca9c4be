"""Serve a bench, write to it from four sides at once, kill the server in the middle, look at what is left; repeated.

Run as a process of its own, ``python -m tests.web.killing FOLDER ROUNDS``: it forks, which a test's process may not.
Every writer sends one figure after another, each one larger; what was answered must be there after the kill, the one
that was under way may be. It prints what is wrong, and how much was written.
"""

from __future__ import annotations

import os
import random
import re
import signal
import socket
import sqlite3
import sys
import threading
import time
from contextlib import closing
from dataclasses import dataclass, field
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import NoReturn
from urllib.parse import urlencode

from hermotrope.__main__ import listen, prepare
from hermotrope.backups import DATABASE

FIRST_PORT = 18200
LIVES_S = (0.2, 0.8)
"""How long a server may work before it is killed, seconds: since all write to it, in every fourth round since birth."""
PATIENCE_S = 10.0
TORN = (
    "SELECT 'conversion ' || c.id FROM bench_conversion c WHERE NOT EXISTS (SELECT 1 FROM bench_revision r"
    ' WHERE r.conversion_id = c.id AND r.number = c.revision AND r."case" = c."case")',
    "SELECT 'outing ' || o.id FROM outing_outing o WHERE NOT EXISTS (SELECT 1 FROM outing_revision r"
    " WHERE r.outing_id = o.id AND r.number = o.revision AND r.document = o.document)",
    "SELECT 'revision ahead of ' || c.id FROM bench_conversion c JOIN bench_revision r ON r.conversion_id = c.id"
    " WHERE r.number > c.revision",
    "SELECT 'shelf ' || i.id FROM shelf_item i WHERE i.price > 1000 AND i.id = {item} AND NOT EXISTS"
    " (SELECT 1 FROM shelf_change c WHERE c.after LIKE '%\"price\": ' || i.price || '%')",
)
"""What a write changes in two places at once is found in both, or in neither."""


@dataclass
class Writer:
    """One side that writes: where, what, and where it is found afterwards."""

    page: str
    to: str
    words: dict[str, str]
    figure: str
    form: str
    kept: str
    sent: int = 1000
    answered: int = 0
    count: int = 0
    trouble: str = ""
    at_it: threading.Event = field(default_factory=threading.Event)
    """Set once it has its page, or never will."""

    def write(self, port: int) -> None:
        """Send figures until the server is gone."""
        there = HTTPConnection("127.0.0.1", port, timeout=20)
        try:
            there.request("GET", self.page)
            answer = there.getresponse()
            text, cookie = answer.read().decode(), str(answer.getheader("Set-Cookie")).split(";")[0]
            token = _hidden(text, "csrfmiddlewaretoken")
            headers = {"Cookie": cookie, "X-CSRFToken": token, "HX-Request": "true"}
            headers["Content-Type"] = "application/x-www-form-urlencoded"
            self.at_it.set()
            while True:
                self.sent += 1
                words = self.words | {self.figure: self.form.format(self.sent), "version": _hidden(text, "version")}
                there.request("POST", self.to, urlencode(words), headers)
                answer = there.getresponse()
                text = answer.read().decode()
                if answer.status != 200:
                    self.trouble = f"{self.to} answered {answer.status}: {' '.join(text.split())[:300]}"
                    return
                self.answered = self.sent
                self.count += 1
        except (OSError, HTTPException):
            return
        finally:
            self.at_it.set()
            there.close()


def _hidden(page: str, name: str) -> str:
    found = re.search(rf'name="{name}"\s+value="([^"]*)"', page)
    return found[1] if found else ""


def writers(database: Path) -> tuple[list[Writer], int]:
    """Two that change conversions, one an outing, one the shelf; and the item that the last one changes."""
    with closing(sqlite3.connect(database)) as there:
        first, second = (row[0] for row in there.execute("SELECT id FROM bench_conversion ORDER BY id LIMIT 2"))
        outing = there.execute("SELECT id FROM outing_outing").fetchone()[0]
        item = there.execute("SELECT id FROM shelf_item WHERE kind = 'source' ORDER BY id").fetchone()[0]
    duty = "SELECT json_extract(\"case\", '$.duty.repeat[0].seconds') FROM bench_conversion WHERE id = {}"
    resize = {"do": "resize", "at": "0", "panel": "run"}
    title = {"place": "title"}
    return [
        *(
            Writer(f"/c/{pk}/?panel=record", f"/c/{pk}/duty/", resize, "seconds", "{}", duty.format(pk))
            for pk in (first, second)
        ),
        Writer(
            f"/outings/{outing}/",
            f"/outings/{outing}/set/",
            title,
            "text",
            "Night {}",
            f"SELECT CAST(substr(title, 7) AS INTEGER) FROM outing_outing WHERE id = {outing}",
        ),
        Writer(
            "/shelf/",
            f"/shelf/{item}/set/",
            {"field": "price"},
            "text",
            "{}",
            f"SELECT price FROM shelf_item WHERE id = {item}",
        ),
    ], item


def serve(listener: socket.socket) -> NoReturn:
    """The application as it is served, until it is killed."""
    import waitress

    from hermotrope.wsgi import application

    waitress.serve(application, sockets=[listener], threads=4)
    os._exit(0)


def wrong(database: Path, sides: list[Writer], item: int) -> list[str]:
    """What a kill left that must not be."""
    with closing(sqlite3.connect(database)) as there:
        found = [row[0] for row in there.execute("PRAGMA integrity_check") if row[0] != "ok"]
        found += [f"nothing stands behind {row}" for row in there.execute("PRAGMA foreign_key_check")]
        found += [f"half written: {row[0]}" for torn in TORN for row in there.execute(torn.format(item=item))]
        for side in sides:
            found += [side.trouble] if side.trouble else []
            kept = there.execute(side.kept).fetchone()[0]
            if side.answered and not side.answered <= kept <= side.sent:
                found.append(f"{side.to}: {side.answered} was answered, {side.sent} was sent, {kept} is there")
    return found


def main(folder: Path, rounds: int) -> int:
    folder.mkdir(parents=True, exist_ok=True)
    os.environ["HERMOTROPE_DATA"] = str(folder)
    database = folder / DATABASE
    prepare("demo", database)
    from django.db import connections
    from django.test import Client

    sides, item = writers(database)
    for side in sides:  # what every server would have to read first
        Client(HTTP_HOST="127.0.0.1").get(side.page)
    connections.close_all()
    for turn in range(rounds):
        listener = listen(FIRST_PORT)
        os.environ["HERMOTROPE_PORT"] = str(port := listener.getsockname()[1])
        child = os.fork()
        if child == 0:
            serve(listener)
        listener.close()  # whoever still waits for an answer is let go by the kill
        threads = [threading.Thread(target=side.write, args=[port]) for side in sides]
        for side in sides:
            side.at_it.clear()
        for thread in threads:
            thread.start()
        for side in sides if turn % 4 else ():
            side.at_it.wait(PATIENCE_S)
        time.sleep(random.uniform(*LIVES_S))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        for thread in threads:
            thread.join()
        if found := wrong(database, sides, item):
            print(f"after {turn + 1} rounds:", *found, sep="\n  ")
            return 1
    if idle := [side.to for side in sides if side.count < rounds // 10]:
        print("hardly written to:", *idle)
        return 1
    print(f"{rounds} rounds, {[side.count for side in sides]} answered")
    return 0


if __name__ == "__main__":
    os.environ["DJANGO_SETTINGS_MODULE"] = "hermotrope.settings"
    sys.exit(main(Path(sys.argv[1]), int(sys.argv[2])))
