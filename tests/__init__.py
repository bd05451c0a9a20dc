"""The tests; what the server logs stays out of their output."""

import logging

import structlog

structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
