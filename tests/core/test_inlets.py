"""Cell bays, the pins of round connectors, and the simulated bank."""

from __future__ import annotations

import itertools
import random

from django.test import SimpleTestCase

from hermotrope_core.kinds.inlets import CellBay, Connector, PinReading
from hermotrope_core.know.bank import Plug, attempt, fed_from
from hermotrope_core.know.bay import BayError, in_series, plan_of
from hermotrope_core.know.pins import nets_of
from hermotrope_core.plan.case import planned
from hermotrope_core.plan.source import Port, Profile, RegulatedOutput, Source
from tests.support import case


def four(**more: object) -> CellBay:
    """Four C cells in series, alternating, wires from both ends."""
    facts: dict[str, object] = {
        "size": "C",
        "slots": ("up", "down", "up", "down"),
        "links": in_series(4),
        "leads": ("1-", "4+"),
    }
    return CellBay(**(facts | more))  # type: ignore[arg-type]


class Bays(SimpleTestCase):
    def test_four_in_series(self) -> None:
        plan = plan_of(four())
        self.assertEqual((plan.cells_in_series, plan.strings, plan.minus, plan.plus), (4, ((1, 2, 3, 4),), "1-", "4+"))
        kinds = [(d.kind, d.wires) for d in plan.dummies]
        insulating = ("insulating", ())
        self.assertEqual(kinds, [("fed", ("1-",)), insulating, insulating, ("fed", ("4+",))])

    def test_the_string_order_follows_the_links_and_not_the_numbers(self) -> None:
        plan = plan_of(four(links=(("3+", "1-"), ("1+", "4-"), ("2-", "4+")), leads=("2+", "3-")))
        self.assertEqual(plan.strings, ((3, 1, 4, 2),))
        self.assertEqual((plan.minus, plan.plus), ("3-", "2+"))

    def test_any_order_of_slots_is_found(self) -> None:
        rng = random.Random(7)
        for _ in range(200):
            order = rng.sample(range(1, 9), rng.randint(2, 8))
            links = [(f"{a}+", f"{b}-") for a, b in itertools.pairwise(order)]
            links = [rng.choice([(a, b), (b, a)]) for a, b in rng.sample(links, len(links))]
            made = CellBay(size="AA", slots=("up",) * 8, links=tuple(links), leads=(f"{order[-1]}+", f"{order[0]}-"))
            plan = plan_of(made)
            self.assertEqual(plan.strings, (tuple(order),))
            self.assertEqual(set(plan.unused), set(range(1, 9)) - set(order))

    def test_both_wires_in_one_slot_need_the_others_through(self) -> None:
        plan = plan_of(four(fed_slot=2))
        self.assertEqual([d.kind for d in plan.dummies], ["through", "fed", "through", "through"])
        self.assertEqual(plan.dummies[1].wires, ("2-", "2+"))

    def test_two_strings_side_by_side(self) -> None:
        links = (("1+", "2-"), ("3+", "4-"), ("2+", "4+"), ("1-", "3-"))
        plan = plan_of(four(links=links, leads=("1-", "2+")))
        self.assertEqual((plan.cells_in_series, plan.strings), (2, ((1, 2), (3, 4))))
        through = plan_of(four(links=links, leads=("1-", "2+"), fed_slot=1))
        self.assertEqual([d.kind for d in through.dummies], ["fed", "through", "insulating", "insulating"])

    def test_one_slot_takes_both_wires(self) -> None:
        plan = plan_of(CellBay(size="D", slots=("up",), leads=("1+", "1-")))
        self.assertEqual(plan.dummies[0].wires, ("1-", "1+"))

    def test_a_tap_is_found_and_gets_no_dummies(self) -> None:
        plan = plan_of(four(leads=("1-", "4+", "2+")))
        self.assertEqual([(tap.contact, tap.cells) for tap in plan.taps], [("2+", 2)])
        self.assertEqual(plan.dummies, ())
        again = plan_of(four(leads=("1-", "4+", "4+")))
        self.assertEqual(again.taps, ())

    def test_what_makes_no_sense_is_told(self) -> None:
        for words, changes in (
            ("short slot 1", {"links": (("1+", "1-"),)}),
            ("against other cells", {"links": (("1+", "2-"), ("2+", "1-"))}),
            ("two at least", {"leads": ("1-",)}),
            ("two circuits", {"links": in_series(3)}),
            ("same net", {"leads": ("1+", "2-")}),
            ("in no string", {"links": in_series(3), "leads": ("1-", "3+"), "fed_slot": 4}),
        ):
            with self.subTest(words), self.assertRaisesMessage(BayError, words):
                plan_of(four(**changes))


