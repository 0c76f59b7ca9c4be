"""The device that one looks for parts for; whoever keeps devices says here which there are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from hermotrope_core.plan.device import Supply


@dataclass(frozen=True)
class Devices:
    """Which devices there are (key and name), and the volts that one works on."""

    listed: Callable[[int | None], list[tuple[int, str]]]
    supply_of: Callable[[int], Supply | None]


KEPT_BY: list[Devices] = []
"""Filled by the places that keep devices, when they start."""


def listed(chosen: int | None) -> list[tuple[int, str]]:
    """The devices that can be had in mind, the chosen one in any case."""
    return [one for devices in KEPT_BY for one in devices.listed(chosen)]


def supply_of(key: int | None) -> Supply | None:
    """The volts of a device; None where it is unknown or gone."""
    if key is None:
        return None
    return next((supply for devices in KEPT_BY if (supply := devices.supply_of(key)) is not None), None)
