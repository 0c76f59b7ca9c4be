"""Operating points: power balance, thresholds, and what a breached station says."""

from __future__ import annotations

from django.test import SimpleTestCase
from hypothesis import assume, given
from hypothesis import strategies as st

from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import draw_of, point, section_amps
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.circuit.thresholds import collapse_emf, inverse, threshold
from hermotrope_core.judge.working import inlet_working, runtime_working
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.kinds.lead import lead_ohm
from tests.support import case


class Points(SimpleTestCase):
    def test_power_is_conserved(self) -> None:
        made = case("cases", "tag-reader-two-converters")
        circuit = circuit_of(made)
        now = point(draw_of(circuit, Demand("power", 2.2), 2), circuit.emf(0.6))
        put_in = now.stations[0].volts_in * now.stations[0].amps_in
        heat = sum(s.heat_w for s in now.stations)
        self.assertAlmostEqual(put_in, 2.2 + heat, places=12)
        self.assertEqual([s.stage for s in now.stations], [-1, 0, 1, 2])

    def test_by_hand(self) -> None:
        """12 W through 90 % and 50 mW from 21 V behind 0.125 ohm: P_in = 13.383 W."""
        made = case("cases", "reference-1")
        now = Situation(made).at(made.device.modes[0], 1.0)
        watts = 12 / 0.9 + 0.05
        self.assertAlmostEqual(now.source_a, (21 - (21**2 - 4 * 0.125 * watts) ** 0.5) / 0.25, places=9)
        self.assertAlmostEqual(lead_ohm(1.0, 1.0), 0.03448, places=9)

    def test_limits_do_not_hide_the_currents(self) -> None:
        made = case("cases", "reference-1", **{"path.0.input_min_v": 20.5})
        now = Situation(made).at(made.device.modes[0], 0.5)
        self.assertEqual([b.cause for b in now.breaches], ["converter input too low"])
        self.assertGreater(now.source_a, 0.7)

    @given(
        st.floats(1, 40),
        st.floats(0, 2),
        st.floats(0, 2),
        st.floats(0, 1),
        st.sampled_from(["power", "current", "resistance"]),
        st.floats(0.05, 30),
    )
    def test_a_threshold_is_where_the_tap_stands_at_its_limit(
        self, volts: float, ohm: float, after: float, drop: float, kind: str, value: float
    ) -> None:
        demand = Demand(kind, value)  # type: ignore[arg-type]
        emf = threshold(volts, (ohm, 0.0), (after, drop), demand)
        assume(emf > collapse_emf(ohm + after, drop, demand) + 1e-6)
        amps = section_amps(emf - drop, ohm + after, demand)
        assert amps is not None
        self.assertAlmostEqual(emf - amps * ohm, volts, delta=1e-6 * volts)

    def test_inverse_takes_the_top_of_a_flat_span(self) -> None:
        table = ((0.0, 3.0), (0.4, 3.5), (0.6, 3.5), (1.0, 4.0))
        self.assertEqual(inverse(table, 3.5), 0.6)
        self.assertEqual(inverse(table, 2.9), float("-inf"))
        self.assertEqual(inverse(table, 4.0), float("inf"))
        self.assertAlmostEqual(inverse(table, 3.25), 0.2)


class Workings(SimpleTestCase):
    def test_the_working_ends_at_the_number_it_explains(self) -> None:
        for name in (
            "tag-reader-two-converters",
            "sampling-boat-direct",
            "signal-lamp-through-diode",
            "path-lights-through-resistor",
        ):
            made = case("cases", name)
            situation = Situation(made)
            mode = made.device.modes[0]
            now = situation.at(mode, 0.4)
            made_working = inlet_working(situation, 0.4, mode.name, Demand(mode.kind, mode.draw))  # type: ignore[arg-type]
            with self.subTest(name):
                self.assertEqual(made_working.steps[-1].result, made_working.result)
                self.assertIn(f"{now.inlet_v:.3g}"[:3], made_working.result)
                self.assertTrue(all(given.known_by for given in made_working.givens))
                runtime = runtime_working(situation)
                assert runtime is not None
                self.assertEqual(runtime.steps[-1].result, runtime.result)

    def test_a_collapse_is_said(self) -> None:
        made = case("cases", "printer-on-coin-cells")
        self.assertIn("collapses", inlet_working(Situation(made), 1.0, "printing", Demand("power", 9.0)).remarks[0])