def seven(*readings: tuple[int, int, float | None]) -> Connector:
    made = tuple(PinReading(red=r, black=b, reading_v=v, joined=v is None) for r, b, v in readings)
    return Connector(kind="pins", pin_count=7, arc_deg=270.0, readings=made)


class Pins(SimpleTestCase):
    def test_plus_and_minus_with_pins_that_share_a_net(self) -> None:
        nets = nets_of(seven((1, 2, None), (1, 3, 12.1), (4, 3, 0.0), (1, 4, 0.01), (5, 3, 12.1)))
        self.assertEqual((nets.plus, nets.minus, nets.silent), ((1, 2, 5), (3,), (4,)))
        self.assertEqual(nets.unknown, (6, 7))
        self.assertTrue(nets.settled)

    def test_the_sign_decides_and_not_the_probe(self) -> None:
        self.assertEqual(nets_of(seven((1, 3, -12.1))).plus, (3,))

    def test_a_second_voltage_is_found(self) -> None:
        nets = nets_of(seven((1, 3, 12.0), (2, 3, 5.0)))
        self.assertEqual(nets.others, ((2, 5.0),))

    def test_a_contradiction_is_told(self) -> None:
        nets = nets_of(seven((1, 3, 12.0), (2, 3, 5.0), (1, 2, 3.0)))
        self.assertIn("take it again", nets.conflict)
        self.assertFalse(nets.settled)

    def test_a_beep_that_contradicts_volts_is_named_and_takes_nothing_else_away(self) -> None:
        beep, apart = PinReading(red=1, black=3, joined=True), PinReading(red=2, black=3, open=True)
        read = PinReading(red=1, black=3, reading_v=20.1)
        other = PinReading(red=2, black=4, reading_v=20.1)
        for readings in itertools.permutations((beep, read, other)):
            nets = nets_of(Connector(kind="pins", pin_count=4, arc_deg=360.0, readings=readings))
            self.assertIn("pins 1 and 3 beeped as joined and 20.1 V", nets.conflict)
            self.assertEqual((nets.plus, nets.minus), ((2,), (4,)))
            self.assertFalse(nets.settled)
        joined = Connector(
            kind="pins", pin_count=4, arc_deg=360.0, readings=(apart, PinReading(red=2, black=3, joined=True))
        )
        self.assertIn("read OL", nets_of(joined).conflict)

    def test_nothing_and_ol_both_count_as_read(self) -> None:
        ol = [PinReading(red=2, black=pin, open=True) for pin in (1, 3)]
        nothing = [PinReading(red=4, black=pin, reading_v=0.0) for pin in (1, 3)]
        half = PinReading(red=5, black=1, open=True)
        read = (PinReading(red=1, black=3, reading_v=12.0), *ol, *nothing, half)
        nets = nets_of(Connector(kind="pins", pin_count=5, arc_deg=360.0, readings=read))
        self.assertEqual((nets.silent, nets.half, nets.unknown), ((2, 4), (5,), (5,)))

    def test_the_readings_asked_for_settle_every_connector(self) -> None:
        """Following what is asked next, with a meter on a random plug, ends with plus and minus right."""
        rng = random.Random(3)
        for _ in range(100):
            count = rng.randint(2, 9)
            volts = {pin: rng.choice([0.0, 12.0, None]) for pin in range(1, count + 1)}
            volts |= dict(zip(rng.sample(range(1, count + 1), 2), (0.0, 12.0), strict=True))
            readings: list[PinReading] = []
            for _ in range(60):
                nets = nets_of(Connector(kind="pins", pin_count=count, arc_deg=360.0, readings=tuple(readings)))
                if nets.next_reading is None:
                    break
                red, black = nets.next_reading
                a, b = volts[red], volts[black]
                readings.append(PinReading(red=red, black=black, reading_v=0.0 if a is None or b is None else a - b))
            self.assertEqual(set(nets.plus), {pin for pin, v in volts.items() if v == 12.0})
            self.assertEqual(set(nets.minus), {pin for pin, v in volts.items() if v == 0.0})
            self.assertEqual(set(nets.silent), {pin for pin, v in volts.items() if v is None})


