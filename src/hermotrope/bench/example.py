"""Filled examples: the demonstration's conversions, each as its makers planned it."""

from __future__ import annotations

import msgspec

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.shelf import starter
from hermotrope_core.plan.source import Source


def put_on_bench(demo: starter.DemoConversion) -> Conversion:
    """One conversion of the demonstration, with each of its changes to be undone by itself."""
    start = starter.devices()[demo.device]
    conversion = actions.create(actions.new_case(start.title, start.device, start.duty), "Started")
    if demo.source is not None:
        source = starter.sources()[demo.source].source
        known = msgspec.convert({**msgspec.to_builtins(source), **demo.improve}, Source)
        case = actions.with_source(conversion.case, known)
        conversion = actions.put(conversion.pk, conversion.version, case, f"Pack: {known.name}")
    case = actions.with_path(conversion.case, demo.path, demo.conditions())
    return actions.put(conversion.pk, conversion.version, case, "Path as built")


def first() -> Conversion:
    """The one that shows most."""
    return put_on_bench(starter.demo_conversions()[0])
