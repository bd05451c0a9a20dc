"""Address space as levels of prefixes."""

from __future__ import annotations

import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.space import DEPTH, fitting, picture, public_lines
from octaplan.core.plan.organisation import Organisation
from octaplan.core.values.addresses import Network, parse_network
from tests.support import circuit, segment, site


def net(text: str) -> Network:
    return parse_network(text)[0]


class Levels(unittest.TestCase):
    def test_each_level_halves(self) -> None:
        held = Portfolio([site(segments=[segment(subnet="10.40.8.0/24"), segment("Voice", "10.40.9.0/25")])])
        made = picture(held, net("10.40.0.0/16"))
        self.assertEqual([prefix for prefix, _ in made.levels], list(range(16, 16 + DEPTH + 1)))
        by_prefix = dict(made.levels)
        self.assertEqual(by_prefix[16][0].used, round(384 / 65536, 4))
        self.assertEqual([(c.number, c.used) for c in by_prefix[24]], [(8, 1.0), (9, 0.5)])
        self.assertEqual((by_prefix[20][0].number, by_prefix[20][0].segments, by_prefix[20][0].sites), (0, 2, 1))
        self.assertEqual((made.total, made.sites), (2, 1))

    def test_a_segment_larger_than_a_cell_fills_all_of_its_cells(self) -> None:
        held = Portfolio([site(segments=[segment(subnet="10.40.0.0/22")])])
        cells = dict(picture(held, net("10.40.0.0/21")).levels)[24]
        self.assertEqual([(c.number, c.used) for c in cells], [(n, 1.0) for n in range(4)])
        within = picture(held, net("10.40.1.0/24"))
        self.assertEqual(within.levels[0][1][0].used, 1.0)
        self.assertEqual(len(within.segments), 1)

    def test_the_same_addresses_count_once_and_are_told(self) -> None:
        plans = [site(f"FERN/S{n}", [segment(subnet="10.40.8.0/24")]) for n in range(3)]
        made = picture(Portfolio(plans), net("10.40.8.0/23"), trouble={("fern/s1", "seg0"): "stop"})
        top = made.levels[0][1][0]
        self.assertEqual((top.used, top.sites, top.stops), (0.5, 3, 1))
        self.assertEqual([p.shared for p in made.segments], [True] * 3)
        self.assertEqual([p.worst for p in made.segments], ["", "stop", ""])

    def test_one_customer_and_its_blocks(self) -> None:
        organisation = Organisation(blocks={"fern": [net("10.40.0.0/16")], "loom": [net("10.56.0.0/16")]})
        plans = [site("FERN/A", [segment(subnet="10.40.8.0/24")]), site("LOOM/B", [segment(subnet="10.56.8.0/24")])]
        held = Portfolio(plans, organisation)
        made = picture(held, net("10.0.0.0/8"), "loom")
        self.assertEqual([str(p.subnet) for p in made.segments], ["10.56.8.0/24"])
        self.assertEqual([(str(b.network), b.customer) for b in made.blocks], [("10.56.0.0/16", "LOOM")])
        self.assertEqual(len(picture(held, net("10.0.0.0/8")).blocks), 2)

    def test_ipv6_counts_in_64s(self) -> None:
        both = segment(subnet="10.40.8.0/24", subnet6="2001:db8:40:1::/64", gateway6="2001:db8:40:1::1")
        made = picture(Portfolio([site(segments=[both])]), net("2001:db8:40::/56"))
        self.assertEqual([(c.number, c.used) for c in made.levels[8][1]], [(1, 1.0)])
        self.assertEqual(str(made.segments[0].subnet), "2001:db8:40:1::/64")

    def test_nothing_is_a_picture_too(self) -> None:
        made = picture(Portfolio([]), net("10.0.0.0/8"))
        self.assertEqual((made.total, made.levels[0][1]), (0, []))

    @given(st.lists(st.tuples(st.integers(0, 255), st.integers(24, 30)), max_size=12))
    def test_what_is_used_is_what_sets_say(self, subnets: list[tuple[int, int]]) -> None:
        base = net("10.40.8.0/24").value
        networks = [Network.holding(net("10.40.8.0/24").first.plus(offset), prefix) for offset, prefix in subnets]
        plans = [site(f"FERN/S{n}", [segment(subnet=str(network))]) for n, network in enumerate(networks)]
        made = picture(Portfolio(plans), net("10.40.8.0/24"))
        taken = {base + offset for n in networks for offset in range(n.value - base, n.value - base + n.size)}
        for prefix, cells in made.levels:
            size = 1 << (32 - prefix)
            told = {cell.number: cell.used for cell in cells}
            for number in range(1 << (prefix - 24)):
                share = Fraction(len(taken & set(range(base + number * size, base + (number + 1) * size))), size)
                self.assertAlmostEqual(told.get(number, 0.0), float(share), places=3)


class Fitting(unittest.TestCase):
    def test_the_window_that_shows_all_there_is(self) -> None:
        organisation = Organisation(blocks={"fern": [net("10.40.0.0/16")], "loom": [net("10.56.0.0/16")]})
        guest = segment("Guest", "192.168.1.0/24", role="guest")
        held = Portfolio([site("FERN/A", [segment(subnet="10.40.8.0/24"), guest])], organisation)
        self.assertEqual(str(fitting(held, 4)), "10.32.0.0/11")
        self.assertEqual(str(fitting(held, 4, "FERN")), "10.40.0.0/16")
        self.assertEqual(str(fitting(held, 6)), "2001:db8::/32", "nothing yet: where examples are")
        self.assertEqual(str(fitting(Portfolio([]), 4)), "10.0.0.0/8")
        six = [segment(n, f"2001:db8:40:{n}::/64", gateway=None) for n in ("10", "20")]
        self.assertEqual(str(fitting(Portfolio([site("FERN/B", six)]), 6)), "2001:db8:40::/58")


class Public(unittest.TestCase):
    def test_lines_by_provider(self) -> None:
        lines = [
            circuit(provider="Northlight", routed_blocks=["198.51.100.64/29"]),
            circuit("Backup", "203.0.113.130", gateway="203.0.113.129", provider="Bluegate"),
        ]
        told = public_lines(Portfolio([site(circuits=lines)]))
        self.assertEqual(
            [(line.provider, str(line.network), line.routed) for line in told],
            [
                ("Bluegate", "203.0.113.128/29", False),
                ("Northlight", "198.51.100.64/29", True),
                ("Northlight", "203.0.113.16/29", False),
            ],
        )
        self.assertEqual(public_lines(Portfolio([site(circuits=lines)]), "LOOM"), [])

    def test_further_addresses_are_taken_at_every_site_of_a_block(self) -> None:
        uses = {"203.0.113.19": "booking", "203.0.113.20": "phones", "nonsense": "", "192.0.2.9": "elsewhere"}
        both = Portfolio([site(circuits=[circuit(uses=uses)]), site("FERN/MILL", circuits=[circuit()])])
        for line in public_lines(both):
            self.assertEqual([str(address) for address in line.further], ["203.0.113.19", "203.0.113.20"], line.site)
