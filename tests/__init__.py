"""Tests of all rooms. Examples are drawn alike each time; a slow machine is no reason to fail."""

from hypothesis import HealthCheck, settings

settings.register_profile(
    "any machine",
    derandomize=True,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("any machine")
