"""What the page of an outing shows: every supply's night, its devices' ends, what is to be told."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from hermotrope.bench.fields import UnreadableCase
from hermotrope.bench.models import Conversion
from hermotrope.entry.search import holding
from hermotrope.entry.typed import show_table
from hermotrope.outing import kept
from hermotrope.outing.actions import from_bench, moved
from hermotrope.outing.models import Outing
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.pack import rated_wh
from hermotrope_core.judge.alone import alone
from hermotrope_core.kinds.effects import CAUSE_WORDS
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch, Supply, packs_mass
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.outing_document import finished_supply
from hermotrope_core.plan.source import Source
from hermotrope_core.several.assign import WISHES
from hermotrope_core.several.clock import changes
from hermotrope_core.several.follow import BranchRun, SupplyRun
from hermotrope_core.several.inner import Inner, cold_counted, filling_w, holds_wh
from hermotrope_core.several.line import shared
from hermotrope_core.several.needs import carries
from hermotrope_core.several.netlist import not_written
from hermotrope_core.several.remarks import ORDER, Remark, who_stops
from hermotrope_core.values.clock import clock_time, days_later
from hermotrope_core.values.figures import duration, figure, stated
from hermotrope_core.values.known import Known, Number, maybe, number

MOST_CHOICES = 200
VERDICTS = {"refuse": "refused", "care": "fits with care", "note": "fits"}
MOST_PACKS_NAMED = 8
TRUNK = (
    ("rating_a", "fuse", "A", "none"),
    ("length_m", "lead, one way", "m", "none"),
    ("area_mm2", "its copper", "mm²", "0.75 mm² or 18 AWG"),
)
"""The fields of the shared line: name, label, unit, what an empty one shows."""
MOST_CHANGES = 10_000
"""Changes of mode that a page follows, of all supplies together."""
TOO_MANY = "Too many changes of mode in so many hours: the command outing follows them, a page does not."
UNKNOWN_FILL = "; whether the feed fills it again, and with how many watts, is not known: that would come on top"


def pack_choices(words: str = "") -> list[tuple[int, str]]:
    """The packs of the Shelf that are called by some words, what is owned first."""
    found = Item.objects.filter(kind="source").saying(words).at_hand_first()[:MOST_CHOICES]
    return [(one.pk, one.name if one.have == "own" else f"{one.name} ({one.get_have_display()})") for one in found]


def bench_choices(words: str = "") -> list[tuple[int, str]]:
    """The conversions that are called by some words."""
    found = Conversion.objects.order_by("title")
    for word in words.split():
        found = found.filter(holding(word, "title"))
    return list(found.values_list("pk", "title")[:MOST_CHOICES])


def page_context(
    outing: Outing, document: Document, errors: dict[str, str] | None = None, typed: dict[str, str] | None = None
) -> dict[str, Any]:
    """Everything that the page and its part state; `errors` by field, `typed` as it was sent."""
    errors, typed = errors or {}, typed or {}
    nights = [supply_view(document, i, supply) for i, supply in enumerate(document.supplies)]
    for one in nights:
        _refused(one, errors, typed)
    _linked(document, nights)
    runs = bool(nights) and all("run" in one for one in nights if one["supply"].branches)
    worst = [one["verdict"] for one in nights if one.get("verdict")]
    labels = dict(outing.revisions.values_list("number", "label"))
    return {
        "outing": outing,
        "document": document,
        "temperature": stated(number(document.conditions.temperature_c), "°C"),
        "by_the_hour": show_table(document.conditions.temperature_by_h or (), "temperature_by_h"),
        "hours": "" if document.hours is None else duration(3600.0 * number(document.hours)),
        "nights": nights,
        "verdict": next((word for word in VERDICTS.values() if word in worst), "") if runs else "",
        "packs": pack_choices(),
        "conversions": bench_choices(),
        "more_packs": Item.objects.filter(kind="source").count() > MOST_CHOICES,
        "more_conversions": Conversion.objects.count() > MOST_CHOICES,
        "wishes": WISHES,
        "chargers": [(one.name, stated(number(one.power_w), "W"), one.opens, one.closes) for one in document.chargers],
        "runs": runs,
        "bag": _bag(document),
        "bag_mass": _bag_mass(document),
        "undoes": labels.get(outing.revision, "") if outing.revision > 1 else "",
        "redoes": labels.get(outing.revision + 1, ""),
        "errors": errors,
        "typed": typed,
    }


def _bag_mass(document: Document) -> str:
    """Mass of all packs together; of some only where the others do not state theirs."""
    total, missing = packs_mass(document)
    without = f", without {missing} of unknown mass" if missing else ""
    return f"{figure(total, 'g', 2)}{without}" if total else ""


def _bag(document: Document) -> list[dict[str, Any]]:
    """What goes into the bag: each pack with its mass, its fuse and lead, and its devices with their own ways."""
    found = []
    for supply in document.supplies:
        mass = maybe(supply.source.mass_g)
        found.append({
            "pack": supply.called if supply.name is None else f"{supply.name} ({supply.source.name})",
            "packs": 1 + supply.spares,
            "mass": "mass unknown" if mass is None else figure(mass, "g", 2),
            "line": ", ".join(stage.whole for stage in supply.trunk) or "no shared fuse or lead",
            "devices": [(one.device.name, one.count, _way(one.path) if one.path else "") for one in supply.branches],
        })  # fmt: skip
    return found


def packs_that_last(supply: Supply, conditions: Conditions, hours: float) -> list[tuple[str, str, str]]:
    """The packs of the Shelf that last in the place of a supply's own, lightest first: name, mass, whether owned."""
    found = []
    for item in Item.objects.filter(kind="source").order_by("position", "name")[:MOST_CHOICES]:
        source = item.readable()
        if isinstance(source, Source) and carries(msgspec.structs.replace(supply, source=source), conditions, hours):
            found.append((maybe(source.mass_g), item))
    found.sort(key=lambda one: (one[0] is None, one[0] or 0.0))
    return [
        (item.name, "" if mass is None else figure(mass, "g", 2), item.get_have_display())
        for mass, item in found[:MOST_PACKS_NAMED]
    ]


