from __future__ import annotations

import unittest
from itertools import chain

from octaplan.core.plan.changes import changes
from octaplan.core.plan.device import Device, NamedSlot, Wireless
from octaplan.core.plan.fields import FIELDS, Form, PlanField
from octaplan.core.plan.patch import applied
from octaplan.core.plan.site import Circuit, Host, Segment, SitePlan
from octaplan.core.propose.fragment import read_fragment
from octaplan.core.propose.typed import understand
from octaplan.core.values.errors import OctaplanError
from octaplan.formats.columns import COLUMNS
from octaplan.formats.rows import table_rows
from tests.support import circuit, segment, site

MODELS = {
    "site": SitePlan,
    "circuits": Circuit,
    "segments": Segment,
    "hosts": Host,
    "devices": Device,
    "wireless": Wireless,
    "slots": NamedSlot,
}

#: What is no field that one types: members of their own, references chosen on the page, places in an order.
OTHERWISE = {
    "site": {
        "schema_",
        "customer",
        "site",
        "circuits",
        "segments",
        "hosts",
        "devices",
        "wireless",
        "slots",
        "accepted",
        "answers",
        "survivors",
        "pattern",
        "departures",
    },
    "segments": {"order"},
    "hosts": {"segment"},
    "devices": {
        *("type", "host", "ports", "addresses", "addresses6", "routes", "translations", "allows", "publications"),
        *("relays", "access", "licences"),
    },
    "wireless": {"segment"},
}


class Fields(unittest.TestCase):
    def test_every_field_of_the_plan_has_one_entry(self) -> None:
        for kind, model in MODELS.items():
            names = set(model.model_fields) - OTHERWISE.get(kind, set())
            told = {name.partition("/")[0] for name in FIELDS[kind]}
            self.assertEqual(told, names, kind)

    def test_places_within_a_member_are_there(self) -> None:
        plan = site(circuits=[circuit()], segments=[segment()])
        members = {"circuits": plan.circuits, "segments": plan.segments}
        for kind, found in members.items():
            for field in FIELDS[kind].values():
                field.value_in(next(iter(found.values())))

    def test_labels_and_words_name_one_field_of_a_member(self) -> None:
        for kind, fields in FIELDS.items():
            for names in ([f.label for f in fields.values()], [f.words for f in fields.values()]):
                self.assertEqual(len(names), len(set(names)), kind)

    def test_an_unknown_value_is_of_the_form_that_the_plan_has(self) -> None:
        for kind, fields in FIELDS.items():
            for field in fields.values():
                if field.needed or "/" in field.name or not field.typed:
                    continue
                default = MODELS[kind].model_fields[field.name].get_default()
                self.assertEqual(field.empty, default, f"{kind} {field.name}")

    def test_sentences_begin_names_in_small_letters_but_not_abbreviations(self) -> None:
        self.assertEqual(FIELDS["circuits"]["prefix"].words, "mask")
        self.assertEqual(FIELDS["circuits"]["vlan"].words, "VLAN tag")
        self.assertEqual(FIELDS["circuits"]["prefix6"].words, "IPv6 mask")


class OneEntry(unittest.TestCase):
    """What follows from an entry alone, shown with the one that was added last."""

    def test_it_is_read_on_screens_in_tables_and_in_letters(self) -> None:
        plan = site(circuits=[circuit()])
        typed = understand(plan, "/circuits/circ0/mtu", "1492")
        self.assertEqual(applied(plan, typed.operations).circuits["circ0"].mtu, 1492)
        with self.assertRaisesRegex(OctaplanError, "MTU '40' is not permitted: write a whole number from 576 to 9216"):
            understand(plan, "/circuits/circ0/mtu", "40")
        letter = read_fragment(plan, "circ0", "IP 203.0.113.18/29 GW .17, MTU: 1492")
        self.assertIn(("mtu", "1492"), [(one.field, one.echo) for one in letter.found])

    def test_it_is_written_to_tables_and_told_in_sentences(self) -> None:
        before, after = site(circuits=[circuit()]), site(circuits=[circuit(mtu=1492)])
        header, row = list(COLUMNS["circuits"]), table_rows([after])["circuits"][0]
        self.assertEqual(row[header.index("mtu")], "1492")
        self.assertEqual([str(change) for change in changes(before, after)], ["Main MTU empty → 1492"])


class Written(unittest.TestCase):
    WRITTEN = (
        ("circuits", "resolvers", "192.0.2.53 192.0.2.54"),
        ("circuits", "prefix", "29"),
        ("segments", "scope/lease", "8h"),
        ("segments", "scope/options", "66 10.40.8.9; 42 192.0.2.123"),
        ("segments", "domain", "fern.example"),
        ("site", "reach_groups", "fern; moss"),
        ("hosts", "mac", "02:40:08:aa:bb:cc"),
    )

    def test_what_is_written_reads_back(self) -> None:
        for kind, name, text in self.WRITTEN:
            field = FIELDS[kind][name]
            self.assertEqual(field.write(field.read(text)), text, name)

    def test_what_is_usual_is_not_written(self) -> None:
        self.assertEqual(FIELDS["segments"]["vrf"].write("main"), "")
        self.assertEqual(FIELDS["segments"]["scope/server"].write("edge"), "")
        self.assertEqual(FIELDS["site"]["reach_groups"].write([]), "-", "none is not the same as left out")
        self.assertEqual(FIELDS["site"]["reach_groups"].write(None), "")

    def test_choices_are_read_and_nothing_else(self) -> None:
        chosen = [field for field in chain(*(fields.values() for fields in FIELDS.values())) if field.choices]
        self.assertGreater(len(chosen), 5)
        for field in chosen:
            self.every_choice_is_read(field)

    def every_choice_is_read(self, field: PlanField) -> None:
        self.assertIs(field.form, Form.PLAIN)
        for value in field.choices:
            field.read(value)
        with self.assertRaises(OctaplanError):
            field.read("something else")
