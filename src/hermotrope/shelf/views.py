"""The Shelf: search and filter, the label decoder, files in and out."""

from __future__ import annotations

from collections import Counter
from typing import Any
from urllib.parse import urlencode

import msgspec
from django.db.models import Count, QuerySet
from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRedirect

from hermotrope.drawings.stock import boards_drawn, packs_drawn
from hermotrope.entry.asked import htmx, query_behind, wants_part, words_sought
from hermotrope.entry.rows import Row
from hermotrope.entry.typed import EditError
from hermotrope.formats import shelf_file
from hermotrope.shelf import actions, history, in_mind
from hermotrope.shelf.decoded import MOST_READINGS, decoded_context
from hermotrope.shelf.models import ImportDraft, Item
from hermotrope.shelf.parts import KINDS, item_groups
from hermotrope.shelf.trial import trial_context
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.know.bank import ports_of
from hermotrope_core.know.label import LabelError
from hermotrope_core.know.shelved import part_of
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.source import Source
from hermotrope_core.values.whole import MOST_KEY, whole_number

SHOWN, MORE_ROWS, MOST_SHOWN = 20, 60, 2000
"""Rows of the list at first, by each press for more, and at most."""
DRAWN = 150
"""Parts that are read for the drawing."""
PREVIEWED = 200
HAVE = {"all": "All", "own": "Own", "borrowed": "Borrowed", "maybe": "Might buy"}


@require_GET
def shelf(request: HttpRequest) -> HttpResponse:
    """The page, or its list alone while somebody types into the search."""
    partial = wants_part(request)
    return render(request, "shelf/_items.html" if partial else "shelf/shelf.html", _context(request))


def _context(request: HttpRequest, asked: QueryDict | None = None, **more: Any) -> dict[str, Any]:
    """Everything of the list, by what is asked: by the address, or by that of the page behind a press."""
    asked = request.GET if asked is None else asked
    words = words_sought(asked, "q")
    kind, have = asked.get("kind", "all"), asked.get("have", "all")
    found = Item.objects.saying(words)
    counts = dict(found.values_list("kind").annotate(n=Count("pk")).order_by())
    if kind in KINDS:
        found = found.filter(kind=kind)
    if have in Item.Have.values:
        found = found.filter(have=have)
    total = found.count()
    rows = min(max(SHOWN, whole_number(asked.get("n", ""), MOST_SHOWN) or 0), MOST_SHOWN)
    return {
        "items": list(found.at_hand_first()[:rows]),
        "more": max(0, min(total, MOST_SHOWN) - rows),
        "more_query": urlencode(
            {"kind": kind, "q": words, "have": have, "for": asked.get("for", ""), "n": rows + MORE_ROWS}
        ),
        **_drawn(asked, found, kind),
        **history_context(),
        "words": words,
        "kind": kind if kind in KINDS else "all",
        "have": have if have in HAVE else "all",
        "kinds": [
            ("all", "All", sum(counts.values())),
            *((key, text, counts.get(key, 0)) for key, text in KINDS.items()),
        ],
        "haves": list(HAVE.items()),
        "have_choices": Item.Have.choices,
        **more,
    }


def _drawn(asked: QueryDict, found: QuerySet[Item], kind: str) -> dict[str, Any]:
    """The drawings of what is listed, with the window of the device that one has in mind laid over them."""
    pk = whole_number(asked.get("for", ""), MOST_KEY)
    supply = in_mind.supply_of(pk)
    parts = [(item.pk, item.name, item.readable()) for item in found.filter(kind__in=("source", "converter"))[:DRAWN]]
    packs = [(pk, name, part) for pk, name, part in parts if isinstance(part, Source)]
    boards = [(pk, name, part) for pk, name, part in parts if isinstance(part, Holding)]
    drawn = boards_drawn(boards, supply) if kind == "converter" else packs_drawn(packs, supply)
    return {"drawn": drawn, "devices": in_mind.listed(pk), "in_mind": pk if supply is not None else None}


def history_context() -> dict[str, str]:
    """What an undo takes back and a redo makes again, in words."""
    done, again = history.steps()
    return {"undoes": done.label if done else "", "redoes": again.label if again else ""}


@require_POST
def step(request: HttpRequest) -> HttpResponse:
    """Take the last change of the shelf back, or make it again."""
    history.step(-1 if request.POST.get("by") == "-1" else 1)
    return _list(request)


