from __future__ import annotations

import unittest

from octaplan.core.plan.device import DeviceRole, PortMode
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.entries import Value, internet_values
from octaplan.core.stage.runsheet import run_sheet
from octaplan.core.stage.settings import BoxSettings, internet_side, scope_settings, settings_of
from octaplan.core.stage.sitesheet import SheetRow, SiteSheet, site_sheet
from tests.core.kit import hardware, office_site, with_device
from tests.support import circuit, segment, site

POINT = hardware("test-point", kind="access point", ports={"1": {}}, radio=True, slots={})


def edge(plan: SitePlan | None = None) -> BoxSettings:
    plan, key = with_device(plan or office_site(), hardware())
    return settings_of(plan, key, hardware())


class Edge(unittest.TestCase):
    def test_it_has_the_circuit_with_its_port_and_subnet(self) -> None:
        (side,) = edge().internet
        self.assertEqual((side.port, str(side.address), str(side.subnet)), ("WAN", "203.0.113.18", "203.0.113.16/29"))
        self.assertFalse(side.given)
        self.assertEqual(side.password, "")

    def test_the_packet_size_of_a_line_comes_to_the_box_and_the_sheet(self) -> None:
        plan = office_site(circuits=[circuit(mtu=1492)])
        self.assertEqual(edge(plan).internet[0].mtu, 1492)
        self.assertIn(SheetRow("MTU", "1492"), site_sheet(plan, {}).parts[0].rows)
        told = [*internet_values(edge(plan).internet[0])]
        self.assertIn(Value("MTU", "1492"), told)

    def test_a_box_without_a_banner_of_its_own_has_that_of_the_office(self) -> None:
        plan, key = with_device(office_site(), hardware())
        office = Organisation(banner="For the desk only")
        self.assertEqual(settings_of(plan, key, hardware(), office).identity.banner, "For the desk only")
        steps = run_sheet(plan, key, hardware(), office).steps
        self.assertIn("For the desk only", [value.text for step in steps for value in step.values])
        own = applied(plan, [{"op": "replace", "path": f"/devices/{key}/banner", "value": "Its own"}])
        self.assertEqual(settings_of(own, key, hardware(), office).identity.banner, "Its own")

    def test_pppoe_names_the_place_of_its_password_and_never_the_password(self) -> None:
        lines = [circuit(address=None, handoff="pppoe", prefix=None, gateway=None, pppoe_user="dock@isp.example")]
        (side,) = edge(office_site(circuits=lines)).internet
        self.assertTrue(side.given)
        self.assertEqual(side.password, "circuits/circ0/pppoe")

    def test_it_serves_the_scope_with_the_resolvers_that_clients_are_told(self) -> None:
        office = edge().inside[0]
        assert office.serves is not None
        self.assertEqual((str(office.address), str(office.serves.router)), ("10.40.8.1", "10.40.8.1"))
        self.assertEqual([str(one) for one in office.serves.resolvers], ["10.40.8.1"], "the gateway, by its address")

    def test_a_scope_that_somebody_else_serves_is_not_the_boxs(self) -> None:
        scope = {"server": "10.40.8.9", "first": "10.40.8.20", "last": "10.40.8.40"}
        plan = office_site(segments=[segment(scope=scope)])
        inside = edge(plan).inside[0]
        self.assertIsNone(inside.serves)
        self.assertEqual(str(inside.dhcp_by), "10.40.8.9")
        self.assertIsNotNone(scope_settings(plan, "seg0"), "the sheet of the site still tells it")

    def test_time_zone_location_and_contact_are_the_sites_unless_the_box_says_so(self) -> None:
        plan, key = with_device(office_site(street="Quay 4", contact="Ada"), contact="Ben")
        identity = settings_of(plan, key).identity
        self.assertEqual((identity.time_zone, identity.location, identity.contact), ("Europe/London", "Quay 4", "Ben"))


