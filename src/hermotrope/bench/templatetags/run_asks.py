"""``{{ mapping|of:name }}``: a value by a name that the template holds in a variable."""

from __future__ import annotations

from collections.abc import Mapping

from django import template

register = template.Library()


@register.filter
def of(mapping: Mapping[str, str], name: str) -> str:
    """The value, or nothing."""
    return mapping.get(name, "")