@require_POST
def several(request: HttpRequest) -> HttpResponse:
    """Do one thing to every part that is ticked."""
    keys = [pk for text in request.POST.getlist("pk") if (pk := whole_number(text, MOST_KEY)) is not None]
    do = request.POST.get("do", "")
    try:
        if not keys:
            raise CaseError("parts", "tick at least one")
        if do == "remove":
            actions.remove(keys)
        else:
            actions.mark(keys, do)
    except CaseError as error:
        return _list(request, 422, several_error=str(error), several_do=do, ticked=keys)
    return _list(request)


def _list(request: HttpRequest, status: int = 200, **more: Any) -> HttpResponse:
    """The list as it was filtered when the press came."""
    if htmx(request):
        return render(request, "shelf/_items.html", _context(request, query_behind(request), **more), status=status)
    if status == 200:
        return redirect("shelf")
    return render(request, "shelf/shelf.html", _context(request, **more), status=status)


@require_GET
def label(request: HttpRequest) -> HttpResponse:
    """What a label means, as somebody types it."""
    text = request.GET.get("label", "")
    context: dict[str, Any] = {"label": text, **decoded_context(text, request.GET.get("reading", ""))}
    if htmx(request):
        return render(request, "shelf/_decoded.html", context)
    return render(request, "shelf/shelf.html", _context(request, **context))


@require_POST
def add(request: HttpRequest) -> HttpResponse:
    """Put what a label names on the shelf, in the reading that was chosen."""
    text, reading = request.POST.get("label", ""), request.POST.get("reading", "")
    try:
        named = part_of(text, whole_number(reading, MOST_READINGS) or 0)
        item = actions.add(
            named.kind, " ".join(text.split()), msgspec.to_builtins(named.part), "decoded from its label"
        )
    except (LabelError, CaseError) as error:
        return render(request, "shelf/shelf.html", _context(request, label=text, error=str(error)), status=422)
    return redirect(f"{reverse('shelf')}?{urlencode({'kind': named.kind, 'q': item.name})}")


@require_POST
def set_field(request: HttpRequest, pk: int) -> HttpResponse:
    """Take what was typed into a field of an item; a refused entry stays with its reason."""
    name, typed = request.POST.get("field", ""), request.POST.get("text", "")
    context: dict[str, Any] = {"have_choices": Item.Have.choices, "oob": True}
    status = 200
    try:
        context["item"] = actions.set_field(pk, name, typed, request.POST.get("was"))
    except actions.Behind as behind:
        status = 409
        told = {"field": name, "text": typed, "why": str(behind)}
        context |= {"item": get_object_or_404(Item, pk=pk), "refused": told}
    except Item.DoesNotExist:
        raise Http404 from None
    except CaseError as error:
        status = 422
        context |= {"item": get_object_or_404(Item, pk=pk), "refused": {"field": name, "text": typed, "why": error.why}}
    if htmx(request):
        return render(request, "shelf/_item.html", context | history_context(), status=status)
    if status == 200:
        return redirect("shelf")
    return render(request, "shelf/shelf.html", _context(request, **context), status=status)


@require_GET
def item(request: HttpRequest, pk: int) -> HttpResponse:
    """One item: every value with how it is known, and a bank's ports to be tried."""
    return render(request, "shelf/item.html", item_context(request, get_object_or_404(Item, pk=pk)))


def item_context(request: HttpRequest, found: Item, refused: Row | None = None) -> dict[str, Any]:
    """What the page of an item shows; `refused` is a field whose entry was not taken."""
    try:
        part = found.content()
    except CaseError as error:
        return {"item": found, "unreadable": str(error), "groups": [], "have_choices": Item.Have.choices}
    ports = ports_of(part) if isinstance(part, Source) else ()
    context: dict[str, Any] = {
        "item": found,
        "groups": item_groups(part),
        "refused": refused,
        "set_url": reverse("shelf-part", args=[found.pk]),
        "ports": ports,
        "have_choices": Item.Have.choices,
    }
    return {**context, **trial_context(part, ports, request.GET)}


