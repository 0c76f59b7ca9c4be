"""A supply with all its devices at the bench: its steps with their ticks, its gates with what was read."""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

from django.db import transaction
from django.utils import timezone

from hermotrope.entry.typed import EditError
from hermotrope.outing.models import Outing, TreeReading, TreeStep
from hermotrope.outing.panel import supply_view
from hermotrope_core.build.cuts import Cut, cut_list
from hermotrope_core.build.steps import Step
from hermotrope_core.build.tree import SHARED, Part, tree_build
from hermotrope_core.judge.cautions import stops
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.outing import chain
from hermotrope_core.prove.gate import Ask, Gate
from hermotrope_core.prove.judge import as_read, stored
from hermotrope_core.prove.progress import Reading, refusal_of
from hermotrope_core.prove.tree import WayProgress, tree_progress
from hermotrope_core.several.load import Load, everything

BY_HAND = "by hand"
TAKEN_OVER = "Nothing is built before somebody qualified has taken it over by name, in that device’s own conversion."


class Marked(NamedTuple):
    """A step with its tick, which counts as long as the step says what it said then."""

    key: str
    step: Step
    mark: TreeStep | None

    @property
    def done(self) -> bool:
        return self.mark is not None and self.mark.basis == self.step.basis

    @property
    def changed(self) -> bool:
        """Whether the plan changed since it was done."""
        return self.mark is not None and not self.done


class MarkedPart(NamedTuple):
    """A stretch of the tree: what is made of it, its wires, its steps with their ticks."""

    part: Part
    cuts: tuple[Cut, ...]
    steps: list[Marked]


class TreeWorkshop:
    """One supply of an outing while it is built and proved. Raises IndexError for one that is not there."""

    def __init__(self, outing: Outing, index: int) -> None:
        self.outing, self.index = outing, index
        self.document: Document = outing.content()
        self.supply = self.document.supplies[index]
        same = [one.called for one in self.document.supplies[:index]].count(self.supply.called)
        self.name = f"{self.supply.called}#{same + 1}"

    @cached_property
    def view(self) -> dict[str, object]:
        """The supply as its outing shows it: verdict, what is told, what is open."""
        return supply_view(self.document, self.index, self.supply)

    @cached_property
    def chains(self) -> list[Case]:
        """Every device with its whole way. Raises ValueError for a way that makes no sense by itself."""
        return [chain(self.supply, place, self.document.conditions) for place in range(len(self.supply.branches))]

    @cached_property
    def shut(self) -> str:
        """Why nothing is built or proved, in words; empty where it may be."""
        if open_ := self.view.get("open"):
            return f"Still open: {open_}"
        try:
            if any(stops(case) for case in self.chains):
                return TAKEN_OVER
        except ValueError as error:
            return str(error)
        return "Nothing is built or proved while this is refused." if self.view["verdict"] == "refused" else ""

    @cached_property
    def parts(self) -> list[MarkedPart]:
        """Shared parts, each device's way, what comes last: with wires to cut and steps."""
        marks = {row.key: row for row in self.outing.tree_steps.filter(supply=self.name)}
        load = Load(self.supply, self.document.conditions, everything(self.supply))
        made = []
        for p, part in enumerate(tree_build(self.supply, self.document.conditions, load.junction_a)):
            steps = [Marked(f"{p}.{step.key}", step, marks.get(f"{p}.{step.key}")) for step in part.steps]
            made.append(MarkedPart(part, self._cuts(p, part), steps))
        return made

    def _cuts(self, p: int, part: Part) -> tuple[Cut, ...]:
        """The wires of a stretch: numbered by their parts on the whole way, as the drawing numbers them."""
        shared = len(self.supply.trunk)
        if part.name == SHARED:
            return tuple(cut for cut in cut_list(self.chains[0]) if cut.part <= shared)
        if 1 <= p <= len(self.chains):
            return tuple(cut for cut in cut_list(self.chains[p - 1]) if cut.part > shared)
        return ()

    @cached_property
    def ways(self) -> tuple[WayProgress, ...]:
        """The gates of the source, of each way and of all together, with their state."""
        rows = self.outing.tree_readings.filter(supply=self.name)
        readings = [
            (row.way, Reading(row.ask, as_read(row.value), row.taken_at.isoformat(), BY_HAND, row.basis))
            for row in rows
        ]
        return tree_progress(self.supply, self.document.conditions, readings)

    def ask(self, way_key: str, ask_key: str) -> tuple[WayProgress, Gate, Ask] | None:
        """A reading that this plan asks for, with its way and gate."""
        return next(
            (
                (way, row.gate, ask)
                for way in self.ways
                if way.way.key == way_key
                for row in way.rows
                for ask in row.gate.asks
                if ask.key == ask_key
            ),
            None,
        )


@transaction.atomic
def tick(workshop: TreeWorkshop, key: str, *, done: bool) -> None:
    """Mark a step as done, or take the mark off. Raises `EditError` for a step that is not there."""
    if workshop.shut:
        raise EditError(workshop.shut)
    step = next((one.step for part in workshop.parts for one in part.steps if one.key == key), None)
    if step is None:
        raise EditError("that step is no longer part of this build")
    mark = TreeStep.objects.filter(outing=workshop.outing, supply=workshop.name, key=key)
    if done:
        given = {"done_at": timezone.now(), "basis": step.basis}
        mark.update_or_create(outing=workshop.outing, supply=workshop.name, key=key, defaults=given)
    else:
        mark.delete()


@transaction.atomic
def take_reading(workshop: TreeWorkshop, way_key: str, ask_key: str, value: float) -> None:
    """Keep a reading of a gate that is not locked. Raises `EditError` with the reason otherwise."""
    if workshop.shut:
        raise EditError(workshop.shut)
    found = workshop.ask(way_key, ask_key)
    if found is None:
        raise EditError("this plan does not ask for that reading")
    way, gate, _ = found
    if refusal := refusal_of(way.rows, ask_key):
        raise EditError(refusal)
    TreeReading.objects.create(
        outing=workshop.outing, supply=workshop.name, way=way_key, ask=ask_key, value=stored(value),
        taken_at=timezone.now(), basis=gate.basis,
    )  # fmt: skip
