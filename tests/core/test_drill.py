"""The drill: readings obey Ohm's law, every fault can be found without harm, a wrong power-up is told."""

from __future__ import annotations

from math import inf, log2

from django.test import SimpleTestCase, tag

from hermotrope_core.prove.drill_levels import SHIPPED, level
from hermotrope_core.prove.drill_line import LINES, NEEDS, WORDS, FaultKind, Line
from hermotrope_core.prove.drill_meter import OUTPUT_OHM, PART_OHM, SHUNT_OHM, Mode, Probe, State, read
from hermotrope_core.prove.drill_tells import alike, best, best_readings, left, power_up, usual, worth
from tests.lanes import SLOW

LAMP, MOUNT, BANK = LINES[0], LINES[1], LINES[2]
FULL, HELD, LOADED = State(), State(switch=False), State(load=True)
OUT = State(pack=False)


def shows(line: Line, kind: FaultKind, red: str, black: str, state: State = FULL, mode: Mode = "V") -> float:
    at = line.points()
    return read(line, usual(kind), Probe(at.index(red), at.index(black), mode, state)).value


class Meter(SimpleTestCase):
    def test_volts_of_a_sound_line_follow_from_its_resistances(self) -> None:
        self.assertAlmostEqual(shows(LAMP, "none", "pack +", "pack -"), LAMP.pack_v, places=2)
        amps = LAMP.pack_v / (LAMP.pack_ohm + 2 * PART_OHM + 2 * LAMP.lead_ohm + LAMP.load_ohm)
        self.assertAlmostEqual(shows(LAMP, "none", "plug +", "plug -", LOADED), amps * LAMP.load_ohm, places=2)
        at_pack = LAMP.pack_v - amps * LAMP.pack_ohm
        self.assertAlmostEqual(shows(LAMP, "none", "pack +", "pack -", LOADED), at_pack, places=2)
        over_switch = shows(LAMP, "none", "behind the fuse", "behind the switch", LOADED)
        self.assertAlmostEqual(over_switch, amps * PART_OHM, places=2)
        self.assertAlmostEqual(shows(LAMP, "none", "plug -", "plug +"), -LAMP.pack_v, places=2)

    def test_the_switch_and_a_converter(self) -> None:
        self.assertLess(abs(shows(LAMP, "none", "plug +", "plug -", HELD)), 0.05)
        loaded = shows(MOUNT, "none", "behind the converter", "pack -", LOADED)
        lost = OUTPUT_OHM * MOUNT.set_v / (MOUNT.load_ohm + 2 * MOUNT.lead_ohm)
        self.assertAlmostEqual(loaded, MOUNT.set_v - lost, delta=0.01)
        drop = MOUNT.pack_v - shows(MOUNT, "none", "pack +", "pack -", LOADED)
        watts = loaded**2 / (MOUNT.load_ohm + 2 * MOUNT.lead_ohm)
        self.assertAlmostEqual(drop / MOUNT.pack_ohm, watts / 0.9 / (MOUNT.pack_v - drop), delta=0.05)

    def test_ohms_want_the_pack_out_and_name_open_and_closed(self) -> None:
        at = LAMP.points()
        self.assertEqual(read(LAMP, usual("none"), Probe(0, 1, "Ω")).event, "live")
        self.assertAlmostEqual(shows(LAMP, "none", "pack +", "behind the fuse", OUT, "Ω"), PART_OHM, places=2)
        self.assertEqual(shows(LAMP, "no-link", "pack +", "behind the fuse", OUT, "Ω"), inf)
        self.assertAlmostEqual(shows(LAMP, "short", "plug +", "plug -", OUT, "Ω"), PART_OHM, places=2)
        self.assertEqual(shows(LAMP, "none", "plug +", "plug -", OUT, "Ω"), inf)
        joint = shows(LAMP, "dry-joint", "behind the switch", "plug +", OUT, "Ω")
        self.assertAlmostEqual(joint, 6.0 + LAMP.lead_ohm, places=2)
        self.assertEqual(len(at), 6)

    def test_amperes_across_the_pack_open_the_meters_fuse(self) -> None:
        at = LAMP.points()
        self.assertEqual(read(LAMP, usual("none"), Probe(0, len(at) - 1, "A")).event, "meter-fuse")
        in_line = shows(LAMP, "no-link", "pack +", "behind the fuse", LOADED, "A")
        total = LAMP.pack_ohm + SHUNT_OHM + PART_OHM + 2 * LAMP.lead_ohm + LAMP.load_ohm
        self.assertAlmostEqual(in_line, LAMP.pack_v / total, places=2)

    def test_a_dry_joint_shows_only_under_load_and_a_bank_sleeps_without(self) -> None:
        self.assertAlmostEqual(shows(LAMP, "dry-joint", "plug +", "plug -"), LAMP.pack_v, places=2)
        self.assertLess(shows(LAMP, "dry-joint", "plug +", "plug -", LOADED), 0.7 * LAMP.pack_v)
        self.assertLess(shows(BANK, "sleepy", "pack +", "pack -"), 0.1)
        self.assertLess(shows(LAMP, "weak-pack", "pack +", "pack -", LOADED), 0.9 * LAMP.pack_v)
        self.assertEqual(read(LAMP, usual("short"), Probe(0, 5, "V")).event, "fuse")

    def test_swapped_at_either_end(self) -> None:
        self.assertAlmostEqual(shows(LAMP, "reversed-plug", "plug +", "plug -"), -LAMP.pack_v, places=2)
        self.assertAlmostEqual(shows(LAMP, "reversed-plug", "pack +", "pack -"), LAMP.pack_v, places=2)
        self.assertAlmostEqual(shows(LAMP, "reversed-pack", "pack +", "pack -"), -LAMP.pack_v, places=2)


