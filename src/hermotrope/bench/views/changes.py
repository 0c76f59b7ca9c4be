"""Changes to a conversion from its page: each parses, calls one action, and renders what follows."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from functools import wraps
from typing import Any, Literal

import msgspec
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST
from django_htmx.http import HttpResponseClientRedirect

from hermotrope.bench import actions, stages
from hermotrope.bench.edits import edit, trait_named, with_trait
from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import kept_panel, row_at
from hermotrope.bench.views.feed import feed_context
from hermotrope.entry.asked import htmx, query_behind
from hermotrope.entry.rows import Row
from hermotrope.entry.typed import EditError
from hermotrope.shelf.models import Item
from hermotrope_core.hours.ran import judged_run, taken
from hermotrope_core.judge.cures import fitted
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.case import MOST_STAGES, Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.plan.source import Source
from hermotrope_core.values.clock import as_clock, seconds_until
from hermotrope_core.values.figures import duration
from hermotrope_core.values.known import number
from hermotrope_core.values.quantity import QuantityError, parse
from hermotrope_core.values.whole import MOST_KEY, whole_number

BEHIND = "Another tab changed this conversion meanwhile. This is its newest state; press again if you still want to."

View = Callable[..., HttpResponse]


def version_of(request: HttpRequest) -> int:
    """The version that the page was made from; 0, which never matches, if it says none."""
    return whole_number(request.POST.get("version", ""), MOST_KEY) or 0


Implied = Literal["capacity", "draw"]
IMPLIED: tuple[Implied, ...] = ("capacity", "draw")
"""What a timed run can tell of the plan."""


def body(
    request: HttpRequest,
    conversion: Conversion,
    notice: str = "",
    status: int = 200,
    panel: str = "",
    refused: Row | None = None,
) -> HttpResponse:
    """Everything below the page's head; a plain form gets the whole page back.

    Where a change was not taken, `typed` carries what its form held, so that nothing is lost.
    """
    typed = None
    if status != 200 and request.resolver_match:
        typed = {**request.POST.dict(), "form": request.resolver_match.url_name or "", "error": notice}
    key = panel or request.POST.get("panel", "")
    context = feed_context(conversion, key, refused, query_behind(request), typed, redrawn=bool(htmx(request)))
    context["unsaved"] = status != 200
    return answer(request, "bench/_body.html", {**context, "notice": notice}, status)


def answer(request: HttpRequest, fragment: str, context: dict[str, Any], status: int) -> HttpResponse:
    """The fragment for htmx; for a plain form the whole page, by redirect where all went well."""
    if htmx(request):
        return render(request, fragment, context, status=status)
    if status == 200:
        return redirect(f"{context['conversion'].get_absolute_url()}?panel={context['panel'].key}")
    return render(request, "bench/feed.html", context, status=status)


def whole(view: View) -> View:
    """A change after which the whole page is redrawn; conflicts and refusals are told on it."""

    @require_POST
    @wraps(view)
    def wrapped(request: HttpRequest, pk: int) -> HttpResponse:
        try:
            return view(request, pk)
        except actions.Conflict as conflict:
            return body(request, conflict.conversion, BEHIND, 409)
        except Conversion.DoesNotExist:
            raise Http404 from None
        except ValueError as error:  # a CaseError, an EditError, or a part that refuses its values
            return body(request, get_object_or_404(Conversion, pk=pk), f"Not done: {error}", 422)

    return wrapped


@require_POST
def set_field(request: HttpRequest, pk: int) -> HttpResponse:
    """Take what was typed into one field; a refused entry stays in the field with the reason."""
    place, typed = request.POST.get("place", ""), request.POST.get("text", "")
    conversion = get_object_or_404(Conversion, pk=pk)
    try:
        if conversion.version != version_of(request):
            raise actions.Conflict(conversion)
        conversion, told = _set(conversion, place, typed, request.POST.get("known_by", ""))
        return _answer(request, conversion, place, told=told)
    except actions.Conflict as conflict:
        return _answer(request, conflict.conversion, place, Refusal(typed, conflict=True))
    except (EditError, CaseError) as error:
        why = error.why if isinstance(error, CaseError) else str(error)
        return _answer(request, conversion, place, Refusal(typed, why))


class Refusal(msgspec.Struct, frozen=True):
    """What was typed and not taken: why, or that another tab was first."""

    typed: str
    error: str = ""
    conflict: bool = False


def _set(conversion: Conversion, place: str, typed: str, known_by: str) -> tuple[Conversion, str]:
    """The conversion with the entry, and what else changed with it."""
    parts = place.split("/")
    if place.startswith("/device/modes/") and parts[-1] == "name":
        at = whole_number(parts[3], len(conversion.case.device.modes) - 1)
        if at is None:
            raise EditError("this mode is no longer there")
        renamed = actions.with_mode_renamed(conversion.case, at, typed.strip())
        return actions.put(conversion.pk, conversion.version, renamed, f"Mode: {typed.strip()}"), ""
    change = edit(conversion.case, place, typed, known_by)
    return actions.change(conversion.pk, conversion.version, change.patch, change.label), change.told


def _answer(
    request: HttpRequest, conversion: Conversion, place: str, refusal: Refusal | None = None, told: str = ""
) -> HttpResponse:
    """The field with what follows from it; the whole page where other fields come and go with it."""
    try:
        row = row_at(conversion.case, place)
    except LookupError:
        return body(request, conversion, "That field is no longer there.", 409)
    status, notice = 200, told
    if refusal is not None:
        words = f"Changed in another tab to {row.text or 'nothing'}." if refusal.conflict else ""
        row = msgspec.structs.replace(row, text=refusal.typed, error=refusal.error, conflict=words)
        status = 409 if refusal.conflict else 422
        notice = BEHIND if refusal.conflict else f"{row.term}: {refusal.error}"
    refused = row if refusal is not None else None
    if row.whole_page:
        return body(request, conversion, notice, status, refused=refused)
    context = feed_context(conversion, request.POST.get("panel", ""), refused, redrawn=bool(htmx(request)))
    return answer(request, "bench/_set.html", {**context, "row": row, "unsaved": refusal is not None}, status)


@whole
def cure(request: HttpRequest, pk: int) -> HttpResponse:
    """Apply the cure of a finding, found again in the newest state by its code and place."""
    conversion = get_object_or_404(Conversion, pk=pk)
    wanted = request.POST.get("code"), request.POST.get("stage")
    for finding in feed_of(conversion.case).findings:
        if (finding.code, str(finding.stage)) == wanted and finding.change:
            label = f"Cure: {finding.cure}"
            done = actions.change(pk, version_of(request), finding.change, label)
            return body(request, done, f"Done: {finding.cure}.", panel=_same_thing(request, conversion.case, done.case))
    return body(request, conversion, "That finding is no longer there.", 409)


def _same_thing(request: HttpRequest, old: Case, new: Case) -> str:
    """The panel that shows after a change what it showed before it."""
    return kept_panel(old, new, request.POST.get("panel", ""))


@whole
def trait(request: HttpRequest, pk: int) -> HttpResponse:
    """State what the device is or is near, or take that back; or that none of the uses asked about applies."""
    conversion = get_object_or_404(Conversion, pk=pk)
    case, named = conversion.case, request.POST.get("trait", "")
    if named == "none":
        device = msgspec.structs.replace(case.device, uses_stated=True)
        made, label = msgspec.structs.replace(case, device=device), "Uses stated"
    else:
        on = request.POST.get("text") == "yes"
        trait = trait_named(named)
        made, label = with_trait(case, trait, on=on), f"{trait}: {'yes' if on else 'no'}"
    return body(request, actions.put(pk, version_of(request), made, label))


@whole
def choose_pack(request: HttpRequest, pk: int) -> HttpResponse:
    """Feed the device from a pack of the starter shelf; the case gets its own copy."""
    item = Item.objects.filter(kind="source", key=request.POST.get("key", "")).first()
    source = item.readable() if item else None
    if not isinstance(source, Source):
        raise EditError("choose a pack of the shelf")
    case = actions.with_source(get_object_or_404(Conversion, pk=pk).case, source)
    done = actions.put(pk, version_of(request), case, f"Pack: {source.name}")
    return body(request, done, f"{source.name} feeds it now.", panel="1")


@whole
def change_stage(request: HttpRequest, pk: int) -> HttpResponse:
    """Add, remove, double or move a stage of the path; `to` is the gap it goes to, counted before it is lifted."""
    conversion = get_object_or_404(Conversion, pk=pk)
    what, at = request.POST.get("do", ""), _index(request, "at")
    path = list(conversion.case.path)
    if what == "add" and at <= len(path):
        path.insert(at, stages.designed(conversion.case, request.POST.get("kind", ""), at))
        label, panel = f"Put in: {path[at].title}", at + 2
    elif what == "remove" and at < len(path):
        label, panel = f"Taken out: {path.pop(at).title}", min(at + 2, len(path) + 2)
    elif what == "copy" and at < len(path):
        path.insert(at + 1, path[at])
        label, panel = f"Doubled: {path[at].title}", at + 3
    elif what == "part" and at <= len(path):
        path.insert(at, fitted(conversion.case, _shelf_stage(request.POST.get("key", ""))))
        label, panel = f"From the shelf: {path[at].title}", at + 2
    elif what == "move" and at < len(path) and _index(request, "to") <= len(path):
        gap = _index(request, "to")
        to = gap if gap <= at else gap - 1
        path.insert(to, path.pop(at))
        label, panel = f"Moved: {path[to].title}", to + 2
    elif what in ("earlier", "later") and at < len(path) and 0 <= at + (1 if what == "later" else -1) < len(path):
        to = at + (1 if what == "later" else -1)
        path.insert(to, path.pop(at))
        label, panel = f"Moved: {path[to].title}", to + 2
    else:
        raise EditError("that stage cannot be put there")
    case = actions.with_path(conversion.case, path)
    done = actions.put(pk, version_of(request), case, label)
    return body(request, done, f"{label}." if what == "remove" else _stands(case, panel - 2), panel=str(panel))


def _stands(case: Case, at: int) -> str:
    """Where a stage is now, by what stands before and behind it."""
    names = [case.source.name if case.source else "the pack", *(stage.title for stage in case.path), case.device.name]
    return f"{names[at + 1]} stands between {names[at]} and {names[at + 2]} now."


def _shelf_stage(key: str) -> Stage:
    """A copy of a stage of the shelf."""
    item = Item.objects.filter(key=key).exclude(kind__in=("source", "meter")).first()
    part = item.readable() if item else None
    if part is None or isinstance(part, Source):
        raise EditError("that part is no longer on the shelf")
    return part


def _index(request: HttpRequest, name: str) -> int:
    at = whole_number(request.POST.get(name, ""), MOST_STAGES)
    if at is None:
        raise EditError("that place is not on the line")
    return at


@whole
def change_mode(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a mode (and run it in the duty if nothing runs yet), or take one out."""
    conversion = get_object_or_404(Conversion, pk=pk)
    case = conversion.case
    if request.POST.get("do") == "remove":
        at = _index(request, "at")
        if at >= len(case.device.modes):
            raise EditError("that mode is no longer there")
        label = f"Mode out: {case.device.modes[at].name}"
        return body(request, actions.put(pk, version_of(request), actions.without_mode(case, at), label))
    taken = {mode.name for mode in case.device.modes}
    name = next(n for n in ("on", *(f"mode {i}" for i in range(2, 999))) if n not in taken)
    added = actions.with_mode(case, Mode(name=name, kind="power"))
    return body(request, actions.put(pk, version_of(request), added, f"Mode: {name}"))


