"""Check that every file the documents link to exists, and that every screenshot is linked from the README."""

from __future__ import annotations

import re
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LINK = re.compile(r"\]\(([^)#\s]+)(?:#[^)]*)?\)")
MOST_SHOTS = 19


def problems() -> list[str]:
    """One line for each broken link, unlinked screenshot, or screenshot too many."""
    found = []
    linked: set[Path] = set()
    for document in [ROOT / "README.md", ROOT / "CHANGELOG.md", *sorted((ROOT / "docs").glob("*.md"))]:
        for target in LINK.findall(document.read_text()):
            if re.match(r"[a-z]+:", target):
                continue
            file = (document.parent / target).resolve()
            linked.add(file)
            if not file.exists():
                found.append(f"{document.relative_to(ROOT)}: {target} is not there")
    shots = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    found += [f"{shot.relative_to(ROOT)} is linked from nowhere" for shot in shots if shot not in linked]
    if len(shots) > MOST_SHOTS:
        found.append(f"{len(shots)} screenshots; {MOST_SHOTS} at most")
    return found


if __name__ == "__main__":
    lines = problems()
    print("\n".join(lines) or "Links and screenshots are current.")
    sys.exit(bool(lines))
