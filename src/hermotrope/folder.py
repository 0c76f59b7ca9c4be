"""The folder of a bench: one server at a time."""

from __future__ import annotations

import os
from pathlib import Path
from typing import IO

try:
    import fcntl
except ImportError:  # no such locks on this system: two servers are then not told from one
    fcntl = None  # type: ignore[assignment]

LOCK = "in-use"


class InUse(OSError):
    """Another server keeps this folder."""


def lock(folder: Path) -> IO[str]:
    """Keep the folder for this process until the file that it gives is closed, or the process ends. Raises `InUse`."""
    file = (folder / LOCK).open("a+", encoding="utf-8")
    if fcntl is not None:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            who = file.read().strip()
            file.close()
            raise InUse(
                f"the bench in {folder} is in use{f' at {who}' if who else ''}: stop that one first, or use --data"
            ) from None
    return file


def tell(file: IO[str], address: str) -> None:
    """Write where the bench is served, for whoever finds it in use."""
    file.seek(0)
    file.truncate()
    file.write(f"{address} (process {os.getpid()})\n")
    file.flush()
