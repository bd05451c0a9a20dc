"""Segments made, split, joined, resized, copied, put in order and laid out."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.findings import Severity
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.propose.room import RoomError
from octaplan.core.propose.segments import (
    SegmentNeed,
    SegmentProposal,
    add,
    duplicate,
    join,
    lay_out_site,
    reorder,
    resize,
    split,
)
from octaplan.core.values.addresses import Network, parse_network
from tests.core.kit import office_site, with_device
from tests.support import segment, site


def net(text: str) -> Network:
    return parse_network(text)[0]


ORGANISATION = Organisation(blocks={"fern": [net("10.40.0.0/16")]})
SCOPE = {"first": "10.40.8.20", "last": "10.40.8.199", "excluded": ["10.40.8.100-10.40.8.140"]}


def portfolio(*plans: SitePlan) -> Portfolio:
    return Portfolio(plans, ORGANISATION)


class New(unittest.TestCase):
    def taken(self, plan: SitePlan, proposal: SegmentProposal) -> SitePlan:
        return applied(plan, proposal.operations)

    def test_it_is_complete_and_clean(self) -> None:
        plan = office_site()
        held = portfolio(plan)
        for role in SegmentRole:
            with self.subTest(role):
                after = self.taken(plan, add(held, plan, role))
                fresh = next(s for key, s in after.segments.items() if key not in plan.segments)
                self.assertTrue(net("10.40.0.0/16").holds(fresh.subnet.first))  # type: ignore[union-attr]
                rules = {f.rule for f in held.check(after) if f.severity is Severity.STOP}
                self.assertLessEqual(rules - {"gateway-missing"}, {f.rule for f in held.check(plan)})

    def test_size_by_hosts_prefix_or_subnet(self) -> None:
        plan, held = office_site(), portfolio(office_site())
        sizes = {
            "hosts": add(held, plan, SegmentRole.OTHER, "Lab", hosts=100),
            "prefix": add(held, plan, SegmentRole.OTHER, "Lab", prefix=27),
            "subnet": add(held, plan, SegmentRole.OTHER, "Lab", subnet=net("10.40.77.0/28")),
        }
        told = {name: proposal.operations[0]["value"]["subnet"] for name, proposal in sizes.items()}
        self.assertEqual(told["hosts"][-3:], "/25", "100 grown by 25 %, and a gateway")
        self.assertEqual(told["prefix"][-3:], "/27")
        self.assertEqual(told["subnet"], "10.40.77.0/28")
        with self.assertRaisesRegex(RoomError, "No free /9"):
            add(held, plan, SegmentRole.OTHER, prefix=9)

    def test_labels_and_vlans_stay_apart(self) -> None:
        plan = office_site()
        value = add(portfolio(plan), plan, SegmentRole.OFFICE).operations[0]["value"]
        self.assertEqual((value["label"], value["vlan"]), ("Office 2", 30))

    def test_a_copy_has_everything_at_its_offset(self) -> None:
        plan = site(
            segments=[segment(vlan=10, scope=SCOPE, kept=[{"kind": "printer", "run": "10.40.8.10-10.40.8.15"}])]
        )
        value = duplicate(portfolio(plan), plan, "seg0").operations[0]["value"]
        self.assertEqual((value["subnet"], value["gateway"]), ("10.40.7.0/24", "10.40.7.1"))
        self.assertEqual(value["scope"]["excluded"], ["10.40.7.100-10.40.7.140"])
        self.assertEqual(value["kept"][0]["run"], "10.40.7.10-10.40.7.15")
        self.assertNotEqual(value["vlan"], 10)


class Sizes(unittest.TestCase):
    def test_split_and_join_come_back_to_where_they_were(self) -> None:
        hosts = [("Office", "low", "10.40.8.10"), ("Office", "high", "10.40.8.210")]
        plan = site(segments=[segment(vlan=10, scope=SCOPE)], hosts=hosts)  # type: ignore[arg-type]
        held = portfolio(plan)
        halves = applied(plan, split(held, plan, "seg0").operations)
        lower, upper = halves.segments.values()
        self.assertEqual([str(half.subnet) for half in (lower, upper)], ["10.40.8.0/25", "10.40.8.128/25"])
        self.assertEqual([str(half.gateway) for half in (lower, upper)], ["10.40.8.1", "10.40.8.129"])
        self.assertEqual([str(p) for p in lower.scope.pieces], ["10.40.8.20–10.40.8.99"])
        self.assertEqual([str(p) for p in upper.scope.pieces], ["10.40.8.141–10.40.8.199"])
        where = {host.name: halves.segments[host.segment].label for host in halves.hosts.values()}
        self.assertEqual(where, {"low": "Office", "high": "Office 2"})
        key = next(k for k in halves.segments if k != "seg0")
        joining = join(halves, "seg0", key)
        self.assertIn("10.40.8.129, the gateway of Office 2, becomes free", joining.lost)
        joined = applied(halves, joining.operations)
        self.assertEqual(str(joined.segments["seg0"].subnet), "10.40.8.0/24")
        self.assertEqual(joined.segments["seg0"].scope.pieces, plan.segments["seg0"].scope.pieces)
        self.assertEqual({host.segment for host in joined.hosts.values()}, {"seg0"})

    def test_a_half_and_a_copy_stand_beside_what_they_come_from(self) -> None:
        plan = site(segments=[segment(), segment("Voice", "10.40.9.0/24"), segment("Lab", "10.40.10.0/24")])
        held = portfolio(plan)
        for proposal, labels in (
            (split(held, plan, "seg0"), ["Office", "Office 2", "Voice", "Lab"]),
            (duplicate(held, plan, "seg1"), ["Office", "Voice", "Voice 2", "Lab"]),
            (split(held, plan, "seg2"), ["Office", "Voice", "Lab", "Lab 2"]),
        ):
            after = applied(plan, proposal.operations)
            after = SitePlan.model_validate(after.document())
            self.assertEqual([one.label for one in after.segments.values()], labels)

    def test_what_cannot_be_split_or_joined(self) -> None:
        plan = site(
            segments=[
                segment(),
                segment("Voice", "10.40.9.0/24"),
                segment("Far", "10.40.12.0/24"),
                segment("Tiny", "10.40.20.0/30"),
                segment("None", None),
            ]
        )
        held = portfolio(plan)
        for attempt, words in (
            (lambda: split(held, plan, "seg3"), "too small to be split"),
            (lambda: split(held, plan, "seg4"), "no subnet yet"),
            (lambda: join(plan, "seg0", "seg2"), "no neighbours"),
            (lambda: join(plan, "seg0", "seg0"), "with itself"),
        ):
            with self.subTest(words), self.assertRaisesRegex(RoomError, words):
                attempt()

    def test_joining_takes_ports_along(self) -> None:
        plan, _ = with_device(office_site())
        office, voice = list(plan.segments)[:2]
        after = applied(plan, join(plan, office, voice).operations)
        rules = {finding.rule for finding in portfolio(after).check_all()}
        self.assertNotIn("wiring-dangling", rules)
        self.assertNotIn(voice, str(after.document()["devices"]))

    def test_a_smaller_subnet_tells_what_falls_out(self) -> None:
        kept = [{"kind": "printer", "run": "10.40.8.220-10.40.8.230"}]
        hosts = [("Office", "low", "10.40.8.10"), ("Office", "high", "10.40.8.210")]
        plan = site(segments=[segment(scope=SCOPE, kept=kept)], hosts=hosts)  # type: ignore[arg-type]
        proposal = resize(portfolio(plan), plan, "seg0", net("10.40.8.0/25"))
        self.assertEqual(
            proposal.lost,
            [
                "the run 10.40.8.220–10.40.8.230 for printer is outside",
                "high 10.40.8.210 is outside",
                "the range 10.40.8.20–10.40.8.199 becomes 10.40.8.20–10.40.8.99, 59 fewer",
                "10.40.8.100–10.40.8.140, excluded from the range, is no longer in it",
            ],
        )
        after = applied(plan, proposal.operations).segments["seg0"]
        self.assertEqual((str(after.scope.last), after.kept), ("10.40.8.99", []))
        wider = resize(portfolio(plan), plan, "seg0", net("10.40.8.0/23"))
        self.assertEqual(
            (wider.lost, wider.sentence.rpartition("; ")[2]), ([], "the range stays 10.40.8.20–10.40.8.199")
        )
        moved = applied(plan, resize(portfolio(plan), plan, "seg0", net("10.41.0.0/25")).operations).segments["seg0"]
        self.assertEqual([str(piece) for piece in moved.scope.pieces], ["10.41.0.20–10.41.0.99"])
        tiny = resize(portfolio(plan), plan, "seg0", net("10.41.0.0/29"))
        self.assertIn("no range fits into 10.41.0.0/29: DHCP is off there", tiny.lost)
        small = resize(portfolio(plan), plan, "seg0", net("10.41.0.0/27")).lost
        self.assertEqual(small[0], "the run 10.41.0.220–10.41.0.230 for printer is outside")

    @given(st.integers(20, 29), st.integers(16, 30))
    def test_resizing_leaves_nothing_of_the_segment_outside(self, before: int, after: int) -> None:
        subnet = Network.holding(net("10.40.8.0/24").first, before)
        scope = {"first": str(subnet.usable.first.plus(1)), "last": str(subnet.usable.last)}
        plan = site(segments=[segment(subnet=str(subnet), gateway=str(subnet.usable.first), scope=scope)])
        wanted = Network.holding(net("10.41.64.0/24").first, after)
        made = applied(plan, resize(portfolio(plan), plan, "seg0", wanted).operations).segments["seg0"]
        self.assertEqual(made.subnet, wanted)
        for address in (made.gateway, made.scope.first, made.scope.last):
            self.assertTrue(address is None or wanted.usable.holds(address), f"{address} in {wanted}")


class Places(unittest.TestCase):
    def test_up_and_down(self) -> None:
        plan = site(segments=[segment(), segment("Voice", "10.40.9.0/24"), segment("Guest", "10.40.10.0/24")])
        after = applied(plan, reorder(plan, "seg2", -1).operations)
        self.assertEqual([s.label for s in after.segments.values()], ["Office", "Guest", "Voice"])
        again = applied(after, reorder(after, "seg0", 9).operations)
        self.assertEqual([s.label for s in again.segments.values()], ["Guest", "Voice", "Office"])
        self.assertEqual(reorder(again, "seg0", 1).operations, [])


class Layouts(unittest.TestCase):
    NEEDS = (
        SegmentNeed("Office", SegmentRole.OFFICE, 100),
        SegmentNeed("Voice", SegmentRole.VOICE, 50),
        SegmentNeed("Link", SegmentRole.TRANSIT, 0, 30),
    )

    def test_a_whole_site(self) -> None:
        plan = site("FERN/NEW")
        proposal = lay_out_site(portfolio(plan), plan, net("10.40.32.0/23"), self.NEEDS)
        after = applied(plan, proposal.operations)
        self.assertEqual(
            [str(s.subnet) for s in after.segments.values()], ["10.40.32.0/25", "10.40.32.128/25", "10.40.33.0/30"]
        )
        self.assertEqual({f.rule for f in portfolio(after).check_all() if f.rule.startswith("overlap")}, set())

    def test_it_keeps_away_from_other_sites(self) -> None:
        other = site("FERN/DOCK", [segment(subnet="10.40.32.0/24")])
        plan = site("FERN/NEW")
        proposal = lay_out_site(portfolio(other, plan), plan, net("10.40.32.0/22"), self.NEEDS)
        after = applied(plan, proposal.operations)
        self.assertEqual([f.rule for f in portfolio(other, after).check_all() if f.rule == "overlap-reach"], [])
        with self.assertRaisesRegex(RoomError, "does not fit into 10.40.32.0/24"):
            lay_out_site(portfolio(other, plan), plan, net("10.40.32.0/24"), self.NEEDS)

    def test_segments_that_are_there_move_with_all_they_hold(self) -> None:
        hosts = [("Office", "printer", "10.40.8.10")]
        plan = site(segments=[segment(scope=SCOPE), segment("Voice", "10.40.9.0/24")], hosts=hosts)  # type: ignore[arg-type]
        needs = [
            SegmentNeed("Office", SegmentRole.OFFICE, 60, None, "seg0"),
            SegmentNeed("Voice", SegmentRole.VOICE, 20, None, "seg1"),
        ]
        after = applied(plan, lay_out_site(portfolio(plan), plan, net("10.40.64.0/23"), needs).operations)
        self.assertEqual([str(s.subnet) for s in after.segments.values()], ["10.40.64.0/25", "10.40.64.128/27"])
        self.assertEqual(str(after.hosts["host0"].address), "10.40.64.10")

    def test_two_that_would_change_places_are_refused(self) -> None:
        plan = site(segments=[segment(subnet="10.40.8.128/25"), segment("Voice", "10.40.8.0/25")])
        needs = [
            SegmentNeed("Office", SegmentRole.OFFICE, 0, 25, "seg0"),
            SegmentNeed("Voice", SegmentRole.VOICE, 0, 25, "seg1"),
        ]
        with self.assertRaisesRegex(RoomError, "change places"):
            lay_out_site(portfolio(plan), plan, net("10.40.8.0/24"), needs)


class Usual(unittest.TestCase):
    def test_a_new_segment_follows_what_is_usual_at_its_customer(self) -> None:
        usual = {"fern": {"resolvers": ["gateway", "192.0.2.53"], "domain": "fern.example"}}
        organisation = Organisation.model_validate({"customers": usual, "blocks": {"fern": ["10.40.0.0/16"]}})
        plan = site("FERN/DOCK", segments=[segment(resolvers=["192.0.2.99"], domain="old.example")])
        for role, domain in ((SegmentRole.VOICE, "fern.example"), (SegmentRole.GUEST, None)):
            proposal = add(Portfolio([plan], organisation), plan, role)
            made = list(applied(plan, proposal.operations).segments.values())[-1]
            self.assertEqual((list(map(str, made.resolvers)), made.domain), (["gateway", "192.0.2.53"], domain))