@require_POST
def set_part(request: HttpRequest, pk: int) -> HttpResponse:
    """Take what was typed into a value of an item; a refused entry stays with its reason."""
    place, typed = request.POST.get("place", ""), request.POST.get("text", "")
    status, refused, told = 200, None, ""
    try:
        entry = actions.Entry(typed, request.POST.get("known_by", ""), request.POST.get("was"))
        found, told = actions.set_part(pk, place, entry)
    except Item.DoesNotExist:
        raise Http404 from None
    except (EditError, CaseError, actions.Behind) as error:
        found, status = get_object_or_404(Item, pk=pk), 409 if isinstance(error, actions.Behind) else 422
        why = error.why if isinstance(error, CaseError) else str(error)
        rows = (row for _, rows in item_groups(found.content()) for row in rows)
        here = next((row for row in rows if row.place == place), None)
        if here is None:
            raise Http404 from None
        refused = msgspec.structs.replace(here, text=typed, error=why)
    if not htmx(request) and status == 200:
        return redirect("shelf-item", pk)
    template = "shelf/_item_body.html" if htmx(request) else "shelf/item.html"
    return render(request, template, item_context(request, found, refused) | {"notice": told}, status=status)


@require_GET
def trial(request: HttpRequest, pk: int) -> HttpResponse:
    """Plug loads into the simulated bank and watch what its ports do."""
    found = get_object_or_404(Item, pk=pk)
    if not htmx(request):
        return render(request, "shelf/item.html", item_context(request, found))
    part = found.content()
    ports = ports_of(part) if isinstance(part, Source) else ()
    return render(request, "shelf/_trial.html", trial_context(part, ports, request.GET))


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take an item off the shelf; conversions keep their own copies."""
    if not actions.remove([pk]):
        raise Http404
    return _list(request)


@require_GET
def export_csv(request: HttpRequest) -> HttpResponse:
    """The whole shelf as CSV."""
    text = shelf_file.write_csv(actions.row_of(item) for item in Item.objects.all())
    return _file(text, "text/csv; charset=utf-8", "shelf.csv")


@require_GET
def export_json(request: HttpRequest) -> HttpResponse:
    """The whole shelf as JSON."""
    text = shelf_file.write_json(actions.row_of(item) for item in Item.objects.all())
    return _file(text, "application/json", "shelf.json")


def _file(text: str, kind: str, name: str) -> HttpResponse:
    return HttpResponse(text, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@require_POST
def preview(request: HttpRequest) -> HttpResponse:
    """Read a shelf file and show the fate of every row; nothing is written yet."""
    file = request.FILES.get("file")
    if file is None:
        nothing = _context(request, import_error="Choose a CSV or JSON file first.")
        return render(request, "shelf/shelf.html", nothing, status=422)
    try:
        rows = shelf_file.read(file.read(shelf_file.LARGEST_BYTES + 1))
    except CaseError as error:
        told = f"{file.name}: {error}"
        return render(request, "shelf/shelf.html", _context(request, import_error=told), status=422)
    draft = actions.start_draft(file.name or "file", rows)
    if len(rows) <= actions.CHUNK:
        actions.read_on(draft.pk)
    return redirect("shelf-decide", draft.pk)


@require_POST
def read_on(request: HttpRequest, pk: int) -> HttpResponse:
    """Judge the next rows of a file; the answer says how far it is, or shows the fates at the end."""
    try:
        draft = actions.read_on(pk)
    except ImportDraft.DoesNotExist:
        raise Http404 from None
    if draft.waiting and htmx(request):
        return render(request, "shelf/_reading.html", _reading(draft))
    address = reverse("shelf-decide", args=[pk])
    return HttpResponseClientRedirect(address) if htmx(request) else redirect(address)


def _reading(draft: ImportDraft) -> dict[str, Any]:
    return {"draft": draft, "read": len(draft.rows), "total": len(draft.rows) + len(draft.waiting)}


def decide(request: HttpRequest, pk: int) -> HttpResponse:
    """The preview of a file; on the word, all of it is put on the shelf, or nothing."""
    draft = get_object_or_404(ImportDraft, pk=pk)
    if draft.waiting and request.POST.get("do") != "drop":
        return render(request, "shelf/preview.html", _reading(draft))
    error = ""
    if request.method == "POST":
        if request.POST.get("do") == "drop":
            draft.delete()
            return redirect("shelf")
        try:
            actions.apply_draft(pk)
            return redirect("shelf")
        except CaseError as refused:
            error = str(refused)
    counts = Counter(fate["fate"] for fate in draft.rows)
    first = sorted(draft.rows, key=lambda fate: ("refused", "changed", "new", "same").index(fate["fate"]))
    context = {
        "draft": draft,
        "counts": [(fate, counts.get(fate, 0)) for fate in ("new", "changed", "same", "refused")],
        "rows": first[:PREVIEWED],
        "hidden": max(0, len(first) - PREVIEWED),
        "refused": counts.get("refused", 0),
        "error": error,
    }
    return render(request, "shelf/preview.html", context, status=422 if error else 200)
