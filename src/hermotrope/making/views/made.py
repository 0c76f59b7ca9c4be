"""Made parts of a conversion: begun, shaped, taken away as files."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from functools import wraps
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import retarget

from hermotrope.bench.models import Conversion
from hermotrope.bench.views.feed import feed_context
from hermotrope.entry.asked import htmx
from hermotrope.entry.typed import without_place
from hermotrope.making import actions
from hermotrope.making.documents import asked_of, process_now
from hermotrope.making.lists import read_list, read_printing
from hermotrope.making.models import MadePart, MeasuredPart
from hermotrope.making.panel import LISTS, WORDS, make_context, minded
from hermotrope_core.make.made import made
from hermotrope_core.make.measured import CALIPER_MM, MAKES, Read
from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Shape
from hermotrope_core.make.sizes import SIZES, problem
from hermotrope_core.make.slice import slices
from hermotrope_core.make.sureness import may_fit
from hermotrope_core.values.quantity import QuantityError, parse
from hermotrope_core.values.whole import MOST_KEY, whole_number

BEHIND = "Another tab changed this part meanwhile; this is its newest state. Press again if you still want to."
View = Callable[..., HttpResponse]
TYPES = {"stl": "model/stl", "3mf": "model/3mf", "svg": "image/svg+xml", "dxf": "image/vnd.dxf"}


def answer(
    request: HttpRequest, conversion: Conversion, part: int | None = None, error: str = "", status: int = 200
) -> HttpResponse:
    """The Make panel after a change; with an error the form that was refused keeps what it held."""
    form = (request.resolver_match.url_name if request.resolver_match else "") or ""
    if not htmx(request) and not error:
        return redirect(f"{conversion.get_absolute_url()}?panel=make{f'&part={part}' if part else ''}")
    query = request.GET.copy()
    if part:
        query["part"] = str(part)
    typed = {**request.POST.dict(), "form": form, "part": str(part or ""), "error": error} if error else None
    if htmx(request) and form in ONE_PART:
        return _part(request, conversion, query, typed or {}, status)
    context = feed_context(conversion, "make", query=query, typed=typed)
    if not htmx(request):
        return render(request, "bench/feed.html", {**context, "notice": error}, status=status)
    response = render(request, "bench/_workbench.html", context, status=status)
    response["HX-Reswap"] = "outerHTML" if form == "made-begin" else "morph:outerHTML"  # a list that was opened closes
    return retarget(response, "#workbench")


ONE_PART = ("made-set", "made-undo")
"""Changes after which nothing but the part is drawn anew."""


def _part(
    request: HttpRequest, conversion: Conversion, query: QueryDict, typed: dict[str, str], status: int
) -> HttpResponse:
    """The part and what stands beside it."""
    context = {"conversion": conversion, "typed": typed, "oob": True, **make_context(conversion, query, typed)}
    response = render(request, "making/_swap.html", context, status=status)
    response["HX-Reswap"] = "morph:innerHTML"
    return retarget(response, "#made-part")


def shaping(view: View) -> View:
    """A change of one made part; what it refuses is told in its form."""

    @require_POST
    @wraps(view)
    def wrapped(request: HttpRequest, pk: int, part: int) -> HttpResponse:
        conversion = get_object_or_404(Conversion, pk=pk)
        get_object_or_404(conversion.made_parts, pk=part)
        try:
            return view(request, conversion, part)
        except actions.Behind:
            return answer(request, conversion, part, BEHIND, 409)
        except MadePart.DoesNotExist:
            raise Http404 from None
        except ValueError as error:
            return answer(request, conversion, part, without_place(error), 422)

    return wrapped


def version_of(request: HttpRequest) -> int:
    """The version of the part that the form was made from; the page sends that of the conversion as `version`."""
    return whole_number(request.POST.get("part_version", ""), MOST_KEY) or 0


@require_POST
def begin(request: HttpRequest, pk: int) -> HttpResponse:
    """Begin a part: of a kind, or after a measured part."""
    conversion = get_object_or_404(Conversion, pk=pk)
    wanted = whole_number(request.POST.get("measured", ""), MOST_KEY)
    measured = None if wanted is None else MeasuredPart.objects.filter(pk=wanted).first()
    try:
        kind = MAKES[measured.kind] if measured else request.POST.get("kind", "")
        row = actions.add(conversion, kind, measured)
    except ValueError as error:
        return answer(request, conversion, None, without_place(error), 422)
    return answer(request, conversion, row.pk)


@shaping
def set_value(request: HttpRequest, conversion: Conversion, part: int) -> HttpResponse:
    """Set one parameter from what was typed."""
    name, text = request.POST.get("name", ""), request.POST.get("text", "")
    kind = conversion.made_parts.get(pk=part).kind
    value, read = _value(kind, name, text)
    actions.shape(part, version_of(request), name, value, read)
    return answer(request, conversion, part)


def _value(kind: str, name: str, text: str) -> tuple[Any, Read | None]:
    """A typed parameter, and how it is known where that matters. Raises ValueError."""
    if name in LISTS:
        return read_list(name, text), None
    if name in WORDS:
        return text, None
    if name not in SIZES:
        raise ValueError("there is no such measure")
    size = SIZES[name]
    value = parse(text, size.unit)
    if told := problem(name, value):
        raise QuantityError(told)
    return value, Read(value, CALIPER_MM, "typed") if name in may_fit(kind) else None


@shaping
def follow(request: HttpRequest, conversion: Conversion, part: int) -> HttpResponse:
    """Take the newest measures of the part it is made after."""
    actions.follow(part, version_of(request))
    return answer(request, conversion, part)


@shaping
def undo(request: HttpRequest, conversion: Conversion, part: int) -> HttpResponse:
    """Undo the last change of a part."""
    actions.undo(part, version_of(request))
    return answer(request, conversion, part)


@shaping
def printed(request: HttpRequest, conversion: Conversion, part: int) -> HttpResponse:
    """State that it is made, or take that back."""
    actions.printed(part, version_of(request), date.today() if request.POST.get("do") == "done" else None)
    return answer(request, conversion, part)


@shaping
def remove(request: HttpRequest, conversion: Conversion, part: int) -> HttpResponse:
    """Take a part away, once that was confirmed."""
    if request.POST.get("sure") != "yes":
        raise ValueError("tick the box to remove it")
    actions.remove(part, version_of(request))
    return answer(request, conversion)


@require_POST
def printing(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep the user's own printing."""
    conversion = get_object_or_404(Conversion, pk=pk)
    part = whole_number(request.POST.get("part", ""), MOST_KEY)
    numbers, errors = read_printing(request.POST.dict())
    if errors:
        return answer(request, conversion, part, "look at the printing", 422)
    try:
        actions.print_so(Process(**numbers, material=request.POST.get("material", "")))
    except ValueError as error:
        return answer(request, conversion, part, without_place(error), 422)
    return answer(request, conversion, part)


