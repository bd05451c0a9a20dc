from __future__ import annotations

import unittest
from random import Random

from octaplan.core.config.takeover import take_over
from octaplan.core.config.text import Unreadable
from octaplan.core.config.writeout import write_out
from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.settings import settings_of
from octaplan.core.values.addresses import is_public
from tests.core.config.demo import equipped, types
from tests.core.config.native import first_form, second_form


def blank(plan: SitePlan) -> SitePlan:
    document = plan.document()
    for part in ("circuits", "segments", "hosts", "devices", "wireless", "accepted", "departures"):
        document[part] = {}
    return SitePlan.model_validate(document)


class TakingOver(unittest.TestCase):
    def test_what_an_edge_prints_in_any_form_makes_the_plan_that_it_was_made_from(self) -> None:
        kind, tried = types()["skerry-f7"], 0
        for seed in range(120):
            plan = equipped(Random(seed), kind.key)
            subnets = [one.subnet for one in plan.segments.values()]
            (edge,) = [key for key, one in plan.devices.items() if one.role is DeviceRole.EDGE][:1]
            own = _own(plan, edge)
            behind_modem = any(one.address and not is_public(one.address) for one in plan.circuits.values())
            if len(set(subnets)) < len(subnets) or not own or behind_modem:
                continue
            tried += 1
            for text in (first_form(plan, edge), second_form(plan, edge), write_out(plan, edge, kind).text):
                found = take_over(blank(plan), text).parts
                after = applied(blank(plan), [one for each in found for one in each.operations])
                self.assertEqual({one.subnet for one in after.segments.values()}, own, seed)
                for one in found:
                    self.assertTrue(all(1 <= line <= text.count("\n") + 1 for line in one.lines))
        self.assertGreater(tried, 30)

    def test_nothing_is_proposed_that_the_plan_holds_already(self) -> None:
        plan = equipped(Random(3), "skerry-f7")
        for key in plan.devices:
            found = take_over(plan, first_form(plan, key)).parts
            self.assertEqual([one.what for one in found if one.what in ("segment", "circuit")], [])

    def test_each_part_says_what_must_come_first(self) -> None:
        text = "vlan 20\n  inet 10.7.2.1/24\ndhcp-range=10.7.2.50,10.7.2.99,12h\ndhcp-host=02:40:08:00:00:01,10.7.2.9,printer\n"
        plan = blank(equipped(Random(1), "skerry-f7"))
        segment, scope, host = take_over(plan, text).parts
        self.assertEqual(segment.sentence, "A segment VLAN 20 10.7.2.0/24, gateway 10.7.2.1, VLAN 20")
        self.assertEqual((scope.needs, host.needs), (segment.operations[0]["path"],) * 2)
        self.assertEqual(host.sentence, "A fixed host printer at 10.7.2.9, 02:40:08:00:00:01")
        self.assertEqual((segment.lines, scope.lines, host.lines), ([2], [3], [4]))

    def test_what_was_not_understood_is_told_by_its_lines(self) -> None:
        text = "vlan 20\n  inet 10.7.2.1/24\n}\nwatchdog on\nrule 7 deny from 10.99.0.0/24\ninet 10.7.2.1/24\n"
        found = take_over(blank(equipped(Random(1), "skerry-f7")), text)
        self.assertEqual((found.lines, found.unread), (5, [4, 5, 6]), "a closing bracket says nothing")
        plan = equipped(Random(3), "skerry-f7")
        key = next(iter(plan.devices))
        own = take_over(plan, first_form(plan, key))
        self.assertLess(len(own.unread), own.lines, "what the plan holds is understood")

    def test_a_circuit_that_has_no_address_yet_is_filled_in_before_another_is_made(self) -> None:
        document = blank(equipped(Random(1), "skerry-f7")).document()
        document["circuits"] = {"main": {"label": "Main", "provider": "Northlight"}}
        plan = SitePlan.model_validate(document)
        text = "inet 203.0.113.170/29\ndefault via 203.0.113.169\ninet 198.51.100.2/30\n"
        first, second = take_over(plan, text).parts
        self.assertEqual(first.sentence, "Main has 203.0.113.170/29, its gateway 203.0.113.169")
        after = applied(plan, [*first.operations, *second.operations])
        self.assertEqual((len(after.circuits), after.circuits["main"].provider), (2, "Northlight"))
        self.assertEqual(str(after.circuits["main"].gateway), "203.0.113.169")

    def test_what_is_no_text_says_so(self) -> None:
        with self.assertRaisesRegex(Unreadable, "nothing in this text"):
            take_over(equipped(Random(1), "skerry-f7"), "\n")


def _own(plan: SitePlan, edge: str) -> set[object]:
    """The subnets inside that the box has an address in."""
    inside = settings_of(plan, edge).inside
    return {one.subnet for one in inside if one.address is not None and not is_public(one.address)}
