"""Letters of providers, read into the fields of a circuit."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.patch import applied, set_to
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.answering import GivenAnswer, take
from octaplan.core.propose.fragment import (
    LETTER_FIELDS,
    LONGEST_LETTER,
    LetterValue,
    emptied,
    following_gateway,
    read_fragment,
    second_circuit,
    taken_letter,
)
from octaplan.core.propose.letters import Sure
from octaplan.core.values.errors import OctaplanError
from tests import examples
from tests.core.kit import with_device
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
                derived = one.field in ("handoff", "prefix", "prefix6", "uses", "speed")
                stands = derived or bool(parts & {*one.text.split(), one.text})
                self.assertTrue(part and stands, one)

    def test_a_password_is_never_read(self) -> None:
        read = read_fragment(PLAN, "circ0", "Type: PPPoE, Username: shop17@line.example Password: tulip-barrow")
        self.assertNotIn("tulip", repr(read))
        self.assertIn("put it into the safe", read.left[0])
        self.assertEqual({r.field: r.text for r in read.found}["pppoe_user"], "shop17@line.example")

    def test_what_does_not_fit_is_told_and_the_rest_is_taken(self) -> None:
        read = read_fragment(PLAN, "circ0", "IP 203.0.113.19/29 gw 203.0.113.33 VLAN 4711")
        problems = {r.field: r.problem for r in read.found}
        self.assertIn("lies outside 203.0.113.16/29", problems["gateway"])
        self.assertIn("out of range", problems["vlan"])
        self.assertEqual(problems["address"], "")

    def test_a_line_without_a_tag_further_addresses_speed_and_fault_number_go_where_they_belong(self) -> None:
        text = (
            "Network 198.51.100.96/29, our router .97, your firewall .98, free .99 to .101\n"
            "No VLAN tag. Speed: 500/100. Faults: 01632 960 411"
        )
        plan = PLAN
        for found in read_fragment(PLAN, "circ0", text).found:
            plan = applied(plan, found.operations)
        circuit = plan.circuits["circ0"]
        self.assertEqual(circuit.uses, {f"198.51.100.{n}": "free" for n in (99, 100, 101)})
        self.assertEqual(circuit.fault_number, "01632 960 411")
        self.assertIsNone(circuit.vlan)
        self.assertEqual(
            (plan.answers["vlan.circ0"].text, plan.answers["speed.circ0"].text), ("none", "500 down, 100 up (Mbit/s)")
        )

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


AT = datetime(2027, 3, 4, tzinfo=UTC)


def whole(text: str, plan: SitePlan = PLAN) -> list[LetterValue]:
    """All that a letter says of its first line, the first reading of each."""
    return [LetterValue(one.field, one.text) for one in read_fragment(plan, "circ0", text).found if not one.problem]


class Taking(unittest.TestCase):
    def taken(self, values: list[LetterValue], plan: SitePlan = PLAN) -> tuple[SitePlan, dict[str, str]]:
        taken = taken_letter(plan, "circ0", values, "dana", AT, source="Northline, by mail")
        return applied(plan, taken.operations), {one.field: one.problem for one in taken.left}

    def test_letters_that_once_were_refused_whole(self) -> None:
        pppoe = "PPPoE user shop17@line.example, VLAN 7, MTU 1492"
        plan, left = self.taken(whole(pppoe))
        self.assertEqual((plan.circuits["circ0"].mtu, plan.circuits["circ0"].vlan, left), (1492, 7, {}))
        modem = "The modem (192.168.8.1, mask 255.255.255.0) stays; your router gets its address by DHCP. Ref LN-77"
        plan, left = self.taken(whole(modem))
        self.assertEqual((str(plan.circuits["circ0"].modem_subnet), left), ("192.168.8.0/24", {}))

    def test_who_told_it_stands_beside_each_answer(self) -> None:
        plan, _ = self.taken(whole("IP 198.51.100.18/29 GW .17, no VLAN"))
        for key in ("address.circ0", "gateway.circ0", "vlan.circ0", "handoff.circ0"):
            self.assertEqual(
                (plan.answers[key].source, plan.answers[key].by, plan.answers[key].at),
                ("Northline, by mail", "dana", AT),
                key,
            )

    def test_one_value_that_is_not_taken_keeps_no_other_out(self) -> None:
        values = [LetterValue("mtu", "99999"), LetterValue("address", "198.51.100.18"), LetterValue("prefix", "/77")]
        plan, left = self.taken(values)
        self.assertEqual(str(plan.circuits["circ0"].address), "198.51.100.18")
        self.assertEqual(set(left), {"mtu", "prefix"})

    def test_what_was_confirmed_is_not_overwritten(self) -> None:
        operations = take(
            PLAN, [GivenAnswer("handoff.circ0", "static"), GivenAnswer("vlan.circ0", "12")], "ines", AT, confirmed=True
        ).operations
        plan, left = self.taken(whole("IP 198.51.100.18/29 GW .17 VLAN 13"), applied(PLAN, operations))
        self.assertEqual((plan.circuits["circ0"].vlan, str(plan.circuits["circ0"].gateway)), (12, "198.51.100.17"))
        self.assertIn("ines confirmed 12", left["vlan"])

    def test_the_other_line_becomes_a_circuit_of_a_name_that_is_free(self) -> None:
        plan = PLAN
        for wanted in ("Backup", "Backup 2"):
            key, operations = second_circuit(plan, "Backup")
            plan = applied(plan, operations)
            self.assertEqual(plan.circuits[key].label, wanted)
        self.assertEqual(sorted(one.priority or 0 for one in plan.circuits.values()), [1, 2, 3], "in an order of use")

    def test_a_new_line_in_the_place_of_the_old_one_leaves_nothing_of_that(self) -> None:
        told = [GivenAnswer("handoff.circ0", "static"), GivenAnswer("gateway.circ0", "203.0.113.17")]
        before = applied(PLAN, take(PLAN, told, "ines", AT, confirmed=True).operations)
        before, key = with_device(before)
        before = applied(before, [set_to(f"/devices/{key}/routes/wayg0", {"to": "0.0.0.0/0", "via": "203.0.113.17"})])
        bare = applied(before, emptied(before, "circ0"))
        self.assertEqual([one for one in bare.answers if one.endswith(".circ0")], [])
        circuit = bare.circuits["circ0"]
        self.assertEqual(
            (circuit.label, circuit.gateway, circuit.resolvers), (before.circuits["circ0"].label, None, [])
        )
        after, left = self.taken(whole("IP 198.51.100.18/29 GW .17"), bare)
        after = applied(after, following_gateway(before, after, "circ0"))
        self.assertEqual((str(after.circuits["circ0"].gateway), left), ("198.51.100.17", {}))
        self.assertEqual(str(after.devices[key].routes["wayg0"].via), "198.51.100.17")
        self.assertEqual(after.devices[key].ports, before.devices[key].ports)

    @given(
        st.lists(
            st.builds(
                LetterValue,
                st.sampled_from(sorted(LETTER_FIELDS)),
                st.text(max_size=30)
                | st.sampled_from(
                    [
                        "static",
                        "pppoe",
                        "dhcp",
                        "none",
                        "192.0.2.1",
                        "192.0.2.1/29",
                        "/29",
                        "/31",
                        "2001:db8::1",
                        "7",
                        "1492",
                        "192.0.2.0/24",
                    ]
                ),
            ),
            max_size=8,
        )
    )
    @examples(200)
    def test_no_reading_is_refused_as_a_whole(self, values: list[LetterValue]) -> None:
        taken = taken_letter(PLAN, "circ0", values, "dana", AT)
        applied(PLAN, taken.operations)
        self.assertTrue(all(one.problem for one in taken.left))