@whole
def change_duty(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a stretch to the repeating duty, or take one out."""
    conversion = get_object_or_404(Conversion, pk=pk)
    repeat = list(conversion.case.duty.repeat)
    if request.POST.get("do") in ("remove", "resize"):
        at = _index(request, "at")
        if at >= len(repeat):
            raise EditError("that part of the duty is no longer there")
        if request.POST["do"] == "remove":
            label = f"Duty without {repeat.pop(at).mode}"
        else:
            repeat[at] = msgspec.structs.replace(repeat[at], seconds=_seconds(request))
            label = f"Duty: {repeat[at].mode} for {duration(number(repeat[at].seconds))}"
    else:
        mode, typed = request.POST.get("mode", ""), request.POST.get("text", "") or "10 min"
        try:
            seconds = _until(conversion.case.duty, typed)
            seconds = parse(typed, "s") if seconds is None else seconds
            repeat.append(Segment(mode=mode, seconds=seconds))
        except (QuantityError, ValueError) as error:
            raise EditError(str(error)) from None
        label = f"Duty: {mode} for {typed}"
    patch = [{"op": "add", "path": "/duty/repeat", "value": [msgspec.to_builtins(s) for s in repeat]}]
    if not conversion.case.duty.repeat:
        duty = msgspec.structs.replace(conversion.case.duty, repeat=tuple(repeat))
        patch = [{"op": "add", "path": "/duty", "value": msgspec.to_builtins(duty)}]
    return body(request, actions.change(pk, version_of(request), patch, label))


def _until(duty: Duty, typed: str) -> float | None:
    """Seconds from the end of a programme until a time of day such as 02:00; None where a span was typed."""
    clock = re.fullmatch(r"(until\s+)?(\d?\d(?::\d\d)?\s?[ap]m|\d?\d:\d\d)", typed.strip(), re.IGNORECASE)
    if clock is None or (duty.start is None and clock[1] is None):
        return None
    if duty.start is None:
        raise EditError("say first when the duty begins; until then a span such as 2 h 30 can be typed")
    return seconds_until(duty.start, duty.seconds, as_clock(clock[2]))


def _seconds(request: HttpRequest) -> float:
    """How long a dragged stretch of the duty lasts now: whole seconds, at least one."""
    text = request.POST.get("seconds", "")
    if not re.fullmatch(r"\d{1,9}(\.\d{1,6})?", text) or float(text) < 1.0:
        raise EditError("a stretch of the duty lasts at least a second")
    return float(round(float(text)))


@whole
def step(request: HttpRequest, pk: int) -> HttpResponse:
    """Undo or redo."""
    by = 1 if request.POST.get("do") == "redo" else -1
    before = get_object_or_404(Conversion, pk=pk).case
    done = actions.step(pk, version_of(request), by)
    return body(request, done, panel=_same_thing(request, before, done.case))


@whole
def done(request: HttpRequest, pk: int) -> HttpResponse:
    """State that it is built and how long it ran, or take that back."""
    what = request.POST.get("do")
    if what == "undo":
        return body(request, actions.mark_done(pk, version_of(request), None, None))
    if implied := next((one for one in IMPLIED if one == what), None):
        told = f"Taken into the plan: {implied}, as the run had it."
        return body(request, _taken(pk, version_of(request), implied), told)
    typed = request.POST.get("text", "").strip()
    try:
        seconds = parse(typed, "s") if typed else None
    except QuantityError as error:
        raise EditError(str(error)) from None
    if seconds is not None and not 0 < seconds <= 1e9:
        raise EditError("a run lasts longer than nothing; for example 4h30")
    return body(request, actions.mark_done(pk, version_of(request), date.today(), seconds))


def _taken(pk: int, version: int, as_: Implied) -> Conversion:
    """Put what the timed run implies into the plan. Raises `EditError`."""
    conversion = get_object_or_404(Conversion, pk=pk)
    feed = feed_of(conversion.case)
    if feed.planned is None or feed.range is None or not conversion.measured_s:
        raise EditError("no run was timed for this plan")
    ran = judged_run(feed.planned, feed.range, conversion.measured_s)
    made = taken(conversion.case, ran, conversion.measured_s, as_)
    return actions.put(pk, version, made, f"From the run: {as_}")


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take the conversion off the bench, once it was confirmed."""
    conversion = get_object_or_404(Conversion, pk=pk)
    if request.POST.get("sure") != "yes":
        return body(request, conversion, "Tick the box to take it off the bench.", 422)
    try:
        actions.remove(pk, version_of(request))
    except actions.Conflict as conflict:
        return body(request, conflict.conversion, BEHIND, 409)
    return HttpResponseClientRedirect(reverse("bench")) if htmx(request) else redirect("bench")
