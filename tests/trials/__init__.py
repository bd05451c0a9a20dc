"""Trials that are too long for every run of the tests: `python -m tests.trials.fuzz`, `python -m tests.trials.kills`."""
