"""Letters of providers, read into the fields of a circuit."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.patch import applied
from octaplan.core.propose.fragment import LONGEST_LETTER, read_fragment
from octaplan.core.propose.letters import Sure
from octaplan.core.values.errors import OctaplanError
from tests.support import site

PLAN = site(circuits=[{"label": "Main"}])

LETTER = """Dear customer,
your line is ready. Service ID: NL-20676
WAN IP address: 203.0.113.50
Subnet mask: 255.255.255.248
Default gateway: 203.0.113.49
Primary DNS: 192.0.2.53
Secondary DNS: 192.0.2.54
VLAN tag: 835
Routed subnet: 198.51.100.64/29
IPv6 address: 2001:db8:40::2/64, IPv6 gateway fe80::1
"""


class Letters(unittest.TestCase):
    def read(self, text: str) -> dict[str, str]:
        return {read.field: read.text for read in read_fragment(PLAN, "circ0", text).found}

    def test_a_line_as_they_come(self) -> None:
        self.assertEqual(
            self.read("IP 198.51.100.18/29 GW .17 DNS 192.0.2.53, 192.0.2.54"),
            {
                "handoff": "static",
                "address": "198.51.100.18",
                "prefix": "/29",
                "gateway": "198.51.100.17",
                "resolvers": "192.0.2.53 192.0.2.54",
            },
        )

    def test_a_whole_letter_makes_a_whole_circuit(self) -> None:
        read = read_fragment(PLAN, "circ0", LETTER)
        self.assertEqual([r.problem for r in read.found if r.problem], [])
        plan = PLAN
        for found in read.found:
            plan = applied(plan, found.operations)
        circuit = plan.circuits["circ0"]
        self.assertEqual(str(circuit.subnet), "203.0.113.48/29")
        self.assertEqual(
            (str(circuit.gateway), circuit.vlan, circuit.reference, str(circuit.gateway6)),
            ("203.0.113.49", 835, "NL-20676", "fe80::1"),
        )
        self.assertEqual([str(block) for block in circuit.routed_blocks], ["198.51.100.64/29"])

    def test_what_has_two_readings_is_left_to_be_chosen(self) -> None:
        read = read_fragment(PLAN, "circ0", "198.51.100.18 198.51.100.17 255.255.255.252")
        address = next(one for one in read.found if one.field == "address")
        self.assertEqual((address.sure, address.operations), (Sure.OPEN, []))
        self.assertEqual({choice.text for choice in address.others}, {"198.51.100.17", "198.51.100.18"})
        plan = applied(PLAN, address.others[0].operations)
        self.assertEqual(str(plan.circuits["circ0"].address), address.others[0].text)

    def test_each_value_is_marked_where_it_stands(self) -> None:
        for one in read_fragment(PLAN, "circ0", LETTER).found:
            for place in one.places:
                part = LETTER[place.start : place.end].strip()
                parts = {*part.replace("/", " ").split(), part}
                stands = one.field in ("handoff", "prefix", "prefix6") or bool(parts & {*one.text.split(), one.text})
                self.assertTrue(part and stands, one)

    def test_a_password_is_never_read(self) -> None:
        read = read_fragment(PLAN, "circ0", "Type: PPPoE, Username: shop17@line.example Password: tulip-barrow")
        self.assertNotIn("tulip", repr(read))
        self.assertIn("put it into the safe", read.left[0])
        self.assertEqual({r.field: r.text for r in read.found}["pppoe_user"], "shop17@line.example")

    def test_what_cannot_be_read_is_told_and_the_rest_is_taken(self) -> None:
        read = read_fragment(PLAN, "circ0", "IP 198.51.100.300/29 gw 198.51.100.17")
        problems = {r.field: r.problem for r in read.found}
        self.assertIn("Octet 300", problems["address"])
        self.assertEqual(problems["gateway"], "")

    def test_letters_that_say_nothing(self) -> None:
        for text, words in (("Kind regards", "names a field"), ("x" * (LONGEST_LETTER + 1), "at most")):
            with self.subTest(words), self.assertRaisesRegex(OctaplanError, words):
                read_fragment(PLAN, "circ0", text)

    @given(
        st.text(max_size=300)
        | st.lists(st.sampled_from(["IP ", "GW: ", "dns", "192.0.2.1", "/29", "\n", "vlan 7", ":"])).map("".join)
    )
    def test_any_text_is_read_or_refused_in_a_sentence(self, text: str) -> None:
        try:
            read = read_fragment(PLAN, "circ0", text)
        except OctaplanError as error:
            self.assertTrue(str(error))
        else:
            for found in read.found:
                self.assertTrue(found.operations or found.problem or found.others, found)
