"""Write the tables of docs/architecture.md from the first lines of the modules, and docs/help.md from the pages' help.

Run ``.venv/bin/python docs/rooms.py`` after a module was added, moved or given another purpose, or help was changed;
``--check`` only compares.
"""

from __future__ import annotations

import ast
import sys
import tomllib
from pathlib import Path

from hermotrope_core.tell.help import PANELS_HELP, figures_told

ROOT = Path(__file__).parent.parent
CORE = ROOT / "src" / "hermotrope_core"
PAGE = ROOT / "docs" / "architecture.md"
GUIDE = ROOT / "docs" / "help.md"
BEGIN, END = "<!-- rooms: made by docs/rooms.py -->", "<!-- end of rooms -->"


def purpose(file: Path) -> str:
    """The first sentence of a module."""
    said = ast.get_docstring(ast.parse(file.read_text())) or ""
    return " ".join(said.split("\n\n")[0].split()).rstrip(".")


def rooms() -> list[str]:
    """The rooms from the bottom up, in the order in which the import contract has them."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    layers = next(one["layers"] for one in contracts if one["name"].startswith("Rooms"))
    return [name.strip().split(".")[-1] for row in reversed(layers) for name in row.split("|")]


def tables() -> str:
    lines = []
    for room in rooms():
        lines += [
            "",
            f"### `{room}`",
            "",
            f"{purpose(CORE / room / '__init__.py')}.",
            "",
            "| module | holds |",
            "| --- | --- |",
        ]
        for file in sorted((CORE / room).rglob("*.py")):
            name = ".".join(file.relative_to(CORE / room).with_suffix("").parts)
            if name != "__init__":
                lines.append(f"| `{name.removesuffix('.__init__')}` | {purpose(file)} |")
    return "\n".join(lines)


def guide() -> str:
    """The guide as a page of its own: the lines that the panels and fields show at their question marks."""
    lines = [
        "# Every panel and every figure",
        "",
        "Made by `docs/rooms.py` from `hermotrope_core.tell.help`, which the pages show as well.",
    ]
    for title, line in PANELS_HELP.values():
        lines += ["", f"## {title}", "", line]
    lines += ["", "## Every figure, and where it is found", ""]
    lines += ["| figure | unit | what it is | where it is found |", "| --- | --- | --- | --- |"]
    lines += [f"| {' | '.join(row)} |" for row in figures_told()]
    return "\n".join(lines) + "\n"


def main() -> int:
    page = PAGE.read_text()
    head, rest = page.split(BEGIN)
    made = {PAGE: f"{head}{BEGIN}\n{tables()}\n\n{END}{rest.split(END)[1]}", GUIDE: guide()}
    old = [file for file, text in made.items() if not file.exists() or file.read_text() != text]
    if "--check" in sys.argv:
        for file in old:
            print(f"{file.relative_to(ROOT)} is older than the modules: run docs/rooms.py", file=sys.stderr)
        return int(bool(old))
    for file in old:
        file.write_text(made[file])
    return 0


if __name__ == "__main__":
    sys.exit(main())
