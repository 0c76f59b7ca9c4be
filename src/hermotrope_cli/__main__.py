"""The commands on a case document: the answer on stdout, or one line on stderr and exit 2."""

from __future__ import annotations

import argparse
import importlib
import json
import math
import os
import sys
from typing import Any, NoReturn

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.plan.document import LARGEST_BYTES, CaseError, finished, read_case, schema
from hermotrope_core.tell.readout import demand_named, findings_tree, point_tree, run_tree


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise CaseError("command", f"{message} (see {self.prog} --help)")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="hermotrope", description="Read one case, print one JSON object (or a netlist).")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, text in (
        ("solve", "how long it runs and what ends it"),
        ("point", "volts, amps and heat at every station"),
        ("check", "the verdict and every finding"),
        ("estimate", "how sure the runtime is, and what to measure next"),
        ("netlist", "the path for SPICE: ngspice -b runs it to its end"),
    ):
        command = commands.add_parser(name, help=text)
        command.add_argument("case", help="a case document; - reads standard input")
        if name == "point":
            command.add_argument("--soc", required=True, help="charge left, 0 to 1")
            command.add_argument("--mode", required=True, help="a mode of the device, or 'MODE, peak'")
    command = commands.add_parser("match", help="every way to feed a device from a shelf, judged and ranked")
    command.add_argument("request", help="a request document; - reads standard input")
    command = commands.add_parser("outing", help="several devices on one or more supplies, each to its own end")
    command.add_argument("outing", help="an outing document; - reads standard input")
    command = commands.add_parser("label", help="what is printed on a pack, a bank, an adapter or a board")
    command.add_argument("text", help="its words and figures, as they stand there")
    commands.add_parser("schema", help="the JSON Schema of the case document")
    return parser


def content(path: str, largest: int) -> bytes:
    """The bytes of a file or of standard input, one more than `largest` at most. Raises `CaseError`."""
    try:
        if path == "-":
            return sys.stdin.buffer.read(largest + 1)
        with open(path, "rb") as file:  # noqa: PTH123  # pathlib would cost the command a tenth of its time
            return file.read(largest + 1)
    except OSError as error:
        raise CaseError("case", f"cannot read {path}: {error.strerror}") from None


def load(path: str) -> Case:
    """Read and validate a finished case from a file or standard input. Raises `CaseError`."""
    return finished(read_case(content(path, LARGEST_BYTES)))


def answer(arguments: argparse.Namespace) -> dict[str, Any] | str:
    """The JSON object, or the text, that a command prints. Raises `CaseError`."""
    if arguments.command == "schema":
        return schema()
    if arguments.command == "label":
        return _label(arguments.text)
    if arguments.command == "match":
        matching = importlib.import_module("hermotrope_cli.matching")
        made: dict[str, Any] = matching.answer(content(arguments.request, matching.LARGEST_BYTES))
        return made
    if arguments.command == "outing":
        return _outing(content(arguments.outing, LARGEST_BYTES))
    case = load(arguments.case)
    try:
        if arguments.command == "solve":
            return run_tree(run(planned(case)))
        if arguments.command == "estimate":
            estimated: dict[str, Any] = importlib.import_module("hermotrope_cli.estimating").answer(planned(case))
            return estimated
        if arguments.command == "netlist":
            return netlist(planned(case)).rstrip()
        situation = Situation(case)
        if arguments.command == "check":
            return findings_tree(situation, check(situation))
        soc = _soc(arguments.soc)
        demand = demand_named(situation, arguments.mode)
    except NeverEnds as error:
        raise CaseError("duty.repeat", str(error)) from None
    except LookupError as error:
        raise CaseError("--mode", str(error.args[0])) from None
    at = situation.at_demand(demand, situation.circuit.emf(soc))
    return {"soc": soc, "mode": arguments.mode, **point_tree(case, at)}


def _outing(data: bytes) -> dict[str, Any]:
    try:
        made: dict[str, Any] = importlib.import_module("hermotrope_cli.nights").answer(data)
    except NeverEnds as error:
        raise CaseError("hours", str(error)) from None
    return made


def _label(text: str) -> dict[str, Any]:
    printed = importlib.import_module("hermotrope_core.know.printed")
    try:
        made: dict[str, Any] = printed.print_tree(printed.read_print(text))
    except ValueError as error:
        raise CaseError("label", str(error)) from None
    return made


def _soc(text: str) -> float:
    try:
        soc = float(text)
    except ValueError:
        soc = math.nan
    if not 0.0 <= soc <= 1.0:
        raise CaseError("--soc", f"must be a number from 0 to 1 (got {text!r})")
    return soc


def main() -> int:
    try:
        made = answer(_parser().parse_args())
        print(made if isinstance(made, str) else json.dumps(made, ensure_ascii=False, indent=1))
        sys.stdout.flush()
    except CaseError as error:
        print(error, file=sys.stderr)
        return 2
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