@tag("slow")
class Worth(SimpleTestCase):
    def test_bits_are_those_of_the_parting(self) -> None:
        probe = Probe(LAMP.points().index("plug +"), LAMP.points().index("plug -"), "V", HELD)
        self.assertAlmostEqual(worth(LAMP, ("none", "stuck-switch"), probe), 1.0)
        self.assertAlmostEqual(worth(LAMP, ("none", "no-link"), probe), 0.0)
        three = worth(LAMP, ("none", "no-link", "stuck-switch"), probe)
        self.assertAlmostEqual(three, -(2 / 3 * log2(2 / 3) + 1 / 3 * log2(1 / 3)))
        self.assertIsNone(best(LAMP, ("none",)))

    def test_every_fault_of_every_line_is_found_by_the_best_readings_and_without_harm(self) -> None:
        for line in LINES if SLOW else (LAMP, LINES[4]):
            for kind in line.faults():
                with self.subTest(line.name, kind=kind):
                    found = best_readings(line, usual(kind))
                    self.assertEqual(found[-1][1], (kind,))
                    self.assertLessEqual(len(found), 6)
                    self.assertFalse(any(read(line, usual(kind), one.probe).event for one, _ in found))
                    self.assertEqual(alike(line, kind), (kind,))
                    falls = [len(kinds) for _, kinds in found]
                    self.assertEqual(falls, sorted(falls, reverse=True))

    def test_every_level_is_solvable_within_its_readings(self) -> None:
        every = range(1, len(SHIPPED) + 1) if SLOW else (1, 2, 4, 8)
        keys = [str(i) for i in every] + [f"s{i}" for i in range(12 if SLOW else 2)]
        for key in keys:
            playing = level(key)
            with self.subTest(key, kind=playing.hidden.kind):
                found = best_readings(playing.line, playing.hidden)
                self.assertEqual(found[-1][1], (playing.hidden.kind,))
                self.assertLess(len(found), playing.readings)

    def test_a_reading_never_leaves_out_the_fault_that_made_it(self) -> None:
        for kind in MOUNT.faults():
            for probe in (Probe(0, 6, "V"), Probe(4, 5, "V", LOADED), Probe(4, 5, "Ω", OUT)):
                self.assertIn(kind, left(MOUNT, MOUNT.faults(), probe, read(MOUNT, usual(kind), probe)))


class PowerUp(SimpleTestCase):
    def test_what_harms_is_told_and_what_does_not_is_not_called_harm(self) -> None:
        harms = {"reversed-plug", "reversed-pack", "stuck-switch", "short", "set-high"}
        for line in LINES:
            for kind in line.faults():
                told = power_up(line, usual(kind))
                with self.subTest(line.name, kind=kind):
                    self.assertEqual(told.harm, kind in harms)
                    if kind not in ("weak-pack", "dry-joint"):  # those may run, for a while
                        self.assertEqual(told.says == "It runs.", kind == "none")

    def test_levels_have_names_sizes_and_bounds(self) -> None:
        self.assertEqual(len(SHIPPED), 10)
        self.assertEqual(level("s7"), level("s7"))
        for key in ("0", "11", "", "s", "x", "s-1", "²", "s99999999999"):
            with self.subTest(key), self.assertRaises(ValueError):
                level(key)
        self.assertLessEqual(set(NEEDS), set(WORDS))
        for line in LINES:
            self.assertNotIn("sleepy" if not line.bank else "", line.faults())
