"""Simulated equipment and rehearsal networks."""
