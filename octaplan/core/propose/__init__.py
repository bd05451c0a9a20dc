"""Changes that are offered; nothing is saved."""
