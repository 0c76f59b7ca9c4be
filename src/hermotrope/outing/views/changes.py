"""Every change to an outing from its page; a refused one comes back as typed, with its reason beside it."""

from __future__ import annotations

import msgspec
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST
from django_htmx.http import reswap, retarget

from hermotrope.bench.fields import UnreadableCase
from hermotrope.bench.models import Conversion
from hermotrope.entry.typed import parse_table
from hermotrope.outing import actions
from hermotrope.outing.models import Outing
from hermotrope.outing.views.changing import Refused, answer, changed, version_of
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.know.typed_row import branch_of, read_charger, read_row
from hermotrope_core.plan.outing import MOST_SPARES, Supply
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.source import Source
from hermotrope_core.several.assign import WISHES, CannotPropose, propose
from hermotrope_core.several.line import FIELDS as FIGURES
from hermotrope_core.several.line import with_line
from hermotrope_core.several.load import MOST_ALIKE
from hermotrope_core.several.shed import with_cut_off
from hermotrope_core.values.clock import as_clock
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe
from hermotrope_core.values.quantity import parse, parse_field
from hermotrope_core.values.whole import MOST_KEY, whole_number

DAWN = "21:00"
"""When a typed row's day begins, where the outing has no start."""
MOST_LINES = 40


@require_POST
def set_field(request: HttpRequest, pk: int) -> HttpResponse:
    """Take one of the outing's own figures: its name, hours, start, temperature."""
    name, text = request.POST.get("place", ""), " ".join(request.POST.get("text", "").split())

    def change(document: Document) -> tuple[Document, str]:
        if name == "title":
            if not text:
                raise Refused(name, "it needs a name")
            return msgspec.structs.replace(document, title=text), "Name"
        if name == "hours":
            hours = None if not text else parse(text, "s") / 3600.0
            return msgspec.structs.replace(document, hours=hours), f"For {text or 'as long as it lasts'}"
        if name == "start":
            begins = as_clock(text) if text else None
            return msgspec.structs.replace(document, start=begins), f"From {text or 'no time of day'}"
        if name == "temperature_c":
            warmth = parse_field(text, FIELDS["temperature_c"])
            conditions = msgspec.structs.replace(document.conditions, temperature_c=warmth)
            return msgspec.structs.replace(document, conditions=conditions), f"At {text}"
        if name == "temperature_by_h":
            table = tuple((hour, warmth) for hour, warmth in parse_table(text, name)) or None
            conditions = msgspec.structs.replace(document.conditions, temperature_by_h=table)
            return msgspec.structs.replace(document, conditions=conditions), "Temperatures by the hour"
        raise Refused("page", "No such field.")

    return changed(request, pk, change)


