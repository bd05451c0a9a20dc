"""What people say of findings: a warning is accepted with a reason, a revision is cleared to ship."""

from __future__ import annotations

from datetime import UTC, datetime

from octaplan.core.check.findings import Severity
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import new_id
from octaplan.store.refusals import BadChange, NotClear
from octaplan.store.snapshot import Held, Signed


def acceptance_of(held: Held, rule: str, path: str, addresses: str, reason: str, by: str) -> Operation:
    """The change that accepts a `warn` which stands now. Raises `BadChange` when it does not stand."""
    for judged in held.judged:
        finding = judged.finding
        if (finding.rule, finding.path, finding.addresses) == (rule, path, addresses):
            break
    else:
        raise BadChange("This finding does not stand any more: nothing had to be accepted")
    if finding.severity is not Severity.WARN:
        raise BadChange(f"Only a warn can be accepted; {rule} is a {finding.severity}")
    if judged.accepted:
        raise BadChange("This finding has been accepted already")
    acceptance = {
        "rule": rule,
        "subject": path,
        "addresses": addresses,
        "reason": reason,
        "by": str(by),
        "at": datetime.now(UTC).isoformat(),
    }
    return set_to(f"/accepted/{new_id(f'{rule}{path}', held.plan.accepted)}", acceptance)


def clearance_of(held: Held, revision: int, by: str) -> Signed:
    """The signature under a revision. Raises `NotClear`, or `BadChange` when it is not the newest."""
    plan = held.plan
    if held.saved.number != revision:
        raise BadChange(f"The plan has changed since: look at revision {held.saved.number}, then sign that")
    blocking = [judged.finding for judged in held.judged if judged.blocks]
    if blocking:
        raise NotClear(f"{len(blocking)} findings stand in the way, the first: {blocking[0].message}")
    if not plan.circuits or not plan.segments:
        raise NotClear("A site is cleared with at least one circuit and one segment: this plan lacks them")
    if not any(device.routes_packets for device in plan.devices.values()):
        raise NotClear("A site is cleared with a box at its edge: add one on Devices")
    return Signed(revision, held.digest, by, datetime.now(UTC))
