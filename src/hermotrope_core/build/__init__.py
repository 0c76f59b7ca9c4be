"""The build sheet: parts, what to cut, steps in order, the box's label, what changes and how to go back."""

from hermotrope_core.build.boxlabel import box_label
from hermotrope_core.build.cuts import Cut, cut_list
from hermotrope_core.build.partslist import PartLine, fed_bay, parts_list
from hermotrope_core.build.reversal import changes, way_back
from hermotrope_core.build.steps import Step, steps

__all__ = ["Cut", "PartLine", "Step", "box_label", "changes", "cut_list", "fed_bay", "parts_list", "steps", "way_back"]
