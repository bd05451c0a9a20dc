from __future__ import annotations

import unittest
from random import Random

from hypothesis import example, given, settings
from hypothesis import strategies as st

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.check.rules import RULES
from octaplan.core.flow.matrix import Class, Pair, Traffic
from octaplan.core.flow.network import INTERNET, OTHER_SITES
from octaplan.core.plan.patch import applied
from octaplan.core.propose.mending import agreeing, as_meant
from octaplan.core.propose.remedies import Offers
from octaplan.core.values.addresses import Address
from octaplan.core.values.services import describe
from tests.core.flow.plain import Packet, Plain
from tests.core.flow.plans import made


def text(traffic: Traffic, point: Address) -> str:
    return f"given {list(traffic.plan.circuits)[point.value]}" if point.family == 0 else str(point)


class Exactness(unittest.TestCase):
    """The classes of the matrix agree with a plain walker of single packets, on plans made at random."""

    @given(st.integers(0, 1 << 48))
    @example(37)  # a reply with a private address leaves by another provider
    @example(53)  # a box that filters is asked across a link by whom it would answer by another
    @example(5034)  # a segment that no box carries, asked for by way of the internet
    @settings(max_examples=150, deadline=None)
    def test_every_class_and_service_fares_as_one_packet_of_it_does(self, seed: int) -> None:
        random = Random(seed)
        plan = made(random)
        downs = [frozenset[str](), *(frozenset([key]) for key in plan.circuits)]
        traffic = Traffic(plan)
        elsewhere = {family: str(net) for family, net in traffic.net.elsewhere.items()}
        for down in downs:
            plain = Plain(plan, elsewhere, down)
            for source in traffic.rows:
                for target in traffic.columns:
                    if source == target or (target in (INTERNET, OTHER_SITES) and source == INTERNET):
                        continue
                    for pair in traffic.pairs(source, target, down):
                        for _ in range(2):
                            self.agrees(seed, traffic, plain, source, target, pair, random)

    def agrees(
        self, seed: int, traffic: Traffic, plain: Plain, source: str, target: str, pair: Pair, random: Random
    ) -> None:
        asked, whole = 0, 0
        for piece in pair.pieces:
            self.assertEqual(whole & piece.mask, 0, "no service fares in two ways")
            whole |= piece.mask
        if not (source == INTERNET and pair.target.host):  # of what is published only that is told
            self.assertEqual(whole, traffic.net.atoms.all, "every service is told of")
        place = random.randrange(len(traffic.net.atoms.spans))
        low, high = traffic.net.atoms.spans[place]
        protocol, port = describe(random.randint(low, high))
        asked = 1 << place
        piece = next((one for one in pair.pieces if one.mask & asked), None)
        if piece is None:
            return
        packet = Packet(
            self.one_of(traffic, pair.source, random), self.one_of(traffic, pair.target, random), protocol, port
        )
        spot = self.spot(traffic, source, pair.source)
        plain.plugged = (
            {target: self.spot(traffic, target, pair.target) or ""} if target in traffic.plan.segments else {}
        )
        plain.plugged = {key: box for key, box in plain.plugged.items() if box}
        origin = {INTERNET: ("circuit", pair.target.circuit), OTHER_SITES: ("others", "others")}.get(
            source, ("segment", source)
        )
        if source in traffic.plan.segments and self.near(traffic, source, pair):
            return
        if spot == "nowhere":
            return
        self.assertEqual(
            plain.passes(origin, spot, packet),
            piece.reason.passes,
            f"seed {seed}: {source} to {target} {packet} by {pair.target.circuit or '-'}, down {set(plain.down)}: {piece}",
        )

    def near(self, traffic: Traffic, source: str, pair: Pair) -> bool:
        family, value = pair.target.point
        return any(
            key == source and f == family and first <= int(value) <= last for f, first, last, key in traffic.net.subnets
        )

    def one_of(self, traffic: Traffic, one: Class, random: Random) -> str:
        """Any address of a class, but for those that are somebody's own."""
        if one.host or one.box or not one.runs:
            return text(traffic, one.point)
        first, last = random.choice(one.runs)
        taken = {*traffic.net.holders, *(p for p, hosts in traffic.net.hosts.items())}
        for _ in range(8):
            point = Address(one.point.family, random.randint(first, last))
            if point not in taken:
                return text(traffic, point)
        return text(traffic, one.point)

    def spot(self, traffic: Traffic, place: str, one: Class) -> str | None:
        if place not in traffic.plan.segments or one.part is None:
            return None
        return next(iter(traffic.net.wires.parts(place).get(one.part, [])), "nowhere")


class Mending(unittest.TestCase):
    """What is offered for traffic makes its cell as meant and breaks no other, on plans made at random."""

    @given(st.integers(0, 1 << 48))
    @example(355_550_431_754)
    @settings(max_examples=12, deadline=None)
    def test_a_remedy_breaks_no_cell_that_agreed(self, seed: int) -> None:
        plan = made(Random(seed))
        portfolio = Portfolio([plan])
        found = portfolio.check(plan)
        before = agreeing(Traffic(plan))
        told = [
            one
            for one in found
            if RULES[one.rule].check.__module__.endswith(("rules.traffic", "rules.publications", "rules.segments"))
        ]
        offers = Offers(portfolio, plan, found)
        for finding in told[:6]:
            for remedy in offers.of(finding):
                after = Traffic(applied(plan, remedy.operations))
                self.assertLessEqual(before, agreeing(after), f"seed {seed}: {finding.message} {remedy.sentence}")

    @given(st.integers(0, 1 << 48))
    @settings(max_examples=12, deadline=None)
    def test_the_boxes_are_let_do_what_is_meant_and_nothing_else_changes(self, seed: int) -> None:
        random = Random(seed)
        plan = made(random)
        portfolio, traffic = Portfolio([plan]), Traffic(plan)
        amiss = [cell for cell in traffic.cells() if not cell.agrees and not cell.unknown]
        for cell in random.sample(amiss, min(2, len(amiss))):
            operations = as_meant(portfolio, plan, cell.source, cell.target)
            if operations:
                after = Traffic(applied(plan, operations))
                self.assertTrue(after.cell(cell.source, cell.target).agrees, f"seed {seed}")
                self.assertLessEqual(agreeing(traffic), agreeing(after), f"seed {seed}")


if __name__ == "__main__":
    unittest.main()
