"""Links to the styles and scripts of every page."""

from __future__ import annotations

from django import template
from django.utils.safestring import SafeString

from hermotrope.bundles import links

register = template.Library()


@register.simple_tag
def styles() -> SafeString:
    """A link for the bundle of styles, or for each of them."""
    return links("all.css", '<link rel="stylesheet" href="{}">')


@register.simple_tag
def scripts() -> SafeString:
    """A link for the bundle of scripts, or for each of them."""
    return links("all.js", '<script src="{}" defer></script>')
