"""What may be sent twice and counts once: an entry that was kept while there was no connection bears a mark."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import wraps
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from hermotrope.phones.models import Sent

View = Callable[..., HttpResponse]
KEPT_FOR = timedelta(days=60)
LONGEST = 40


def each_once(view: View) -> View:
    """A view whose entry is taken once for each mark (`once` of the form); the mark and the entry are kept together.

    An entry that is refused uses no mark up. One that came before is answered by 204 and nothing.
    """

    @wraps(view)
    def wrapped(request: HttpRequest, *place: Any, **named: Any) -> HttpResponse:
        mark = request.POST.get("once", "")
        if not mark or len(mark) > LONGEST or not mark.isalnum():
            return view(request, *place, **named)
        with transaction.atomic():
            Sent.objects.filter(at__lt=timezone.now() - KEPT_FOR).delete()
            if not Sent.objects.get_or_create(mark=mark)[1]:
                return HttpResponse(status=204)
            response = view(request, *place, **named)
            if response.status_code >= 400:
                transaction.set_rollback(True)
            return response

    return wrapped