def a_bank() -> Source:
    fast = Port(
        name="C1",
        kind="usb-c",
        profiles=(Profile(output_v=5.0, output_current_max_a=3.0), Profile(output_v=12.0, output_current_max_a=1.5)),
    )
    plain = Port(
        name="A1",
        kind="usb-a",
        profiles=(Profile(output_v=5.0, output_current_max_a=2.0),),
        output_min_current_a=0.06,
        output_off_delay_s=30.0,
    )
    return Source(
        name="bank", chemistry="li-ion", cells_in_series=1, capacity_ah=20.0, resistance_ohm=0.05, cutoff_v=3.0,
        ports=(fast, plain), ports_power_max_w=20.0, regulated_output=RegulatedOutput(output_v=5.0, efficiency=0.9),
    )  # fmt: skip


class Banks(SimpleTestCase):
    def kinds(self, *plugs: Plug, seconds: float = 120.0) -> list[tuple[float, str]]:
        return [(round(event.at_s, 2), event.kind) for event in attempt(a_bank(), plugs, seconds).events]

    def test_it_negotiates(self) -> None:
        trial = attempt(a_bank(), (Plug(0, 12.0, ((0.0, 1.0),)),), 60.0)
        self.assertEqual(trial.volts, (((0.0, 5.0), (0.6, 12.0)),))

    def test_it_stays_at_five_where_it_has_no_such_profile(self) -> None:
        self.assertEqual(self.kinds(Plug(0, 20.0, ((0.0, 1.0),))), [(0.0, "gives"), (0.6, "cannot")])

    def test_it_trips_just_above_its_limit(self) -> None:
        self.assertEqual(self.kinds(Plug(1, None, ((0.0, 2.0),))), [(0.0, "gives")])
        self.assertEqual(self.kinds(Plug(1, None, ((0.0, 2.01),))), [(0.0, "gives"), (0.1, "trips")])

    def test_it_falls_asleep_under_its_threshold(self) -> None:
        asleep = [(0.0, "gives"), (70.0, "sleeps")]
        self.assertEqual(self.kinds(Plug(1, None, ((0.0, 0.2), (40.0, 0.05)))), asleep)
        self.assertEqual(self.kinds(Plug(1, None, ((0.0, 0.2), (40.0, 0.05), (69.0, 0.1)))), [(0.0, "gives")])
        self.assertEqual(self.kinds(Plug(0, None, ((0.0, 0.01),))), [(0.0, "gives")])

    def test_all_ports_together_have_a_limit(self) -> None:
        plugs = Plug(0, 12.0, ((0.0, 1.2),)), Plug(1, None, ((0.0, 0.5), (10.0, 1.5)))
        trial = attempt(a_bank(), plugs, 60.0)
        self.assertEqual((trial.events[-1].kind, round(trial.events[-1].at_s, 2)), ("trips", 10.1))
        self.assertEqual([steps[-1][1] for steps in trial.volts], [0.0, 0.0])

    def test_a_port_in_use_is_what_the_case_computes_with(self) -> None:
        source = fed_from(a_bank(), 0, 1)
        held = source.regulated_output
        assert held is not None
        self.assertEqual((held.output_v, held.output_current_max_a, held.output_min_current_a), (12.0, 1.5, None))
        with self.assertRaises(ValueError):
            fed_from(a_bank(), 2, 0)


class PlanOn(SimpleTestCase):
    def test_what_it_is_planned_on(self) -> None:
        def modes(**changes: object) -> list[str]:
            return [s.mode for s in planned(case("judgements", "all-well", **changes)).duty.repeat]

        names = [mode.name for mode in case("judgements", "all-well").device.modes]
        self.assertEqual(modes(), modes(plan_on="duty"))
        self.assertEqual(len(modes(plan_on="maximum")), 1)
        self.assertIn(modes(plan_on="typical")[0], names)
        marked = modes(**{"plan_on": "maximum", "device.modes.0.stands_for": "maximum"})
        self.assertEqual(marked, [names[0]])
