from __future__ import annotations

import json
import unittest
from typing import Any

from hypothesis import given
from pydantic import ValidationError

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.changes import changes, sentence
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan, new_id
from octaplan.core.propose.typed import understand
from octaplan.core.values.addresses import parse_network
from octaplan.core.values.errors import OctaplanError
from octaplan.core.values.readers import lease_text, read_lease
from tests import examples
from tests.core.check.test_portfolio import plans
from tests.support import circuit, segment, site


class Documents(unittest.TestCase):
    @given(plans())
    @examples(50)
    def test_a_plan_comes_back_from_its_json(self, plan: SitePlan) -> None:
        self.assertEqual(SitePlan.model_validate_json(json.dumps(plan.document())), plan)

    def test_what_cannot_be_read_is_refused(self) -> None:
        for wrong in (
            {"segments": {"seg0": segment(subnet="10.0.0.300/24", gateway=None)}},
            {"segments": {"seg0": segment(vlan=4095)}},
            {"segments": {"seg0": segment(role="lounge")}},
            {"segments": {"seg0": segment(surprise=1)}},
            {"segments": {"BAD ID": segment()}},
            {"hosts": {"host0": {"segment": "seg9", "name": "x"}}},
            {"time_zone": "Mars/Base"},
            {"schema": "octaplan.site-plan/99"},
            {"customer": "A/B"},
        ):
            with self.subTest(wrong), self.assertRaises(ValidationError):
                SitePlan.model_validate({"schema": "octaplan.site-plan/2", "customer": "F", "site": "D", **wrong})

    def test_ids_are_short_stable_and_free(self) -> None:
        first = new_id("Office", ())
        self.assertRegex(first, "^[a-z0-9]{5}$")
        self.assertEqual(new_id("Office", ()), first)
        self.assertNotEqual(new_id("Office", {first}), first)


class Sentences(unittest.TestCase):
    plan = site(segments=[segment(scope={"first": "10.40.8.20", "last": "10.40.8.254"})], hosts=[("Office", "p", None)])

    def revised(self, path: str, value: Any) -> str:
        document = self.plan.document()
        place = document
        *parents, last = path.split("/")[1:]
        for part in parents:
            place = place[part]
        place[last] = value
        return sentence(changes(self.plan, SitePlan.model_validate(document)))

    def test_a_revision_says_what_changed(self) -> None:
        self.assertEqual(
            self.revised("/segments/seg0/scope/last", "10.40.8.249"), "Office range end 10.40.8.254 → 10.40.8.249"
        )
        self.assertEqual(self.revised("/ship_date", "2026-12-03"), "Ship date empty → 2026-12-03")
        self.assertEqual(self.revised("/hosts", {}), "Removed host p")
        self.assertEqual(self.revised("/circuits", {"circ0": circuit("Backup")}), "Added circuit Backup")

    def test_many_changes_are_counted(self) -> None:
        hosts = {f"host{n}": {"segment": "seg0", "name": f"p{n}"} for n in range(7)}
        self.assertEqual(self.revised("/hosts", hosts), "P name p → p0; Added 6 hosts")
        lines = {f"circ{n}": circuit(f"Line {n}") for n in range(7)}
        self.assertTrue(self.revised("/circuits", lines).endswith("; and 4 more"))

    @given(plans("F/1"), plans("F/1"))
    @examples(50)
    def test_no_difference_goes_unsaid(self, before: SitePlan, after: SitePlan) -> None:
        self.assertEqual(bool(changes(before, after)), before != after)


