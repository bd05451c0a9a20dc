"""IPv6 as it is typed, and the addresses of it that mean something else (RFC 4291, RFC 2526)."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.typed import understand
from octaplan.core.values.addresses import Address, Network, parse_network
from octaplan.core.values.errors import OctaplanError
from tests.support import found, segment, site


def dual(**more: object) -> SitePlan:
    six = segment(subnet6="2001:db8:40:10::/64", **more)
    return site(segments=[six], hosts=[("Office", "printer", "10.40.8.10"), ("Office", "camera", None)])


def typed(plan: SitePlan, path: str, text: str) -> str:
    return str(understand(plan, path, text).operations[0]["value"])


class Typed(unittest.TestCase):
    def test_first_last_next_and_ends_are_understood(self) -> None:
        plan = dual(gateway6="2001:db8:40:10::1")
        gateway, host = "/segments/seg0/gateway6", "/hosts/host1/address6"
        for path, text, value in (
            (gateway, "first", "2001:db8:40:10::1"),
            (gateway, "last", "2001:db8:40:10:ffff:ffff:ffff:ffff"),
            (gateway, "::fe", "2001:db8:40:10::fe"),
            (gateway, ":fe", "2001:db8:40:10::fe"),
            (gateway, "::1:2:3:4", "2001:db8:40:10:1:2:3:4"),
            (host, "next", "2001:db8:40:10::2"),
            (host, "::20", "2001:db8:40:10::20"),
            (host, "2001:db8:40:10::9", "2001:db8:40:10::9"),
        ):
            with self.subTest(text):
                self.assertEqual(typed(plan, path, text), value)

    def test_what_cannot_be_is_said_in_words_of_ipv6(self) -> None:
        for plan, path, text, words in (
            (dual(), "/hosts/host1/address6", "10.40.8.9", "is IPv4: write an IPv6 address"),
            (dual(), "/hosts/host1/address6", "::1::2", "IPv6"),
            (site(segments=[segment()]), "/segments/seg0/gateway6", "first", "no subnet yet"),
        ):
            with self.subTest(text), self.assertRaisesRegex(OctaplanError, words):
                understand(plan, path, text)


class MeansSomethingElse(unittest.TestCase):
    @given(st.integers(0, (1 << 64) - 1), st.integers(48, 127))
    def test_what_is_offered_is_never_found_to_be_wrong(self, value: int, prefix: int) -> None:
        subnet = Network.holding(Address(6, 0x20010DB8 << 96 | value << 20), prefix)
        plan = site(segments=[segment(subnet=str(subnet), gateway=None)], hosts=[("Office", "printer", None)])
        for path, text in (("/segments/seg0/gateway", "first"), ("/hosts/host0/address", "next")):
            plan = applied(plan, understand(plan, path, text).operations)
        self.assertEqual([f.rule for f in found(plan) if f.rule in ("gateway-unusable", "host-unusable")], [])
        for text in (str(subnet.first), str(subnet.last)):
            self.assertEqual(subnet.usable.holds(subnet.first), prefix == 127, text)

    def test_the_address_of_all_routers_is_found_and_mended(self) -> None:
        plan = dual(gateway6="2001:db8:40:10::")
        (finding,) = found(plan, rule="gateway-unusable")
        self.assertIn("is the subnet-router anycast (RFC 4291) address of 2001:db8:40:10::/64", finding.message)
        for text, words in (("2001:db8:40:10::", "RFC 4291"), ("2001:db8:40:10:ffff:ffff:ffff:ff80", "RFC 2526")):
            held = applied(plan, [{"op": "replace", "path": "/hosts/host1/address6", "value": text}])
            (finding,) = found(held, rule="host-unusable")
            self.assertIn(words, finding.message)
        fine = applied(plan, understand(plan, "/hosts/host1/address6", "::ffff:ffff:ffff:ff7f").operations)
        self.assertEqual(found(fine, rule="host-unusable"), [])

    def test_links_and_other_sizes_keep_theirs(self) -> None:
        for text, first, last in (
            ("2001:db8::/127", "2001:db8::", "2001:db8::1"),
            ("2001:db8::/126", "2001:db8::1", "2001:db8::3"),
            ("2001:db8::/120", "2001:db8::1", "2001:db8::ff"),
            ("2001:db8::/64", "2001:db8::1", "2001:db8::ffff:ffff:ffff:ff7f"),
        ):
            self.assertEqual(tuple(map(str, parse_network(text)[0].for_hosts)), (first, last), text)
