"""Finished cases drawn from a seed, out of few round figures: parts of every kind in every order, limits often met.

Whatever is computed twice is held against itself over them, and what is computed once against what it was: figures that
meet each other exactly turn up by themselves, which cases written by hand avoid.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from typing import Any

from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.document import CaseError, case_from

VOLTS = (3.0, 3.3, 5.0, 6.0, 7.4, 9.0, 12.0, 12.6, 13.8, 15.0, 19.0, 24.0)
AMPS = (0.02, 0.05, 0.1, 0.25, 0.5, 1.0, 2.0, 3.0, 5.0)
OHMS = (0.0, 0.01, 0.02, 0.05, 0.1, 0.5, 1.0)
WATTS = (0.1, 0.5, 1.0, 2.0, 5.0, 10.0, 24.0, 60.0)
SECONDS = (0.2, 1.0, 5.0, 30.0, 60.0, 600.0, 3600.0)
PACKS = (
    ("alkaline", (2, 4, 6, 8)), ("nimh", (4, 5, 6, 10)), ("li-ion", (1, 2, 3, 5)), ("lifepo4", (2, 4)),
    ("lead-acid", (3, 6)), ("li-ion", (1, 3, 5)),
)  # fmt: skip
WARM = (-12.0, 4.0, 20.0, 25.0, 38.0)
KINDS = (
    "fuse", "switch", "cut-off", "converter", "converter", "converter", "linear", "diode", "resistor",
    "lead", "lead", "keep-alive", "voltmeter", "changeover",
)  # fmt: skip
VOLTS_OF = {"alkaline": 1.5, "nimh": 1.25, "li-ion": 3.6, "lifepo4": 3.2, "lead-acid": 2.0}
SLEEPS = {"output_min_current_a": (0.05, 0.2), "output_off_delay_s": SECONDS}
TRAITS = ("electronics", "writes-storage", "receiver", "ridden", "child", "life-safety", "near-water", "motor")


class Draw:
    """One case; each figure is there or missing by a throw."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)
        self.volts = 0.0

    def some(self, chance: float = 0.5) -> bool:
        return self.random.random() < chance

    def of(self, values: tuple[Any, ...]) -> Any:
        return self.random.choice(values)

    def maybe(self, tree: dict[str, Any], chance: float = 0.5, **values: tuple[Any, ...]) -> dict[str, Any]:
        return tree | {name: self.of(those) for name, those in values.items() if self.some(chance)}

    def case(self) -> dict[str, Any]:
        chemistry, cells = self.of(PACKS)
        source = self.source(chemistry, cells)
        held = source.get("regulated_output", {}).get("output_v")
        self.volts = held or source.get("full_v") or VOLTS_OF[chemistry] * source["cells_in_series"]
        path = [self.stage() for _ in range(self.random.randrange(7))]
        made = {"format": FORMAT, "title": "drawn", "device": self.device(), "source": source, "path": path}
        modes = [mode["name"] for mode in made["device"]["modes"] if self.some(0.7)] or ["mode 0"]
        repeat = [{"mode": mode, "seconds": self.of(SECONDS)} for mode in modes]
        made["duty"] = self.maybe({"repeat": repeat}, 0.1, once=(True,))
        made["conditions"] = self.maybe({"temperature_c": self.of(WARM)}, enclosure=("closed",))
        return made

    def near(self, low: float, high: float) -> Any:
        """One of the round volts between shares of those that stand here; any of them where there is none."""
        return self.of(tuple(v for v in VOLTS if low * self.volts <= v <= high * self.volts) or VOLTS)

    def device(self, told: float = 0.8) -> dict[str, Any]:
        """A device; each of its volts is known with the chance `told`."""
        window = sorted((self.near(0.3, 0.9), self.near(0.8, 1.2), self.near(1.0, 2.0), self.near(1.1, 3.0)))
        names = ("min_v", "nominal_v", "max_v", "absolute_max_v")
        supply = {name: volts for name, volts in zip(names, window, strict=True) if self.some(told)}
        device = {"name": "Device", "supply": supply, "modes": [self.mode(i) for i in range(self.of((1, 1, 2, 3)))]}
        if self.some():
            device["traits"] = sorted(self.random.sample(TRAITS, self.of((1, 2, 4))))
        if self.some(0.15):
            device["internal_battery"] = self.maybe({"energy_wh": self.of(WATTS)}, takes_over=(True,))
        return self.maybe(
            device, 0.25, switched_inlet=(True,), ends=("clean", "abrupt", "resets"), low_warning=(True, False),
            rectifies=(True,), input_capacitance_f=(1e-4, 1e-3, 0.01), charges_source=(True,),
        )  # fmt: skip

    def mode(self, number: int) -> dict[str, Any]:
        kind = self.of(("power", "current", "resistance", "led", "motor"))
        mode: dict[str, Any] = {"name": f"mode {number}", "kind": kind}
        if kind == "power":
            mode["power_w"] = self.of(WATTS)
        elif kind == "resistance":
            mode["resistance_ohm"] = self.of((2.0, 6.0, 12.0, 100.0))
        else:
            mode["current_a"] = self.of(AMPS)
        if kind in ("led", "motor"):
            mode["at_v"] = self.near(0.7, 1.3)
        if kind == "led":
            mode["fade_v"] = mode["at_v"] * self.of((0.5, 0.8))
        if kind == "motor":
            mode |= self.maybe({}, torque=("steady", "with-speed"), no_load_share=(0.1, 0.25), stall_a=(2.0, 5.0))
        return self.maybe(mode, 0.2, peak_a=AMPS, peak_s=SECONDS, on_share=(0.1, 0.5))

    def adapter(self) -> dict[str, Any]:
        volts = self.of(VOLTS)
        adapter = {"name": "Adapter", "chemistry": "mains-adapter", "cells_in_series": 1, "capacity_ah": 1,
                   "resistance_ohm": self.of((0.0, 0.5)), "cutoff_v": 0, "ocv": [[0.0, volts], [1.0, volts]],
                   "full_v": volts}  # fmt: skip
        return self.maybe(adapter, max_current_a=AMPS, peak_current_a=AMPS)

    def source(self, chemistry: str, cells: tuple[int, ...]) -> dict[str, Any]:
        if self.some(0.08):
            return self.adapter()
        count = self.of(cells)
        pack = {
            "name": "Pack", "chemistry": chemistry, "cells_in_series": count, "capacity_ah": self.of((0.5, 2.0, 5.0)),
            "resistance_ohm": self.of(OHMS),
            "cutoff_v": round(count * VOLTS_OF[chemistry] * self.of((0.0, 0.7, 0.8)), 2),
        }  # fmt: skip
        if self.some(0.3):
            pack["regulated_output"] = self.maybe(
                {"output_v": self.of((5.0, 12.0)), "efficiency": self.of((0.8, 0.9))}, quiescent_w=(0.0, 0.1),
                output_current_max_a=(1.0, 2.0, 3.0), output_min_current_a=(0.05, 0.1), output_off_delay_s=SECONDS,
            )  # fmt: skip
            if self.some(0.4):
                most = self.of((1.5, 3.0))
                profiles = [{"output_v": volts, "output_current_max_a": most} for volts in (5.0, 9.0, 12.0)]
                pack["ports"] = [self.maybe({"name": "C", "kind": "usb-c", "profiles": profiles}, 0.3, **SLEEPS)]
        return self.maybe(
            pack, 0.25, max_current_a=AMPS, peak_current_a=AMPS, low_voltage_cut_off=(True, False), price=(20.0,),
            state_of_health=(0.7, 0.9), initial_soc=(0.5, 0.9), reserve_soc=(0.1, 0.2), peukert=(1.1, 1.2),
            cell_size=("AA", "18650"), mixed_cells=(True,), mass_g=(300.0,),
            resistance_by_soc=([[0.0, 2.0], [0.2, 1.2], [1.0, 1.0]],),
        )  # fmt: skip

    def stage(self) -> dict[str, Any]:
        kind = self.of(KINDS)
        return {"stage": kind} | self.stages()[kind]()

    def stages(self) -> dict[str, Callable[[], dict[str, Any]]]:
        return {
            "fuse": lambda: self.maybe({"rating_a": self.of((0.5, 1.0, 3.0, 5.0)), "resistance_ohm": self.of(OHMS)},
                                       rating_v=VOLTS, built_in=(True,)),
            "switch": lambda: self.maybe({"resistance_ohm": self.of(OHMS)}, rating_v=VOLTS, rating_a=AMPS),
            "cut-off": lambda: self.maybe({"trips_v": self.near(0.4, 0.95)}, rating_a=AMPS),
            "converter": self.converter,
            "linear": self.linear,
            "diode": lambda: {"forward_v": self.of((0.3, 0.7)), "count": self.of((1, 2, 3))},
            "resistor": lambda: self.maybe({"resistance_ohm": self.of((0.1, 1.0, 10.0))}, rating_w=WATTS),
            "lead": self.lead,
            "keep-alive": lambda: {"current_a": self.of(AMPS)},
            "voltmeter": lambda: self.maybe({"current_a": self.of((0.005, 0.02))}, warns_v=(self.near(0.5, 1.0),),
                                            rating_v=VOLTS),
            "changeover": lambda: self.maybe({"other_v": self.near(0.8, 1.5)}, other_a=AMPS, by_itself=(True,),
                                             isolates=(True, False), gap_s=(0.01, 1.0), rating_a=AMPS),
        }  # fmt: skip

    def lead(self) -> dict[str, Any]:
        wire = {"length_m": self.of((0.3, 0.5, 1.0, 5.0)), "area_mm2": self.of((0.14, 0.5, 1.5))}
        return self.maybe(wire, 0.2, swaps_polarity=(True,), bought=(True,))

    def linear(self) -> dict[str, Any]:
        before, held = self.volts, self.near(0.3, 0.9)
        self.volts = min(before, held)
        board = {"output_v": held, "dropout_v": self.of((0.3, 1.0, 2.0)), "quiescent_a": self.of((0.0, 0.005))}
        return self.maybe(board, output_current_max_a=AMPS[3:], thermal_k_per_w=(10.0, 50.0))

    def converter(self) -> dict[str, Any]:
        if self.some(0.1):
            self.volts = self.of((5.0, 9.0, 12.0, 15.0))
            return {"topology": "trigger", "output_v": self.volts, "efficiency": 0.99, "output_current_max_a": 3}
        kind = self.of(("buck", "boost", "buck-boost"))
        board = {
            "topology": kind, "output_v": self.near(*{"buck": (0.3, 1.0), "boost": (1.0, 3.0)}.get(kind, (0.5, 2.0))),
            "efficiency": self.of((0.85, 0.9, [[0.1, 0.6], [1.0, 0.9]])), "quiescent_w": self.of((0.0, 0.05, 0.2)),
        }  # fmt: skip
        limits = {"input_min_v": (self.near(0.3, 0.9),), "input_max_v": (self.near(1.1, 4.0),)}
        self.volts = board["output_v"]
        return self.maybe(
            board, **limits, headroom_v=(0.0, 1.0), in_dropout=("stops", "passes"),
            output_current_max_a=AMPS[4:], thermal_k_per_w=(10.0, 50.0), thermal_enclosure=("closed",),
        )  # fmt: skip


def drawn_cases(count: int) -> list[tuple[int, Case]]:
    """So many cases that a document may hold, each with its seed."""
    found: list[tuple[int, Case]] = []
    seed = 0
    while len(found) < count:
        seed += 1
        try:
            found.append((seed, case_from(Draw(seed).case())))
        except CaseError:
            continue
    return found
