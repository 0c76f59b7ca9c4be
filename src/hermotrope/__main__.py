"""``hermotrope demo | run | manage | solve | …``: start a bench, run Django's own commands, or those on a case."""

from __future__ import annotations

import argparse
import errno
import os
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import webbrowser
from collections.abc import Callable
from pathlib import Path

import segno

from hermotrope.backups import DATABASE, BackupError, examined, restore, write
from hermotrope.folder import lock, tell
from hermotrope.memory import give_back
from hermotrope.neighbours import closed_to_neighbours, this_user
from hermotrope.phones.lan import Network
from hermotrope_cli.__main__ import main as on_a_document

PORT = 8737
TRIES = 50
OWN = ("demo", "run", "manage", "backup", "restore")

OWNER_ALONE = 0o077
"""The rights that are taken from everybody else (umask)."""


def main(argv: list[str]) -> int:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "hermotrope.settings")
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # our sums are small: more threads only wait for each other
    command, rest = (argv[0], argv[1:]) if argv else ("run", [])
    if command == "test":
        os.environ["DJANGO_SETTINGS_MODULE"] = "tests.settings"
        os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")
        sys.path.insert(0, str(Path.cwd()))
        return every_test(rest) if rest in ([], ["slow"]) else django_command(["test", *rest])
    if command == "manage":
        return django_command(rest)
    if command in ("backup", "restore"):
        return keep(command, rest)
    return serve(command, rest)


def every_test(lane: list[str]) -> int:
    """Core and web side by side, one process a core; then the browser likewise, alone.

    In the lane ``slow``, what draws a sample in each run tries everything, and the journeys tagged ``late`` are walked.
    """
    tags = ["--tag", "slow", "--tag", "late"] if lane else ["--exclude-tag", "late"]
    os.environ["HERMOTROPE_LANE"] = "slow" if lane else ""
    parts = (["tests.core", "tests.web"], ["tests.browser"])
    run = [sys.executable, "-m", "hermotrope", "test", "--parallel", "auto", *tags]
    failed = [subprocess.call([*run, *part]) for part in parts]
    return int(any(failed))


def command() -> int:
    """The command that an installed package brings: those of this module, and those that read a document."""
    arguments = sys.argv[1:]
    return main(arguments) if arguments[:1] and arguments[0] in OWN else on_a_document()


def django_command(arguments: list[str]) -> int:
    from django.core.management import execute_from_command_line

    execute_from_command_line(["hermotrope", *arguments])
    return 0


def serve(command: str, arguments: list[str]) -> int:
    """Migrate, fill in the demonstration if asked for, and serve on loopback until interrupted."""
    give_back()
    parser = argparse.ArgumentParser(prog=f"hermotrope {command}")
    parser.add_argument("--data", help="folder that keeps the bench")
    parser.add_argument("--port", type=int, default=PORT, help="first port to try")
    parser.add_argument("--no-browser", action="store_true", help="do not open a browser")
    parser.add_argument("--lan", nargs="?", const="", metavar="ADDRESS", help="let paired phones in from the network")
    parser.add_argument("--tls", action="store_true", help="with --lan: encrypted, by a certificate of its own")
    if command == "demo":
        parser.add_argument("--fresh", action="store_true", help="start the demonstration anew")
    given = parser.parse_args(arguments)
    if not 1 <= given.port <= 65535:
        parser.error("--port must be 1 to 65535")
    if given.tls and given.lan is None:
        parser.error("--tls goes with --lan: what stays on this machine needs none")
    try:
        folder = data_folder(command, given.data)
        in_use = lock(folder)
        if getattr(given, "fresh", False):
            clear(folder)
        listener = listen(given.port)
        port = listener.getsockname()[1]
        os.environ["HERMOTROPE_PORT"] = str(port)
        network = Network.named(given.lan, port, folder if given.tls else None) if given.lan is not None else None
        os.environ["HERMOTROPE_LAN"] = network.url if network else ""
        os.environ["HERMOTROPE_LAN_FINGERPRINT"] = network.fingerprint if network else ""
        prepare(command, folder / DATABASE)
        close = open_door(network) if network else None
    except (OSError, sqlite3.Error, BackupError) as error:
        print(f"hermotrope: {error}", file=sys.stderr)
        return 1
    address = f"http://127.0.0.1:{port}/"
    tell(in_use, address)
    print(f"Hermotrope is at {address}  (kept in {folder}; stop with Ctrl+C)", flush=True)
    if not given.no_browser and (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        threading.Timer(0.5, webbrowser.open, [address]).start()

    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))  # a clean stop, as by Ctrl+C

    import waitress
    from django.db import connections

    from hermotrope.bench import searching
    from hermotrope.wsgi import application

    searching.ready()
    connections.close_all()  # that of this thread has prepared all: the last one to close takes the journal away

    try:
        waitress.serve(
            closed_to_neighbours(application, this_user()), sockets=[listener], threads=4, ident="hermotrope"
        )
    except KeyboardInterrupt:
        print()
    finally:
        if close:
            close()
    return 0