class OtherBoxes(unittest.TestCase):
    def test_a_switch_serves_nothing_and_has_no_gateway_address(self) -> None:
        switch = hardware("test-eight", kind="switch", ports={str(n): {} for n in range(1, 5)}, slots={})
        plan, key = with_device(office_site(), switch, DeviceRole.SWITCH)
        settings = settings_of(plan, key, switch)
        self.assertEqual(settings.internet, ())
        self.assertTrue(all(inside.serves is None for inside in settings.inside))
        self.assertNotIn("10.40.8.1", [str(inside.address) for inside in settings.inside])

    def test_wifi_goes_into_the_access_point_and_not_into_the_edge_beside_it(self) -> None:
        wifi = {"wifi": {"name": "Fern", "segment": "seg0"}}
        radio = hardware("test-radio", radio=True)
        plan, box = with_device(office_site(wireless=wifi), radio)
        self.assertEqual([one.password for one in settings_of(plan, box, radio).wireless], ["wireless/wifi/key"])
        plan, point = with_device(plan, POINT, DeviceRole.ACCESS_POINT)
        self.assertEqual(settings_of(plan, box, radio).wireless, ())
        self.assertEqual([one.name for one in settings_of(plan, point, POINT).wireless], ["Fern"])

    def test_what_was_removed_leaves_no_trace_that_breaks(self) -> None:
        plan, key = with_device(office_site())
        bare = plan.model_copy(update={"segments": {}, "circuits": {}, "hosts": {}})
        settings = settings_of(bare, key, hardware())
        self.assertEqual((settings.internet, settings.inside), ((), ()))
        self.assertTrue(all(port.mode is PortMode.UNUSED or not port.carried for port in settings.ports))


class Sheet(unittest.TestCase):
    def rows(self, sheet: SiteSheet, part: int) -> dict[str, str | None]:
        return {row.label: row.text for row in sheet.parts[part].rows}

    def test_what_is_not_known_is_left_open_and_what_the_provider_gives_is_said(self) -> None:
        lines = [
            circuit(address=None, prefix=None, gateway=None, resolvers=[]),
            circuit("Spare", address=None, handoff="dhcp", prefix=None, gateway=None, resolvers=[]),
        ]
        sheet = site_sheet(site(circuits=lines), {})
        self.assertIsNone(self.rows(sheet, 0)["Address"])
        self.assertEqual(self.rows(sheet, 1)["Address"], "given by the provider")

    def test_what_is_known_is_told_though_the_rest_is_not(self) -> None:
        scope = {"first": "10.40.8.20"}
        lines = [circuit(address=None, gateway=None)]
        sheet = site_sheet(site(segments=[segment(scope=scope)], circuits=lines), {})
        self.assertEqual(self.rows(sheet, 0)["Mask"], "/29")
        self.assertEqual(self.rows(sheet, 1)["DHCP first"], "10.40.8.20")
        self.assertIsNone(self.rows(sheet, 1)["DHCP last"])

    def test_nothing_is_told_of_a_range_that_nobody_serves(self) -> None:
        scope = {"server": "none", "first": "10.40.8.20", "last": "10.40.8.40"}
        self.assertNotIn("DHCP first", self.rows(site_sheet(site(segments=[segment(scope=scope)]), {}), 0))

    def test_it_says_of_circuits_what_the_box_is_told(self) -> None:
        plan = site(circuits=[circuit()])
        side, rows = internet_side(plan, "circ0"), self.rows(site_sheet(plan, {}), 0)
        self.assertEqual(rows["Address"], str(side.address))
        self.assertEqual(rows["Mask"], "255.255.255.248 (/29)")

    def test_hosts_stand_by_address_with_those_of_none_last(self) -> None:
        plan = site(
            segments=[segment()],
            hosts=[("Office", "b", None), ("Office", "c", "10.40.8.9"), ("Office", "a", "10.40.8.80")],
        )
        self.assertEqual([host.name for host in site_sheet(plan, {}).parts[0].hosts], ["c", "a", "b"])
