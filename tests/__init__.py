"""The tests. What is tried by chance has no time limit of its own: a busy machine must not fail it."""

from hypothesis import HealthCheck, settings

settings.register_profile("steady", deadline=None, suppress_health_check=(HealthCheck.too_slow,))
settings.load_profile("steady")
