"""Octaplan: plans, checks and clears the network edge of many small customer sites."""

__version__ = "0.1.0"
