"""The starter shelf and the demonstration devices, read once from ``data/`` and checked by the core."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.device import Device
from hermotrope_core.plan.duty import Conditions, Duty
from hermotrope_core.plan.source import Source

DATA = Path(__file__).parent / "data"


class StarterSource(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A generic pack: its key, the group it is listed in, and what a case copies."""

    key: str
    group: str
    source: Source


class StarterPart(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A converter, stage, lead, fuse or meter of the starter shelf."""

    key: str
    kind: str
    group: str
    name: str
    part: Stage | None
    price: float | None = None
    mass_g: float | None = None
    note: str = ""


class StarterDevice(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A device of the Sallow Fen scenario with the duty it works under."""

    key: str
    title: str
    about: str
    device: Device
    duty: Duty = Duty()


class DemoConversion(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A conversion of the demonstration: which device, which pack, which path."""

    device: str
    source: str | None
    path: tuple[Stage, ...]
    improve: dict[str, Any] = {}
    temperature_c: float | None = None
    closed: bool = False
    proved_on: str | None = None
    """The day on which it was proved, with its readings and its run-down."""
    begun_on: str | None = None
    """The day on which its build was begun; its first gates have passed."""

    def conditions(self) -> Conditions:
        warmth = 20.0 if self.temperature_c is None else self.temperature_c
        return Conditions(temperature_c=warmth, enclosure="closed" if self.closed else "open")


@cache
def sources() -> dict[str, StarterSource]:
    """Every pack of the starter shelf by key, in the order in which it is shown."""
    listed = msgspec.json.decode((DATA / "sources.json").read_bytes(), type=list[StarterSource])
    return {item.key: item for item in listed}


@cache
def parts() -> tuple[StarterPart, ...]:
    """Everything of the starter shelf that is not a source."""
    return msgspec.json.decode((DATA / "parts.json").read_bytes(), type=tuple[StarterPart, ...])


@cache
def devices() -> dict[str, StarterDevice]:
    """Every demonstration device by key."""
    listed = msgspec.json.decode((DATA / "devices.json").read_bytes(), type=list[StarterDevice])
    return {item.key: item for item in listed}


@cache
def owned() -> tuple[str, ...]:
    """Keys of the parts that the volunteers have in their shed."""
    return msgspec.json.decode((DATA / "owned.json").read_bytes(), type=tuple[str, ...])


@cache
def demo_conversions() -> tuple[DemoConversion, ...]:
    """The conversions that the demonstration starts with."""
    return msgspec.json.decode((DATA / "demo.json").read_bytes(), type=tuple[DemoConversion, ...])
