"""The chain from the source's outlet to the device's inlet through leads of the shelf.

Ends are nodes of a graph and leads its edges. Fewest joints first; every joint is a place to fail. The search is that
of a graph library (Yen's k shortest paths).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice, pairwise

import msgspec
import networkx as nx

from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.stages import Lead
from hermotrope_core.know.joints import End, behind, fits_inlet, live_end
from hermotrope_core.values.known import number

MOST_JOINTS = 4
JOINT, METRE = 1.0, 0.01
"""Weights: a joint counts for more than any length."""


class Link(msgspec.Struct, frozen=True):
    """One lead of a chain: its place in the offered list, and the end it leaves live."""

    index: int
    name: str
    lead: Lead
    end: End


Named = tuple[str, Lead]
"""A lead with its name on the shelf."""


class ChainOfLeads(msgspec.Struct, frozen=True):
    """A chain that gets size, gender and polarity right; `joints` counts both its ends."""

    links: tuple[Link, ...]
    joints: int
    length_m: float


def chains(outlet: Connector, inlet: Connector, leads: Sequence[Named], most: int = 3) -> tuple[ChainOfLeads, ...]:
    """Up to `most` chains from outlet to inlet through leads of the shelf (name, lead), fewest joints first."""
    graph = nx.DiGraph()
    start = (live_end(outlet), frozenset[int]())
    waiting, seen = [start], {start}
    graph.add_node(start)
    while waiting:
        here = waiting.pop()
        end, used = here
        if fits_inlet(end, inlet):
            graph.add_edge(here, "inlet", weight=JOINT)
        if len(used) >= MOST_JOINTS - 1:
            continue
        for index, (_, lead) in enumerate(leads):
            for after in behind(end, lead) if index not in used else ():
                there = (after, used | {index})
                if not graph.has_edge(here, there):
                    graph.add_edge(here, there, weight=JOINT + METRE * number(lead.length_m), index=index)
                if there not in seen:
                    seen.add(there)
                    waiting.append(there)
    if "inlet" not in graph:
        return ()
    paths = nx.shortest_simple_paths(graph, start, "inlet", weight="weight")
    return tuple(_chain(graph, path, leads) for path in islice(_distinct(graph, paths), most))


def _distinct(graph: nx.DiGraph, paths: Iterator[list[object]]) -> Iterator[list[object]]:
    """Paths that use different leads: not the same in another order, nor with more of them than it takes."""
    seen: list[frozenset[int]] = []
    for path in paths:
        used = frozenset(graph.edges[a, b].get("index", -1) for a, b in pairwise(path))
        if not any(less <= used for less in seen):
            seen.append(used)
            yield path


def _chain(graph: nx.DiGraph, path: list[object], leads: Sequence[Named]) -> ChainOfLeads:
    links = []
    for here, there in pairwise(path[:-1]):
        index = graph.edges[here, there]["index"]
        name, lead = leads[index]
        assert isinstance(there, tuple)
        links.append(Link(index, name, lead, there[0]))
    return ChainOfLeads(tuple(links), len(links) + 1, sum(number(link.lead.length_m) for link in links))