@require_POST
def add_supply(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a pack from the Shelf along."""

    def change(document: Document) -> tuple[Document, str]:
        key = whole_number(request.POST.get("item", ""), MOST_KEY)
        item = None if key is None else Item.objects.filter(pk=key, kind="source").first()
        part = item.readable() if item else None
        if not isinstance(part, Source):
            raise Refused("supply", "Choose a pack of the Shelf.")
        return actions.with_supply(document, Supply(source=part)), f"Took {part.name}"

    return changed(request, pk, change)


@require_POST
def remove_supply(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """Leave a pack at home, with what hangs on it."""
    return changed(
        request,
        pk,
        lambda document: (
            actions.without_supply(document, index),
            f"Left {document.supplies[index].called} at home",
        ),
    )


@require_POST
def set_trunk(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """The shared fuse and lead; an empty field takes its part out."""

    def change(document: Document) -> tuple[Document, str]:
        supply = document.supplies[index]
        figures = {name: _figure(request, index, name) for name in FIGURES}
        try:
            changed = with_line(supply, figures)
        except ValueError as error:
            missing = "area_mm2" if figures["area_mm2"] is None else "length_m"
            raise Refused(f"{missing}-{index}", str(error)) from None
        return actions.with_changed(document, index, changed), f"Shared line of {supply.called}"

    return changed(request, pk, change)


def _figure(request: HttpRequest, index: int, name: str) -> float | None:
    text = request.POST.get(name, "").strip()
    if not text:
        return None
    try:
        return parse_field(text, FIELDS[name])
    except ValueError as error:
        raise Refused(f"{name}-{index}", str(error)) from None


@require_POST
def add_rows(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """Devices typed or pasted, one a line."""

    def change(document: Document) -> tuple[Document, str]:
        lines = [line.strip() for line in request.POST.get("rows", "").splitlines() if line.strip()]
        if not lines:
            raise Refused(f"rows-{index}", "one device a line: dew strap 12V 0.8A 21:00-05:00")
        if len(lines) > MOST_LINES:
            raise Refused(f"rows-{index}", f"at most {MOST_LINES} lines at once")
        names = []
        for number_, line in enumerate(lines, start=1):
            supply = document.supplies[index]
            try:
                branch = branch_of(read_row(line.replace("\t", " ")), document.start or DAWN, _volts(supply))
            except ValueError as error:
                where = f"line {number_}: " if len(lines) > 1 else ""
                raise Refused(f"rows-{index}", f"{where}{error}") from None
            document = actions.with_branch(document, index, branch)
            names.append(branch.device.name)
        return document, f"Added {', '.join(names)}"

    return changed(request, pk, change)


def _volts(supply: Supply) -> float:
    """Volts that a device straight on the shared line gets from the full pack."""
    port = supply.source.regulated_output
    held = [stage for stage in supply.trunk if stage.HOLDS]
    if held:
        return maybe(getattr(held[-1], "output_v", None)) or 0.0
    return full_volts(supply.source) if port is None else maybe(port.output_v) or 0.0


@require_POST
def add_conversion(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """A device of the Bench, copied with its own way and its duty."""

    def change(document: Document) -> tuple[Document, str]:
        key = whole_number(request.POST.get("conversion", ""), MOST_KEY)
        found = None if key is None else Conversion.objects.filter(pk=key).first()
        if key is None or found is None:
            raise Refused(f"conversion-{index}", "Choose a conversion of the Bench.")
        try:
            branch = actions.from_bench(found.case, key, document.start)
        except UnreadableCase as error:
            raise Refused(f"conversion-{index}", f"it cannot be read: {error}") from None
        return actions.with_branch(document, index, branch), f"Added {branch.device.name}"

    return changed(request, pk, change)


@require_POST
def renew(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Take over what has changed in the conversion from which a device was taken."""

    def change(document: Document) -> tuple[Document, str]:
        branch = document.supplies[index].branches[place]
        found = Conversion.objects.filter(pk=branch.bench).first() if branch.bench else None
        if found is None:
            raise Refused("page", "Its conversion is not on the Bench any more.")
        made = actions.from_bench(found.case, found.pk, document.start)
        return actions.renewed(document, index, place, made), f"{branch.device.name} as on the Bench"

    return changed(request, pk, change)


@require_POST
def remove_branch(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Take a device off a supply."""
    return changed(
        request,
        pk,
        lambda document: (
            actions.without_branch(document, index, place),
            f"Took {document.supplies[index].branches[place].device.name} out",
        ),
    )


@require_POST
def set_count(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """How many equal devices hang on a branch."""

    def change(document: Document) -> tuple[Document, str]:
        count = whole_number(request.POST.get("count", ""), MOST_ALIKE)
        if not count:
            raise Refused(f"count-{index}-{place}", f"1 to {MOST_ALIKE}")
        name = document.supplies[index].branches[place].device.name
        return actions.with_count(document, index, place, count), f"{count} × {name}"

    return changed(request, pk, change)


@require_POST
def set_spares(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """How many more of the same pack go along."""

    def change(document: Document) -> tuple[Document, str]:
        spares = whole_number(request.POST.get("spares", "").strip() or "0", MOST_SPARES)
        if spares is None:
            raise Refused(f"spares-{index}", f"0 to {MOST_SPARES}")
        words = f"{spares} more of {document.supplies[index].called}"
        return actions.with_spares(document, index, spares), words

    return changed(request, pk, change)


@require_POST
def add_charger(request: HttpRequest, pk: int) -> HttpResponse:
    """Something to charge packs from, typed in a line."""

    def change(document: Document) -> tuple[Document, str]:
        try:
            charger = read_charger(" ".join(request.POST.get("charger", "").split()))
        except ValueError as error:
            raise Refused("charger", str(error)) from None
        return actions.with_charger(document, charger), f"Charged from {charger.name}"

    return changed(request, pk, change)


@require_POST
def remove_charger(request: HttpRequest, pk: int, at: int) -> HttpResponse:
    """Take something to charge from away."""
    return changed(
        request,
        pk,
        lambda document: (actions.without_charger(document, at), f"Not charged from {document.chargers[at].name}"),
    )


@require_POST
def move(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Put a device on another supply."""

    def change(document: Document) -> tuple[Document, str]:
        to = whole_number(request.POST.get("to", ""), len(document.supplies) - 1)
        if to is None or to == index:
            raise Refused(f"move-{index}-{place}", "Choose another supply.")
        name = document.supplies[index].branches[place].device.name
        return actions.moved(document, index, place, to), f"{name} on {document.supplies[to].called}"

    return changed(request, pk, change)


@require_POST
def pin(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Let a device stay where it hangs whatever is proposed, or let it go."""
    pinned = request.POST.get("pinned") == "yes"

    def change(document: Document) -> tuple[Document, str]:
        name = document.supplies[index].branches[place].device.name
        made = actions.with_pin(document, index, place, pinned=pinned)
        return made, f"{name} {'stays' if pinned else 'may move'}"

    return changed(request, pk, change)


@require_POST
def own_battery(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Whether a device begins on its own battery, or that takes over when the feed ends."""
    first = request.POST.get("goes") == "first"

    def change(document: Document) -> tuple[Document, str]:
        name = document.supplies[index].branches[place].device.name
        made = actions.with_own_battery(document, index, place, "first" if first else "last")
        return made, f"{name}: own battery {'first' if first else 'last'}"

    return changed(request, pk, change)


@require_POST
def cut_off(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Put a low-voltage cut-off before a device, so that it leaves and the others go on."""
    typed = request.POST.get("trips_v", "")
    try:
        volts = parse_field(typed, FIELDS["trips_v"])
    except ValueError as error:
        context = {"outing": get_object_or_404(Outing, pk=pk), "index": index, "place": place, "typed": typed}
        refused = render(request, "outing/_first.html", context | {"error": str(error)}, status=422)
        return reswap(retarget(refused, f"#many-{index}-{place}"), "innerHTML")

    def change(document: Document) -> tuple[Document, str]:
        supply = document.supplies[index]
        name = supply.branches[place].device.name
        made = actions.with_changed(document, index, with_cut_off(supply, place, volts))
        return made, f"{name} goes first, at {figure(volts, 'V', 4)}"

    return changed(request, pk, change)


@require_POST
def hang_so(request: HttpRequest, pk: int) -> HttpResponse:
    """Hang every device where it is proposed; what was proposed is worked out again, so it is never an old one."""

    def change(document: Document) -> tuple[Document, str]:
        wish = next((one for one in WISHES if one == request.POST.get("wish")), None)
        if wish is None:
            raise Refused("page", "Choose what the proposal is to look for.")
        try:
            return propose(document, wish).outing, f"Hung for {wish}"
        except CannotPropose as error:
            raise Refused("page", f"Nothing can be proposed: {error}.") from None

    return changed(request, pk, change)


@require_POST
def step(request: HttpRequest, pk: int) -> HttpResponse:
    """Undo or redo."""
    try:
        outing = actions.step(pk, version_of(request), 1 if request.POST.get("by") == "1" else -1)
    except Outing.DoesNotExist:
        raise Http404 from None
    except (actions.Conflict, Refused):
        found = get_object_or_404(Outing, pk=pk)
        words = "It was changed in another tab meanwhile: this is the newest state."
        return answer(request, found, 409, errors={"page": words})
    return answer(request, outing)


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take the whole outing away."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        actions.remove(pk, version_of(request))
    except (actions.Conflict, Refused):
        words = "It was changed in another tab meanwhile: look at it again before it goes."
        return answer(request, found, 409, errors={"page": words})
    return redirect("outings")
