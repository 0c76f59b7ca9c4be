"""The build sheet of a supply that feeds several devices: what all share, the junction, and each device's own way."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.build.partslist import PartLine, large_parts, small_parts
from hermotrope_core.build.steps import Step, after, dummies, end_at_device, end_at_source, fitting, part_steps
from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply, chain
from hermotrope_core.values.figures import figure

SHARED = "Shared by all"
LABEL = "label"
"""The step of the box's label, which names one device alone."""


class Part(msgspec.Struct, frozen=True):
    """What is made of one stretch of the tree: its name, its parts, its steps."""

    name: str
    parts: tuple[PartLine, ...]
    steps: tuple[Step, ...]


def tree_build(supply: Supply, conditions: Conditions, junction_a: float) -> tuple[Part, ...]:
    """What all share first, with the junction, then each device's own way, then what comes last.

    `junction_a` are the amperes there with all in their heaviest mode. Empty without a device; raises ValueError where
    a way makes no sense on this supply.
    """
    chains = [chain(supply, place, conditions) for place in range(len(supply.branches))]
    if not chains:
        return ()
    shared, ways = len(supply.trunk), sum(branch.count for branch in supply.branches)
    first = chains[0]
    junction = _junction(ways, junction_a) if ways > 1 else None
    made = [Part(SHARED, _shared_parts(first, shared, junction), _shared_steps(first, shared, junction))]
    for branch, case in zip(supply.branches, chains, strict=True):
        name = f"{case.device.name} × {branch.count}" if branch.count > 1 else case.device.name
        steps = (*dummies(case), *part_steps(case, shared, len(case.path)), *_ends(case, shared))
        made.append(Part(name, _own_parts(case, shared, branch.count), fitting(case, steps)))
    return (*made, Part("When all of it is joined", (), fitting(first, _last(chains))))


def _last(chains: list[Case]) -> tuple[Step, ...]:
    """What comes last of every device, each step once, in the words of the device that asks for most."""
    last: dict[str, Step] = {}
    for step in (step for case in chains for step in after(case) if step.key != LABEL):
        if step.key not in last or len(step.how) > len(last[step.key].how):
            last[step.key] = step
    return tuple(last.values())


def _junction(ways: int, amps: float) -> tuple[PartLine, Step]:
    stands = f"1 to {ways} ways, {figure(amps, 'A', 2)} or more"
    how = (
        f"All plus wires together, all minus wires together: a terminal block, or soldered and sleeved, for "
        f"{figure(amps, 'A', 2)}. A way's own fuse sits right there, before anything else of it; a way without one has "
        "copper that the shared fuse protects. Write each device's name on its way."
    )
    caution = "The pack is away, its fuse link is out: plus and minus lie side by side here."
    line = PartLine("junction", "Junction", f"{stands}: two terminal blocks, one for plus and one for minus", 1)
    return line, Step("junction", "The junction", how, 10.0 + 5.0 * ways, "careful hands", caution)


def _is_shared(case: Case, line: PartLine, shared: int) -> bool:
    """Whether a line of a whole way belongs to what lies before the junction."""
    if line.key.startswith("stage-"):
        return int(line.key.removeprefix("stage-")) < shared
    return line.key == "source" or (line.key == "end-source" and _source_end_shared(case, shared))


def _source_end_shared(case: Case, shared: int) -> bool:
    """Whether the first lead, which ends at the source, is a shared one; without any lead the end is shared too."""
    leads = leads_of(case.path)
    return not leads or leads[0][0] < shared


def _shared_parts(first: Case, shared: int, junction: tuple[PartLine, Step] | None) -> tuple[PartLine, ...]:
    joined = () if junction is None else (junction[0],)
    lines = [line for line in large_parts(first) if _is_shared(first, line, shared)]
    return (*lines, *joined, *small_parts(first, 0, shared))


def _shared_steps(first: Case, shared: int, junction: tuple[PartLine, Step] | None) -> tuple[Step, ...]:
    gather = Step(
        "gather",
        "Lay everything out",
        "Tick the lines of the parts lists. Photograph every device as it is, with its plug or cells.",
        10,
        "none",
    )
    end = end_at_source(first) if _source_end_shared(first, shared) else ()
    joined = () if junction is None else (junction[1],)
    return fitting(first, (gather, *part_steps(first, 0, shared), *end, *joined))


def _ends(case: Case, shared: int) -> Iterator[Step]:
    if not _source_end_shared(case, shared):
        yield from end_at_source(case)
    yield from end_at_device(case)


def _own_parts(case: Case, shared: int, count: int) -> tuple[PartLine, ...]:
    """A device's own lines, all its equal ones together."""
    large = [line for line in large_parts(case) if not _is_shared(case, line, shared)]
    lines = (*large, *small_parts(case, shared, len(case.path)))
    return tuple(msgspec.structs.replace(line, count=count * line.count) for line in lines)
