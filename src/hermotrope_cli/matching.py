"""The command `match`, in a module of its own so that the others start without what only it needs."""

from __future__ import annotations

from typing import Any

from hermotrope_core.match.readout import match_tree
from hermotrope_core.match.request import LARGEST_SHELF_BYTES, read_request
from hermotrope_core.match.search import search

LARGEST_BYTES = LARGEST_SHELF_BYTES


def answer(data: bytes) -> dict[str, Any]:
    """The JSON object for a request document. Raises `CaseError`."""
    request = read_request(data)
    return match_tree(search(request), {request.wish: 1.0} if request.wish else None)
