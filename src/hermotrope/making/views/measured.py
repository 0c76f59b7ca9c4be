"""Parts with measures: a picture taken in, marked, measured; and the pages that come of a made part at true size."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache, wraps
from io import BytesIO
from typing import BinaryIO, Literal, cast

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from numpy.typing import NDArray
from PIL import Image

from hermotrope.entry.asked import htmx
from hermotrope.entry.pictures import shown
from hermotrope.entry.typed import without_place
from hermotrope.making import actions
from hermotrope.making.marking import LARGEST_BYTES, marking_context
from hermotrope.making.models import MeasuredPart
from hermotrope.making.views.made import BEHIND, version_of
from hermotrope_core.make.measured import ROLES, TYPED, Kind, Mark, Role
from hermotrope_core.make.sizes import problem
from hermotrope_core.photo.plane import REFERENCE_DOUBT_MM, Reference
from hermotrope_core.photo.settle import settled
from hermotrope_core.values.quantity import QuantityError, parse
from hermotrope_core.values.whole import MOST_KEY, whole_number

View = Callable[..., HttpResponse]
Change = Callable[[HttpRequest, int], MeasuredPart]
KINDS: dict[str, str] = {
    "foot": "a pack’s foot, for a dock",
    "board": "a board, for a box",
    "panel": "a panel, for a drill template",
}
POINT = re.compile(r"(-?\d{1,5}(?:\.\d{1,3})?)[ ,]+(-?\d{1,5}(?:\.\d{1,3})?)")
SETTLES_WITHIN = 10
"""Pixels around a press in which a corner or a spot is looked for."""


def page(request: HttpRequest, row: MeasuredPart, error: str = "", status: int = 200) -> HttpResponse:
    """The page of a part, or its body after a change; a refused form keeps what it held."""
    if status == 200 and request.method == "POST" and not htmx(request):
        return redirect(row.get_absolute_url())
    typed: dict[str, str] = {}
    if error and request.resolver_match:
        typed = {**request.POST.dict(), "form": request.resolver_match.url_name or "", "error": error}
    context = marking_context(row, typed)
    return render(
        request, "making/_measuring.html" if htmx(request) else "making/measured.html", context, status=status
    )


@require_http_methods(["GET", "POST"])
def all_measured(request: HttpRequest) -> HttpResponse:
    """Every part with measures; a new one is begun with a picture or without."""
    typed, error = request.POST, ""
    if request.method == "POST":
        kind, name = typed.get("kind", ""), " ".join(typed.get("name", "").split())
        file = request.FILES.get("picture")
        if kind not in KINDS:
            error = "choose what it is"
        elif file is not None and (file.size or 0) > LARGEST_BYTES:
            error = f"more than {LARGEST_BYTES // 1_000_000} MB is no picture for a bench"
        else:
            try:
                row = actions.measure(
                    cast(Kind, kind), name, cast(BinaryIO, file) if file else None, (file.size or 0) if file else 0
                )
                return redirect(row.get_absolute_url())
            except ValueError as problem_:
                error = without_place(problem_)
    rows = MeasuredPart.objects.defer("picture", "past", "document")
    context = {"rows": rows, "kinds": KINDS.items(), "typed": typed, "error": error}
    return render(request, "making/all.html", context, status=422 if error else 200)


@require_GET
def measured(request: HttpRequest, pk: int) -> HttpResponse:
    """One part: its picture with its marks, and what is known of it."""
    return page(request, get_object_or_404(MeasuredPart, pk=pk))


@require_GET
def picture(request: HttpRequest, pk: int) -> HttpResponse:
    """Its picture."""
    row = get_object_or_404(MeasuredPart, pk=pk)
    if row.picture is None:
        raise Http404
    return shown(row.picture)


def changing(change: Change) -> View:
    """The view of a change of one part; what it refuses is told in its form."""

    @require_POST
    @wraps(change)
    def wrapped(request: HttpRequest, pk: int) -> HttpResponse:
        row = get_object_or_404(MeasuredPart, pk=pk)
        try:
            return page(request, change(request, pk))
        except actions.Behind:
            return page(request, row, BEHIND, 409)
        except ValueError as error:
            return page(request, row, without_place(error), 422)

    return wrapped


@changing
def refer(request: HttpRequest, pk: int) -> MeasuredPart:
    """Set what is of known size."""
    kind = "sheet" if request.POST.get("of") == "sheet" else "length"
    wide = parse(request.POST.get("width", ""), "mm") if kind == "sheet" else 0.0
    reference = Reference(
        cast(Literal["length", "sheet"], kind), points_of(request), parse(request.POST.get("length", ""), "mm"), wide,
        parse(doubt, "mm") if (doubt := request.POST.get("doubt", "").strip()) else REFERENCE_DOUBT_MM,
    )  # fmt: skip
    return actions.refer(pk, version_of(request), reference)


@changing
def mark(request: HttpRequest, pk: int) -> MeasuredPart:
    """Add a mark, or move one."""
    role = request.POST.get("role", "")
    if role not in ROLES:
        raise ValueError("choose what you mark")
    at = whole_number(request.POST.get("at", ""), MOST_KEY)
    new = Mark(cast(Role, role), points_of(request), " ".join(request.POST.get("name", "").split()))
    return actions.mark(pk, version_of(request), new, at)


def points_of(request: HttpRequest) -> tuple[tuple[float, float], ...]:
    """Points of the picture, as they are pressed or typed: ``412 300; 900 310``. Raises ValueError."""
    made = []
    for entry in filter(None, (one.strip() for one in request.POST.get("points", "")[:2000].split(";"))):
        found = POINT.fullmatch(entry)
        if found is None:
            raise ValueError(f"{entry} is no point of the picture: across and down, in pixels")
        made.append((float(found[1]), float(found[2])))
    return tuple(made)


@changing
def unmark(request: HttpRequest, pk: int) -> MeasuredPart:
    """Take a mark away."""
    at = whole_number(request.POST.get("at", ""), MOST_KEY)
    return actions.unmark(pk, version_of(request), -1 if at is None else at)


@changing
def caliper(request: HttpRequest, pk: int) -> MeasuredPart:
    """Take what a caliper says."""
    name, text = request.POST.get("name", ""), request.POST.get("text", "").strip()
    if name not in TYPED[get_object_or_404(MeasuredPart, pk=pk).kind]:
        raise ValueError("there is no such measure")
    mm = parse(text, "mm") if text else None
    if mm is not None and (told := problem(name, mm)):
        raise QuantityError(told)
    return actions.caliper(pk, version_of(request), name, mm)


@changing
def held(request: HttpRequest, pk: int) -> MeasuredPart:
    """Set how far the face stands above the reference, and the camera away from it."""
    above, distance = (parse(request.POST.get(name, ""), "mm") for name in ("above", "distance"))
    return actions.held(pk, version_of(request), above, distance)


@changing
def undo(request: HttpRequest, pk: int) -> MeasuredPart:
    """Undo the last change."""
    return actions.take_back(pk, version_of(request))


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a part off the shelf, once that was confirmed; what was made after it stays."""
    row = get_object_or_404(MeasuredPart, pk=pk)
    if request.POST.get("sure") != "yes":
        return page(request, row, "tick the box to remove it", 422)
    row.delete()
    return redirect("measured-all")


@require_GET
def settle(request: HttpRequest, pk: int) -> HttpResponse:
    """The corner or spot under a point of the picture, as JSON; nothing where there is none."""
    try:
        x, y = (float(request.GET.get(name, "")) for name in ("x", "y"))
    except ValueError:
        return JsonResponse({"error": "x and y are pixels"}, status=400)
    row = get_object_or_404(MeasuredPart.objects.only("picture"), pk=pk)
    if row.picture is None or not (np.isfinite([x, y]).all() and abs(x) < 1e5 and abs(y) < 1e5):
        return JsonResponse({})
    found = settled(_grey(bytes(row.picture)), x, y, SETTLES_WITHIN)
    return JsonResponse({} if found is None else {"x": round(found[0], 2), "y": round(found[1], 2)})


@lru_cache(maxsize=2)
def _grey(content: bytes) -> NDArray[np.uint8]:
    return np.asarray(Image.open(BytesIO(content)).convert("L"))
