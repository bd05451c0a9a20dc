"""The practice bench: stand-ins side by side, each with a laptop at it, a line that a provider plays, and cables."""
