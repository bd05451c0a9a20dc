"""The run sheet: never a step that cannot be done, the connection lost late, seldom and with notice."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.plan.device import DeviceRole
from octaplan.core.plan.hardware import HardwareType, Topic
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.bench import Bench, Presumed
from octaplan.core.stage.runsheet import written
from octaplan.core.stage.steps import RunSheet, Step
from tests import examples
from tests.core.kit import hardware, office_site, with_device
from tests.support import segment


def sheet(
    plan: SitePlan, kind: HardwareType | None = None, role: DeviceRole = DeviceRole.EDGE, **values: Any
) -> RunSheet:
    kind = kind or hardware()
    equipped, key = with_device(plan, kind, role, **values)
    return written(equipped, key, kind)


def steps(found: RunSheet) -> dict[str, Step]:
    return {step.key: step for step in found.steps}


FACTORY = {"address": "192.168.77.1", "prefix": 24, "web": "https", "password": "chosen"}


class ARouterThatChangesAtOnce(unittest.TestCase):
    def setUp(self) -> None:
        self.sheet = sheet(office_site())
        self.steps = steps(self.sheet)

    def test_the_steps_are_in_the_order_of_the_work(self) -> None:
        order = list(self.steps)
        self.assertEqual(self.sheet.problem, "")
        self.assertEqual(order[:6], ["unpack", "plug", "laptop", "open", "log-in", "slot-administrator"])
        self.assertLess(order.index("access"), order.index("segment-seg2"))
        self.assertLess(order.index("ports"), order.index("segment-seg0"))
        self.assertLess(order.index("reconnect"), order.index("clear-away"))
        self.assertLess(order.index("clear-away"), order.index("internet-cable"))
        self.assertEqual(order[-3:], ["laptop-back", "label", "pack"])

    def test_the_connection_is_lost_once_and_last_with_notice(self) -> None:
        lost = [step for step in self.sheet.steps if step.lost]
        self.assertEqual([step.key for step in lost], ["segment-seg2"])
        (step,) = lost
        self.assertIn("will stop answering", step.text)
        self.assertEqual((step.before.box, step.after.box), ("192.168.77.1", "10.40.10.1"))
        self.assertIn("fixed address in 10.40.10.0/26", step.mend)

    def test_the_next_step_mends_it(self) -> None:
        order = list(self.steps)
        mending = self.steps[order[order.index("segment-seg2") + 1]]
        self.assertEqual(
            (mending.key, mending.after.laptop, mending.after.reaches), ("laptop-again", "10.40.10.2", True)
        )
        self.assertIn("https://10.40.10.1", self.steps["reconnect"].title)

    def test_every_value_to_type_is_there(self) -> None:
        values = {value.label: value.text for step in self.sheet.steps for value in step.values}
        for label, text in {
            "Address": "https://10.40.10.1", "Mask": "255.255.255.192", "VLAN tag": "none", "Range first": "10.40.8.20",
            "Range last": "10.40.8.199", "Number of addresses, if that is asked": "180", "Resolvers handed out": "10.40.8.1", "First password": "marigold",
            "Default route": "by 203.0.113.17, metric 10; where the box makes it itself, do not add another", "Time zone": "Europe/London", "HTTPS": "from Management",
        }.items():  # fmt: skip
            self.assertEqual(values[label], text, label)

    def test_no_secret_is_in_it(self) -> None:
        (value,) = self.steps["slot-administrator"].values
        self.assertEqual((value.text, value.secret.split("/")[-1]), ("", "administrator"))

    def test_which_port_and_which_not(self) -> None:
        self.assertEqual(self.steps["plug"].title, "Plug the laptop into port 3")
        self.assertIn("Not into WAN: it asks the provider for an address", self.steps["plug"].text)

    def test_a_change_of_the_plan_changes_only_the_steps_it_touches(self) -> None:
        changed = office_site()
        document = changed.document()
        document["segments"]["seg0"]["scope"]["last"] = "10.40.8.150"
        other = steps(sheet(SitePlan.model_validate(document)))
        touched = [key for key, step in self.steps.items() if step.digest != other[key].digest]
        self.assertEqual(touched, ["segment-seg0", "lease-seg0"])


class OtherBoxes(unittest.TestCase):
    def test_a_box_that_commits_loses_the_laptop_at_the_commit(self) -> None:
        kind = hardware(takes="after commit", kept="when saved")
        found = sheet(office_site(), kind)
        self.assertEqual([step.key for step in found.steps if step.lost], ["commit"])
        self.assertIn("save", steps(found))

    def test_a_box_that_needs_a_restart_is_saved_before_it(self) -> None:
        kind = hardware(takes="after apply", kept="when saved", restart_needed=True)
        found = sheet(office_site(), kind)
        order = [step.key for step in found.steps]
        self.assertLess(order.index("save-first"), order.index("restart-first"))
        self.assertEqual([step.key for step in found.steps if step.lost], ["restart-first"])

    def test_a_box_with_disabled_interfaces_begins_at_the_console(self) -> None:
        kind = hardware(factory={"addressing": "none", "interfaces_disabled": True}, console={"speed": 115_200})
        found = steps(sheet(office_site(), kind))
        self.assertEqual(found["plug"].title, "Connect the console cable")
        self.assertEqual(found["plug"].values[0].text, "RJ45, 115200 bit/s, 8N1, no flow control")
        self.assertEqual(found["join"].after.port, "3")
        self.assertTrue(found["prove"].before.reaches)

    def test_a_box_that_asks_for_an_address_is_given_one_that_the_site_does_not_use(self) -> None:
        kind = hardware(factory={"addressing": "dhcp", "web": "http", "web_port": 8080, "password": "label"})
        plan = office_site(segments=[segment(role="management", vlan=9), segment("Old", "192.168.254.0/24", vlan=8)])
        found = steps(sheet(plan, kind))
        self.assertEqual(found["laptop"].after.laptop, "172.31.254.1")
        self.assertEqual(found["open"].title, "Open http://172.31.254.2:8080")

    def test_no_way_in_is_said_and_nothing_after_the_carton_is_asked(self) -> None:
        kind = hardware(factory={"addressing": "none", "interfaces_disabled": True})
        found = sheet(office_site(), kind)
        self.assertIn("There is no way into the Testmaker Five", found.problem)
        self.assertEqual([step.key for step in found.steps], ["unpack"])

    def test_management_from_nowhere_is_said_before_the_box_is_cut_off(self) -> None:
        found = sheet(office_site(), access={})
        self.assertIn("nothing opens it any more", found.problem)
        self.assertFalse(any(step.lost for step in found.steps))

    def test_management_from_nowhere_is_no_trouble_with_a_console(self) -> None:
        found = sheet(office_site(), hardware(console={}), access={})
        self.assertEqual(found.problem, "")
        self.assertTrue(steps(found)["console"].after.reaches)

    def test_a_type_without_ports_or_gone(self) -> None:
        plan, key = with_device(office_site())
        self.assertIn("lists no ports yet", written(plan, key, hardware(ports={})).problem)
        self.assertIn("not on Hardware any more", written(plan, key, None).problem)

    def test_the_laptop_moves_when_its_port_will_carry_something_else(self) -> None:
        plan, key = with_device(office_site())
        ports = plan.document()["devices"][key]["ports"]
        ports["1"], ports["3"] = ports["3"], {"mode": "unused"}
        kind = hardware()
        document = plan.document()
        document["devices"][key]["ports"] = ports
        found = written(SitePlan.model_validate(document), key, kind)
        self.assertEqual(steps(found)["plug"].title, "Plug the laptop into port 1")

    def test_pppoe_names_the_slot_of_its_password(self) -> None:
        circuits = [{"label": "Main", "handoff": "pppoe", "pppoe_user": "dock@fern.example", "vlan": 35}]
        found = steps(sheet(office_site(circuits=circuits)))
        values = {value.label: value.secret or value.text for value in found["circuit-circ0"].values}
        self.assertEqual(values["PPPoE password"], "circuits/circ0/pppoe")
        self.assertEqual(values["VLAN tag"], "35")


def before(found: RunSheet, first: str, then: str) -> bool:
    """Whether no step of the one sort comes after any of the other; keys begin so."""
    keys = [step.key for step in found.steps]
    late = [place for place, key in enumerate(keys) if key.startswith(first)]
    early = [place for place, key in enumerate(keys) if key.startswith(then)]
    return not late or not early or max(late) < min(early)


@st.composite
def kinds(draw: st.DrawFn) -> HardwareType:
    """A hardware type in which anything may be the case."""
    ports = {
        str(number): {
            "medium": draw(st.sampled_from(["copper", "copper", "fibre", "usb"])),
            "factory_role": draw(st.sampled_from(["internet", "inside", "inside", "management", "none"])),
            "laptop": draw(st.booleans()),
        }
        for number in range(draw(st.integers(1, 6)))
    }
    factory = draw(
        st.sampled_from(
            [
                {"addressing": "dhcp"},
                {"addressing": "none"},
                {"address": "192.168.77.1", "prefix": 24},
                {"address": "192.168.77.1", "prefix": 24, "leases": "192.168.77.2-192.168.77.9"},
                {"address": "10.40.10.1", "prefix": 26},
                {"address": "192.168.77.1", "prefix": 32},
                {"address": "192.168.77.1", "prefix": 31},
                {"address": "fd00:77::1", "prefix": 64},
            ]
        )
    )
    web = {"web": draw(st.sampled_from([None, "https", "http"])), "blocked": draw(st.booleans())}
    services = {"services": draw(st.sampled_from([[], ["ssh"], ["telnet", "http"]]))}
    services["interfaces_disabled"] = draw(st.booleans())
    return hardware(
        ports=ports,
        factory=factory | web | services,
        console=draw(st.sampled_from([None, {}])),
        takes=draw(st.sampled_from(["at once", "after apply", "after commit"])),
        kept=draw(st.sampled_from(["always", "when saved"])),
        restart_needed=draw(st.booleans()),
        leftovers=draw(st.sampled_from([[], ["The guest network"]])),
        firmware={
            "wanted": draw(st.sampled_from([None, "4.2"])),
            "source": draw(st.sampled_from(["laptop", "internet", "stick"])),
        },
        radio=draw(st.booleans()),
        licences=draw(st.sampled_from([{}, {"upkeep": "new firmware"}])),
        powered_by=draw(st.sampled_from([["supply"], ["port"], ["port", "injector"]])),
        slots=draw(st.sampled_from([{}, {"administrator": {}, "backup": {"label": "backup passphrase"}}])),
        notes=[
            {"text": "Mind the gap.", "by": "Ines", "on": "2026-02-03", "about": draw(st.sampled_from([None, *Topic]))}
        ],
    )


@st.composite
def staged(draw: st.DrawFn) -> tuple[SitePlan, str, HardwareType]:
    """A plan with one device that is wired at random."""
    scopes: list[dict[str, Any]] = [
        {},
        {"first": "10.40.8.20", "last": "10.40.8.199"},
        {"first": "10.40.8.1", "last": "10.40.8.1"},
    ]
    subnets = ["10.40.8.0/24", "10.40.8.0/31", "10.40.8.1/32", "2001:db8:8::/64", None]
    segments = [
        segment(f"s{n}", draw(st.sampled_from(subnets)), scope=draw(st.sampled_from(scopes)),
                vlan=draw(st.sampled_from([None, n + 1])), vrf=draw(st.sampled_from(["main", "mgmt"])),
                gateway=draw(st.sampled_from([None, "10.40.8.1", "10.40.10.1", "2001:db8:8::1"])))
        for n in range(draw(st.integers(0, 3)))
    ]  # fmt: skip
    kind = draw(kinds())
    role = draw(st.sampled_from([r for r in DeviceRole if r is not DeviceRole.MODEM]))
    plan, key = with_device(office_site(segments=segments), kind, role)
    document = plan.document()
    device = document["devices"][key]
    if document["segments"] and draw(st.booleans()):
        document["wireless"] = {
            "wifi": {"name": "Fern", "segment": "seg0", "country": draw(st.sampled_from([None, "GB"]))}
        }
    ids = [*document["segments"], "gone"]
    for name in kind.ports:
        if draw(st.booleans()):
            device["ports"][name] = {
                "mode": draw(st.sampled_from(["unused", "access", "trunk", "routed", "bridge", "circuit"])),
                "segment": draw(st.sampled_from([None, *ids])),
                "tagged": draw(st.sampled_from([[], ids[:1]])),
                "circuit": draw(st.sampled_from([None, "circ0"])),
                "enabled": draw(st.booleans()),
            }
    if draw(st.booleans()):
        device["addresses"] = {
            draw(st.sampled_from(ids)): draw(st.sampled_from(["10.40.8.9", "10.40.8.0", "10.40.8.1"]))
        }
    device["access"] = {
        f"acc{n}": {"service": "https", "segment": draw(st.sampled_from([None, *ids]))}
        for n in range(draw(st.integers(0, 2)))
    }
    return SitePlan.model_validate(document), key, kind


class Always(unittest.TestCase):
    @given(staged())
    @examples(250)
    def test_there_is_never_a_step_that_cannot_be_done(self, made: tuple[SitePlan, str, HardwareType]) -> None:
        plan, key, kind = made
        found = written(plan, key, kind)
        before = None
        keys = [step.key for step in found.steps]
        self.assertEqual([key for key in keys if keys.count(key) > 1], [])
        for place, step in enumerate(found.steps):
            if step.needs_box:
                self.assertTrue(step.before.reaches, (step.key, step.before))
            if before is not None:
                self.assertEqual(step.before, before, step.key)
            before = step.after
            if step.lost:
                self.assertTrue(step.mend, step.key)
                later = next(s for s in found.steps[place + 1 :] if s.needs_box)
                self.assertTrue(later.before.reaches)
        self.assertLessEqual(sum(step.lost for step in found.steps), 1)
        if not found.problem:
            self.assertEqual(keys[-1], "pack")
            self.assertIn("Mind the gap.", " ".join(note for step in found.steps for note in step.notes))

    @given(staged())
    @examples(250)
    def test_no_step_builds_on_what_a_later_one_makes(self, made: tuple[SitePlan, str, HardwareType]) -> None:
        plan, key, kind = made
        found = written(plan, key, kind)
        for first, then in (
            ("identity", "access"), ("identity", "ports"), ("vlans", "ports"), ("ports", "segment-"), ("ports", "circuit-"),
            ("country", "wifi-"), ("rules", "internet-cable"), ("access", "clear-away"), ("access", "internet-cable"),
            ("clear-away", "internet-cable"), ("internet-cable", "prove-line"), ("internet-cable", "licence-"),
            ("segment-", "lease-"), ("segment-", "prove"), ("own-port", "prove"), ("wifi-", "join-"), ("log-in", "slot-x"),
            ("save-first", "restart-first"), ("restart", "prove-again"), ("prove-again", "backup"), ("backup", "laptop-back"),
        ):  # fmt: skip
            self.assertTrue(before(found, first, then), (first, then, [step.key for step in found.steps]))
        asked = [m for step in found.steps for m in step.measures if m.beyond]
        plugged = any(step.key in ("internet-cable", "uplink") for step in found.steps)
        self.assertTrue(plugged or not asked)

    def test_the_bench_refuses_what_cannot_be_done_yet(self) -> None:
        plan, key = with_device(office_site())
        for wrong in (
            lambda bench: bench.log_in(),
            lambda bench: bench.type_in("name"),
            lambda bench: bench.restart(),
            lambda bench: bench.cable_in("circ0"),
            lambda bench: bench.measure("scope seg0"),
            lambda bench: bench.measure(line=True),
            lambda bench: bench.save(),
            lambda bench: bench.clear(),
            lambda bench: bench.update(from_laptop=True),
            lambda bench: bench.update(from_laptop=False),
        ):
            with self.assertRaises(Presumed):
                wrong(Bench(plan, key, hardware()))
        bench = Bench(plan, key, hardware(kept="when saved"))
        bench.plug("3")
        bench.address_laptop()
        with self.assertRaisesRegex(Presumed, "log in by ssh"):
            bench.log_in("ssh")
        bench.log_in("https")
        with self.assertRaisesRegex(Presumed, "port 2 before name"):
            bench.type_in("port 2", needs=("name",))
        bench.type_in("name")
        with self.assertRaisesRegex(Presumed, "before all of it is saved"):
            bench.restart()
        bench.save()
        bench.restart()
        self.assertFalse(bench.logged_in)

    @given(staged())
    @examples(50)
    def test_a_laptop_reaches_only_what_is_in_its_own_subnet(self, made: tuple[SitePlan, str, HardwareType]) -> None:
        plan, key, kind = made
        for step in written(plan, key, kind).steps:
            for now in (step.before, step.after):
                if now.reaches and now.port != "console":
                    self.assertTrue(now.laptop and now.box and now.laptop != now.box, now)
                    self.assertTrue(kind.ports[now.port].laptop)
