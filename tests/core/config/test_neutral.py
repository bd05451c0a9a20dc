from __future__ import annotations

import json
import re
import sysconfig
import unittest
from functools import cache
from pathlib import Path
from random import Random

from yangson import DataModel
from yangson.enumerations import ContentType

from octaplan.core.config.neutral import hosts_file, reservations, yang_document, zones
from tests.core.config.demo import equipped, types

ROOT = Path(__file__).parents[3]
OWN = ROOT / "octaplan" / "formats" / "yang"
SHIPPED = Path(sysconfig.get_path("data")) / "share" / "yang" / "modules"
IMPLEMENTED = (
    "ietf-system", "ietf-interfaces", "ietf-ip", "ietf-routing", "ietf-ipv4-unicast-routing", "ietf-ipv6-unicast-routing",
    "ietf-access-control-list", "ietf-nat", "iana-if-type", "octaplan-box",
)  # fmt: skip
IMPORTED = (
    "ietf-inet-types", "ietf-yang-types", "ietf-packet-fields", "ietf-ethertypes", "ietf-netconf-acm", "iana-crypt-hash",
)  # fmt: skip


@cache
def model() -> DataModel:
    """The modules that a document is made of, as a YANG library (RFC 7895)."""
    modules = []
    for name in (*IMPLEMENTED, *IMPORTED):
        (path,) = [
            folder / f"{name}.yang"
            for folder in (SHIPPED / "ietf", SHIPPED / "iana", OWN)
            if (folder / f"{name}.yang").exists()
        ]
        text = path.read_text("utf-8")
        module = {
            "name": name,
            "revision": re.findall(r"revision\s+\"?(\d{4}-\d\d-\d\d)", text)[0],
            "namespace": re.findall(r"namespace\s+[\"']?([^\"';]+)", text)[0],
            "conformance-type": "implement" if name in IMPLEMENTED else "import",
            "feature": ["ntp", "timezone-name"]
            if name == "ietf-system"
            else re.findall(r"^\s*feature\s+\"?([\w-]+)", text, re.M),
        }
        if name == "ietf-ipv6-unicast-routing":
            module["submodule"] = [{"name": "ietf-ipv6-router-advertisements", "revision": "2018-03-13"}]
        modules.append(module)
    library = {"ietf-yang-library:modules-state": {"module-set-id": "octaplan", "module": modules}}
    return DataModel(json.dumps(library), tuple(map(str, (SHIPPED / "ietf", SHIPPED / "iana", OWN))))


class Yang(unittest.TestCase):
    def test_documents_of_random_plans_are_valid(self) -> None:
        kind = types()["skerry-f7"]
        for seed in range(40):
            plan = equipped(Random(seed), kind.key)
            for key in plan.devices:
                with self.subTest(seed=seed, box=key):
                    document = yang_document(plan, key, kind)
                    model().from_raw(json.loads(json.dumps(document))).validate(ctype=ContentType.config)

    def test_a_document_that_is_wrong_is_told(self) -> None:
        """That validation would fail: the model is no rubber stamp."""
        plan = equipped(Random(3), "skerry-f7")
        document = yang_document(plan, next(iter(plan.devices)))
        document["ietf-interfaces:interfaces"]["interface"][0]["enabled"] = "perhaps"
        with self.assertRaises(Exception):  # noqa: B017  (yangson has one for each sort)
            model().from_raw(document).validate(ctype=ContentType.config)

    def test_no_secret_is_in_it(self) -> None:
        plan = equipped(Random(5), "skerry-f7")
        for key in plan.devices:
            self.assertNotRegex(json.dumps(yang_document(plan, key)), r'"(?:password|key)"')


class Names(unittest.TestCase):
    def test_zones_say_each_name_forward_and_back(self) -> None:
        plan = equipped(Random(8), "skerry-f7")
        text = zones(plan)
        forward = re.findall(r"^(\S+) IN A (\S+)$", text, re.M)
        back = re.findall(r"IN PTR (\S+?)\.", text)
        self.assertGreater(len(forward), 2)
        self.assertEqual(len(forward), len(back))
        for name, address in forward:
            self.assertIn(name, back)
            self.assertIn(f"{address.rpartition('.')[2]} IN PTR", text)
        for zone in re.findall(r"^\$ORIGIN (\S+)$", text, re.M):
            self.assertTrue(zone.endswith("."))

    def test_a_hosts_file_has_a_line_for_each_address(self) -> None:
        plan = equipped(Random(8), "skerry-f7")
        lines = hosts_file(plan).splitlines()
        self.assertEqual(len(lines), len(set(lines)))
        self.assertTrue(all(re.fullmatch(r"\S+\t\S+ \S+", line) for line in lines))

    def test_reservations_are_those_of_the_scopes_that_the_box_serves(self) -> None:
        found = 0
        for seed in range(30):
            plan = equipped(Random(seed), "skerry-f7")
            for key in plan.devices:
                for _, address, mac, name in reservations(plan, key):
                    found += 1
                    (host,) = [h for h in plan.hosts.values() if h.name == name and str(h.address) == address]
                    self.assertEqual((str(host.mac), host.method), (mac, "reserved"))
        self.assertGreater(found, 3)


if __name__ == "__main__":
    unittest.main()
