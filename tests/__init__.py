"""The tests; what the server logs stays out of their output, and a slow machine fails no property.

`OCTAPLAN_TESTS=thorough` (`make test-thorough`) tries many more examples of each property, `quick` (`make quick`) a few.
"""

import logging
import os

import structlog
from hypothesis import HealthCheck, settings

structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))

QUICK = os.environ.get("OCTAPLAN_TESTS") == "quick"
THOROUGH = os.environ.get("OCTAPLAN_TESTS") == "thorough"


def examples(number: int) -> settings:
    """How many examples of a property are tried: half of so many by CI, ten times as many thoroughly, a few quickly."""
    return settings(max_examples=number * 10 if THOROUGH else 5 if QUICK else max(15, number // 2))


settings.register_profile("octaplan", examples(100), deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("octaplan")
