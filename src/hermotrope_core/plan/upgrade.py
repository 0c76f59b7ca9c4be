"""Documents of earlier versions, brought to the present one step by step before they are read."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import msgspec

Step = Callable[[dict[str, Any]], dict[str, Any]]
"""From one version's tree to the next one's; what it does not know it leaves alone."""


class WrongFormat(ValueError):
    """A document of another kind, of a newer version, or one that does not say."""


class Format(msgspec.Struct, frozen=True):
    """A kind of document: its name, what it is in a sentence, and a step from each earlier version to the next."""

    name: str
    what: str
    steps: tuple[Step, ...] = ()

    @property
    def current(self) -> str:
        """What a document of the present version says of itself."""
        return f"{self.name}/{len(self.steps) + 1}"

    def upgraded(self, tree: dict[str, Any]) -> dict[str, Any]:
        """The tree as the present version has it. Raises `WrongFormat`."""
        stated = tree.get("format")
        if stated is None:
            raise WrongFormat(f"missing; a {self.what} says {self.current!r}")
        match = re.fullmatch(rf"{re.escape(self.name)}/([1-9]\d{{0,5}})", stated) if isinstance(stated, str) else None
        version = int(match[1]) if match else 0
        if version > len(self.steps) + 1:
            raise WrongFormat(f"{stated!r} is newer than {self.current!r}, which this version reads")
        if version == 0:
            raise WrongFormat(f"must be {self.current!r}")
        for step in self.steps[version - 1 :]:
            tree = step(tree)
        return tree | {"format": self.current}


CASE = Format("hermotrope-case", "case")
RECORD = Format("hermotrope-record", "record")
SHELF = Format("hermotrope-shelf", "shelf")
OUTING = Format("hermotrope-outing", "outing")
