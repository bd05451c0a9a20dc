"""A box in the place of another: everything planned stays, what was only true of the old one goes."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.device import DeviceRole, PortMode
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.replacing import replace
from tests import examples
from tests.core.kit import hardware, office_site, with_device
from tests.core.stage.test_runsheet import kinds
from tests.support import circuit

SWITCH = hardware("test-eight", kind="switch", ports={str(n): {} for n in range(1, 9)}, slots={})
OTHER = hardware("test-three", model="Three", ports={"A": {"factory_role": "internet"}, "B": {}, "C": {}, "D": {}})


class Replaced(unittest.TestCase):
    def setUp(self) -> None:
        plan, self.switch = with_device(
            office_site(circuits=[circuit(provider="Northlight")]), SWITCH, DeviceRole.SWITCH
        )
        recorded = {"serial": "T5-1", "macs": ["02:40:08:00:00:01"], "asset_tag": "A7", "firmware": "4.1"}
        self.plan, self.edge = with_device(plan, licences={"filters": {"ends": None}}, **recorded)

    def after(self, kind: HardwareType) -> tuple[SitePlan, str, list[str]]:
        proposal = replace(self.plan, self.edge, kind, salt=7)
        return applied(self.plan, proposal.operations), proposal.key, proposal.assumed

    def test_of_the_same_type_it_is_the_same_but_for_what_was_only_true_of_the_old_one(self) -> None:
        plan, fresh, told = self.after(hardware())
        old, new = self.plan.devices[self.edge], plan.devices[fresh]
        self.assertNotIn(self.edge, plan.devices)
        self.assertNotEqual(fresh, self.edge)
        for field in ("name", "role", "addresses", "routes", "translations", "allows", "access", "ports", "resolvers"):
            self.assertEqual(getattr(new, field), getattr(old, field), field)
        self.assertEqual((new.serial, new.macs, new.asset_tag, new.firmware, new.licences), (None, [], None, None, {}))
        ends = {use.peer for use in plan.devices[self.switch].ports.values() if use.peer}
        self.assertEqual(ends, {fresh})
        self.assertTrue(any("Northlight may have kept the MAC of the old box" in one for one in told), told)
        self.assertTrue(any("serial T5-1" in one for one in told), told)

    def test_of_another_type_cables_move_to_ports_of_their_sort(self) -> None:
        plan, fresh, told = self.after(OTHER)
        ports = plan.devices[fresh].ports
        self.assertEqual(ports["A"].mode, PortMode.CIRCUIT)
        self.assertTrue(any(one.startswith("Cables moved: port WAN to A") for one in told), told)
        for name, use in ports.items():
            if use.peer:
                back = plan.devices[use.peer].ports[use.peer_port or ""]
                self.assertEqual((back.peer, back.peer_port), (fresh, name))

    def test_a_line_leased_by_mac_is_told(self) -> None:
        document = self.plan.document()
        document["circuits"]["circ0"]["handoff"] = "dhcp"
        self.plan = SitePlan.model_validate(document)
        self.assertTrue(any("leases by MAC" in one for one in self.after(hardware())[2]))

    @given(kinds(), st.sampled_from([DeviceRole.EDGE, DeviceRole.SWITCH]))
    @examples(80)
    def test_any_box_is_replaced_by_any_type_and_the_plan_can_be_read(
        self, kind: HardwareType, role: DeviceRole
    ) -> None:
        key = self.edge if role is DeviceRole.EDGE else self.switch
        proposal = replace(self.plan, key, kind)
        plan = applied(self.plan, proposal.operations)
        self.assertTrue(set(plan.devices[proposal.key].ports) <= {*kind.ports, *self.plan.devices[key].ports})
        for device in plan.devices.values():
            for use in device.ports.values():
                self.assertNotEqual(use.peer, key)
        self.assertTrue(all(sentence.endswith(".") for sentence in proposal.assumed))
