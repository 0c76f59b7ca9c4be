"""Things as they were read, kept by what they were read from: the same rows are read on page after page."""

from __future__ import annotations

from typing import Generic, TypeVar

Key = TypeVar("Key")
Thing = TypeVar("Thing")


class Kept(Generic[Key, Thing]):
    """At most so many things, which do not change; where there would be more it is begun anew. Any thread may ask."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._things: dict[Key, Thing] = {}

    def __len__(self) -> int:
        return len(self._things)

    def get(self, key: Key) -> Thing | None:
        return self._things.get(key)

    def put(self, key: Key, thing: Thing) -> Thing:
        if len(self._things) >= self.most:
            self._things.clear()
        self._things[key] = thing
        return thing
