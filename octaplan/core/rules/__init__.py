"""The rule book: one module per table. Importing this package enters every rule in `findings.RULES`."""

from octaplan.core.rules import overlaps, addressing, dhcp, names, devices, credentials  # noqa: F401, I001  (the book's order)
