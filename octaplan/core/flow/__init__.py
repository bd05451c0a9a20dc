"""Where packets go: what a plan lets through, walked for every address, and what is meant to pass."""
