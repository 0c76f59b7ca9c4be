"""Write the tables of rooms in docs/architecture.md from the first lines of the modules; ``--check`` only compares.

Run ``.venv/bin/python docs/rooms.py`` after a module was added, moved or given another purpose.
"""

from __future__ import annotations

import ast
import sys
import tomllib
from pathlib import Path

ROOT = Path(__file__).parent.parent
CORE = ROOT / "src" / "hermotrope_core"
PAGE = ROOT / "docs" / "architecture.md"
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


def main() -> int:
    page = PAGE.read_text()
    head, rest = page.split(BEGIN)
    made = f"{head}{BEGIN}\n{tables()}\n\n{END}{rest.split(END)[1]}"
    if "--check" in sys.argv:
        if made != page:
            print("docs/architecture.md is older than the modules: run docs/rooms.py", file=sys.stderr)
        return int(made != page)
    PAGE.write_text(made)
    return 0


if __name__ == "__main__":
    sys.exit(main())
