"""The gates of a plan, in order, each window worked out from it and from what was read before."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from hashlib import sha1

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.naming import told
from hermotrope_core.prove.device_gates import alarm, device, run_down, warm_parts
from hermotrope_core.prove.gate import Ask, Gate
from hermotrope_core.prove.judge import judge
from hermotrope_core.prove.loaded_gates import dummy_load
from hermotrope_core.prove.path_gates import continuity, set_points
from hermotrope_core.prove.plug_gate import polarity
from hermotrope_core.prove.source_gate import open_voltage
from hermotrope_core.values.known import maybe, number


def gates(
    situation: Situation, taken: Mapping[str, float], runtime: tuple[float, float] | None = None
) -> tuple[Gate, ...]:
    """The gates of a finished case. `taken` are the readings so far by ask; `runtime` the range of the run in seconds.

    A gate that this plan has no use for (nothing to set, nothing that opens) is left out.
    """
    basis = basis_of(situation.case)
    first = (open_voltage(situation, basis), continuity(situation, basis), set_points(situation, basis))
    good = _good([gate for gate in first if gate is not None], taken)
    made = (
        *first,
        polarity(situation, basis, good),
        dummy_load(situation, basis, good),
        device(situation, basis),
        warm_parts(situation, basis),
        alarm(situation, basis),
        run_down(situation, basis, runtime),
    )
    found = tuple(one for one in made if one is not None)
    return tuple(_of_an_adapter(situation.case, one) for one in found) if situation.cell.endless else found


def _of_an_adapter(case: Case, gate: Gate) -> Gate:
    """The gate in words that fit an adapter."""

    def ask(one: Ask) -> Ask:
        rules = tuple(msgspec.structs.replace(rule, says=told(case, rule.says)) for rule in one.rules)
        words = {"what": told(case, one.what), "because": told(case, one.because)}
        return msgspec.structs.replace(one, rules=rules, **words)

    connect = tuple(told(case, words) for words in gate.connect)
    asks = tuple(ask(one) for one in gate.asks)
    return msgspec.structs.replace(
        gate, title=told(case, gate.title), connect=connect, asks=asks, caution=told(case, gate.caution)
    )


def _good(first: list[Gate], taken: Mapping[str, float]) -> dict[str, float]:
    """Readings that passed: later windows rest on them, not on one that failed."""
    asks = [ask for gate in first for ask in gate.asks if ask.key in taken]
    return {ask.key: taken[ask.key] for ask in asks if judge(ask, taken[ask.key]).level in ("pass", "note")}


def basis_of(case: Case) -> str:
    """A short name of the hardware: what is joined with what, set to what. Loads and capacities do not enter it."""
    source = case.source
    parts: list[object] = [
        source and (source.name, source.chemistry, source.cells_in_series, maybe(source.full_v)),
        source and source.outlet and msgspec.to_builtins(source.outlet),
        case.device.name,
        case.device.inlet and msgspec.to_builtins(case.device.inlet),
    ]
    parts += list(_set_points(case))
    return sha1(msgspec.json.encode(parts), usedforsecurity=False).hexdigest()[:12]


def _set_points(case: Case) -> Iterator[object]:
    if case.source is not None and case.source.regulated_output is not None:
        yield number(case.source.regulated_output.output_v)
    for stage in case.path:
        yield stage.kind, *stage.set_to