def _refused(night_: dict[str, Any], errors: dict[str, str], typed: dict[str, str]) -> None:
    """Put what was refused back beside the field of this supply in which it stands."""
    i = night_["index"]
    night_["rows_error"], night_["conversion_error"] = errors.get(f"rows-{i}", ""), errors.get(f"conversion-{i}", "")
    night_["spares_error"] = errors.get(f"spares-{i}", "")
    night_["spares"] = typed.get("spares", "") if night_["spares_error"] else night_["supply"].spares
    night_["typed_rows"] = typed.get("rows", "") if night_["rows_error"] else ""
    fields = []
    trunk_refused = any(f"{name}-{i}" in errors for name, _, _, _ in TRUNK)
    for name, label, _, hint in TRUNK:
        value = typed.get(name, "") if trunk_refused else night_["line"][name]
        fields.append((name, label, value, hint, errors.get(f"{name}-{i}", "")))
    night_["trunk_fields"] = fields
    night_["refused"] = bool(night_["rows_error"] or night_["conversion_error"] or trunk_refused)
    for row in night_.get("rows", ()):
        place = row["place"]
        row["count_error"] = errors.get(f"count-{i}-{place}", "")
        row["count"] = typed.get("count", "") if row["count_error"] else row["branch"].count
        row["move_error"] = errors.get(f"move-{i}-{place}", "")


def _linked(document: Document, nights: list[dict[str, Any]]) -> None:
    """Say of every device from the Bench whether its conversion has changed since."""
    rows = [row for one in nights for row in one.get("rows", ())]
    known = Conversion.objects.in_bulk({row["branch"].bench for row in rows if row["branch"].bench})
    for row in rows:
        branch, found = row["branch"], known.get(row["branch"].bench)
        if found is None:
            continue
        try:
            now = from_bench(found.case, found.pk, document.start)
        except UnreadableCase:
            continue
        row["conversion"] = found
        row["changed"] = (now.device, now.path, now.duty) != (branch.device, branch.path, branch.duty)


