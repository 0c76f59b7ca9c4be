"""The whole bench as one file, and back."""

from __future__ import annotations

import tempfile
from datetime import date
from pathlib import Path
from typing import BinaryIO, cast

from django.conf import settings
from django.db import connections
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from hermotrope.backups import FOLDER, BackupError, kept_by_itself, restore, write
from hermotrope.upgrade import known_schema, migrated


def _database() -> Path:
    return Path(str(settings.DATABASES["default"]["NAME"]))


def _page(request: HttpRequest, error: str = "", told: str = "", status: int = 200) -> HttpResponse:
    kept = [(one.name, one.stat().st_size / 1e6) for one in kept_by_itself(_database())]
    return render(request, "bench/backup.html", {"kept": kept, "error": error, "told": told}, status=status)


@require_GET
def backup(request: HttpRequest) -> HttpResponse:
    """What is kept, and how it comes back."""
    return _page(request)


@require_POST
def backup_file(request: HttpRequest) -> HttpResponse | FileResponse:
    """Everything as one file, written and read back before it is given."""
    out = tempfile.TemporaryFile()  # noqa: SIM115  # the response closes it once it is sent
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "backup.zip"
        try:
            write(_database(), made)
        except BackupError as error:
            return _page(request, error=f"{error}.", status=500)
        with made.open("rb") as whole:
            while chunk := whole.read(1 << 20):
                out.write(chunk)
    out.seek(0)
    return FileResponse(out, as_attachment=True, filename=f"hermotrope-{date.today():%Y-%m-%d}.zip")


@require_GET
def kept_file(request: HttpRequest, name: str) -> HttpResponse | FileResponse:
    """A backup that was made by itself."""
    found = next((one for one in kept_by_itself(_database()) if one.name == name), None)
    if found is None:
        raise Http404
    return FileResponse(found.open("rb"), as_attachment=True, filename=found.name)


@require_POST
def bring_back(request: HttpRequest) -> HttpResponse:
    """Replace the bench by what a file holds, once that was confirmed; what was there is kept."""
    file = request.FILES.get("file")
    if file is None:
        return _page(request, error="Choose a backup first (it ends in .zip).", status=422)
    if request.POST.get("sure") != "yes":
        return _page(request, error="Tick the box: the bench is replaced as a whole.", status=422)
    try:
        connections.close_all()
        kept = restore(cast(BinaryIO, file.file), _database(), known_schema())
        migrated(_database())
    except BackupError as error:
        return _page(request, error=f"{file.name}: {error}.", status=422)
    where = f" What was there is kept as {FOLDER}/{kept.name}." if kept else ""
    return _page(request, told=f"The bench is that of {file.name}.{where}")
