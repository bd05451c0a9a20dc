"""The tests; what the server logs stays out of their output, and a slow machine fails no property.

`OCTAPLAN_TESTS=thorough` (`make test-thorough`) tries many more examples of each property.
"""

import logging
import os

import structlog
from hypothesis import HealthCheck, settings

structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))

THOROUGH = os.environ.get("OCTAPLAN_TESTS") == "thorough"


def examples(number: int) -> settings:
    """How many examples of a property are tried: half of so many before each commit, ten times as many thoroughly."""
    return settings(max_examples=number * 10 if THOROUGH else max(15, number // 2))


settings.register_profile("octaplan", examples(100), deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("octaplan")
