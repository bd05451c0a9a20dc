"""Forty shops in a morning: the template out and in again, a refused row mended, the pattern applied, the questions
asked and answered; each as a planner does it."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

import openpyxl
from playwright.sync_api import Locator, expect

from tests.browser.support import InBrowser

HEAD = "Answers that came back"


def filled(template: Path, target: Path) -> None:
    """The template as a provider fills it: forty shops with their circuits, one mask that is none."""
    book = openpyxl.load_workbook(template)
    sites, circuits = book["sites"], book["circuits"]
    places = {sheet.title: [cell.value for cell in sheet[1]] for sheet in (sites, circuits)}

    def add(sheet: object, **cells: str) -> None:
        sheet.append([cells.get(name, "") or None for name in places[sheet.title]])  # type: ignore[attr-defined]

    for n in range(1, 41):
        code = {"customer": "TIDE", "site": f"S{n:02}"}
        add(sites, **code, name=f"Tidewater {n}", time_zone="Europe/Dublin", ship_date="2030-03-04")
        mask = "29" if n != 7 else "255.255.192"
        net, first = ("198.51.100", 8 * (n - 1)) if n <= 32 else ("203.0.113", 184 + 8 * (n - 33))
        own, gateway = f"{net}.{first + 2}", f"{net}.{first + 1}"
        add(
            circuits,
            **code,
            circuit="Main",
            handoff="static",
            address=own,
            prefix=mask,
            gateway=gateway,
            dns="192.0.2.53 192.0.2.54",
            provider="Copperline",
            reference=f"CL-9{n:02}",
        )
    book.save(target)


class FortyShops(InBrowser):
    def test_from_the_template_to_forty_planned_sites(self) -> None:
        page = self.page
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        template, answer = Path(folder.name) / "intake.xlsx", Path(folder.name) / "tidewater.xlsx"
        with page.expect_download() as download:
            page.get_by_role("link", name="empty intake workbook").click()
        download.value.save_as(template)
        filled(template, answer)
        page.get_by_label("Intake tables").set_input_files([answer])
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_text("1 row refused")).to_be_visible()
        expect(dialog.get_by_text("255.255.192", exact=True)).to_be_visible()
        dialog.get_by_role("button", name="Load 40 sites").click()
        expect(dialog.get_by_text("40 sites saved")).to_be_visible()
        dialog.get_by_role("link", name="inbox").click()
        row = page.get_by_role("form", name=re.compile("circuits"))
        row.get_by_label(re.compile("^prefix in row")).fill("255.255.255.248")
        row.get_by_role("button", name="Load it").click()
        expect(page.get_by_text("Mended row 8 of tidewater.xlsx")).to_be_visible()
        expect(page.get_by_role("heading", name="No refused rows")).to_be_visible()

        page.goto("/customers/TIDE")
        page.get_by_role("textbox", name="Blocks").fill("10.90.0.0/16")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("the largest part")).to_be_visible()
        page.get_by_role("link", name="Many sites at once").click()
        expect(page.get_by_text("40 sites of 40 without segments taken along")).to_be_visible()
        page.get_by_role("button", name="See what it makes").click()
        expect(page.get_by_role("heading", name=re.compile("No stop would be found"))).to_be_visible()
        page.get_by_role("button", name="Make 40 sites").click()
        expect(page.get_by_text("40 sites made.")).to_be_visible()
        page.get_by_role("link", name="See them on Outbound").click()
        expect(page.get_by_text(re.compile("^40 sites · 0 clear to ship · 0 with stops"))).to_be_visible()

        self.desk("TIDE/S07")
        expect(page.get_by_text("From pattern Shop with tills, version 1")).to_be_visible()
        expect(page.get_by_text("just as it says")).to_be_visible()
        expect(page.get_by_role("region", name="Segment Tills")).to_be_visible()

    def test_a_customer_that_is_new_with_sites_of_a_pasted_table(self) -> None:
        page = self.page
        page.goto("/rollout")
        page.get_by_label("Customer", exact=True).select_option("a new customer")
        page.get_by_label("Code of the new customer").fill("WAVE")
        page.get_by_label("Blocks").fill("10.91.0.0/22")
        page.get_by_label("Table of sites").fill("site,name,time_zone\nW1,Wave 1,Europe/Dublin\nW2,Wave 2,Atlantis")
        page.get_by_label("Room to grow").select_option("four times the size")
        page.get_by_role("button", name="See what it makes").click()
        expect(page.get_by_role("alert").filter(has_text="1 is missing")).to_be_visible()
        page.get_by_label("Room to grow").select_option("twice the size")
        page.get_by_role("button", name="See what it makes").click()
        expect(page.get_by_role("alert").filter(has_text="Atlantis")).to_be_visible()
        page.get_by_role("button", name="Make 1 site").click()
        expect(page.get_by_text("1 site made.")).to_be_visible()
        page.get_by_role("button", name="Undo all of it").click()
        expect(page.get_by_text("1 site taken back.")).to_be_visible()


class AnIntake(InBrowser):
    def question(self, words: str) -> Locator:
        return self.page.locator("[data-state]").filter(has_text=words)

    def test_answers_are_given_confirmed_and_contradicted(self) -> None:
        page = self.desk("FERN/ROSE", "intake")
        page.get_by_label("Who tells the answers of the provider of Main").fill("Dana Reed, phone")
        vlan = page.get_by_label("VLAN tag of Main", exact=True)
        vlan.fill("4095")
        expect(self.question("VLAN tag").get_by_role("alert")).to_contain_text("4095")
        vlan.fill("none")
        vlan.press("Enter")
        expect(self.question("VLAN tag").get_by_text("from Dana Reed, phone")).to_be_visible()
        page.get_by_role("button", name="Confirm gateway of Main").click()
        expect(self.question("provider's gateway").get_by_role("img", name="confirmed")).to_be_visible()
        gateway = page.get_by_label("gateway of Main", exact=True)
        before = gateway.input_value()
        gateway.fill("192.0.2.1")
        gateway.press("Enter")
        sides = self.question("provider's gateway").get_by_role("alert")
        expect(sides).to_contain_text(f"confirmed {before}")
        expect(sides).to_contain_text("now 192.0.2.1")
        page.get_by_role("button", name="keep what was confirmed").click()
        expect(gateway).to_have_value(before)
        replaced = page.get_by_label("replaced box", exact=True)
        replaced.fill("the grey one in the cellar")
        replaced.press("Enter")
        page.get_by_role("button", name="Mark values of the plan").click()
        page.get_by_role("checkbox", name=re.compile("Office gateway")).check()
        expect(page.get_by_role("button", name=re.compile("Need not survive: Office gateway"))).to_be_visible()
        page.keyboard.press("2")
        expect(page.get_by_role("region", name="Segment Office")).to_be_visible()

    def test_a_letter_is_taken_as_answers_of_the_provider(self) -> None:
        page = self.desk("LIBR/LOCK", "intake")
        page.get_by_role("button", name="Paste what they wrote").first.click()
        page.get_by_label("Letter of the provider").fill("GW 203.0.113.65 DNS 192.0.2.53, 192.0.2.54 VLAN 7")
        take = page.get_by_role("button", name="Take what was read")
        expect(take).to_be_enabled()
        take.click()
        expect(page.get_by_label("VLAN tag of Main", exact=True)).to_have_value("7")
        expect(self.question("VLAN tag").get_by_text(re.compile("^from "))).to_be_visible()

    def test_lists_go_out_and_come_back(self) -> None:
        page = self.page
        page.goto("/questions?customer=LOOM")
        page.get_by_role("button", name=re.compile("Provider Copperline")).click()
        text = page.get_by_role("region", name="Questions for Copperline").locator("pre").inner_text()
        self.assertIn("Regent (LOOM/REGENT), circuit Main", text)
        came = text.replace("speed:", "speed: 100 down, 20 up").replace("VLAN tag:", "VLAN tag: 5000", 1)
        back = page.get_by_role("region", name=HEAD)
        back.get_by_label("Answers as text").fill(came)
        back.get_by_role("button", name="Read them").click()
        expect(back.get_by_text("write a whole number from 1 to 4094")).to_be_visible()
        back.get_by_label("Who answered").fill("Copperline desk, e-mail")
        back.get_by_role("button", name=re.compile("^Take [2-9] answers")).click()
        expect(back.get_by_text(re.compile("^Taken at"))).to_be_visible()
        self.desk("LOOM/REGENT", "intake")
        expect(page.get_by_label("speed of Main", exact=True)).to_have_value("100 down, 20 up")
        expect(self.question("How fast").get_by_text("from Copperline desk, e-mail")).to_be_visible()


class APattern(InBrowser):
    def test_it_is_drawn_on_rulers_and_given_a_version(self) -> None:
        page = self.page
        page.goto("/patterns")
        page.get_by_role("link", name=re.compile("Shop with tills")).click()
        last = page.get_by_role("region", name="Segment Office").locator('[data-mark="range:last"]')
        last.focus()
        page.keyboard.press("ArrowLeft")
        expect(page.get_by_text(re.compile("^Revision 2"))).to_be_visible()
        page.get_by_role("button", name="Make version 2").click()
        note = page.get_by_label("What is new in this version")
        note.fill("one address more for a scanner")
        note.press("Enter")
        expect(page.get_by_text(re.compile("Version 2 of .*one address more for a scanner"))).to_be_visible()
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(page.get_by_role("button", name="Make version 3")).to_be_enabled()

    def test_one_is_made_like_a_site(self) -> None:
        page = self.desk("PAWS/HERON")
        page.get_by_role("button", name="Make a pattern like this site").click()
        page.get_by_role("dialog").get_by_label("Name").fill("Clinic")
        page.get_by_role("button", name="Make it").click()
        expect(page.get_by_role("heading", name="Clinic")).to_be_visible()
        expect(page.get_by_role("region", name="Segment Office")).to_be_visible()
        page.get_by_role("button", name="Remove", exact=True).click()
        page.get_by_role("button", name="Remove it").click()
        expect(page.get_by_role("heading", name="1 pattern")).to_be_visible()
