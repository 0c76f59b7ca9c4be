"""Tests. Hypothesis draws the same examples every time and has no clock, so that a slow machine fails nothing."""

from hypothesis import HealthCheck, settings

settings.register_profile("steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("steady")
