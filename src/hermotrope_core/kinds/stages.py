"""Every kind of stage, in the order in which they are offered: the one list of them."""

from __future__ import annotations

import itertools

from hermotrope_core.kinds.changeover import Changeover
from hermotrope_core.kinds.converter import Converter
from hermotrope_core.kinds.cut_off import CutOff
from hermotrope_core.kinds.diode import Diode
from hermotrope_core.kinds.fuse import Fuse
from hermotrope_core.kinds.keep_alive import KeepAlive
from hermotrope_core.kinds.lead import Lead
from hermotrope_core.kinds.linear import Linear
from hermotrope_core.kinds.resistor import Resistor
from hermotrope_core.kinds.stage import StageKind
from hermotrope_core.kinds.switch import Switch
from hermotrope_core.kinds.voltmeter import Voltmeter

__all__ = [
    "KINDS",
    "Changeover",
    "Converter",
    "CutOff",
    "Diode",
    "Fuse",
    "KeepAlive",
    "Lead",
    "Linear",
    "Resistor",
    "Stage",
    "Switch",
    "Voltmeter",
    "front",
    "kind_named",
]

Stage = Lead | Fuse | Switch | CutOff | Resistor | Diode | Converter | Linear | KeepAlive | Voltmeter | Changeover
KINDS: tuple[type[StageKind], ...] = (
    Fuse,
    Switch,
    CutOff,
    Converter,
    Linear,
    Diode,
    Resistor,
    Lead,
    KeepAlive,
    Voltmeter,
    Changeover,
)


def kind_named(tag: str) -> type[StageKind]:
    """The kind with the document's name. Raises LookupError where there is none."""
    for kind in KINDS:
        if kind.__struct_config__.tag == tag:
            return kind
    raise LookupError(tag)


def front(path: tuple[Stage, ...]) -> tuple[tuple[int, Stage], ...]:
    """The stages before the first part that holds its volts, with their path indices."""
    return tuple(enumerate(itertools.takewhile(lambda stage: not stage.HOLDS, path)))
