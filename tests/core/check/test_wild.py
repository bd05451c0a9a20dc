"""Plans in which every value is of the right type and few of them make sense: no rule raises, nor does a remedy."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import in_order
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import Offers
from octaplan.core.propose.room import Room
from tests import examples

EDGES = ["0.0.0.0", "0.0.0.1", "10.0.0.1", "10.0.0.255", "127.255.255.255", "255.255.255.255", "::", "::1",
         "2001:db8::1", "fe80::1", "7fff:ffff:ffff:ffff:ffff:ffff:ffff:ffff", "8000::", "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff"]  # fmt: skip
SIX = [text for text in EDGES if ":" in text]
NETS = ["0.0.0.0/0", "0.0.0.0/32", "10.0.0.0/8", "10.0.0.0/31", "10.0.0.0/30", "10.0.0.0/24", "255.255.255.255/32",
        "::/0", "::/128", "2001:db8::/32", "2001:db8::/64", "2001:db8::/127", "ffff:ffff:ffff:ffff::/64"]  # fmt: skip
SIX_NETS = [text for text in NETS if ":" in text]
address = st.sampled_from([None, *EDGES])
six_address = st.sampled_from([None, *SIX])
net = st.sampled_from([None, *NETS])
six_net = st.sampled_from([None, *SIX_NETS])
runs = (
    st.tuples(st.sampled_from(EDGES), st.sampled_from(EDGES))
    .filter(lambda p: (":" in p[0]) == (":" in p[1]))
    .map("-".join)
)
text = st.sampled_from(["", "printer", "PRINTER", "10.0.0.1", "::1, 10.0.0.1", "x" * 200])
segments = st.fixed_dictionaries({
    "label": st.sampled_from(["a", "b", "x" * 80]),
    "role": st.sampled_from(["office", "guest", "transit", "isolated", "other"]),
    "vlan": st.sampled_from([None, 1, 4094]),
    "vrf": st.sampled_from(["main", "Main", "lab"]),
    "reach": st.sampled_from([None, "group", "local"]),
    "subnet": net, "gateway": address, "subnet6": six_net, "gateway6": six_address,
    "resolvers": st.lists(st.sampled_from(["gateway", *EDGES]), max_size=4),
    "domain": st.sampled_from([None, "a", "a.local", "local", "shop.net", "_x.internal."]),
    "expected_hosts": st.sampled_from([None, 0, 1, 200, 1 << 32]),
    "kept": st.lists(st.fixed_dictionaries({"kind": st.sampled_from(["printer", "x"]), "run": runs}), max_size=2),
    "scope": st.fixed_dictionaries({
        "server": st.sampled_from(["edge", "none", "10.0.0.1", "::1"]), "first": address, "last": address,
        "excluded": st.lists(runs, max_size=2), "lease": st.sampled_from([None, 1, 0xFFFFFFFF]),
        "options": st.dictionaries(st.sampled_from(["3", "6", "42", "66", "254"]), text, max_size=3),
    }),
})  # fmt: skip
circuits = st.fixed_dictionaries({
    "label": st.sampled_from(["m", "n"]), "handoff": st.sampled_from([None, "static", "pppoe", "dhcp"]),
    "address": address, "prefix": st.sampled_from([None, 0, 24, 31, 32]), "gateway": address,
    "address6": six_address, "prefix6": st.sampled_from([None, 0, 64, 128]), "gateway6": six_address,
    "resolvers": st.lists(st.sampled_from(EDGES), max_size=3), "routed_blocks": st.lists(st.sampled_from(NETS), max_size=3),
    "modem_subnet": net, "uses": st.dictionaries(st.sampled_from([*EDGES, "not one"]), text, max_size=2),
    "priority": st.sampled_from([None, 0, 1000]),
})  # fmt: skip


@st.composite
def wild_plans(draw: st.DrawFn) -> SitePlan:
    inside = {f"seg{n}": draw(segments) for n in range(draw(st.integers(0, 3)))}
    hosts: dict[str, Any] = {}
    for n in range(draw(st.integers(0, 3)) if inside else 0):
        hosts[f"host{n}"] = {
            "segment": draw(st.sampled_from(sorted(inside))), "name": "h", "kind": draw(st.sampled_from([None, "printer", "x"])),
            "address": draw(address), "address6": draw(six_address), "method": draw(st.sampled_from(["static", "reserved"])),
            "mac": draw(st.sampled_from([None, "00:00:00:00:00:00", "ff:ff:ff:ff:ff:ff", "01:00:00:00:00:01"])),
        }  # fmt: skip
    return SitePlan.model_validate({
        "schema": "octaplan.site-plan/2", "customer": draw(st.sampled_from(["F", "f", "G"])), "site": draw(st.sampled_from("ABC")),
        "time_zone": draw(st.sampled_from([None, "Europe/Rome"])), "ship_date": draw(st.sampled_from([None, "0001-01-01", "9999-12-31"])),
        "reach_groups": draw(st.sampled_from([None, [], ["g"], [*"abcdefgh"]])), "delegated_prefix": draw(six_net),
        "segments": inside, "hosts": hosts, "circuits": {f"circ{n}": draw(circuits) for n in range(draw(st.integers(0, 2)))},
    })  # fmt: skip


organisations = st.builds(
    lambda nets, blocks, side, leave, growth, flag: Organisation.model_validate({
        "own_networks": [{"name": "ours", "network": net} for net in nets], "common_defaults": nets, "blocks": {"F": blocks},
        "gateway": side, "hosts": side, "leave_fixed": leave, "growth": growth, "flag_documentation": flag,
    }),
    st.lists(st.sampled_from(NETS), max_size=2), st.lists(st.sampled_from(NETS), max_size=2),
    st.sampled_from(["first", "last"]), st.sampled_from([0, 8, 4096]), st.sampled_from([0, 400]), st.booleans(),
)  # fmt: skip


class Wild(unittest.TestCase):
    @given(st.data(), organisations)
    @examples(150)
    def test_no_rule_and_no_remedy_raises(self, data: st.DataObject, organisation: Organisation) -> None:
        every: dict[str, SitePlan] = {}
        for _ in range(data.draw(st.integers(1, 3))):
            try:
                plan = data.draw(wild_plans())
            except ValueError as error:  # an IPv4 mask at an IPv6 address, or the other way round
                self.assertIn("is too long for", str(error))
                continue
            every[plan.key] = plan
        portfolio = Portfolio(every.values(), organisation)
        whole = portfolio.check_all()
        self.assertEqual(whole, in_order(f for plan in every.values() for f in portfolio.check(plan)))
        for plan in every.values():
            portfolio.touched_by([plan])
            findings = portfolio.check(plan)
            offers = Offers(portfolio, plan, findings)
            for finding in findings[:6]:
                offers.of(finding)
            Room(portfolio, plan).next_number()