def supply_view(document: Document, index: int, supply: Supply) -> dict[str, Any]:
    """One supply: its sums, its devices, its drawing; or what is still open in it."""
    line = shared(supply)
    shown: dict[str, Any] = {
        "index": index,
        "supply": supply,
        "wh": "" if CHEMISTRIES[supply.source.chemistry].endless else figure(rated_wh(supply.source), "Wh"),
        "line": {name: "" if line[name] is None else stated(line[name] or 0.0, unit) for name, _, unit, _ in TRUNK},
        "others": [(i, one.called) for i, one in enumerate(document.supplies) if i != index],
    }
    if not supply.branches:
        return shown | {"open": "No device hangs on it yet."}
    run = _followed(document, supply, index)
    if isinstance(run, str):
        return shown | {"open": run, "rows": _open_rows(supply)}
    asked = _asked(document, supply)
    told = kept.told(asked)
    hourly = through_the_hours(document, supply)
    told = told if hourly is None else (*told, hourly)
    own = [alone(supply, document.conditions, i) for i in range(len(supply.branches))]
    levels = {one.level for one in told} | {one.level for found in own for one in found}
    if "stop" in levels:  # nothing in this program clears what a life depends on
        levels.add("refuse")
    carriers = kept.carriers(asked)
    return shown | {
        "run": run,
        "rows": [row | {"own": own[row["place"]]} for row in _rows(document, supply, run, told, carriers)],
        "picture": kept.picture(asked, document.start, index, moves=bool(shown["others"])),
        "shared": [one for one in told if one.branch == -1],
        "verdict": next((VERDICTS[level] for level in ORDER if level in levels), "fits"),
        "lasts": when(run.runtime_s, document.start),
        "netlist": not not_written(supply),
        "early": sum(supply.branches[one.branch].count for one in told if one.branch >= 0 and one.ends),
        "left": figure(run.final_soc, "%", 2),
        "left_wh": figure(run.final_soc * rated_wh(supply.source), "Wh", 2) if shown["wh"] else "",
        "taken": figure(run.energy_from_source_wh, "Wh"),
        "why": "all have stopped" if run.end_cause == "all devices stopped" else CAUSE_WORDS[run.end_cause],
    }


def _followed(document: Document, supply: Supply, index: int) -> SupplyRun | str:
    """A supply followed through the outing as a page does it; what is open or too much, in words, where it cannot."""
    asked = _asked(document, supply)
    if asked.hours is not None and changes(supply, 3600.0 * asked.hours) > asked.most:
        return TOO_MANY
    try:
        finished_supply(supply, f"supplies[{index}]")
    except CaseError as error:
        return _open_words(supply, error)
    return kept.followed(asked)


