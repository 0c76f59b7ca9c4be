"""Looking for words in the database as somebody types them."""

from __future__ import annotations

from django.db.models import Q


def holding(word: str, *fields: str) -> Q:
    """Rows of which a field holds a word, in capitals or not.

    SQLite knows capitals of ASCII letters only: a word with others is looked for as typed, small, large and as a name.
    """
    forms = {word} if word.isascii() else {word, word.lower(), word.upper(), word.capitalize()}
    return Q(*((f"{field}__icontains", form) for field in fields for form in sorted(forms)), _connector=Q.OR)
