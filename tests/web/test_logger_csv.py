"""Log files of all kinds: recognised, shown, read."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import msgspec
import numpy as np
from django.test import tag

from hermotrope.formats.log_rows import read_log
from hermotrope.formats.logger_csv import LogError, recognise, written_log
from tests.support import alone

SEMICOLONS = (
    "Logger 7\nSerial;1234\nTime [s];U [V];I [mA]\n"
    "0,0;20,95;512,3\n1,0;20,94;511,0\n2,0;20,94;510,0\n3,0;20,93;509,9\n60,5;20,80;511\n61,5;20,79;500\n"
)


TIMES = (
    (
        "iso",
        "timestamp,voltage,current\n2026-06-03T10:00:00Z,12.6,1\n"
        "2026-06-03T10:00:05Z,12.5,1\n2026-06-03T10:00:10Z,12.5,1\n",
        [0, 5, 10],
    ),
    (
        "zone",
        "t,U\n2026-06-03 23:59:58+02:00,12.6\n2026-06-03 23:59:59+02:00,12.6\n2026-06-04 00:00:00+02:00,12.6\n",
        [0, 1, 2],
    ),
    (
        "two columns",
        "Datum;Zeit;Spannung (V);Strom (A)\n03.06.2026;23:59:58;12,60;1,05\n"
        "03.06.2026;23:59:59;12,59;1,04\n04.06.2026;00:00:02;12,58;1,04\n",
        [0, 1, 4],
    ),
    (
        "am and pm",
        "Date Time\tVolts\tAmps\n06/13/2026 11:59:58 PM\t12.6\t1\n"
        "06/13/2026 11:59:59 PM\t12.6\t1\n06/14/2026 12:00:00 AM\t12.5\t1\n",
        [0, 1, 2],
    ),
    ("clock past midnight", "time,V\n23:59:50,12.6\n23:59:55,12.6\n0:00:00,12.5\n", [0, 5, 10]),
    ("minutes", "elapsed (min);pack V;load A\n0;21;1,5\n1;20,9;1,5\n2;20,8;1,5\n", [0, 60, 120]),
    ("milliseconds", "t [ms],V\n0,12.6\n500,12.6\n1000,12.5\n", [0, 0.5, 1]),
    ("hours and minutes past midnight", "time,V\n23:50,12.6\n23:55,12.6\n0:00,12.5\n", [0, 300, 600]),
    ("minutes and seconds", "elapsed,V\n0:00,12.6\n0:30,12.6\n1:00,12.5\n", [0, 30, 60]),
    (
        "clocks put back in the night",
        "stamp,V\n2026-10-25T02:59:00+02:00,12.6\n2026-10-25T02:00:00+01:00,12.6\n2026-10-25T02:01:00+01:00,12.5\n",
        [0, 60, 120],
    ),
    ("since 1970", "timestamp,V\n1780000000000,12.6\n1780000001000,12.6\n1780000002000,12.5\n", [0, 1, 2]),
    ("carriage returns", "t;V\r0;12,6\r1;12,6\r2;12,5\r", [0, 1, 2]),
    ("typed", "0 12.6 1.0\n10 12.5 1.0\n20 12.4 1.0\n", [0, 10, 20]),
    ("no time", "V\n12.6\n12.5\n12.4\n", [0, 1, 2]),
)


COLUMNS = (
    ("units in a line of their own", "Time;Voltage;Current\ns;mV;mA\n0;20100;500\n1;20100;500\n2;20100;500\n"),
    ("units in the cells", "Time,Voltage,Current\n0,20.1 V,500 mA\n1,20100 mV,0.5 A\n2,20.1V,0.5 ADC\n"),
    ("single letters", "s,V,A,\n0,20.1,0.5,\n1,20.1,0.5,\n2,20.1,0.5,\n"),
    ("channels", "Index;Time (s);CH1 (V);CH2 (A)\n1;0;20,1;0,5\n2;1;20,1;0,5\n3;2;20,1;0,5\n"),
    (
        "rows numbered",
        "No.,Clock,Reading,Shunt current\n1,0:00:00,20.1 V,0.5\n2,0:00:01,20.1 V,0.5\n3,0:00:02,20.1 V,0.5\n",
    ),
    ("discharge counted minus", "t (s),U,I (mA)\n0,20.1,-500\n1,20.1,-500\n2,20.1,-500\n"),
    (
        "a dated comma",
        "Zeit;U;I\n03.06.2026 21:00:00,5;20,1;0,5\n03.06.2026 21:00:01,5;20,1;0,5\n03.06.2026 21:00:02,5;20,1;0,5\n",
    ),
    (
        "more than is wanted",
        "time(s),voltage(V),current(A),power(W),capacity(mAh),temp(C)\n"
        "0,20.1,.5,10,1,21\n1,20.1,.5,10,2,21\n2,20.1,.5,10,3,21\n",
    ),
)


def read(text: str | bytes, place: str = "pack"):  # type: ignore[no-untyped-def]
    data = text.encode() if isinstance(text, str) else text
    found = recognise(data, place)  # type: ignore[arg-type]
    return found, read_log(data, found.mapping)


class Recognising(TestCase):
    def test_decimal_commas_units_and_a_gap(self) -> None:
        found, log = read(SEMICOLONS)
        self.assertIn("decimal commas", found.about)
        self.assertEqual([(c.what, c.factor) for c in found.mapping.columns], [("pack_v", 1.0), ("pack_a", 1e-3)])
        np.testing.assert_allclose(log.columns["pack_a"][:2], [0.5123, 0.511])
        self.assertEqual([one.kind for one in log.remarks], ["gap"])

    def test_many_ways_to_write_time(self) -> None:
        for name, text, seconds in TIMES:
            with self.subTest(name=name):
                np.testing.assert_allclose(read(text)[1].seconds, seconds)

    def test_many_ways_to_write_volts_and_amperes(self) -> None:
        for name, text in COLUMNS:
            with self.subTest(name=name):
                log = read(text)[1]
                np.testing.assert_allclose(log.seconds, [0, 1, 2])
                self.assertEqual(sorted(log.columns), ["pack_a", "pack_v"])
                np.testing.assert_allclose(log.columns["pack_v"], 20.1)
                np.testing.assert_allclose(log.columns["pack_a"], 0.5)

    def test_columns_say_what_they_hold(self) -> None:
        found, _ = read(COLUMNS[4][1])
        self.assertEqual([one.kind for one in found.columns], ["number", "clock", "unit", "number"])

    def test_what_was_turned_round_is_told(self) -> None:
        remarks = read(COLUMNS[5][1])[1].remarks
        self.assertEqual([one.kind for one in remarks], ["turned"])
        self.assertIn("amperes", remarks[0].says)

    def test_both_sides(self) -> None:
        found, _ = read("elapsed (min);pack V;pack A;load V;load A\n0;21;1;12;1,5\n1;20,9;1;12;1,5\n2;20,8;1;12;1,5\n")
        self.assertEqual([c.what for c in found.mapping.columns], ["pack_v", "pack_a", "inlet_v", "inlet_a"])

    def test_encodings(self) -> None:
        for encoding in ("utf-8-sig", "utf-16", "cp1252"):
            with self.subTest(encoding=encoding):
                data = SEMICOLONS.replace("Logger 7", "Logger 7 für ±").encode(encoding)
                self.assertEqual(len(read(data)[1]), 6)

    def test_bad_rows_are_counted_not_fatal(self) -> None:
        log = read(SEMICOLONS + "62,5;x;500\n63,5\n64,5;20,7;499\n")[1]
        self.assertIn("2 rows could not be read", " ".join(one.says for one in log.remarks))

    def test_what_is_no_log_is_refused(self) -> None:
        for data in (b"", b"  \n", b"hello\nworld\n", b"PK\x03\x04xxxx", b"\0" * 100, b"a;b\nc;d\n", b"%PDF-1.7"):
            with self.subTest(data=data[:8]), self.assertRaises(LogError):
                recognise(data)

    def test_a_wrong_mapping_is_refused(self) -> None:
        found, _ = read(SEMICOLONS)
        for change in ({"columns": ()}, {"time_index": 9}, {"first_row": 90}):
            with self.subTest(change=change), self.assertRaises(LogError):
                read_log(SEMICOLONS.encode(), msgspec.structs.replace(found.mapping, **change))

    def test_what_an_instrument_gave_is_read_back(self) -> None:
        rows = [[float(i), 20.0 - i, 0.5, 12.0, 0.8] for i in range(5)]
        data = written_log(rows, ("pack_v", "pack_a", "inlet_v", "inlet_a"), datetime(2026, 6, 3, tzinfo=UTC))
        found, log = read(data)
        self.assertEqual([c.what for c in found.mapping.columns], ["pack_v", "pack_a", "inlet_v", "inlet_a"])
        np.testing.assert_allclose(log.columns["pack_v"], [20, 19, 18, 17, 16])

    def test_half_a_million_rows(self) -> None:
        text = "time;U;I\n" + "".join(f"{i},0;{20000 - i // 100},5;1,{i % 7}\n" for i in range(500_000))
        log = read(text)[1]
        self.assertEqual(len(log), 500_000)
        self.assertEqual(log.lasts_s, 499_999.0)


@tag("late")
class Large(TestCase):
    def test_the_largest_log_is_read_in_less_than_450_mb(self) -> None:
        """The file itself, its numbers, and no more than one block of its cells."""
        script = (
            "import sys; from pathlib import Path\n"
            "from hermotrope.formats.log_rows import read_log; from hermotrope.formats.logger_csv import recognise\n"
            "data = Path(sys.argv[1]).read_bytes()\n"
            "print(len(read_log(data, recognise(data).mapping)))"
        )
        with TemporaryDirectory() as folder:
            file = Path(folder) / "log.csv"
            with file.open("w") as out:
                out.write("seconds,V,A,inlet V,inlet A\n")
                out.writelines(
                    f"{i * 0.5:.1f},{20 - i * 1e-6:.5f},0.31234,12.01234,0.51234\n" for i in range(1_990_000)
                )
            told, megabytes = alone(script, str(file))
        self.assertEqual(told, [1_990_000])
        self.assertLess(megabytes, 450)
