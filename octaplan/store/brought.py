"""What a change that is not saved yet would bring: findings that come and end, and signatures that fall."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from octaplan.core.check.findings import Finding
from octaplan.store.snapshot import Sites


class Brought(NamedTuple):
    """What would come and end by site, worst first, and the keys of the sites whose clearance would be void."""

    come: Mapping[str, list[Finding]]
    end: Mapping[str, list[Finding]]
    voided: list[str]


def brought(now: Sites, after: Sites) -> Brought:
    """What is otherwise once all sites are as they would be."""
    come, end, voided = {}, {}, []
    for key, held in now.held.items():
        then = after.of(key)
        if then is held:
            continue
        was, will = ({f.identity: f for f in findings} for findings in (held.findings, then.findings))
        come[key] = [finding for identity, finding in will.items() if identity not in was]
        end[key] = [finding for identity, finding in was.items() if identity not in will]
        if held.signature and then.signature and held.signature.void is None and then.signature.void is not None:
            voided.append(key)
    return Brought(_worst_first(come), _worst_first(end), sorted(voided))


def _worst_first(by_site: Mapping[str, list[Finding]]) -> dict[str, list[Finding]]:
    told = {key: sorted(found, key=lambda f: f.severity.rank) for key, found in by_site.items() if found}
    return dict(sorted(told.items(), key=lambda item: (item[1][0].severity.rank, -len(item[1]), item[0])))
