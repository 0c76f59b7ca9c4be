"""Every judgement of a conversion: one small function per rule, registered in one table."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import current, joining, protection, surroundings, voltage
from hermotrope_core.judge.findings.finding import LEVELS, Finding, Level, Verdict, verdict_of
from hermotrope_core.plan.naming import told

__all__ = ["LEVELS", "RULES", "Finding", "Level", "Verdict", "check", "verdict_of"]

Rule = Callable[[Situation], Iterator[Finding]]

RULES: tuple[Rule, ...] = (
    voltage.over_absolute_max,
    voltage.over_max,
    voltage.does_not_start,
    voltage.under_min_at_full,
    voltage.collapse,
    voltage.peak_drop,
    voltage.does_not_last,
    voltage.set_point_near_limit,
    voltage.diode_at_rest,
    voltage.early_stop,
    current.source_overload,
    current.converter_overload,
    current.converter_near_limit,
    current.converter_input_high,
    current.converter_input_low,
    current.set_point_outside,
    current.wrong_profile,
    current.auto_off,
    joining.polarity_unknown,
    joining.polarity_reversed,
    joining.polarity_swapped,
    joining.plug_mismatch,
    joining.plug_overload,
    joining.ac_inlet,
    joining.live_pins,
    joining.wrong_socket,
    joining.second_supply,
    joining.mixed_cells,
    joining.look_alike_cells,
    protection.no_fuse,
    protection.unfused_lead,
    protection.fuse_over_wire,
    protection.fuse_under_load,
    protection.fuse_cannot_open,
    protection.rating_volts,
    protection.no_switch,
    protection.wire_drop,
    protection.wire_hot,
    protection.hot_part,
    protection.no_low_voltage_cut_off,
    protection.deep_discharge,
    protection.backfeed,
    current.no_load_rise,
    current.inrush,
    current.standing_drain,
    surroundings.abrupt_stop,
    surroundings.no_warning,
    surroundings.radio_noise,
    surroundings.cold_run,
    surroundings.too_hot,
    surroundings.cold_charge,
    surroundings.primary_charged,
    surroundings.wrong_charger,
    surroundings.back_feed_motor,
    surroundings.not_stated,
    surroundings.inverter,
    surroundings.traits,
)
"""In the order of the work: volts, amperes, joining, protection, habits, surroundings."""


def check(situation: Situation) -> tuple[Finding, ...]:
    """All findings of a finished case, worst first, else in the order of `RULES`."""
    found = [finding for rule in RULES for finding in rule(situation)]
    if situation.cell.endless:
        found = [_of_an_adapter(situation, finding) for finding in found]
    if situation.case.choices:
        found = [_chosen(situation, finding) for finding in found]
    return tuple(sorted(found, key=lambda finding: -LEVELS.index(finding.level)))


def _of_an_adapter(situation: Situation, finding: Finding) -> Finding:
    words = told(situation.case, finding.message), finding.cure and told(situation.case, finding.cure)
    return msgspec.structs.replace(finding, message=words[0], cure=words[1])


def _chosen(situation: Situation, finding: Finding) -> Finding:
    """A finding that was accepted on purpose says so, with the reason."""
    choice = next((one for one in situation.case.choices if one.code == finding.code), None)
    if choice is None or finding.code not in situation.case.accepted:
        return finding
    who = f" ({choice.by})" if choice.by else ""
    return msgspec.structs.replace(finding, message=f"{finding.message} Chosen deliberately{who}: {choice.reason}.")
