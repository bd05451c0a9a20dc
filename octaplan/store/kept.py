"""What may be known of secrets without opening any: an immutable part of the snapshot that readers share."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import NamedTuple

from octaplan.core.check.findings import OTHERS_LISTED
from octaplan.core.plan.credentials import Facts, Slot, SlotFact
from octaplan.core.plan.elsewhere import Other

Place = tuple[str, str]


@dataclass(frozen=True, slots=True)
class KeptSecret:
    """What is known of the newest secret of a slot."""

    number: int
    label: str
    fingerprint: str
    score: int
    factory: bool
    typed: bool
    at: datetime
    by: str


class SecretNeed(NamedTuple):
    """A slot of a site that is to be filled. `factory` are the makers' own passwords that will not do, `known` the
    words that whoever knows the site would try first."""

    site: str
    slot: Slot
    factory: tuple[str, ...] = ()
    known: tuple[str, ...] = ()


class Secrets:
    """The newest secret of every slot of every site, unopened; and which slots hold the same one."""

    def __init__(
        self,
        sites: Mapping[str, Mapping[str, KeptSecret]],
        codes: Mapping[str, tuple[str, str]],
        holders: Mapping[str, frozenset[Place]] | None = None,
        *,
        wants_reason: bool = False,
    ) -> None:
        self._sites = sites
        self._codes = codes
        self._holders = _holders(sites) if holders is None else holders
        #: Whether the organisation wants a reason for every reading.
        self.wants_reason = wants_reason

    def kept(self, site: str) -> Mapping[str, KeptSecret]:
        """The newest secret of every slot of a site."""
        return self._sites.get(site.casefold(), {})

    def facts(self, site: str) -> Facts:
        """What the rules may know of a site's secrets."""
        now = datetime.now(UTC)
        return {slot: self._fact(site.casefold(), slot, kept, now) for slot, kept in self.kept(site).items()}

    def _fact(self, site: str, slot: str, kept: KeptSecret, now: datetime) -> SlotFact:
        others = self._holders[kept.fingerprint] - {(site, slot)}
        shared = tuple(
            Other(*self._codes[key], self._sites[key][path].label) for key, path in sorted(others)[:OTHERS_LISTED]
        )
        return SlotFact(kept.score, kept.factory, (now - kept.at).days, shared, len(others))

    def sharing(self, fingerprint: str) -> set[str]:
        """The sites of all slots that hold a secret."""
        return {site for site, _ in self._holders.get(fingerprint, ())}

    def holders(self, fingerprint: str) -> set[tuple[str, str]]:
        """The slots that hold a secret, each with its site."""
        return set(self._holders.get(fingerprint, ()))

    def with_reason(self, wanted: bool) -> Secrets:
        """The same, with a reason for every reading wanted or not."""
        return Secrets(self._sites, self._codes, self._holders, wants_reason=wanted)

    def with_kept(
        self, written: Iterable[tuple[str, str, KeptSecret]], codes: Mapping[str, tuple[str, str]]
    ) -> tuple[Secrets, set[str]]:
        """With secrets in slots (site, slot, secret); also the sites at which something else may be found now."""
        sites, holders = dict(self._sites), dict(self._holders)
        touched: set[str] = set()
        for site, slot, kept in written:
            before = sites.get(site, {}).get(slot)
            if before is not None:
                holders[before.fingerprint] -= {(site, slot)}
                touched |= {key for key, _ in holders[before.fingerprint]}
            holders[kept.fingerprint] = holders.get(kept.fingerprint, frozenset()) | {(site, slot)}
            touched |= {key for key, _ in holders[kept.fingerprint]}
            sites[site] = {**sites.get(site, {}), slot: kept}
        fresh = Secrets(sites, {**self._codes, **codes}, holders, wants_reason=self.wants_reason)
        return fresh, touched

    def without(self, gone: Iterable[str]) -> tuple[Secrets, set[str]]:
        """Without those of some sites; also the sites at which something else may be found now."""
        sites, holders = dict(self._sites), dict(self._holders)
        touched: set[str] = set()
        for site in gone:
            for slot, kept in sites.pop(site, {}).items():
                holders[kept.fingerprint] -= {(site, slot)}
                touched |= {key for key, _ in holders[kept.fingerprint]}
        return Secrets(sites, self._codes, holders, wants_reason=self.wants_reason), touched


def _holders(sites: Mapping[str, Mapping[str, KeptSecret]]) -> dict[str, frozenset[Place]]:
    holders: dict[str, set[Place]] = {}
    for site, slots in sites.items():
        for slot, kept in slots.items():
            holders.setdefault(kept.fingerprint, set()).add((site, slot))
    return {fingerprint: frozenset(places) for fingerprint, places in holders.items()}
