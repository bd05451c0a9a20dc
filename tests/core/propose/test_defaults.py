"""What the settings say that new ones begin with, and the remedies that take it."""

from __future__ import annotations

import unittest
from typing import Any

from pydantic import ValidationError

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.organisation import BeginsWith, Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.propose.remedies import Offers
from octaplan.core.propose.segments import SegmentNeed, add, lay_out_site
from octaplan.core.propose.wiring import equip
from octaplan.core.values.addresses import Address, Network, parse_network
from tests.core.kit import hardware, office_site, with_device
from tests.support import segment

SETTLED = BeginsWith.model_validate(
    {
        "resolvers": ["192.0.2.53", "gateway"],
        "lease": "8h",
        "range": ".100 – .199",
        "time_servers": ["time.tern.example", "192.0.2.123"],
        "managed_from": ["10.255.0.0/24"],
        "country": "IE",
    }
)


def settled(plan: SitePlan, beginning: BeginsWith = SETTLED) -> Portfolio:
    return Portfolio([plan], Organisation(beginning=beginning), hardware={hardware().key: hardware()})


class Begun(unittest.TestCase):
    def lab(self, plan: SitePlan, subnet: str, beginning: BeginsWith = SETTLED) -> Any:
        net = parse_network(subnet)[0]
        after = applied(plan, add(settled(plan, beginning), plan, SegmentRole.OFFICE, "Lab", subnet=net).operations)
        return next(one for key, one in after.segments.items() if key not in plan.segments)

    def test_a_segment_leases_as_settled_where_its_subnet_holds_that(self) -> None:
        bare = office_site(segments=[segment(role="management", vlan=99)])
        added = add(settled(bare), bare, SegmentRole.OFFICE, "Lab", subnet=parse_network("10.40.77.0/24")[0])
        told = "Add Lab with 10.40.77.0/24; resolvers, range and lease as the settings say"
        self.assertEqual(added.sentence, told)
        plain = add(
            settled(bare, BeginsWith()), bare, SegmentRole.OFFICE, "Lab", subnet=parse_network("10.40.77.0/24")[0]
        )
        self.assertEqual(plain.sentence, "Add Lab with 10.40.77.0/24")
        whole = lay_out_site(
            settled(bare), bare, parse_network("10.40.64.0/20")[0], [SegmentNeed("Lab", SegmentRole.OFFICE, 90)]
        )
        self.assertRegex(whole.sentence, "^Lay out 1 segment between .*; resolvers and lease as the settings say$")
        for subnet, expected in (
            ("10.40.77.0/24", ("10.40.77.100", "10.40.77.199")),
            ("10.40.76.0/22", ("10.40.76.100", "10.40.76.199")),
            ("10.40.77.0/25", ("10.40.77.9", "10.40.77.126")),  # it ends at .126: as many as are left
        ):
            with self.subTest(subnet):
                lab = self.lab(bare, subnet)
                self.assertEqual((str(lab.scope.first), str(lab.scope.last), lab.scope.lease), (*expected, 28_800))

    def test_a_segment_of_more_clients_than_that_leases_what_its_subnet_has(self) -> None:
        bare, net = office_site(segments=[segment(role="management", vlan=99)]), parse_network("10.40.76.0/22")[0]
        proposal = add(settled(bare), bare, SegmentRole.OFFICE, "Lab", subnet=net, hosts=600)
        after = applied(bare, proposal.operations)
        span = next(one.scope.span for key, one in after.segments.items() if key not in bare.segments)
        assert span is not None
        self.assertGreater(span.size, 600)

    def test_resolvers_are_the_customers_then_the_sites_then_the_settled_ones(self) -> None:
        bare = office_site(segments=[segment(role="management", vlan=99, resolvers=[])])
        self.assertEqual([*map(str, self.lab(bare, "10.40.77.0/24").resolvers)], ["192.0.2.53", "gateway"])
        self.assertEqual([*map(str, self.lab(office_site(), "10.40.77.0/24").resolvers)], ["gateway"])
        self.assertEqual([*map(str, self.lab(bare, "10.40.77.0/24", BeginsWith()).resolvers)], ["gateway"])

    def test_a_box_takes_time_servers_and_management_and_says_so(self) -> None:
        plan = office_site()
        proposal = equip(plan, DeviceRole.EDGE, hardware(), ["other.example"], settled(plan))
        box = applied(plan, proposal.operations).devices[proposal.key]
        self.assertEqual(box.time_servers, ["time.tern.example", "192.0.2.123"])
        self.assertEqual([str(net) for one in box.access.values() for net in one.networks], ["10.255.0.0/24"])
        told = " ".join(proposal.assumed)
        self.assertIn("Time servers time.tern.example 192.0.2.123, as the settings say.", told)
        self.assertIn("and from 10.255.0.0/24 as the settings say", told)
        before = equip(plan, DeviceRole.EDGE, hardware(), ["other.example"], settled(plan, BeginsWith()))
        self.assertIn("Time servers other.example, as most boxes here have.", " ".join(before.assumed))

    def test_what_cannot_be_is_refused_in_a_sentence(self) -> None:
        for name, value, words in (
            ("range", ".200-.100", "no form of a DHCP range"),
            ("range", "10.0.0.5", "no form of a DHCP range"),
            ("range", ".0-.255", "no form of a DHCP range"),
            ("lease", "soon", "not a lease"),
        ):
            with self.subTest(value), self.assertRaisesRegex(ValidationError, words):
                BeginsWith.model_validate({name: value})
        self.assertIsNone(SETTLED.span(parse_network("2001:db8::/64")[0]))
        self.assertIsInstance(SETTLED.span(Network.holding(Address(4, 0x0A000000), 8)), object)


class Mended(unittest.TestCase):
    def offered(self, plan: SitePlan, rule: str, beginning: BeginsWith = SETTLED) -> list[Any]:
        portfolio = settled(plan, beginning)
        findings = portfolio.check(plan)
        return Offers(portfolio, plan, findings).of(next(one for one in findings if one.rule == rule))

    def test_time_servers_for_one_box_and_for_all_that_have_none(self) -> None:
        plan, first = with_device(office_site(), time_servers=[])
        second = dict.fromkeys(["twin"], plan.document()["devices"][first] | {"name": "twin", "ports": {}})
        both = SitePlan.model_validate(plan.document() | {"devices": {**plan.document()["devices"], **second}})
        (alone,) = self.offered(plan, "time-server-missing")
        self.assertTrue(alone.sentence.endswith("time.tern.example and 192.0.2.123, as the settings say"))
        for_all = self.offered(both, "time-server-missing")[0]
        self.assertIn("all 2 boxes here", for_all.sentence)
        after = applied(both, for_all.operations)
        self.assertTrue(all(device.time_servers for device in after.devices.values()))

    def test_what_nobody_has_settled_is_taken_from_the_other_boxes_or_not_offered(self) -> None:
        plan, _ = with_device(office_site(), time_servers=[])
        self.assertEqual(self.offered(plan, "time-server-missing", BeginsWith()), [])


if __name__ == "__main__":
    unittest.main()
