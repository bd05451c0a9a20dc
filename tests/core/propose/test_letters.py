"""Letters of providers in the styles in which they come: what the addresses in them are."""

from __future__ import annotations

import json
import random
import time
import unittest
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.propose.letters import Reading, Sure, read_letter
from octaplan.core.values.addresses import Address, Network, parse_address, parse_network
from tests import examples

DNS = "192.0.2.53 192.0.2.54"
CORPORA = Path(__file__).parent / "letters"

#: What fields of the corpora are called here, and those whose text says all.
CALLED = {"prefix_delegated": "delegated_prefix", "usable": "uses"}
TOLD_APART = frozenset(
    {"address", "gateway", "vlan", "mtu", "handoff", "reference", "provider", "pppoe_user", "modem_subnet"}
)


class Letter(NamedTuple):
    text: str
    address: str = ""
    prefix: str = ""
    gateway: str = ""
    resolvers: str = ""
    routed_blocks: str = ""
    address6: str = ""
    prefix6: str = ""
    gateway6: str = ""


LETTERS = [
    Letter("Network 198.51.100.64/28, first usable .65 is our router, please use .66", "198.51.100.66", "/28", "198.51.100.65"),
    Letter("IP 198.51.100.18/29 GW .17 DNS 192.0.2.53, 192.0.2.54", "198.51.100.18", "/29", "198.51.100.17", DNS),
    Letter("WAN IP address: 203.0.113.50\nSubnet mask: 255.255.255.248\nDefault gateway: 203.0.113.49\nPrima"
           "ry DNS: 192.0.2.53\nSecondary DNS: 192.0.2.54",
           "203.0.113.50", "/29", "203.0.113.49", DNS),
    Letter("203.0.113.8/29, you .10 us .9", "203.0.113.10", "/29", "203.0.113.9"),
    Letter("IP addr 203.0.113.10 sm 255.255.255.248 dg 203.0.113.9 dns 192.0.2.53/192.0.2.54", "203.0.113.10", "/29", "203.0.113.9", DNS),
    Letter("usable .34 to .38, gateway .33, network 203.0.113.32/29", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("IP address | Mask | Gateway | DNS\n203.0.113.34 | 255.255.255.248 | 203.0.113.33 | 192.0.2.53", "203.0.113.34", "/29", "203.0.113.33", "192.0.2.53"),
    Letter("Address\tNetmask\tRouter\tNameserver\n198.51.100.6\t255.255.255.252\t198.51.100.5\t192.0.2.53", "198.51.100.6", "/30", "198.51.100.5", "192.0.2.53"),
    Letter("Your address is 198.51.100.6 and ours is 198.51.100.5, the mask is /30.", "198.51.100.6", "/30", "198.51.100.5"),
    Letter("Our side 198.51.100.5/30\nYour side 198.51.100.6/30", "198.51.100.6", "/30", "198.51.100.5"),
    Letter("Customer end: 203.0.113.2 255.255.255.252\nProvider end: 203.0.113.1 255.255.255.252", "203.0.113.2", "/30", "203.0.113.1"),
    Letter("> IP: 203.0.113.50/29\n> GW: 203.0.113.49\n> DNS: 192.0.2.53 & 192.0.2.54\n\n-- \nNorth Desk, 19"
           "8.51.100.200", "203.0.113.50", "/29", "203.0.113.49", DNS),
    Letter("The gateway for your line is 203.0.113.49. Your fixed IP is 203.0.113.50 with subnet mask 255.25"
           "5.255.248.", "203.0.113.50", "/29", "203.0.113.49"),
    Letter("Please configure 203.0.113.66/27 on your firewall, next hop 203.0.113.65.", "203.0.113.66", "/27", "203.0.113.65"),
    Letter("Subnet: 203.0.113.64/29\nGateway: 203.0.113.65\nFirst usable: 203.0.113.66\nBroadcast: 203.0.113.71", "203.0.113.66", "/29", "203.0.113.65"),
    Letter("Network address 203.0.113.64\nNetmask 255.255.255.248\nBroadcast 203.0.113.71\nRouter 203.0.113."
           "65\nUsable 203.0.113.66-203.0.113.70", "203.0.113.66", "/29", "203.0.113.65"),
    Letter("IPs 203.0.113.66 - 70, gw 203.0.113.65, /29", "203.0.113.66", "/29", "203.0.113.65"),
    Letter("203.0.113.66 (yours), 203.0.113.65 (ours), 255.255.255.248", "203.0.113.66", "/29", "203.0.113.65"),
    Letter("203.0.113.65 = gateway\n203.0.113.66 = firewall address\nmask 255.255.255.248", "203.0.113.66", "/29", "203.0.113.65"),
    Letter("Static IP 203.0.113.18 255.255.255.240 gateway 203.0.113.17 name servers 192.0.2.53 and 192.0.2.54", "203.0.113.18", "/28", "203.0.113.17", DNS),
    Letter("ip=203.0.113.18; mask=255.255.255.240; gw=203.0.113.17; ns1=192.0.2.53; ns2=192.0.2.54", "203.0.113.18", "/28", "203.0.113.17", DNS),
    Letter("WAN: 198.51.100.2/30 via 198.51.100.1. Routed block 203.0.113.64/28.", "198.51.100.2", "/30", "198.51.100.1", "", "203.0.113.64/28"),
    Letter("Link network 198.51.100.0/30 (we are .1, you are .2)\nAdditional subnet routed to you: 203.0.113.8/29", "198.51.100.2", "/30", "198.51.100.1", "", "203.0.113.8/29"),
    Letter("IPv4 198.51.100.2/30, gateway 198.51.100.1\nIPv6 2001:db8:9::2/64, gateway 2001:db8:9::1", "198.51.100.2", "/30", "198.51.100.1", "", "", "2001:db8:9::2", "/64", "2001:db8:9::1"),
    Letter("IPv6 address: 2001:db8:40::2/64, IPv6 gateway fe80::1\nIPv4 address: 203.0.113.50/29, IPv4 gatew"
           "ay 203.0.113.49", "203.0.113.50", "/29", "203.0.113.49", "", "", "2001:db8:40::2", "/64", "fe80::1"),
    Letter("DNS: 192.0.2.53, 192.0.2.54\nGateway: 203.0.113.49\nIP: 203.0.113.50\nMask: 255.255.255.248", "203.0.113.50", "/29", "203.0.113.49", DNS),
    Letter("Use 203.0.113.50/29 with 203.0.113.49 as gateway. For names ask 192.0.2.53 or 192.0.2.54.", "203.0.113.50", "/29", "203.0.113.49", DNS),
    Letter("Allocated range: 203.0.113.48/29\nGateway (our router): 203.0.113.49\nYour router: 203.0.113.50", "203.0.113.50", "/29", "203.0.113.49"),
    Letter("Provider router 203.0.113.49\nCustomer router 203.0.113.50\nPrefix /29\nResolvers 192.0.2.53 / 192.0.2.54", "203.0.113.50", "/29", "203.0.113.49", DNS),
    Letter("PE 198.51.100.9/30 CE... your CPE 198.51.100.10/30", "198.51.100.10", "/30", "198.51.100.9"),
    Letter("Hi, line is live. 203.0.113.34/29, gw .33, dns 192.0.2.53 + .54. Cheers", "203.0.113.34", "/29", "203.0.113.33", DNS),
    Letter("Your old address 203.0.113.200 ends on Friday. New IP: 203.0.113.34/29, new gateway: 203.0.113.33", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("IP Address:\n  203.0.113.34\nSubnet Mask:\n  255.255.255.248\nDefault Gateway:\n  203.0.113.33", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("Interface address 203.0.113.34 netmask 255.255.255.248; default route 203.0.113.33; NTP 192.0.2.123", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("- Gateway IP - 203.0.113.33\n- Assigned IP - 203.0.113.34\n- Subnet - 255.255.255.248", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("Public IP: 203.0.113.34 (mask 255.255.255.248, gateway 203.0.113.33)"
           "\nDNS 1: 192.0.2.53\nDNS 2: 192.0.2.54", "203.0.113.34", "/29", "203.0.113.33", DNS),
    Letter("You may use 203.0.113.34 to 203.0.113.38. Our equipment has 203.0.113.33. Mask 255.255.255.248.", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("203.0.113.34/29\n203.0.113.33\n192.0.2.53\n192.0.2.54", "203.0.113.34", "/29", "203.0.113.33", DNS),
    Letter("CIDR 203.0.113.32/29; router .33; host .34; primary dns 192.0.2.53; secondary dns 192.0.2.54", "203.0.113.34", "/29", "203.0.113.33", DNS),
    Letter("Handoff subnet 198.51.100.128/31: you take .129, we take .128", "198.51.100.129", "/31", "198.51.100.128"),
    Letter("We have reserved 203.0.113.34 for you, the subnet is 203.0.113.32/29 and 203.0.113.33 is the gateway", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("Mask /29, IP 203.0.113.34, def gw 203.0.113.33", "203.0.113.34", "/29", "203.0.113.33"),
    Letter("Host | Address\nOur router | 203.0.113.33/29\nYour router | 203.0.113.34/29\nDNS | 192.0.2.53", "203.0.113.34", "/29", "203.0.113.33", "192.0.2.53"),
    Letter("Gateway 203.0.113.38, your addresses .33-.37, mask 255.255.255.248", "203.0.113.33", "/29", "203.0.113.38"),
    Letter("Good morning,\n\nplease find below the details of your new business line.\n\nCircuit reference: "
           "NL-20676\nAllocated subnet: 203.0.113.48/29\nCustomer IP: 203.0.113.50\nGateway IP: 203.0.113.49"
           "\nDNS servers: 192.0.2.53, 192.0.2.54\n\nKind regards\nThe provisioning desk\nTel. 01632 960 158","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("Set the outside interface to 203.0.113.50 255.255.255.248 and the default route to 203.0.113.49","203.0.113.50","/29","203.0.113.49"),
    Letter("static: .50 (203.0.113.48/29), gw .49","203.0.113.50","/29","203.0.113.49"),
    Letter("Our gateway sits on 203.0.113.49; you can take anything from .50 to .54. Netmask 255.255.255.248","203.0.113.50","/29","203.0.113.49"),
    Letter("WAN-IP: 203.0.113.50\nWAN-Gateway: 203.0.113.49\nWAN-Mask: 255.255.255.248\nDNS-1: 192.0.2.53\nD"
           "NS-2: 192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("Point-to-point: 198.51.100.0/30\nISP: 198.51.100.1\nCustomer: 198.51.100.2\nLAN block: 203.0.113.8/29","198.51.100.2","/30","198.51.100.1","","203.0.113.8/29"),
    Letter("Router IP: 203.0.113.49\nFirewall IP: 203.0.113.50\nSubnetmask: 255.255.255.248","203.0.113.50","/29","203.0.113.49"),
    Letter("You've been assigned 203.0.113.50/29. The gateway you should point at is 203.0.113.49 and our re"
           "solvers are 192.0.2.53 and 192.0.2.54.","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("203.0.113.49 is the gateway, 203.0.113.50 is yours, 203.0.113.55 broadcast, mask 255.255.255.248","203.0.113.50","/29","203.0.113.49"),
    Letter("IP/mask 203.0.113.50/255.255.255.248\nGW 203.0.113.49\nNS 192.0.2.53 192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("Hello, the IP is 203.0.113.50, subnet is 255.255.255.248, gateway is 203.0.113.49, dns is 192.0.2.53","203.0.113.50","/29","203.0.113.49","192.0.2.53"),
    Letter("Line 2: IP 198.51.100.34, NM 255.255.255.252, GW 198.51.100.33","198.51.100.34","/30","198.51.100.33"),
    Letter("Range 203.0.113.48 - 203.0.113.55\nFirst usable (reserved for our router)"
           " 203.0.113.49\nFirst for you 203.0.113.50\nMask 255.255.255.248","203.0.113.50","/29","203.0.113.49"),
    Letter("IP: 203.0.113.50\nSM: 255.255.255.248\nDG: 203.0.113.49\nPDNS: 192.0.2.53\nSDNS: 192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("Your block: 203.0.113.48/29. .48 network, .49 gateway, .50-.54 for you, .55 broadcast","203.0.113.50","/29","203.0.113.49"),
    Letter("IPv6: we route 2001:db8:40::/48 to you over 2001:db8:9::2/64 (our end 2001:db8:9::1)","","","","","","2001:db8:9::2","/64","2001:db8:9::1"),
    Letter("CE address 198.51.100.10/30, PE address 198.51.100.9/30","198.51.100.10","/30","198.51.100.9"),
    Letter("IP address of your router: 203.0.113.50\nIP address of our router: 203.0.113.49\nPrefix length: 29","203.0.113.50","/29","203.0.113.49"),
    Letter("Use .50 or any higher address of 203.0.113.48/29; .49 is our equipment. DNS: use 192.0.2.53","203.0.113.50","/29","203.0.113.49","192.0.2.53"),
    Letter("Static IPv4 details\n-------------------\nAddress ......: 203.0.113.50\nMask .........: 255.255."
           "255.248\nGateway ......: 203.0.113.49\nDNS ..........: 192.0.2.53, 192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("We've allocated 203.0.113.48/29 to the site. 203.0.113.49 is in use by our NTE. Your kit should "
           "be on 203.0.113.50.","203.0.113.50","/29","203.0.113.49"),
    Letter("Config for FTTP line: address 203.0.113.50, /29, gateway .49","203.0.113.50","/29","203.0.113.49"),
    Letter("IPv4 Address . . . : 203.0.113.50\nSubnet Mask . . . : 255.255.255.248\nDefault Gateway . : 203.0.113.49","203.0.113.50","/29","203.0.113.49"),
    Letter("Dear Dana, the /30 is 198.51.100.4/30: we hold .5, the customer gets .6. DNS 192.0.2.53.","198.51.100.6","/30","198.51.100.5","192.0.2.53"),
    Letter("gw: 203.0.113.49 / ip: 203.0.113.50 / nm: 255.255.255.248 / dns: 192.0.2.53 192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("Your static IP address: 203.0.113.50\nYour gateway: 203.0.113.49\nYour subnet mask: 255.255.255."
           "248\nYour DNS: 192.0.2.53, 192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("Usable IPs 203.0.113.50, 203.0.113.51, 203.0.113.52\nGateway 203.0.113.49\nMask 255.255.255.248","203.0.113.50","/29","203.0.113.49"),
    Letter("Item;Value\nIP;203.0.113.50\nMask;255.255.255.248\nGateway;203.0.113.49\nDNS1;192.0.2.53\nDNS2;192.0.2.54","203.0.113.50","/29","203.0.113.49",DNS),
    Letter("point your firewall at 203.0.113.49 (gateway), its own address being 203.0.113.50/29","203.0.113.50","/29","203.0.113.49"),
    Letter("Transfer net 198.51.100.8/30, your IP .10, default gateway .9, extra block 203.0.113.64/28 routed to .10","198.51.100.10","/30","198.51.100.9","","203.0.113.64/28"),
    Letter("On Mon, Dana wrote:\n> IP Address 203.0.113.50\n> Netmask 255.255.255.248\n> GW 203.0.113.49\nTh"
           "anks, all clear.\n-- \nInes\n10.0.0.1","203.0.113.50","/29","203.0.113.49"),
    Letter("wan 203.0.113.50 255.255.255.248 203.0.113.49","203.0.113.50","/29","203.0.113.49"),
]  # fmt: skip


def read(text: str) -> dict[str, str]:
    values = read_letter(text).lines[0].values
    return {name: one.text for name, one in values.items() if name in Letter._fields}


class Letters(unittest.TestCase):
    def test_letters_as_they_come(self) -> None:
        self.assertGreaterEqual(len(LETTERS), 40)
        for letter in LETTERS:
            with self.subTest(letter.text):
                wanted = {name: value for name, value in letter._asdict().items() if value and name != "text"}
                self.assertEqual(read(letter.text), wanted)

    def test_what_has_two_readings_is_asked(self) -> None:
        found = read_letter("198.51.100.18 198.51.100.17 255.255.255.252").lines[0].values
        self.assertIs(found["address"].sure, Sure.OPEN)
        self.assertEqual({found["address"].text, *found["address"].others}, {"198.51.100.18", "198.51.100.17"})

    def test_two_masks_are_asked(self) -> None:
        found = (
            read_letter("Your IP 203.0.113.4/28, mask 255.255.255.248, gateway 203.0.113.1").lines[0].values["prefix"]
        )
        self.assertEqual((found.sure, {found.text, *found.others}), (Sure.OPEN, {"/28", "/29"}))

    def test_each_value_says_where_it_stands(self) -> None:
        text = "> Gateway: 203.0.113.49\n> IP: 203.0.113.50/29\n"
        for name, one in read_letter(text).lines[0].values.items():
            for place in one.places:
                if name != "handoff":
                    self.assertIn(one.text.lstrip("/"), text[place.start : place.end], name)

    def test_a_value_that_was_broken_is_marked_over_the_lines_it_stands_on(self) -> None:
        text = "Customer equip-\nment: 203.0.113.\n218\nMask: 255.255.\n255.248"
        own = read_letter(text).lines[0].values["address"]
        self.assertEqual(own.text, "203.0.113.218")
        self.assertEqual(text[own.places[0].start : own.places[0].end], "203.0.113.\n218")

    def test_what_contradicts_itself_is_told_and_not_taken(self) -> None:
        cases = {
            "IP 203.0.113.19/29, gateway 203.0.113.33": ("gateway", "lies outside"),
            "IP 203.0.113.63, mask /26, gateway 203.0.113.1": ("address", "broadcast address"),
            "WAN: 192.0.2.88/29\nGW: 192.0.2.89": ("address", "network itself"),
            "Your IP is 198.51.100.114, the gateway is 198.51.100.114, /30": ("gateway", "ask which it is"),
            "IP 192.0.2.2/30, gateway 192.0.2.1, VLAN 4096": ("vlan", "out of range"),
            "IP 192.0.2.2/30, gateway 192.0.2.1, MTU 14920": ("mtu", "out of range"),
            "Link 198.51.100.84/30: provider .85, customer .86\nRouted block 203.0.113.36/28": (
                "routed_blocks", "is not a network",
            ),
            "Network 203.0.113.8/29, your address 203.0.113.18, gateway 203.0.113.9": ("address", "lies outside"),
        }  # fmt: skip
        for text, (field, words) in cases.items():
            with self.subTest(text):
                self.assertIn(words, read_letter(text).lines[0].values[field].problem)

    def test_of_two_lines_each_has_its_own_and_both_what_they_share(self) -> None:
        letter = read_letter(
            "MAIN\nCircuit EB-1001, 198.51.100.38/29, gateway 198.51.100.33, VLAN 120\n\n"
            "BACKUP\nCircuit EB-1002, DHCP from the 5G box (192.168.8.1/24 inside)\n\n"
            "Fault number for both: 01632 960340\nLowmark Connect"
        )
        first, second = letter.lines
        self.assertEqual((first.named, second.named), ("main", "backup"))
        self.assertEqual([line.values["reference"].text for line in letter.lines], ["EB-1001", "EB-1002"])
        self.assertEqual([line.values["handoff"].text for line in letter.lines], ["static", "dhcp"])
        self.assertEqual({line.values["fault_number"].text for line in letter.lines}, {"01632 960340"})
        self.assertEqual({line.values["provider"].text for line in letter.lines}, {"Lowmark Connect"})
        self.assertEqual(second.values["modem_subnet"].text, "192.168.8.0/24")
        self.assertNotIn("vlan", second.values)

    def test_a_password_is_known_and_never_kept(self) -> None:
        for text in (
            "PPPoE user a@b.example\nPassword: Kettle_Moon_31",
            "u: a@b.example p: Kettle_Moon_31",
            "user=a@b.example;secret=Kettle_Moon_31",
        ):
            letter = read_letter(text)
            self.assertTrue(letter.password, text)
            self.assertNotIn("Kettle", repr(letter))
        self.assertFalse(read_letter("PPPoE user a@b.example, password comes by post").password)


class Corpora(unittest.TestCase):
    """Whole letters with what is right of them: 70 that nobody of this project wrote, and many that came after."""

    def score(self, name: str) -> tuple[Counter[str], list[str]]:
        count, amiss = Counter[str](), list[str]()
        for number, letter in enumerate(json.loads((CORPORA / f"{name}.json").read_text())):
            values = read_letter(letter["text"]).lines[0].values
            for key, want in letter["want"].items():
                if key == "password_present":
                    continue
                how = self.judged(values.get(CALLED.get(key, key)), key, want)
                count[how] += 1
                if how != "right":
                    amiss.append(f"{letter.get('id', number)}.{key}: {how}, wanted {want!r}")
            for key, bad in letter.get("traps", []):
                reading = values.get(CALLED.get(key, key))
                if key in TOLD_APART and reading is not None and not reading.problem and reading.text == str(bad):
                    amiss.append(f"{letter['id']}: {key} is {bad!r}, which it must not be")
                    count["trapped"] += 1
        return count, amiss

    def judged(self, reading: Reading | None, key: str, want: object) -> str:
        if reading is None or reading.problem:
            return "missing"
        told: object = reading.text
        if key in ("prefix", "prefix6", "mtu", "speed_down", "speed_up") or (key == "vlan" and told != "none"):
            told = int(float(reading.text.strip("/")))
        elif key in ("resolvers", "usable"):
            told = reading.text.split()
        elif key == "routed_blocks":
            told = reading.text.split("; ")
        elif key in ("provider", "reference", "fault_number"):
            told, want = "".join(reading.text.split()).casefold(), "".join(str(want).split()).casefold()
        if isinstance(want, list) and key == "usable":
            told, want = sorted(reading.text.split()), sorted(want)
        if told == want:
            return "asked" if reading.sure is Sure.OPEN else "right"
        return "asked" if reading.sure is Sure.OPEN else "wrong"

    def test_nearly_all_is_right_and_nearly_nothing_wrong_in_silence(self) -> None:
        for name in ("witness", "own"):
            with self.subTest(name):
                count, amiss = self.score(name)
                total = sum(count.values()) - count["trapped"]
                self.assertGreater(total, 500)
                self.assertGreaterEqual(count["right"], 0.99 * total, "\n".join(amiss))
                self.assertLessEqual(count["wrong"] + count["trapped"], 0.002 * total, "\n".join(amiss))


STYLES = (
    "IP address: {own}\nSubnet mask: {mask}\nDefault gateway: {gw}\nDNS: {dns1}, {dns2}",
    "IP {own}/{bits} GW {gw} DNS {dns1} {dns2}",
    "Your address is {own} with mask {mask}. Our router is {gw}. Name servers: {dns1} and {dns2}.",
    "Network {net}/{bits}: we have {gw}, you have {own}. Resolvers {dns1} / {dns2}",
    "Gateway: {gw}\nAssigned IP: {own}\nMask: /{bits}\nPrimary DNS: {dns1}\nSecondary DNS: {dns2}",
    "Address | Netmask | Gateway | DNS\n{own} | {mask} | {gw} | {dns1} {dns2}",
    "> {own} (yours)\n> {gw} (ours)\n> {mask}\n> dns {dns1} & {dns2}",
    "Please configure {own}/{bits}, next hop {gw}; dns {dns1}/{dns2}",
)


@st.composite
def circuits(draw: st.DrawFn) -> tuple[Network, Address, Address]:
    """A hand-off subnet with an own address and a gateway, both usable and not the same."""
    prefix = draw(st.integers(26, 30))
    base = parse_address("198.51.100.0").value
    net = Network.holding(Address(4, base + draw(st.integers(0, 255))), prefix)
    own = draw(st.integers(1, net.size - 2))
    gateway = draw(st.integers(1, net.size - 2).filter(lambda other: other != own))
    return net, net.first.plus(own), net.first.plus(gateway)


class WrittenFromCircuits(unittest.TestCase):
    @given(circuits(), st.sampled_from(STYLES), st.randoms(use_true_random=False))
    @examples(300)
    def test_a_letter_says_the_circuit_that_it_was_written_from(
        self, circuit: tuple[Network, Address, Address], style: str, chance: random.Random
    ) -> None:
        net, own, gateway = circuit
        dns = [str(parse_network("203.0.113.0/24")[0].first.plus(n)) for n in chance.sample(range(1, 250), 2)]
        text = style.format(
            own=own, gw=gateway, net=net.first, bits=net.prefix, mask=net.mask, dns1=dns[0], dns2=dns[1]
        )
        self.assertEqual(
            read(text),
            {"address": str(own), "prefix": f"/{net.prefix}", "gateway": str(gateway), "resolvers": " ".join(dns)},
            text,
        )


WHOLE = [one["text"] for name in ("witness", "own") for one in json.loads((CORPORA / f"{name}.json").read_text())]


@st.composite
def torn(draw: st.DrawFn) -> str:
    """A letter with lines lost, twice, or in another order, and characters that are not wanted in it."""
    lines = draw(st.sampled_from(WHOLE)).split("\n")
    kept = draw(st.lists(st.sampled_from(lines), max_size=2 * len(lines)))
    text = "\n".join(kept)
    at = draw(st.integers(0, len(text)))
    return (text[:at] + draw(st.text(max_size=20)) + text[at:])[:10_000]


class Anything(unittest.TestCase):
    @given(torn() | st.text(max_size=400) | st.text("0123456789./:-= \n\tvlangwip", max_size=400))
    @examples(300)
    def test_any_text_is_read(self, text: str) -> None:
        for line in read_letter(text).lines:
            for reading in line.values.values():
                self.assertTrue(all(0 <= place.start < place.end <= len(text) for place in reading.places), reading)

    def test_the_longest_letters_are_read_in_a_moment(self) -> None:
        for text in (
            "IP 203.0.113.5 gw ",
            "192.0.2.1 ",
            "a: b\n",
            "((((",
            "1 . 1 . ",
            "vlan ",
            "-" * 40 + "\n",
            "main line\n203.0.113.5\n",
            "Gateway\n",
            "usable 192.0.2.1-6\n",
            "- x\n",
            "  5\n",
            "second ",
        ):
            long = (text * 10_000)[:10_000]
            begun = time.process_time()
            read_letter(long)
            self.assertLess(time.process_time() - begun, 5.0, text)
