"""The tests; what the server logs stays out of their output, and a slow machine fails no property."""

import logging

import structlog
from hypothesis import HealthCheck, settings

structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
settings.register_profile("octaplan", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("octaplan")
