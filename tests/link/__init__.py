"""Tests of the clients that speak to boxes."""
