"""Clients that speak to boxes by open protocols, and the hands that stage one by its run sheet."""
