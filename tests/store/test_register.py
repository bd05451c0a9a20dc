from __future__ import annotations

from octaplan.core.plan.site import SitePlan
from octaplan.store.refusals import BadChange, NoSuchSite, Renamed
from octaplan.store.register import Register
from octaplan.store.search import find
from tests.store.test_plans import put
from tests.store.test_safe import WithSafe
from tests.support import site


class WithRegister(WithSafe):
    """Two sites with boxes and secrets, of which FERN/DOCK is called Dockside and has a phone at 10.40.8.250."""

    def setUp(self) -> None:
        super().setUp()
        host = {"segment": "seg0", "name": "phone", "address": "10.40.8.250"}
        document = self.dock.document() | {"name": "Dockside"}
        document["hosts"]["phone"] = host
        customers = {"FERN": "Fernhollow"}
        self.records.plans.save_all([SitePlan.model_validate(document)], "Ines", "Loaded", customers)
        self.fill()

    @property
    def register(self) -> Register:
        return self.records.register


class Beginning(WithRegister):
    def test_a_site_is_begun_with_its_customer(self) -> None:
        plan = SitePlan(customer="QUAY", site="OVEN", name="Ovens Lane", time_zone="Europe/Dublin")
        self.register.begin(plan, "Ada", "Quayside Bakehouse")
        self.assertEqual(self.records.now.sites.customers()["QUAY"], "Quayside Bakehouse")
        self.reopen()
        self.assertEqual(self.records.now.sites.plan("quay/oven"), plan)
        self.assertEqual(self.records.now.sites.saved("quay/oven").sentence, "Made by hand")
        self.assertEqual(find(self.records.database, "Bakehouse").places[0].site, "OVEN")

    def test_codes_that_are_taken_are_refused_with_who_has_them(self) -> None:
        with self.assertRaisesRegex(BadChange, "FERN has a site DOCK already"):
            self.register.begin(site("fern/dock"), "Ada")
        with self.assertRaisesRegex(BadChange, "Fernhollow is there already, as FERN"):
            self.register.begin(site("FH/ONE"), "Ada", "fernhollow")
        with self.assertRaisesRegex(BadChange, "begins with a letter"):
            self.register.begin(site("~patterns/ONE"), "Ada")

    def test_it_takes_the_customers_code_as_it_is_written_there(self) -> None:
        self.assertEqual(self.register.begin(site("fern/QUAY"), "Ada").customer, "FERN")


