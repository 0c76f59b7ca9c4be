"""Every kind of part that is made: its title, its parameters, and who makes it. A new kind is one more line here."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import msgspec

from hermotrope_core.make import box, dock, dummy, plate, template
from hermotrope_core.make.box import Box
from hermotrope_core.make.dock import Dock
from hermotrope_core.make.dummy import Dummy
from hermotrope_core.make.plate import Plate
from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Remark, Shape, checked, gravest_first
from hermotrope_core.make.sizes import Asked
from hermotrope_core.make.template import Template
from hermotrope_core.values.liking import Liking, liked

KEPT = 16
"""Parts that are kept: the page, its files and the sheet ask for the same ones."""
SLIVER_MM = 1e-3
"""Edges shorter than this come of sums that nearly meet; a file's single precision would tear them open."""


class Maker(msgspec.Struct, frozen=True):
    """A kind of made part."""

    key: str
    title: str
    about: str
    asked: type[Asked]
    shape: Callable[[Any, Process], Shape]


MAKERS = {
    one.key: one
    for one in (
        Maker("dummy", "Dummy cell", "fills a place of the bay and takes the wire to its contact", Dummy, dummy.shape),
        Maker(
            "box",
            "Box for a board",
            "holds a converter, its leads and its heat, with a hole over the trimmer",
            Box,
            box.shape,
        ),
        Maker(
            "dock",
            "Dock for a pack",
            "takes the foot of a pack between its rails and meets its contacts",
            Dock,
            dock.shape,
        ),
        Maker("plate", "Plate", "carries the pack on the device’s own fixing, with straps", Plate, plate.shape),
        Maker("template", "Drill template", "the panel’s cut-outs, printed 1:1", Template, template.shape),
    )
}


def asked_from(key: str, values: dict[str, Any]) -> Asked:
    """Parameters from a document. Raises ValueError for an unknown kind, or where one lies out of its range."""
    if key not in MAKERS:
        raise ValueError(f"{key} is no part that is made here")
    return msgspec.convert(values, MAKERS[key].asked)


def made(key: str, asked: Asked, process: Process) -> Shape:
    """The part, with what its solids themselves have wrong put before what its maker says. It is never changed."""
    return _made(key, asked, process, liked())


@lru_cache(maxsize=KEPT)
def _made(key: str, asked: Asked, process: Process, _liking: Liking) -> Shape:
    shape = MAKERS[key].shape(asked, process)
    pieces = tuple(msgspec.structs.replace(one, solid=one.solid.simplify(SLIVER_MM)) for one in shape.pieces)
    shape = msgspec.structs.replace(shape, pieces=pieces)
    found: tuple[Remark, ...] = checked(shape, process)
    return msgspec.structs.replace(shape, remarks=tuple(gravest_first([*found, *shape.remarks])))