def open_door(network: Network) -> Callable[[], None]:
    """Let paired phones in, and show the first code; what it gives shuts the door. Raises OSError."""
    from hermotrope.phones.codes import CODES
    from hermotrope.phones.door import from_outside
    from hermotrope.phones.views import USUAL, pairing_address
    from hermotrope.wsgi import application

    close = network.serve(from_outside(application))
    code = CODES.new(USUAL)
    segno.make_qr(pairing_address(code), error="m").terminal(compact=True)
    print(
        f"Phones: scan this, or open {network.url} and type {code.shown} (two minutes, once; then “phone” on the page)"
    )
    print(f"Certificate SHA-256 {network.fingerprint}" if network.pem else "Not encrypted: see --tls", flush=True)
    return close


def data_folder(command: str, given: str | None) -> Path:
    """The folder of this bench, announced to the settings. The demonstration has its own.

    What is made in it from now on is its owner's alone: others on the machine neither read nor write it.
    """
    os.umask(OWNER_ALONE)
    base = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "hermotrope"
    folder = Path(given or os.environ.get("HERMOTROPE_DATA") or (base / "demo" if command == "demo" else base))
    folder.mkdir(parents=True, exist_ok=True)
    os.environ["HERMOTROPE_DATA"] = str(folder.resolve())
    return folder


def clear(folder: Path) -> None:
    """Put the old database aside as ``.old``, so that a slip of the hand costs nothing."""
    for name in ("bench.sqlite3", "bench.sqlite3-wal", "bench.sqlite3-shm"):
        file = folder / name
        if file.exists():
            shutil.move(file, folder / f"{name}.old")


def listen(port: int) -> socket.socket:
    """A loopback socket on `port` or the next free one. Raises OSError after `TRIES`."""
    for candidate in range(port, min(port + TRIES, 65536)):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", candidate))
            listener.listen(64)
            if candidate != port:
                print(f"Port {port} is taken; using {candidate}.")
            return listener
        except OSError as error:
            listener.close()
            if error.errno not in (errno.EADDRINUSE, errno.EACCES):
                raise
    raise OSError(f"no free port from {port} to {min(port + TRIES, 65536) - 1}")


def keep(command: str, arguments: list[str]) -> int:
    """Put everything into one file, or replace the bench by what such a file holds."""
    parser = argparse.ArgumentParser(prog=f"hermotrope {command}")
    parser.add_argument("file", type=Path, help="the backup")
    parser.add_argument("--data", help="folder that keeps the bench")
    parser.add_argument("--demo", action="store_true", help="the demonstration's folder, where none is named")
    given = parser.parse_args(arguments)
    try:
        folder = data_folder("demo" if given.demo else "run", given.data)
        database = folder / DATABASE
        if command == "backup":
            write(database, given.file.absolute())
            print(f"Kept in {given.file}; ./hermotrope restore {given.file} brings it back.")
            return 0
        with lock(folder):
            os.environ["HERMOTROPE_COLLECTED"] = "1"
            import django

            django.setup()
            from hermotrope.upgrade import known_schema, migrated

            kept = restore(given.file, database, known_schema())
            migrated(database)
    except (OSError, sqlite3.Error, BackupError) as error:
        print(f"hermotrope: {error}", file=sys.stderr)
        return 1
    print(f"The bench in {folder} is that of {given.file}.{f' What was there is kept in {kept}.' if kept else ''}")
    return 0


def prepare(command: str, database: Path) -> None:
    """Bring the database up to date and, for the demonstration, fill it if it is empty. Raises `BackupError`."""
    os.environ["HERMOTROPE_COLLECTED"] = "1"
    import django

    django.setup()
    from django.core.management import call_command

    from hermotrope.upgrade import known_schema, migrated

    examined(database, known_schema())
    call_command("collectstatic", interactive=False, verbosity=0)
    migrated(database)
    call_command("load_starter", verbosity=0)
    if command == "demo":
        call_command("load_demo", verbosity=0)
        call_command("load_outing", verbosity=0)
        call_command("load_making", verbosity=0)
        call_command("load_logbook", verbosity=0)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