class Recoding(WithRegister):
    def test_everything_follows_a_site_to_its_new_code(self) -> None:
        secret = self.safe.read("FERN/DOCK", self.slot, "Ada")
        findings = len(self.records.now.sites.of("FERN/DOCK").findings)
        self.register.recode("FERN/DOCK", "QUAY", "Ada")
        for _ in range(2):
            now = self.records.now.sites
            self.assertEqual((now.plan("FERN/QUAY").site, now.plan("FERN/QUAY").name), ("QUAY", "Dockside"))
            self.assertEqual(len(now.of("FERN/QUAY").findings), findings)
            self.assertEqual(self.safe.read("FERN/QUAY", self.slot, "Ada"), secret)
            self.assertEqual(find(self.records.database, "Dockside").places[0].site, "QUAY")
            with self.assertRaises(Renamed) as renamed:
                now.of("FERN/DOCK")
            self.assertEqual(renamed.exception.now, "fern/quay")
            self.reopen()
        self.assertEqual(self.records.journal.lines(act="renamed")[0].what, "was FERN/DOCK")

    def test_an_earlier_revision_comes_back_under_the_code_of_now(self) -> None:
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 2, "Ada")
        self.register.recode("FERN/DOCK", "QUAY", "Ada")
        self.records.plans.undo("FERN/QUAY", 3, "Ada")
        plan = self.records.now.sites.plan("FERN/QUAY")
        self.assertEqual((plan.site, plan.contact), ("QUAY", None))

    def test_a_chain_of_codes_leads_to_the_last_and_one_can_be_used_again(self) -> None:
        for code in ("ONE", "TWO"):
            self.register.recode(next(k for k in self.records.now.sites.held if k != "fern/mill"), code, "Ada")
        with self.assertRaises(Renamed) as renamed:
            self.records.now.sites.of("FERN/DOCK")
        self.assertEqual(renamed.exception.now, "fern/two")
        self.register.begin(site("FERN/DOCK", name="Another"), "Ada")
        for _ in range(2):
            self.assertEqual(self.records.now.sites.plan("FERN/DOCK").name, "Another")
            self.reopen()

    def test_a_code_of_another_site_is_refused(self) -> None:
        with self.assertRaisesRegex(BadChange, "another site's code"):
            self.register.recode("FERN/DOCK", "mill", "Ada")

    def test_a_customer_is_called_something_else_at_all_of_its_sites(self) -> None:
        document = self.records.now.settings.current.document() | {"blocks": {"fern": ["10.40.0.0/16"]}}
        self.records.settings.save(document, self.records.now.settings.saved.number, "Ada")
        self.register.put_away(["FERN/MILL"], "Ada")
        self.register.rename_customer("FERN", "GROVE", "Grove Gardens", "Ada")
        for _ in range(2):
            now = self.records.now
            self.assertEqual(now.sites.customers(), {"GROVE": "Grove Gardens"})
            self.assertEqual(set(now.sites.held), {"grove/dock"})
            self.assertEqual(set(now.sites.unheld.away), {"grove/mill"})
            self.assertEqual([str(net) for net in now.settings.current.blocks_of("GROVE")], ["10.40.0.0/16"])
            self.assertEqual(find(self.records.database, "Grove").places[0].customer, "GROVE")
            self.assertEqual(find(self.records.database, "Fernhollow").places, [])
            with self.assertRaises(Renamed):
                now.sites.of("FERN/DOCK")
            self.reopen()
        self.register.bring_back("GROVE/MILL", "Ada")
        self.assertEqual(self.records.now.sites.plan("GROVE/MILL").customer, "GROVE")


class Away(WithRegister):
    def test_a_site_that_is_put_away_takes_part_in_nothing_and_comes_back_whole(self) -> None:
        secret = self.safe.read("FERN/DOCK", self.slot, "Ada")
        before = self.records.now.sites.of("FERN/DOCK")
        self.register.put_away(["FERN/DOCK"], "Ada")
        for _ in range(2):
            with self.assertRaisesRegex(NoSuchSite, "put away since .* by Ada: bring it back"):
                self.records.now.sites.of("FERN/DOCK")
            self.assertEqual(find(self.records.database, "10.40.8.250").places, [])
            self.assertEqual(self.records.now.secrets.kept("FERN/DOCK"), {})
            self.reopen()
        with self.assertRaisesRegex(BadChange, "put away, and its code with it"):
            self.register.begin(site("FERN/DOCK"), "Ada")
        self.register.bring_back("FERN/DOCK", "Ada")
        for _ in range(2):
            held = self.records.now.sites.of("FERN/DOCK")
            self.assertEqual((held.plan, held.saved), (before.plan, before.saved))
            self.assertEqual(len(held.findings), len(before.findings))
            self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ada"), secret)
            self.assertEqual(find(self.records.database, "10.40.8.250").places[0].site, "DOCK")
            self.reopen()

    def test_tables_do_not_bring_it_back(self) -> None:
        self.register.put_away(["FERN/DOCK"], "Ada")
        self.register.recode("FERN/MILL", "YARD", "Ada")
        tables = [("sites.csv", b"customer,site\nFERN,DOCK\nFERN,MILL\nFERN,NEW\n")]
        preview = self.records.imports.preview(tables, "Ada")
        self.assertEqual([row.plan.site for row in preview.sites], ["NEW"])
        told = [row.faults[0].problem for row in preview.intake.refused]
        self.assertIn("is put away: bring it back on Customers", told[0])
        self.assertIn("is called FERN/YARD now: write that code", told[1])
