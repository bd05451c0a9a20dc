from __future__ import annotations

from octaplan.core.plan.organisation import Organisation
from octaplan.core.values.addresses import parse_network
from octaplan.store.organisation import SettingsError, SettingsMoved
from octaplan.store.records import Records
from tests.store.test_plans import WithRecords


class OrganisationSettings(WithRecords):
    def setUp(self) -> None:
        super().setUp()
        self.records = Records(self.database)
        self.plans = self.records.plans

    def document(self, **changes: object) -> dict[str, object]:
        return self.records.settings.current.document() | changes

    def test_they_begin_as_they_come_and_every_change_is_a_revision(self) -> None:
        settings = self.records.settings
        self.assertEqual((settings.saved.number, settings.history()), (0, []))
        self.assertTrue(
            settings.save(self.document(gateway="last", leave_fixed=12, owned_domains=["a.example"]), 0, "Ines")
        )
        self.assertFalse(settings.save(self.document(), 1, "Ines"))
        again = Records(self.records.database).settings
        self.assertEqual((again.current, again.saved), (settings.current, settings.saved))
        self.assertEqual(
            again.saved.sentence, "Gateway first → last; left for fixed hosts 8 → 12; owned domains with a.example"
        )
        self.assertIn("settings changed", self.records.journal.lines()[0].act)

    def test_sentences_say_what_came_and_went(self) -> None:
        remote = {"name": "Remote", "network": "10.255.0.0/16"}
        more = {"blocks": {"FERN": ["10.40.0.0/16"]}, "own_networks": [remote], "common_defaults": ["10.0.0.0/24"]}
        self.records.settings.save(self.document(**more), 0, "Ines")
        self.assertEqual(
            self.records.settings.saved.sentence,
            "Own networks with 10.255.0.0/16 Remote; common defaults without 192.168.0.0/24, 192.168.1.0/24, "
            "192.168.100.0/24; blocks of customers FERN 10.40.0.0/16",
        )
        self.records.settings.save(self.document(blocks={}, flag_documentation=True), 1, "Ines")
        self.assertEqual(
            self.records.settings.saved.sentence,
            "Blocks of customers FERN none; addresses for examples flagged no → yes",
        )

    def test_what_somebody_else_has_saved_is_not_overwritten(self) -> None:
        self.records.settings.save(self.document(growth=50), 0, "Pia")
        with self.assertRaisesRegex(SettingsMoved, "Pia saved revision 1"):
            self.records.settings.save(self.document(growth=10), 0, "Ines")
        self.assertEqual(self.records.settings.current.growth, 50)

    def test_what_cannot_be_read_is_refused_with_its_place(self) -> None:
        for changes, place, words in (
            ({"own_networks": [{"name": "x", "network": "10.0.0.300/24"}]}, "own_networks", "Octet 300"),
            ({"growth": 500}, "growth", "from 0 to 400"),
            ({"leave_fixed": "some"}, "leave_fixed", "from 0 to 4096"),
            ({"blocks": {"a/b": []}}, "blocks", "cannot be used here"),
            ({"blocks": {"a": ["10.0.0.0/8"] * 65}}, "blocks", "more than 64"),
            ({"nonsense": 1}, "nonsense", "no such field"),
        ):
            with self.subTest(place), self.assertRaises(SettingsError) as caught:
                self.records.settings.save(self.document(**changes), 0, "Ines")
            self.assertIn(words, str(caught.exception))
            self.assertIn(place, caught.exception.path)
        self.assertEqual(self.records.settings.saved.number, 0)

    def test_every_setting_has_words_of_its_own_when_it_changes(self) -> None:
        others = {
            "gateway": "last",
            "hosts": "last",
            "leave_fixed": 9,
            "growth": 9,
            "flag_documentation": True,
            "own_networks": [{"name": "x", "network": "10.1.0.0/16"}],
            "common_defaults": [],
            "blocks": {"fern": ["10.40.0.0/16"]},
            "customers": {"fern": {"domain": "fern.example"}},
            "beginning": {"lease": "8h", "time_servers": ["time.tern.example"]},
            "intent": {"office": {"internet": "any"}},
            "owned_domains": ["fern.shop"],
            "naming": "{site}-{number}",
            "banner": "Keep out",
            "support": "Desk",
            "read_back": True,
            "rehearsed": True,
            "practice_counts": True,
            "stages_real": True,
            "hands_networks": ["10.61.0.0/16"],
        }
        self.assertEqual(set(others), set(Organisation.model_fields) - {"schema_"})
        for number, (name, value) in enumerate(others.items()):
            self.records.settings.save(self.document(**{name: value}), number, "Ines")
            said = self.records.settings.saved.sentence
            self.assertGreater(len(said), len(name) // 2, name)
            if name == "beginning":
                self.assertIn("new segments and boxes begin with lease 28800, time servers time.tern.example", said)

    def test_every_site_is_checked_again_by_them(self) -> None:
        self.assertNotIn("overlap-ours", self.rules("fern/dock"))
        self.records.settings.save(
            self.document(own_networks=[{"name": "Remote", "network": "10.40.8.0/22"}], common_defaults=[]), 0, "Ines"
        )
        self.assertIn("overlap-ours", self.rules("fern/dock"))
        self.assertNotIn("common-default", self.rules("fern/dock"))
        counts = self.plans.now.counts_by_rule()
        self.assertEqual(counts["overlap-ours"], (2, 2))

    def test_customers_are_named_whatever_the_case_and_domains_with_what_is_below(self) -> None:
        self.records.settings.save(
            self.document(blocks={"Fern": ["10.40.0.0/16"]}, owned_domains=["fern.shop"]), 0, "I"
        )
        current = self.records.settings.current
        self.assertEqual(current.blocks_of("FERN"), [parse_network("10.40.0.0/16")[0]])
        self.assertTrue(current.owns("Dock.fern.shop."))
        self.assertFalse(current.owns("notfern.shop"))


class Offered(WithRecords):
    def test_remedies_stand_beside_the_findings_and_follow_what_others_change(self) -> None:
        offered = self.plans.now.remedies("fern/dock")
        self.assertEqual(len(offered), len(self.plans.now.judged("fern/dock")))
        sentences = [remedy.sentence for remedies in offered for remedy in remedies]
        self.assertIn("End the range at 10.40.8.249, 5 fewer", sentences)
        guest = next(s for s in sentences if s.startswith("Renumber Guest to "))
        taken = guest.split(" to ")[1].split(";")[0]
        self.plans.revise("fern/mill", [{"op": "add", "path": "/segments/seg0/subnet", "value": taken}], 1, "Ines")
        again = [remedy.sentence for remedies in self.plans.now.remedies("fern/dock") for remedy in remedies]
        self.assertNotIn(guest, again)
