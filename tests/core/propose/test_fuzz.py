"""Nothing that anybody types, in any field, does more than be refused in words."""

from __future__ import annotations

import string
import unittest
from typing import Any

import jsonpatch
from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.check.claims import ADDRESS, CIRCUIT, HOST, SEGMENT, Claims, words
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.typed import understand
from octaplan.core.stage.runsheet import run_sheet
from octaplan.core.values.addresses import parse_address, parse_mac, parse_mask, parse_network, parse_range
from octaplan.core.values.errors import OctaplanError
from octaplan.formats.columns import COLUMNS
from tests import examples
from tests.core.check.test_portfolio import plans
from tests.core.kit import hardware
from tests.support import circuit, segment, site

text = st.one_of(
    st.text(max_size=40),
    st.text(alphabet=string.digits + ".:/-+ ;,xabcdef", max_size=40),
    st.sampled_from(
        [
            "next",
            "next /25",
            "leave 9",
            "9 clients",
            "first",
            "printer .3-.9",
            "20",
            "::",
            "/",
            "-",
            "0",
            "192.0.2.1/",
            "/33",
            "192.0.2.1 - ",
            "999999999999",
            "gateway gateway",
            "\x00",
            "٣",
        ]
    ),
)

PLAN = site(
    segments=[segment(), segment("Six", "2001:db8::/64")],
    hosts=[("Office", "p", "10.40.8.9")],
    circuits=[circuit()],
    devices={
        "edge": {
            "type": "test-five",
            "role": "edge",
            "name": "edge",
            "ports": {"1": {"mode": "access", "segment": "seg0"}, "WAN": {"mode": "circuit", "circuit": "circ0"}},
            "routes": {"aaaa": {"to": "0.0.0.0/0", "circuit": "circ0"}},
        }
    },
    wireless={"wifi": {"name": "Fern", "segment": "seg0"}},
    slots={"slot": {"name": "Portal"}},
)
KIND = hardware()
PATHS = [
    *(f"/segments/seg{n}/{field}" for n in (0, 1) for field in (
        "label", "role", "vlan", "vrf", "reach", "subnet", "gateway", "scope", "scope/excluded", "scope/server",
        "scope/lease", "resolvers", "domain", "expected_hosts", "subnet6", "gateway6", "kept", "",
    )),
    *(f"/circuits/circ0/{field}" for field in (
        "label", "handoff", "address", "prefix", "gateway", "resolvers", "vlan", "routed_blocks", "priority", "uses/x",
        "address6", "prefix6", "gateway6", "modem_subnet",
    )),
    *(f"/hosts/host0/{field}" for field in ("name", "kind", "address", "address6", "mac", "method", "segment")),
    *(f"/devices/edge/{field}" for field in (
        "name", "role", "serial", "macs", "time_servers", "resolvers", "forwarders", "gateway", "addresses/seg0", "host",
        "licences/x", "ports/1", "ports", "routes/aaaa/to", "routes", "allows", "translations", "access", "type", "firmware",
    )),
    *(f"/wireless/wifi/{field}" for field in ("name", "security", "band", "hidden", "client_limit", "country", "segment")),
    "/segments/seg0/scope/options", "/slots/slot/name",
    "/delegated_prefix", "/name", "/time_zone", "/ship_date", "/reach_groups", "/schema", "", "/",
]  # fmt: skip


class Readers(unittest.TestCase):
    @given(text)
    @examples(400)
    def test_readers_of_addresses_raise_only_their_own_errors(self, typed: str) -> None:
        for read in (parse_address, parse_mask, parse_network, parse_range, parse_mac):
            try:
                read(typed)
            except OctaplanError as error:
                self.assertGreater(len(str(error)), 10)

    @given(st.sampled_from([(t, c) for t, columns in COLUMNS.items() for c in columns]), text)
    @examples(600)
    def test_every_column_reads_or_refuses(self, column: tuple[str, str], typed: str) -> None:
        table, name = column
        try:
            COLUMNS[table][name].read(typed)
        except OctaplanError as error:
            self.assertGreater(len(str(error)), 10)

    @given(st.sampled_from(PATHS), text)
    @examples(600)
    def test_what_a_field_understands_can_be_applied(self, path: str, typed: str) -> None:
        try:
            understood = understand(PLAN, path, typed)
        except OctaplanError as error:
            self.assertGreater(len(str(error)), 10)
            return
        patched = jsonpatch.apply_patch(PLAN.document(), understood.operations)
        try:
            revised = SitePlan.model_validate(patched)
        except ValueError as error:  # only what a field alone cannot know: the mask of one family at the other
            self.assertIn("too long for", str(error))
            return
        self.assertTrue(understood.echo)
        self.checked(revised)

    @staticmethod
    def checked(plan: SitePlan) -> None:
        """Whatever a plan holds, no rule and no run sheet raises."""
        Portfolio([plan], hardware={KIND.key: KIND}, facts=lambda _: {}).check_all()
        for key in plan.devices:
            run_sheet(plan, key, KIND)


values = st.one_of(
    st.none(), st.booleans(), st.integers(-2, 5000), text, st.just([]), st.just({}), st.just(["10.0.0.1"])
)


class Documents(unittest.TestCase):
    @given(st.sampled_from(PATHS), values)
    @examples(400)
    def test_a_plan_with_any_value_anywhere_is_refused_or_checked(self, path: str, value: Any) -> None:
        document = PLAN.document()
        place: Any = document
        *parents, last = path.split("/")[1:] or [""]
        for part in parents:
            place = place.get(part, {}) if isinstance(place, dict) else {}
        if isinstance(place, dict):
            place[last] = value
        try:
            plan = SitePlan.model_validate(document)
        except ValueError:
            return
        Readers.checked(plan)


class ClaimsOfPlans(unittest.TestCase):
    @given(st.lists(plans(), max_size=4))
    @examples(60)
    def test_joined_claims_keep_every_row_and_point_at_the_same_members(self, every: list[SitePlan]) -> None:
        parts = [Claims.of(plan, number) for number, plan in enumerate(every)]
        joined = Claims.join(parts)
        for name, dtype in (("segments", SEGMENT), ("hosts", HOST), ("circuits", CIRCUIT)):
            rows = getattr(joined, name)
            self.assertEqual((len(rows), rows.dtype), (sum(len(getattr(part, name)) for part in parts), dtype))
        for host in joined.hosts:
            plan = every[host["site"]]
            member = list(plan.hosts.values())[host["item"]]
            owner = joined.segments[host["segment"]]
            self.assertEqual(owner["site"], host["site"])
            self.assertEqual(list(plan.segments)[owner["item"]], member.segment)
            expected = member.address6 if host["second"] else member.address
            self.assertEqual(host["address"].tolist(), words(expected))
        for piece in joined.ranges:
            owner = joined.segments[piece["segment"]]
            self.assertEqual((owner["site"], owner["table"]), (piece["site"], piece["table"]))

    def test_addresses_are_two_exact_words(self) -> None:
        self.assertEqual(ADDRESS["hi"].itemsize + ADDRESS["lo"].itemsize, 16)
        last = "ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff"
        claims = Claims.of(site(segments=[segment("Six", "::/0", gateway=last)]), 0)
        self.assertEqual(claims.segments["gateway"]["lo"].tolist(), [2**64 - 1])
        self.assertEqual(claims.segments["last"].tolist(), claims.segments["gateway"].tolist())
