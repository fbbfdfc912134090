"""Tests. A busy machine may take long to draw an example: that is no fault of the example."""

from hypothesis import HealthCheck, settings

settings.register_profile("busy", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("busy")
