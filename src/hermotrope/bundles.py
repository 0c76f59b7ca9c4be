"""Styles and scripts: a file each while they are worked on, one bundle of each kind, hashed and packed, when served."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import Storage
from django.templatetags.static import static
from django.utils.html import format_html_join
from django.utils.safestring import SafeString
from whitenoise.storage import CompressedManifestStaticFilesStorage

ROOM = "hermotrope"
STYLES = (
    "vendor/bootstrap-reboot.min.css", "vendor/uPlot.min.css", "look.css", "feed.css", "shelf.css", "match.css",
    "build.css", "run.css", "prove.css", "sheet.css", "outing.css",
    "make.css",
)  # fmt: skip
SCRIPTS = (
    "vendor/idiomorph-ext.min.js", "morph.js", "plotting.js", "figures.js", "charts.js", "runlog.js",
    "scrub.js", "line.js", "fold.js", "ribbon.js", "outing.js", "nights.js", "steps.js", "match.js", "solid.js",
    "marking.js", "keep.js", "away.js", "drop.js", "drill.js", "presses.js", "page.js", "keys.js",
)  # fmt: skip
BUNDLES = {"all.css": STYLES, "all.js": SCRIPTS}
"""In this order; a later style goes before an earlier one."""


class BundledStorage(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # untyped library
    """Collected files with the bundles beside them, named by their content and packed."""

    def post_process(
        self, paths: dict[str, tuple[Storage, str]], dry_run: bool = False, **options: Any
    ) -> Iterator[Any]:
        for bundle, names in BUNDLES.items():
            path = f"{ROOM}/{bundle}"
            if self.exists(path):
                self.delete(path)
            self.save(path, ContentFile(joined(Path(self.path(f"{ROOM}/{name}")) for name in names)))
            paths[path] = (self, path)
        yield from super().post_process(paths, dry_run, **options)


def joined(files: Iterable[Path]) -> bytes:
    """The content of a bundle: its files one after the other."""
    return b"\n".join(file.read_bytes() for file in files)


def links(bundle: str, markup: str) -> SafeString:
    """The markup for a bundle, or for each of its files where they are not collected."""
    names = (bundle,) if settings.COLLECTED else BUNDLES[bundle]
    return format_html_join("\n    ", markup, ((static(f"{ROOM}/{name}"),) for name in names))
