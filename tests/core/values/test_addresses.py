from __future__ import annotations

import ipaddress
import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.values.addresses import (
    Address,
    AddressError,
    MacError,
    MaskError,
    Network,
    NetworkError,
    RangeError,
    Span,
    is_public,
    parse_address,
    parse_mac,
    parse_mask,
    parse_near,
    parse_network,
    parse_range,
)

addresses = st.ip_addresses().map(lambda a: Address(a.version, int(a)))


class Addresses(unittest.TestCase):
    @given(st.ip_addresses())
    def test_reads_and_writes_as_the_standard_library_does(self, address: ipaddress.IPv4Address) -> None:
        self.assertEqual(str(parse_address(str(address))), str(address))
        self.assertEqual(parse_address(str(address)).value, int(address))

    def test_says_what_is_wrong_and_what_to_type(self) -> None:
        for typed, words in {
            "10.0.0.300": "Octet 300 (> 255) not permitted in '10.0.0.300'",
            "10.0.0": "3 parts where an address has 4",
            "": "is empty",
            "10.0..1": "Empty octet",
            "10.0.0.x": "Only digits permitted in octet 'x'",
            "10.40.08.1": "write 8",
            "10.0.0.1.2": "5 parts",
            "2001:db8:::1": "2001:db8:::1",
            "fe80::1%eth0": "Zone not permitted",
            "10.0.0.²": "Only digits",
        }.items():
            with self.subTest(typed), self.assertRaises(AddressError) as caught:
                parse_address(typed)
            self.assertIn(words, str(caught.exception))

    def test_cannot_leave_its_family(self) -> None:
        with self.assertRaises(AddressError):
            parse_address("255.255.255.255").plus(1)
        with self.assertRaises(AddressError):
            parse_address("::").plus(-1)

    def test_knows_public_space_with_documentation_ranges_in_it(self) -> None:
        for text, public in {
            "203.0.113.9": True,
            "198.51.100.1": True,
            "192.0.2.1": True,
            "2001:db8::1": True,
            "198.17.255.254": True,
            "10.1.1.1": False,
            "172.31.255.255": False,
            "172.32.0.1": True,
            "192.168.3.4": False,
            "100.64.0.1": False,
            "100.128.0.1": True,
            "169.254.1.1": False,
            "127.0.0.1": False,
            "224.0.0.5": False,
            "240.0.0.1": False,
            "255.255.255.255": False,
            "fd00::1": False,
            "fe80::1": False,
        }.items():
            self.assertEqual(is_public(parse_address(text)), public, text)


class Masks(unittest.TestCase):
    @given(st.integers(0, 32))
    def test_all_notations_of_a_mask_are_the_same(self, prefix: int) -> None:
        network = ipaddress.ip_network((0, prefix))
        dotted = str(network.netmask)
        for typed in (
            str(prefix),
            f"/{prefix}",
            f" {dotted} ",
            hex(int(network.netmask) | 1 << 32).replace("0x1", "0x"),
        ):
            self.assertEqual(parse_mask(typed), prefix, typed)
        if 0 < prefix < 32:
            self.assertEqual(parse_mask(str(network.hostmask)), prefix)
        self.assertEqual(Network(4, 0, prefix).mask, dotted)

    def test_what_is_no_mask_is_refused_with_a_guess(self) -> None:
        for typed, words in {
            "255.255.192": "255.255.192.0 (/18) or 255.255.255.192 (/26)",
            "255.0.255.0": "not all on the left",
            "33": "too long for IPv4",
            "24 bits": "not a mask",
            "": "not a mask",
            "255.255.255.256": "not a mask",
        }.items():
            with self.subTest(typed), self.assertRaises(MaskError) as caught:
                parse_mask(typed)
            self.assertIn(words, str(caught.exception))
        with self.assertRaises(MaskError):
            parse_mask("255.255.255.0", 6)


