"""Shelves and requests made up at random, for the tests of Match and its benchmark."""

from __future__ import annotations

import json
import random
from typing import Any

from hermotrope_core.match.request import Request, read_request


def sources(n: int, rng: random.Random) -> list[dict[str, Any]]:
    """Packs of every usual chemistry and count of cells, and banks with negotiated ports."""
    kinds = (("li-ion", 3.0, (1, 2, 3, 4, 5, 6, 7, 10)), ("lifepo4", 2.5, (4, 8)), ("nimh", 1.0, (6, 8, 10, 12)),
             ("lead-acid", 1.75, (3, 6, 12)), ("alkaline", 0.8, (4, 6, 8, 10)))  # fmt: skip
    made: list[dict[str, Any]] = []
    for i in range(n):
        chemistry, cutoff, counts = kinds[rng.choices(range(5), (8, 3, 2, 2, 2))[0]]
        cells = rng.choice(counts)
        source = {
            "name": f"pack {i}", "chemistry": chemistry, "cells_in_series": cells,
            "capacity_ah": round(rng.uniform(0.8, 20), 2), "resistance_ohm": round(cells * rng.uniform(0.008, 0.06), 4),
            "cutoff_v": round(cells * cutoff, 2), "max_current_a": rng.choice((3, 5, 10, 20, 30)),
            "low_voltage_cut_off": rng.random() < 0.7, "mass_g": rng.randint(100, 3000), "price": rng.randint(5, 90),
            "outlet": {"kind": "leads", "polarity": "marked", "measured": True},
        }  # fmt: skip
        if rng.random() < 0.15:
            port = {"output_v": 5, "efficiency": 0.87, "quiescent_w": 0.1, "output_current_max_a": 3}
            profiles = [{"output_v": v, "output_current_max_a": 3} for v in (5, 9, 12, 15)]
            source |= {
                "chemistry": "li-ion", "cells_in_series": 1, "cutoff_v": 3.0, "resistance_ohm": 0.03,
                "regulated_output": port, "ports": [{"name": "C", "kind": "usb-c", "profiles": profiles}],
            }  # fmt: skip
            del source["max_current_a"]
        made.append(source)
    return made


def converters(n: int, rng: random.Random) -> list[dict[str, Any]]:
    """Boards of the three kinds from 1 to 15 A, and a few trigger boards and inverters."""
    made: list[dict[str, Any]] = [
        {"stage": "converter", "topology": "trigger", "output_v": v, "efficiency": 0.99, "output_current_max_a": 3}
        for v in (9, 12, 15)
    ]
    made.append({"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.85, "quiescent_w": 4,
                 "input_min_v": 10.5, "input_max_v": 15, "output_current_max_a": 0.65})  # fmt: skip
    while len(made) < n:
        topology = rng.choice(("buck", "buck", "boost", "buck-boost"))
        amps = rng.choice((1, 2, 3, 5, 8, 15))
        board = {
            "stage": "converter", "topology": topology, "output_v": 12, "efficiency": round(rng.uniform(0.82, 0.95), 3),
            "quiescent_w": round(rng.uniform(0.02, 0.3), 3), "input_min_v": rng.choice((3, 4.5, 8)),
            "input_max_v": rng.choice((20, 28, 36, 60)), "output_current_max_a": amps,
            "thermal_k_per_w": round(60 / amps, 1),
        }  # fmt: skip
        made.append(board | ({"headroom_v": 1.0} if topology == "buck" else {}))
    return made


def request(packs: int, boards: int, seed: int = 7, plain: tuple[dict[str, Any], ...] = (), **device: Any) -> Request:
    """A request for a steady 24 W at 12 V, or for another device; `plain` are stages that lie there beside boards."""
    rng = random.Random(seed)
    device = {
        "name": "Pan mount", "supply": {"min_v": 10.5, "nominal_v": 12, "max_v": 15, "absolute_max_v": 16},
        "modes": [{"name": "slew", "kind": "power", "power_w": 24}],
        "inlet": {"kind": "barrel", "polarity": "centre-positive", "measured": True}, "ends": "clean",
    } | device  # fmt: skip
    tree = {
        "format": "hermotrope-case/1", "device": device,
        "duty": {"repeat": [{"mode": mode["name"], "seconds": 600} for mode in device["modes"]]},
        "shelf": {"sources": sources(packs, rng), "stages": [*converters(boards, rng), *plain]},
    }  # fmt: skip
    return read_request(json.dumps(tree))