class Typed(unittest.TestCase):
    plan = site(
        segments=[
            segment(
                scope={"first": "10.40.8.20", "last": "10.40.8.199", "excluded": ["10.40.8.50"], "lease": 28800},
                resolvers=["gateway", "10.40.8.5"],
            ),
            segment("Link", "10.40.9.0/30"),
        ],
        hosts=[("Office", "printer", "10.40.8.10"), ("Office", "far", "10.40.8.250")],
        circuits=[circuit()],
    )

    def values(self, path: str, text: str) -> dict[str, Any]:
        return {op["path"]: op["value"] for op in understand(self.plan, path, text).operations}

    def test_reads_generously_in_the_place_it_is_typed(self) -> None:
        for path, text, values in (
            ("/segments/seg0/gateway", ".254", {"/segments/seg0/gateway": "10.40.8.254"}),
            ("/hosts/host0/address", "11", {"/hosts/host0/address": "10.40.8.11"}),
            ("/hosts/host0/mac", "0240.08aa.bbcc", {"/hosts/host0/mac": "02:40:08:aa:bb:cc"}),
            ("/circuits/circ0/prefix", "255.255.255.252", {"/circuits/circ0/prefix": 30}),
            ("/circuits/circ0/address", "198.51.100.18 255.255.255.0", {"/circuits/circ0/address": "198.51.100.18", "/circuits/circ0/prefix": 24}),
            ("/circuits/circ0/resolvers", "192.0.2.53; 192.0.2.54", {"/circuits/circ0/resolvers": ["192.0.2.53", "192.0.2.54"]}),
            ("/circuits/circ0/resolvers", "", {"/circuits/circ0/resolvers": []}),
            ("/circuits/circ0/uses/203.0.113.20", "mail", {"/circuits/circ0/uses/203.0.113.20": "mail"}),
            ("/segments/seg0/scope/lease", "1d", {"/segments/seg0/scope/lease": 86400}),
            ("/segments/seg0/scope/excluded", ".60-.50, .9", {"/segments/seg0/scope/excluded": ["10.40.8.50-10.40.8.60", "10.40.8.9"]}),
            ("/segments/seg0/scope", ".30 + 10", {"/segments/seg0/scope/first": "10.40.8.30", "/segments/seg0/scope/last": "10.40.8.39"}),
            ("/segments/seg0/subnet", "/25", {"/segments/seg0/subnet": "10.40.8.0/25"}),
            ("/segments/seg0/subnet", "255.255.254.0", {"/segments/seg0/subnet": "10.40.8.0/23"}),
            ("/reach_groups", "-", {"/reach_groups": []}),
            ("/ship_date", "", {"/ship_date": None}),
        ):  # fmt: skip
            with self.subTest(path=path, text=text):
                found = {key: value for key, value in self.values(path, text).items() if key in values}
                self.assertEqual(found, values)

    def test_a_new_subnet_takes_everything_along(self) -> None:
        understood = understand(self.plan, "/segments/seg0/subnet", "10.40.64.0/24")
        self.assertEqual(
            {op["path"]: op["value"] for op in understood.operations},
            {
                "/segments/seg0/subnet": "10.40.64.0/24",
                "/segments/seg0/gateway": "10.40.64.1",
                "/segments/seg0/scope/first": "10.40.64.20",
                "/segments/seg0/scope/last": "10.40.64.199",
                "/segments/seg0/scope/excluded": ["10.40.64.50"],
                "/segments/seg0/resolvers": ["gateway", "10.40.64.5"],
                "/hosts/host0/address": "10.40.64.10",
                "/hosts/host1/address": "10.40.64.250",
            },
        )
        self.assertIn("gateway, range, 2 hosts and resolvers move along", understood.echo)

    def test_what_is_free_is_taken_by_its_name(self) -> None:
        portfolio = Portfolio([self.plan], Organisation(blocks={"FERN": ["10.40.0.0/16"]}))
        for path, text, value in (
            ("/segments/seg0/subnet", "next /25", "10.40.8.0/25"),
            ("/segments/seg0/gateway", "last", "10.40.8.254"),
            ("/hosts/host0/address", "next", "10.40.8.2"),
            ("/segments/seg0/subnet6", "20", "2001:db8:40:20::/64"),
            ("/segments/seg0/subnet6", "next", "2001:db8:40:1::/64"),
            ("/segments/seg0/kept", "printer .200-.219; phone system .220 + 5", [
                {"kind": "printer", "run": "10.40.8.200-10.40.8.219"},
                {"kind": "phone system", "run": "10.40.8.220-10.40.8.224"},
            ]),
            ("/circuits/circ0/address6", "2001:db8:9::2/64", "2001:db8:9::2"),
            ("/circuits/circ0/modem_subnet", "192.168.143.0/24", "192.168.143.0/24"),
        ):  # fmt: skip
            with self.subTest(path=path, text=text):
                plan = self.plan.model_copy(update={"delegated_prefix": parse_network("2001:db8:40::/48")[0]})
                understood = understand(plan, path, text, portfolio)
                self.assertEqual(understood.operations[0]["value"], value)
                self.assertTrue(understood.echo)
        ranges = understand(self.plan, "/segments/seg0/scope", "40 clients", portfolio).operations
        self.assertEqual([op["value"] for op in ranges], ["10.40.8.210", "10.40.8.249"])
        self.assertIn("10.40.8.", understand(self.plan, "/segments/seg0/scope", "leave 20", portfolio).echo)

    def test_what_is_not_free_is_refused_in_words(self) -> None:
        portfolio = Portfolio([self.plan], Organisation(blocks={"FERN": ["10.40.8.0/24"]}))
        for path, text, words in (
            ("/segments/seg0/subnet", "next /16", "No free /16 is left in 10.40.8.0/24"),
            ("/segments/seg0/subnet", "next /40", "too long"),
            ("/segments/seg0/subnet6", "20", "no IPv6 prefix yet"),
            ("/segments/seg0/subnet6", "10.0.0.0/24", "is IPv4"),
            ("/segments/seg0/gateway6", "10.0.0.1", "is IPv4"),
            ("/segments/seg0/kept", "printers", "names no kind and run"),
            ("/segments/seg0/scope", "900 clients", "take a larger subnet"),
            ("/segments/seg0/scope", "0 clients", "1 or more"),
            ("/delegated_prefix", "10.0.0.0/8", "is IPv4"),
        ):
            with self.subTest(path=path, text=text), self.assertRaises(OctaplanError) as caught:
                understand(self.plan, path, text, portfolio)
            self.assertIn(words, str(caught.exception))

    def test_what_does_not_fit_a_smaller_subnet_stays_and_is_not_lost(self) -> None:
        moved = self.values("/segments/seg0/subnet", "10.40.64.0/27")
        self.assertNotIn("/hosts/host1/address", moved)
        self.assertEqual(moved["/hosts/host0/address"], "10.40.64.10")

    def test_bad_values_are_refused_in_words(self) -> None:
        for path, text, words in (
            ("/segments/seg0/vlan", "4095", "1 to 4094"),
            ("/segments/seg0/subnet", "10.0.0.300/24", "Octet 300"),
            ("/segments/seg0/subnet", "255.255.192", "255.255.192.0"),
            ("/segments/seg0/label", "", "cannot be empty"),
            ("/segments/seg0/scope/lease", "soon", "8h"),
            ("/segments/seg0/role", "lounge", "office, voice"),
            ("/segments/gone1/vlan", "1", "removed by somebody else"),
            ("/segments/seg0/nonsense", "1", "no field"),
            ("/nonsense", "1", "no field"),
            ("/accepted/x/reason", "1", "removed"),
            ("/time_zone", "Mars/Base", "IANA"),
            ("/circuits/circ0/address", "203.0.113.18/33", "too long"),
            ("/name", "x" * 1001, "at most 1000"),
        ):
            with self.subTest(path=path, text=text[:20]), self.assertRaises(OctaplanError) as caught:
                understand(self.plan, path, text)
            self.assertIn(words, str(caught.exception))


class Leases(unittest.TestCase):
    def test_people_write_them_in_many_ways(self) -> None:
        for typed, seconds in {
            "8h": 28800,
            "8 hours": 28800,
            "1d": 86400,
            "30 min": 1800,
            "45": 45,
            "2w": 1209600,
            "1 hr": 3600,
        }.items():
            self.assertEqual(read_lease(typed), seconds, typed)
        for typed in ("1 month", "h", "1.5h", "0", "5000000000", "8 x"):
            with self.subTest(typed), self.assertRaises(OctaplanError):
                read_lease(typed)
        for seconds in (1, 60, 90, 3600, 86400, 0xFFFFFFFF):
            self.assertEqual(read_lease(lease_text(seconds)), seconds)