def shape_of(row: MadePart) -> Shape:
    """The part's solids and outlines. Raises Http404 where the row holds none."""
    try:
        return made(row.kind, asked_of(row), process_now())
    except ValueError:
        raise Http404 from None


@require_GET
def part_file(request: HttpRequest, pk: int, part: int, name: str) -> HttpResponse:
    """One piece as STL, all of them as 3MF, the test slices, or the flat outlines as SVG and DXF."""
    from hermotrope_core.make import files  # noqa: PLC0415  # it says why

    row = get_object_or_404(MadePart.objects.select_related("conversion"), pk=part, conversion_id=pk)
    shape = shape_of(row)
    if any(one.level == "stop" for one in minded(row, shape)):
        raise Http404  # the panel says what must be changed first
    asked, _, kind = name.rpartition(".")
    if kind == "3mf" and shape.pieces:
        content: bytes | str = files.threemf(slices(shape) if asked == "slice" else shape.pieces)
    elif kind == "stl" and (found := re.fullmatch(r"piece-(\d{1,2})|slice-(\d{1,2})", asked)):
        pieces = shape.pieces if found[1] else slices(shape)
        at = int(found[1] or found[2])
        if at >= len(pieces):
            raise Http404
        content, asked = files.stl(pieces[at]), pieces[at].name
    elif kind in ("svg", "dxf") and shape.flats:
        flats = files.kerfed(shape.flats, process_now().kerf_mm)
        content = files.svg(flats) if kind == "svg" else files.dxf(flats)
    else:
        raise Http404
    saved = files.file_name(f"{row.conversion.title} {row.name}", asked)
    return HttpResponse(
        content, content_type=TYPES[kind], headers={"Content-Disposition": f'attachment; filename="{saved}.{kind}"'}
    )
