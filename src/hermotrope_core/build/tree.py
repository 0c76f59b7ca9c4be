"""The build sheet of a supply that feeds several devices: what all share, the junction, and each device's own way."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.build.partslist import PartLine, boxed, parts_list, soldered
from hermotrope_core.build.steps import Step, after, dummies, end_at_device, end_at_source, fitting, part_steps
from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply, chain
from hermotrope_core.values.figures import figure

SMALL = ("fuse-holder", "fuse-spare", "sleeve", "box")
"""Lines that a list counts over the whole path."""
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
    trunk = msgspec.structs.replace(first, path=supply.trunk)
    junction = _junction(ways, junction_a) if ways > 1 else None
    made = [Part(SHARED, _shared_parts(first, trunk, shared, junction), _shared_steps(first, shared, junction))]
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


def _shared_parts(
    first: Case, trunk: Case, shared: int, junction: tuple[PartLine, Step] | None
) -> tuple[PartLine, ...]:
    lines = [line for line in parts_list(first) if _is_shared(first, line, shared)]
    if junction is not None:
        lines.append(junction[0])
    return (*lines, *(line for line in parts_list(trunk) if line.key in SMALL))


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
    lines = [one for one in parts_list(case) if one.key not in SMALL and not _is_shared(case, one, shared)]
    own = msgspec.structs.replace(case, path=case.path[:shared])
    fuses = sum(stage.opens_above_a is not None and not stage.inside for stage in case.path[shared:])
    joints = 2 * (len(soldered(case)) - len(soldered(own)))
    small = {line.key: line for line in parts_list(case)}
    counts = {
        "fuse-holder": fuses,
        "fuse-spare": fuses,
        "sleeve": joints,
        "box": int(any(boxed(case, i) for i in range(shared, len(case.path)))),
    }
    lines += [msgspec.structs.replace(small[key], count=many) for key, many in counts.items() if many]
    return tuple(msgspec.structs.replace(line, count=count * line.count) for line in lines)
