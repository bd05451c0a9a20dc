"""Generated portfolios: clean sites of a usual shape, with a known number of planted overlaps."""

from __future__ import annotations

import random
from pathlib import Path

from octaplan.core.plan import SitePlan
from octaplan.formats.intake import COLUMNS, table_rows
from octaplan.formats.tables import csv_text

ROLES = ("office", "voice", "cameras", "guest", "servers", "management")
SITES_A_CUSTOMER = 200


def portfolio(sites: int, *, hosts: int = 8, planted: int = 0, seed: int = 1) -> list[SitePlan]:
    """Plans of six segments with so many hosts each; `planted` pairs of sites share one subnet."""
    plans = []
    for number in range(sites):
        customer, place = divmod(number, SITES_A_CUSTOMER)
        first = (16 << 8) + place * 8  # customers do not reach each other, so each starts anew
        subnets = [f"10.{(first + k) >> 8}.{(first + k) & 255}" for k in range(len(ROLES))]
        plans.append(_site(f"C{customer:03}", f"S{place:03}", number, subnets, hosts))
    rng = random.Random(seed)
    for one, other in _pairs(sites, planted, rng):
        source = plans[one].segments["seg2"]
        same = {"subnet": source.subnet, "gateway": source.gateway, "scope": source.scope}
        victim = plans[other].segments["seg2"].model_copy(update=same)
        moved = {key: host for key, host in plans[other].hosts.items() if host.segment != "seg2"}
        segments = plans[other].segments | {"seg2": victim}
        plans[other] = plans[other].model_copy(update={"segments": segments, "hosts": moved})
    return plans


def _pairs(sites: int, planted: int, rng: random.Random) -> list[tuple[int, int]]:
    """Pairs of sites of one customer, no site in two of them."""
    free = list(range(sites - sites % 2))
    starts = rng.sample(free[::2], min(planted, len(free) // 2))
    return [(start, start + 1) for start in starts]


def _site(customer: str, site: str, number: int, subnets: list[str], hosts: int) -> SitePlan:
    segments, members = {}, {}
    for k, (role, net) in enumerate(zip(ROLES, subnets, strict=True)):
        segments[f"seg{k}"] = {
            "label": role,
            "role": role,
            "vlan": 10 * (k + 1),
            "subnet": f"{net}.0/24",
            "gateway": f"{net}.1",
            "scope": {"first": f"{net}.100", "last": f"{net}.199"},
        }
        for h in range(hosts):
            mac = number * 1_000 + k * 100 + h
            members[f"h{k}x{h:02}"] = {
                "segment": f"seg{k}",
                "name": f"{role} {h}",
                "address": f"{net}.{10 + h}",
                "mac": ":".join(f"{mac >> s & 255:02x}" for s in range(40, -8, -8)),
            }
    return SitePlan.model_validate(
        {"schema": "octaplan.site-plan/1", "customer": customer, "site": site, "segments": segments, "hosts": members}
    )


def write_tables(plans: list[SitePlan], folder: Path) -> None:
    """Plans as intake tables."""
    for name, rows in table_rows(plans).items():
        (folder / f"{name}.csv").write_text(csv_text(list(COLUMNS[name]), rows), newline="")
