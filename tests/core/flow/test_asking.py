"""Questions about traffic as people ask them, what is meant, and what is told of the way."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.asking import answered, as_document, ask, everything, read_end
from octaplan.core.flow.matrix import Traffic
from octaplan.core.flow.network import BOXES, INTERNET
from octaplan.core.flow.pieces import Reason
from octaplan.core.flow.telling import differences, path_of
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied, set_to
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.mending import as_meant
from octaplan.core.propose.publishing import publish, taken_back
from octaplan.core.values.addresses import parse_address
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.services import (
    EVERYTHING,
    NOTHING,
    describe,
    known_services,
    parse_services,
    read_services,
)
from tests.core.check.test_device_rules import LINKED, base, both
from tests.core.check.test_traffic_rules import published, server, two_lines


def planned(*changes: Any) -> SitePlan:
    document = base()
    both(*changes)(document)
    return SitePlan.model_validate(document)


class Asking(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = planned(server, LINKED)
        self.traffic = Traffic(self.plan)

    def asked(self, source: str, target: str, service: str = "any", down: str = "") -> Any:
        services = parse_services(service)
        traffic = Traffic(self.plan, asked=[services])
        answer = ask(
            traffic,
            read_end(traffic, source),
            read_end(traffic, target),
            services,
            frozenset([down] if down else []),
        )
        return answer, answered(traffic, answer), traffic

    def test_who_is_meant_by_what_is_typed(self) -> None:
        for text, place, box in (
            ("office", "seg0", ""), ("a phone in Voice", "seg1", ""), ("anybody in Management", "seg2", ""),
            ("The Internet", INTERNET, ""), ("mail server", "serv", ""), ("10.40.20.5", "serv", ""),
            ("10.40.8.77", "seg0", ""), ("10.40.8.1", BOXES, "edge"), ("dock-edge", BOXES, "edge"),
            ("198.51.100.200", INTERNET, ""),
        ):  # fmt: skip
            with self.subTest(text):
                end = read_end(self.traffic, text)
                self.assertEqual((end.place, end.box), (place, box))

    def test_who_is_nobody_is_told_what_to_write(self) -> None:
        for text in ("Attic", "10.99.1.1", "10.40.300.1", ""):
            with self.subTest(text), self.assertRaises(OctaplanError) as caught:
                read_end(self.traffic, text)
            self.assertGreater(len(str(caught.exception)), 20)

    def test_an_answer_says_yes_or_no_and_what_decided(self) -> None:
        answer, words, _ = self.asked("10.40.8.20", "internet", "https")
        self.assertEqual((answer.result, answer.agrees), ("passes", True))
        self.assertRegex(words, "^Yes: dock-edge lets it through by the rule “Office to the internet”.$")
        answer, words, _ = self.asked("Voice", "Office")
        self.assertEqual((answer.result, answer.reason, answer.meant), ("stopped", Reason.NOT_ALLOWED, "closed"))
        self.assertEqual(words, "No, as it is meant: it ends at dock-edge, since no rule allows it.")

    def test_one_service_of_several_is_told_apart(self) -> None:
        document = planned(server).document()
        document["devices"]["edge"]["allows"]["more"] = {"source": "seg1", "target": "serv", "service": "tcp/440-450"}
        self.plan = SitePlan.model_validate(document)
        self.assertEqual(self.asked("Voice", "Servers", "https")[0].result, "passes")
        self.assertEqual(self.asked("Voice", "Servers", "tcp/451")[0].result, "stopped")
        self.assertEqual(self.asked("Voice", "Servers", "tcp/445-455")[0].result, "partly")
        self.assertFalse(self.asked("Voice", "Servers", "https")[0].agrees, "nobody meant it")

    def test_the_way_is_told_box_by_box_there_and_back(self) -> None:
        traffic = self.traffic
        answer = ask(traffic, read_end(traffic, "Lab"), read_end(traffic, "internet"))
        path = path_of(traffic, "lab0", INTERNET, answer.pair, answer.piece)  # type: ignore[arg-type]
        self.assertEqual(
            [node.name for node in path.nodes], ["anybody in Lab", "dock-inner-router", "dock-edge", "the internet"]
        )
        edge = path.nodes[2]
        self.assertEqual([line.does for line in edge.lines][:2], ["sends it out by Main", "lets it through"])
        self.assertTrue(any("translates 10.40.13." in line.does for line in edge.lines))
        self.assertEqual([node.name for node in path.back], ["dock-edge", "dock-inner-router"])
        self.assertEqual((path.wall, path.back_wall), ("", ""))

    def test_the_wall_stands_where_it_stops(self) -> None:
        document = self.plan.document()
        del document["devices"]["edge"]["routes"]["back"]
        traffic = Traffic(SitePlan.model_validate(document))
        answer = ask(traffic, read_end(traffic, "Lab"), read_end(traffic, "internet"))
        path = path_of(traffic, "lab0", INTERNET, answer.pair, answer.piece)  # type: ignore[arg-type]
        self.assertEqual((path.nodes[-1].name, path.wall), ("dock-inner-router", "dock-edge: no route leads back"))

    def test_every_pair_as_a_document(self) -> None:
        answers = everything(self.traffic)
        self.assertEqual(len(answers), len(self.traffic.rows) * (len(self.traffic.columns) - 1))
        document = as_document(self.traffic, answers[0])
        self.assertEqual(set(document), {"from", "to", "service", "result", "reason", "at", "meant", "agrees", "hops"})

    def test_an_open_value_is_named_and_nothing_is_guessed(self) -> None:
        document = self.plan.document()
        document["circuits"]["circ0"]["gateway"] = None
        traffic = Traffic(SitePlan.model_validate(document))
        answer = ask(traffic, read_end(traffic, "Office"), read_end(traffic, "internet"))
        self.assertEqual(answered(traffic, answer), "Nobody can tell yet: the gateway of Main is still open.")
        self.assertEqual(as_document(traffic, answer)["reason"], "not-known")

    def test_a_line_that_is_down(self) -> None:
        self.plan = planned(two_lines)
        for down in ("", "circ0", "circ1"):
            self.assertEqual(self.asked("Office", "internet", "any", down)[0].result, "passes", down)
        self.plan = planned()
        answer, words, _ = self.asked("Office", "internet", "any", "circ0")
        self.assertEqual((answer.result, answer.reason), ("stopped", Reason.NO_ROUTE), words)

    def test_what_is_published_is_reached_from_outside_and_from_where_it_is_for(self) -> None:
        self.plan = planned(published("tcp/443", sources=["198.51.100.0/28"]))
        self.assertEqual(self.asked("198.51.100.5", "203.0.113.18", "https")[0].result, "passes")
        self.assertEqual(self.asked("192.0.2.5", "203.0.113.18", "https")[0].result, "stopped")
        self.assertEqual(self.asked("internet", "mail server", "https")[0].result, "partly")
        self.assertEqual(self.asked("Voice", "203.0.113.18", "https")[0].reason, Reason.NOT_SERVED)

    def test_what_is_published_at_another_port_is_asked_for_by_that_inside(self) -> None:
        plan = planned(server)
        plan = applied(plan, publish(plan, Organisation(), "circ0", "mail", "tcp/8443", port=443))
        self.plan = plan
        self.assertEqual(self.asked("192.0.2.5", "203.0.113.18", "tcp/8443")[0].result, "passes")
        self.assertEqual(self.asked("192.0.2.5", "203.0.113.18", "tcp/443")[0].result, "stopped")
        cell = Traffic(plan).cell(INTERNET, "serv")
        self.assertTrue(cell.agrees)
        self.assertEqual(str(cell.meant.services), "tcp/443")

    def test_what_changed_since_is_told_pair_by_pair(self) -> None:
        after = applied(
            self.plan, [set_to("/devices/edge/allows/more", {"source": "seg1", "target": "seg0", "service": "tcp/22"})]
        )
        self.assertEqual(differences(self.traffic, Traffic(after)), ["Voice to Office: nothing before, tcp/22 now"])


class Meaning(unittest.TestCase):
    def test_a_site_departs_from_the_table_and_a_customer_from_others(self) -> None:
        plan = planned(server)
        self.assertEqual(Traffic(plan).intent.meant("seg1", "serv").word, "closed")
        settings = {"source": "voice", "target": "servers", "services": "sip", "reason": "their exchange"}
        organisation = Organisation.model_validate({"customers": {"fern": {"departures": [settings]}}})
        meant = Traffic(plan, organisation).intent.meant("seg1", "serv")
        self.assertEqual(
            (str(meant.services), meant.who, meant.reason), ("tcp/5060, udp/5060", "customer", "their exchange")
        )
        one = {"source": "seg1", "target": "serv", "services": "any", "reason": "only here"}
        departed = applied(plan, [set_to("/departures/depa", one)])
        meant = Traffic(departed, organisation).intent.meant("seg1", "serv")
        self.assertEqual((meant.word, meant.who, meant.path), ("open", "site", "/departures/depa"))

    def test_what_a_scope_hands_out_is_meant_by_its_service(self) -> None:
        document = planned(server).document()
        document["segments"]["seg1"]["resolvers"] = ["10.40.20.5"]
        meant = Traffic(SitePlan.model_validate(document)).intent.meant("seg1", "serv")
        self.assertEqual((str(meant.services), meant.who), ("tcp/53, udp/53", "needs"))

    def test_tables_of_their_own_are_apart(self) -> None:
        document = planned().document()
        document["segments"]["seg2"]["vrf"] = "mgmt"
        traffic = Traffic(SitePlan.model_validate(document))
        self.assertEqual(traffic.intent.meant("seg2", "seg0").who, "apart")
        self.assertTrue(traffic.cell("seg2", "seg0").agrees)
        self.assertEqual(traffic.cell("seg2", "seg0").result, "stopped")

    def test_a_table_that_cannot_be_read_is_refused_with_a_sentence(self) -> None:
        for table in (
            {"attic": {"internet": "any"}},
            {"office": {"attic": "any"}},
            {"office": {"internet": "the usual"}},
        ):
            with self.subTest(table), self.assertRaises(ValueError):
                Organisation.model_validate({"intent": table})


class Changing(unittest.TestCase):
    def test_the_boxes_are_made_to_do_what_is_meant_in_as_many_steps_as_it_takes(self) -> None:
        document = planned(LINKED).document()
        edge = document["devices"]["edge"]
        del edge["routes"]["back"], edge["allows"]["laba"], edge["translations"]["labt"]
        plan = SitePlan.model_validate(document)
        self.assertFalse(Traffic(plan).cell("lab0", INTERNET).agrees)
        after = applied(plan, as_meant(Portfolio([plan]), plan, "lab0", INTERNET))
        self.assertTrue(Traffic(after).cell("lab0", INTERNET).agrees)

    def test_what_is_published_ends_with_all_that_only_it_needed(self) -> None:
        plan = planned(server)
        shown = applied(plan, publish(plan, Organisation(), "circ0", "mail", "https"))
        self.assertTrue(Traffic(shown).cell(INTERNET, "serv").agrees)
        (key,) = shown.devices["edge"].publications
        self.assertEqual(applied(shown, taken_back(shown, "edge", key)), plan)

    def test_what_cannot_be_published_says_why(self) -> None:
        plan = planned(server)
        for circuit, host, service, port in (
            ("gone", "mail", "https", None), ("circ0", "gone", "https", None), ("circ0", "mail", "the usual", None),
            ("circ0", "mail", "tcp/80, tcp/443", 8080),
        ):  # fmt: skip
            with self.subTest(circuit=circuit, host=host, service=service), self.assertRaises(OctaplanError):
                publish(plan, Organisation(), circuit, host, service, port=port)

    def test_a_host_that_sends_by_two_families(self) -> None:
        address = parse_address("2001:db8:40::5")
        document = planned(server).document()
        document["segments"]["serv"] |= {"subnet6": "2001:db8:40::/64", "gateway6": "2001:db8:40::1"}
        document["hosts"]["mail"]["address6"] = str(address)
        document["circuits"]["circ0"] |= {"address6": "2001:db8:ff::2", "prefix6": 64, "gateway6": "2001:db8:ff::1"}
        document["delegated_prefix"] = "2001:db8:40::/48"
        plan = SitePlan.model_validate(document)
        cell = Traffic(plan).cell("serv", INTERNET)
        self.assertEqual((cell.result, cell.agrees), ("partly", False), "IPv6 has no default route yet")
        document["devices"]["edge"]["routes"]["six0"] = {"to": "::/0", "circuit": "circ0"}
        cell = Traffic(SitePlan.model_validate(document)).cell("serv", INTERNET)
        self.assertTrue(cell.agrees)
        self.assertEqual(Traffic(SitePlan.model_validate(document)).cell(INTERNET, "serv").result, "stopped")


class ServicesTyped(unittest.TestCase):
    def test_services_are_read_generously_and_said_back_as_numbers(self) -> None:
        for text, said in (
            ("https", "tcp/443"), ("443/tcp", "tcp/443"), ("udp 53", "udp/53"), ("DNS", "tcp/53, udp/53"),
            ("tcp/8000-8010, ping", "ping, tcp/8000-8010"), ("Any", "any"), ("sip and ntp", "tcp/5060, udp/123, udp/5060"),
            ("tcp", "tcp"),
        ):  # fmt: skip
            self.assertEqual(read_services(text), said)
            self.assertEqual(read_services(said), said, "what is said back reads back")

    def test_what_is_no_service_says_what_to_write(self) -> None:
        for text in ("443", "the usual", "tcp/0", "tcp/70000", "tcp/90-80", "", "https,"):
            with self.subTest(text), self.assertRaises(OctaplanError):
                parse_services(text)
            self.assertIsNone(known_services(text))

    def test_sets_add_up(self) -> None:
        web = parse_services("tcp/80, tcp/443")
        self.assertEqual(web | web.opposite, EVERYTHING)
        self.assertEqual(web & web.opposite, NOTHING)
        self.assertEqual(str(web - parse_services("http")), "tcp/443")
        self.assertEqual(describe(parse_services("udp/53").spans[0][0]), ("udp", 53))


if __name__ == "__main__":
    unittest.main()
