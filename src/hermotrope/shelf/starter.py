"""The starter shelf and the demonstration devices, read once from ``data/`` and checked by the core."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import msgspec

from hermotrope_core.case import Conditions, Device, Duty, Source, Stage, number
from hermotrope_core.chemistry import CHEMISTRIES

DATA = Path(__file__).parent / "data"


class StarterSource(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A generic pack: its key, the group it is listed in, and what a case copies."""

    key: str
    group: str
    source: Source


class StarterDevice(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A device of the Sallow Fen scenario with the duty it works under."""

    key: str
    title: str
    about: str
    device: Device
    duty: Duty = Duty()


class Done(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    on: str
    measured_s: float


class DemoConversion(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A conversion of the demonstration: which device, which pack, which path."""

    device: str
    source: str | None
    path: tuple[Stage, ...]
    improve: dict[str, Any] = {}
    temperature_c: float | None = None
    closed: bool = False
    done: Done | None = None

    def conditions(self) -> Conditions:
        warmth = 20.0 if self.temperature_c is None else self.temperature_c
        return Conditions(temperature_c=warmth, enclosure="closed" if self.closed else "open")


@cache
def sources() -> dict[str, StarterSource]:
    """Every pack of the starter shelf by key, in the order in which it is shown."""
    listed = msgspec.json.decode((DATA / "sources.json").read_bytes(), type=list[StarterSource])
    return {item.key: item for item in listed}


@cache
def devices() -> dict[str, StarterDevice]:
    """Every demonstration device by key."""
    listed = msgspec.json.decode((DATA / "devices.json").read_bytes(), type=list[StarterDevice])
    return {item.key: item for item in listed}


@cache
def demo_conversions() -> tuple[DemoConversion, ...]:
    """The conversions that the demonstration starts with."""
    return msgspec.json.decode((DATA / "demo.json").read_bytes(), type=tuple[DemoConversion, ...])


def shelf_entry(item: StarterSource, low: float | None, high: float | None) -> dict[str, Any]:
    """A pack as the shelf lists it: volts flat to full, watt-hours, and how it meets a window."""
    source, cell = item.source, CHEMISTRIES[item.source.chemistry]
    port = source.regulated_output
    if port is not None:
        flat = full = number(port.output_v)
    else:
        flat, full = number(source.cutoff_v), source.cells_in_series * cell.full_v
    above = high is not None and full > high * 1.005
    below = low is not None and flat < low
    words = "above the window: needs a converter" if above else "below it at the end" if below else "inside the window"
    return {
        "key": item.key,
        "name": source.name,
        "volts": f"{full:.3g} V" if port is not None else f"{flat:.3g}–{full:.3g} V",
        "wh": f"{number(source.capacity_ah) * cell.nominal_v * source.cells_in_series:.3g} Wh",
        "mass": f"{number(source.mass_g):g} g" if source.mass_g is not None else "",
        "meets": "" if low is None and high is None else words,
        "level": "refused" if above else "care" if below else "fits",
        "bar": _bar((flat, full), (low or 0.0, high or full)),
    }


def _bar(span: tuple[float, float], window: tuple[float, float]) -> dict[str, tuple[float, float]]:
    """A pack's volts against the window on one small axis from 0 V, 130 units wide."""
    scale = 126.0 / max(span[1], window[1])
    left, right = (round(2 + v * scale, 1) for v in span)
    return {
        "span": (min(left, right - 3.0), right),
        "window": (round(2 + window[0] * scale, 1), round((window[1] - window[0]) * scale, 1)),
    }