class Networks(unittest.TestCase):
    @given(st.ip_addresses(), st.data())
    def test_agrees_with_the_standard_library(self, address: ipaddress.IPv4Address, data: st.DataObject) -> None:
        prefix = data.draw(st.integers(0, address.max_prefixlen))
        theirs = ipaddress.ip_network(f"{address}/{prefix}", strict=False)
        ours, typed = parse_network(f"{address}/{prefix}")
        self.assertEqual(str(ours), str(theirs))
        self.assertEqual(int(theirs.broadcast_address), ours.last.value)
        self.assertEqual(typed.value, int(address))
        self.assertTrue(ours.holds(typed))

    def test_usable_leaves_out_the_ends_only_where_they_mean_something(self) -> None:
        for text, size in {
            "10.0.0.0/24": 254,
            "10.0.0.0/30": 2,
            "10.0.0.0/31": 2,
            "10.0.0.0/32": 1,
            "::/127": 2,
        }.items():
            self.assertEqual(parse_network(text)[0].usable.size, size, text)

    def test_a_subnet_needs_its_mask(self) -> None:
        with self.assertRaisesRegex(NetworkError, "No mask"):
            parse_network("10.40.8.0")
        with self.assertRaisesRegex(NetworkError, "Octet 300"):
            parse_network("10.0.0.300/24")
        with self.assertRaisesRegex(MaskError, "too long"):
            parse_network("10.0.0.0/64")

    def test_no_network_holds_an_address_of_the_other_family(self) -> None:
        self.assertFalse(parse_network("::/0")[0].holds(parse_address("0.0.0.1")))
        self.assertFalse(parse_network("0.0.0.0/0")[0].holds(parse_address("::1")))


class Ranges(unittest.TestCase):
    subnet = parse_network("10.40.8.0/24")[0]

    def test_reads_what_people_write(self) -> None:
        for typed in (
            "10.40.8.20-10.40.8.199",
            "10.40.8.20 – 199",
            ".20-.199",
            "20-199",
            ".20 + 180",
            "10.40.8.20 to .199",
            "10.40.8.20+180",
        ):
            self.assertEqual(parse_range(typed, self.subnet).typed, "10.40.8.20-10.40.8.199", typed)
        self.assertEqual(parse_range(".9", self.subnet).typed, "10.40.8.9")
        self.assertEqual(parse_range("10.40.8.20-199").typed, "10.40.8.20-10.40.8.199")

    def test_back_to_front_is_kept_as_typed_and_empty(self) -> None:
        span = parse_range(".199-.20", self.subnet)
        self.assertEqual((span.typed, span.size), ("10.40.8.199-10.40.8.20", 0))

    def test_refuses_what_is_no_range(self) -> None:
        for typed in ("1-2-3", "10.0.0.1-2001:db8::1", ".20 + 0", ".20 + x", "255.255.255.250 + 9", "a-b", ".300"):
            with self.subTest(typed), self.assertRaises(RangeError):
                parse_range(typed, self.subnet)

    def test_short_forms_need_a_subnet(self) -> None:
        with self.assertRaises(AddressError):
            parse_near(".20", None)
        self.assertEqual(str(parse_near(".9.20", self.subnet)), "10.40.9.20")

    @given(st.integers(0, 60), st.integers(0, 60), st.lists(st.tuples(st.integers(0, 60), st.integers(0, 60))))
    def test_cutting_out_leaves_exactly_the_rest(self, first: int, last: int, cuts: list[tuple[int, int]]) -> None:
        def span(a: int, b: int) -> Span:
            return Span(Address(4, a), Address(4, b))

        pieces = span(first, last).without([span(*cut) for cut in cuts])
        expected = set(range(first, last + 1)) - {n for a, b in cuts for n in range(a, b + 1)}
        held = [n for piece in pieces for n in range(piece.first.value, piece.last.value + 1)]
        self.assertEqual(held, sorted(expected))


class Macs(unittest.TestCase):
    def test_any_usual_notation(self) -> None:
        for typed in (
            "02:40:08:aa:bb:cc",
            "02-40-08-AA-BB-CC",
            "0240.08aa.bbcc",
            "024008AABBCC",
            "024008-aabbcc",
            "2:40:8:aa:bb:cc",
        ):
            self.assertEqual(str(parse_mac(typed)), "02:40:08:aa:bb:cc", typed)

    def test_refuses_the_rest(self) -> None:
        for typed in ("02:40:08:aa:bb", "02:40:08:aa:bb:cg", "02:40-08:aa:bb:cc", "", "0240.08aa.bbcc.dd"):
            with self.subTest(typed), self.assertRaises(MacError):
                parse_mac(typed)
