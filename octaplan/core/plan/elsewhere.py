"""Members of other sites, as they are named where they have part in something."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, order=True)
class Other:
    """A site, or a member of one."""

    customer: str
    site: str
    subject: str


def at(other: Other) -> str:
    """A member of another site: `office at FERN/MILL`."""
    return f"{other.subject} at {other.customer}/{other.site}"
