"""Trying a simulated bank: what was typed as loads, and what its ports then do."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hermotrope.drawings.trial import trial_view
from hermotrope_core.know.bank import Plug, attempt
from hermotrope_core.plan.source import Port, Source
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import number
from hermotrope_core.values.quantity import QuantityError, parse, show

SECONDS = 120.0
MOST_AMPS = 100.0


def trial_context(part: object, ports: tuple[Port, ...], typed: Mapping[str, str]) -> dict[str, Any]:
    """The form of the trial with what was typed, and its drawing once something is plugged in."""
    if not isinstance(part, Source) or not ports:
        return {}
    sockets, plugs = [], []
    for i, port in enumerate(ports):
        socket: dict[str, Any] = {
            "at": i,
            "name": port.name,
            "kind": port.kind,
            "volts": [show(number(profile.output_v), "V") for profile in port.profiles],
            "wants": typed.get(f"wants-{i}", ""),
            "draw": typed.get(f"draw-{i}", ""),
            "then": typed.get(f"then-{i}", ""),
            "after": typed.get(f"after-{i}", ""),
        }
        try:
            plug = _plug(i, socket)
            plugs += [plug] if plug else []
        except QuantityError as error:
            socket["error"] = str(error)
        sockets.append(socket)
    context: dict[str, Any] = {"sockets": sockets}
    if plugs:
        context["trial"] = trial_view(attempt(part, tuple(plugs), SECONDS), tuple(plugs), ports)
    return context


def _plug(at: int, socket: Mapping[str, Any]) -> Plug | None:
    """What is plugged into a port; None where nothing is typed. Raises `QuantityError`."""
    if not socket["draw"].strip():
        return None
    draws = [(0.0, _amps(socket["draw"]))]
    if socket["then"].strip():
        after = parse(socket["after"].strip() or "30 s", "s")
        if not 0 < after < SECONDS:
            raise QuantityError(f"it is watched for {stated(SECONDS, 's')}: change the load before that")
        draws.append((after, _amps(socket["then"])))
    wants = parse(socket["wants"], "V") if socket["wants"].strip() else None
    return Plug(at, wants, tuple(draws))


def _amps(text: str) -> float:
    amps = parse(text, "A")
    if not 0 <= amps <= MOST_AMPS:
        raise QuantityError(f"a load draws 0 to {stated(MOST_AMPS, 'A')}")
    return amps
