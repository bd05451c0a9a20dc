from __future__ import annotations

import unittest

from octaplan.core.values.dhcpoptions import read_dhcp_options
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.readers import read_country


class Options(unittest.TestCase):
    def test_several_are_read_from_one_paste(self) -> None:
        wanted = {"66": "10.40.8.9", "42": "192.0.2.123, 192.0.2.124", "15": "dock.example"}
        for text in (
            "66 10.40.8.9; 42 192.0.2.123 192.0.2.124; 15 dock.example",
            "option 66 10.40.8.9\noption 42 = 192.0.2.123, 192.0.2.124\noption 15: dock.example",
            "66=10.40.8.9, 42=192.0.2.123,192.0.2.124, 15=dock.example",
            'tftp: "10.40.8.9"\nntp: 192.0.2.123 192.0.2.124\ndomain: dock.example',
        ):
            with self.subTest(text):
                self.assertEqual(read_dhcp_options(text), wanted)

    def test_each_value_is_checked_for_what_its_option_holds(self) -> None:
        for text, words in (
            ("42 time.example", "Option 42, ntp: .*addresses belong here"),
            ("15 not a domain", "Option 15, domain: .*is not a domain name"),
            ("26 large", "Option 26, mtu: .*no number"),
            ("66 10.40.8.9 10.40.8.10", "Option 66, tftp: .*names several"),
            ("66 10.40.8.900", "Option 66, tftp: "),
            ("hello", "is not an option"),
            ("300 x", "is not an option"),
        ):
            with self.subTest(text), self.assertRaisesRegex(OctaplanError, words):
                read_dhcp_options(text)

    def test_any_other_number_takes_text(self) -> None:
        self.assertEqual(read_dhcp_options("160 https://phones.example/cfg"), {"160": "https://phones.example/cfg"})
        self.assertEqual(read_dhcp_options("1 255.255.255.0"), {"1": "255.255.255.0"})


class Countries(unittest.TestCase):
    def test_codes_and_names_are_those_of_iso(self) -> None:
        self.assertEqual([read_country(text) for text in ("gb", " France ", "IE")], ["GB", "FR", "IE"])
        for text in ("XX", "Atlantis", "UK"):
            with self.subTest(text), self.assertRaisesRegex(OctaplanError, "is no country"):
                read_country(text)
