"""What new ones begin with where the settings say it, or where most have it; and the remedies that take that, at one
place or at all of a site."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from octaplan.core.plan.boxes import named
from octaplan.core.plan.patch import set_to
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedy import Remedy, Trouble, remedy_for
from octaplan.core.values.readers import lease_text


def usual_time_servers(plans: Iterable[SitePlan]) -> list[str]:
    """The time servers that most devices of a portfolio have."""
    counted = Counter(tuple(d.time_servers) for plan in plans for d in plan.devices.values() if d.time_servers)
    return list(counted.most_common(1)[0][0]) if counted else []


@remedy_for("scope-lease")
def _usual_lease(trouble: Trouble) -> Iterator[Remedy]:
    settled = trouble.portfolio.organisation.beginning.lease
    if settled is not None:
        yield Remedy(
            f"Lease for {lease_text(settled)}, as the settings say", [set_to(f"{trouble.base}/scope/lease", settled)]
        )
    for seconds, words in ((28_800, "8 hours"), (86_400, "a day")):
        yield Remedy(f"Lease for {words}", [set_to(f"{trouble.base}/scope/lease", seconds)])


@remedy_for("time-server-missing")
def _time_servers(trouble: Trouble) -> Iterator[Remedy]:
    devices = trouble.plan.devices
    settled, why = trouble.portfolio.organisation.beginning.time_servers, "as the settings say"
    if not settled:
        settled, why = usual_time_servers([trouble.plan]), "as other boxes here have"
    if not settled:
        return
    lacking = [key for key, device in devices.items() if device.staged and not device.time_servers]
    servers = " and ".join(settled)
    if len(lacking) > 1:
        operations = [set_to(f"/devices/{key}/time_servers", settled) for key in lacking]
        yield Remedy(f"Give all {len(lacking)} boxes here that have none {servers}, {why}", operations)
    yield Remedy(f"Give {named(devices[trouble.key])} {servers}, {why}", [trouble.set("time_servers", settled)])
