"""Settings as text, and back: what a box is told, and what it says that it has."""