def _asked(document: Document, supply: Supply) -> kept.Asked:
    return kept.Asked(supply, document.conditions, maybe(document.hours), MOST_CHANGES // len(document.supplies))


def through_the_hours(document: Document, supply: Supply) -> Remark | None:
    """How a supply fares through the temperatures by the hour, beside the run at the one of the outing."""
    table, hours = document.conditions.temperature_by_h, maybe(document.hours)
    if table is None:
        return None
    warmths = f"{figure(table[0][1], '°C', 2)} at first, {figure(table[-1][1], '°C', 2)} at the end"
    try:
        run = kept.followed_hourly(kept.Asked(supply, document.conditions, hours, MOST_CHANGES))
    except ValueError as error:
        return Remark("care", f"Through the temperatures by the hour: {error}.")
    stops = range(len(run.branches)) if hours is None else who_stops(supply, document.conditions, run, hours)
    ended = [run.branches[i] for i in stops]
    early = [f"{one.device} {when(one.runtime_s, document.start)} ({one.why})" for one in ended]
    ends = f"{'; '.join(early)}; " if early else "all go on to the end; "
    return Remark(
        "care" if early and hours is not None else "note",
        f"Through the temperatures by the hour ({warmths}): {ends}{figure(run.final_soc, '%', 2)} left.",
    )


def weighed(document: Document, index: int, place: int, to: int) -> str:
    """What would be if a device hung on another supply: what speaks against it, or how long all of it lasts.

    Raises IndexError for a device or a supply that is not there.
    """
    if not 0 <= to < len(document.supplies) or to == index:
        raise IndexError(to)
    device = document.supplies[index].branches[place].device
    supply = moved(document, index, place, to).supplies[to]
    run = _followed(document, supply, to)
    if isinstance(run, str):
        return run
    told = kept.told(_asked(document, supply))
    own = [one.message for one in alone(supply, document.conditions, len(supply.branches) - 1) if one.level != "care"]
    bad = [one.says for one in told if one.level == "refuse"] + own
    if bad:
        return f"Refused: {bad[0]}"
    early = [one.says for one in told if one.ends]
    lasts = f"{device.name} {when(run.branches[-1].runtime_s, document.start)}"
    return early[0] if early else f"{lasts}; {figure(run.final_soc, '%', 2)} of {supply.called} left."


def _open_words(supply: Supply, error: CaseError) -> str:
    """What is open in a supply, with the name of its device."""
    place = re.search(r"branches\[(\d+)\]", error.place)
    return error.why if place is None else f"{supply.branches[int(place[1])].device.name}: {error.why}"


def _open_rows(supply: Supply) -> list[dict[str, Any]]:
    return [
        {"place": i, "branch": branch, "way": _way(branch.path), "guessed": _guessed(branch.device.supply.max_v)}
        for i, branch in enumerate(supply.branches)
    ]


def _guessed(value: Number | None) -> bool:
    """Whether nobody stated the volts that a device stands."""
    return isinstance(value, Known) and value.known_by == "guess"


def _rows(
    document: Document, supply: Supply, run: SupplyRun, told: tuple[Remark, ...], carriers: tuple[Inner | None, ...]
) -> list[dict[str, Any]]:
    rows = _open_rows(supply)
    for row, one, own in zip(rows, run.branches, carriers, strict=True):
        row["own_battery"] = _own_battery(document, row["branch"], one, own)
        row |= {
            "lasts": when(one.runtime_s, document.start),
            "whole": one.end_cause == "programme over",
            "why": one.why,
            "wh": figure(one.energy_to_device_wh, "Wh"),
            "told": [remark for remark in told if remark.branch == row["place"]],
        }
    return rows


def _own_battery(document: Document, branch: Branch, one: BranchRun, found: Inner | None) -> str:
    """What a device's own battery does in this night, in words."""
    battery = branch.device.internal_battery
    if battery is None:
        return ""
    holds = figure(holds_wh(battery, document.conditions), "Wh", 2)
    cold = "" if cold_counted(battery) else "; what the cold takes of it is not known"
    if found is None:
        rest = "is not needed" if battery.takes_over else "does not take over"
        return f"Its own battery ({holds}{cold}) {rest}."
    if not found.first:
        return f"Its own battery ({holds}{cold}) takes over then, and lasts {when(found.until_s, document.start)}."
    if found.filled_s is not None:
        fills = f"; the feed has filled it again after {when(found.filled_s, document.start)}"
    elif battery.charges_from_feed is False:
        fills = ""
    else:
        fills = "; the feed does not fill it again by the end" if filling_w(battery) else UNKNOWN_FILL
    if found.again_until_s is not None and found.again_until_s > one.runtime_s:
        fills = f"; with what the feed has put back it then lasts {when(found.again_until_s, document.start)}"
    return f"It begins on its own battery ({holds}{cold}), {when(found.until_s, document.start)}, then the feed{fills}."


def _way(path: tuple[Any, ...]) -> str:
    return ", ".join(stage.whole for stage in path) or "straight on the shared line"


def when(seconds: float, start: str | None) -> str:
    """How long, and where the outing has a start, until when."""
    lasts = duration(seconds)
    if start is None or seconds <= 0.0:
        return lasts
    later = days_later(start, seconds)
    days = f", {later} {'day' if later == 1 else 'days'} on" if later else ""
    return f"{lasts}, until {clock_time(start, seconds)}{days}"
