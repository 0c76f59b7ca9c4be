"""The chain from the source's outlet to the device's inlet through leads of the shelf.

Ends are nodes of a graph and leads its edges. Fewest joints first; every joint is a place to fail. The search is that
of a graph library (Yen's k shortest paths).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from heapq import nsmallest
from itertools import islice
from typing import Any, NamedTuple

import msgspec
import networkx as nx

from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.stages import Lead
from hermotrope_core.know.joints import End, behind, fits_inlet, live_end
from hermotrope_core.values.known import number

MOST_JOINTS = 4
MOST_PATHS = 300
"""Shortest paths that are looked at for distinct ones."""
JOINT, METRE = 1.0, 0.01
"""Weights: a joint counts for more than any length."""


class Through(NamedTuple):
    """A lead between two states of the search."""

    at: int
    """Its place in the offered list."""
    end: End
    """What it leaves live."""
    here: tuple[End, int]


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
    """Up to `most` chains from outlet to inlet through leads of the shelf (name, lead), fewest joints first.

    States are ends and how many leads lie before them, so that a shelf of thousands of leads is no more work than its
    kinds of ends; of leads that are alike in their ends, no more than could lie in the answer are tried.
    """
    kinds = _by_ends(leads, max(most, MOST_JOINTS - 1))
    graph = nx.DiGraph()
    start = (live_end(outlet), 0)
    waiting, seen = [start], {start}
    graph.add_node(start)
    while waiting:
        here = waiting.pop(0)
        end, used = here
        if fits_inlet(end, inlet):
            graph.add_edge(here, "inlet", weight=JOINT)
        if used >= MOST_JOINTS - 1:
            continue
        for alike in kinds:
            for after in behind(end, leads[alike[0]][1]):
                there = (after, used + 1)
                for index in alike:
                    through = Through(index, after, here)
                    graph.add_edge(here, through, weight=JOINT + METRE * number(leads[index][1].length_m), index=index)
                    graph.add_edge(through, there, weight=0.0)
                if there not in seen:
                    seen.add(there)
                    waiting.append(there)
    if "inlet" not in graph:
        return ()
    paths = islice(nx.shortest_simple_paths(graph, start, "inlet", weight="weight"), MOST_PATHS)
    return tuple(_chain(path, leads) for path in islice(_distinct(paths), most))


def _by_ends(leads: Sequence[Named], most: int) -> list[list[int]]:
    """Leads that are alike in their ends, the shortest first, as places in the list."""
    kinds: dict[tuple[object, ...], list[int]] = {}
    for index, (_, lead) in enumerate(leads):
        kinds.setdefault((lead.source_end, lead.device_end, lead.swaps_polarity), []).append(index)
    return [nsmallest(most, alike, key=lambda i: number(leads[i][1].length_m)) for alike in kinds.values()]


def _distinct(paths: Iterator[list[Any]]) -> Iterator[list[Any]]:
    """Paths that use each lead once, and different ones: neither the same in another order, nor more than it takes."""
    seen: list[frozenset[int]] = []
    for path in paths:
        leads = [step.at for step in path if isinstance(step, Through)]
        used = frozenset(leads)
        if len(used) == len(leads) and not any(less <= used for less in seen):
            seen.append(used)
            yield path
        if frozenset() in seen:
            return  # they fit without any


def _chain(path: list[Any], leads: Sequence[Named]) -> ChainOfLeads:
    links = [Link(step.at, *leads[step.at], step.end) for step in path if isinstance(step, Through)]
    return ChainOfLeads(tuple(links), len(links) + 1, sum(number(link.lead.length_m) for link in links))
