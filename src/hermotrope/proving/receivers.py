"""What follows from a change of the plan: how far build and proving are is said anew."""

from __future__ import annotations

from django.dispatch import receiver

from hermotrope.bench.actions import changed
from hermotrope.bench.models import Conversion
from hermotrope.proving.actions import tell


@receiver(changed)
def tell_anew(sender: type[Conversion], conversion: Conversion, **_: object) -> None:
    """Another part makes ticks and readings count no more."""
    if conversion.workshop or conversion.readings.exists() or conversion.step_marks.exists():
        conversion.workshop = tell(conversion)
