"""The entry point of the installed program, and of `python -m octaplan`."""

from __future__ import annotations

import gc


def main() -> None:
    """Run the command line."""
    gc.set_threshold(100_000, 50, 100)  # importing leaves little to collect; looking for it takes a tenth of a start
    from octaplan.cli import main as run

    run()


if __name__ == "__main__":
    main()
