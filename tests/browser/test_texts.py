"""Text that goes into a box, and text that comes back, in the real pages."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.support import InBrowser


class Texts(InBrowser):
    def test_a_step_is_pasted_as_text_and_the_choice_stays(self) -> None:
        page = self.desk("PAWS/HERON", "bench")
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        page.get_by_role("button", name=re.compile("Translation and rules")).click()
        page.get_by_label("How").select_option("text")
        these = page.get_by_role("complementary", name="Paste these")
        expect(these).to_contain_text('let "Guest" reach "the internet" by any')
        these.get_by_role("button", name="Copy portion 2, rules").click()
        expect(these.get_by_role("status")).to_have_text("Copied")
        self.assertIn('takes the address of "Main"', page.evaluate("navigator.clipboard.readText()"))
        page.get_by_role("button", name=re.compile("Host name, time zone, time")).click()
        expect(page.get_by_role("complementary", name="Paste these")).to_contain_text("this box is heron-edge")

    def test_secrets_are_copied_with_the_lines_and_the_journal_tells_of_it(self) -> None:
        page = self.desk("PAWS/HERON", "text")
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        portion = page.get_by_role("region", name=re.compile("access$"))
        expect(portion).to_contain_text("<<devices/")
        portion.get_by_role("button", name=re.compile("^Copy")).click()
        expect(portion.get_by_role("status")).to_have_text("Copied with its secrets, for 30 seconds")
        copied = page.evaluate("navigator.clipboard.readText()")
        self.assertNotIn("<<devices/", copied)
        self.assertIn("whoever manages knows", copied)
        journal = page.context.request.get("/api/journal").text()
        self.assertGreaterEqual(journal.count("secret read"), 2)

    def test_neutral_forms_are_a_choice(self) -> None:
        page = self.desk("FERN/DOCK", "text")
        expect(page.get_by_role("complementary", name="How it is pasted")).to_contain_text("planned values are written")
        page.get_by_label("In which form").select_option("yang")
        expect(page.get_by_label("Text", exact=True)).to_contain_text('"ietf-interfaces:interfaces"')
        page.get_by_label("In which form").select_option("zone")
        expect(page.get_by_label("Text", exact=True)).to_contain_text("$ORIGIN dock.fern.example.")

    def test_what_a_box_shows_is_judged_while_it_is_pasted_and_kept_with_the_run(self) -> None:
        page = self.desk("FERN/DOCK", "text")
        page.get_by_role("link", name="Read back what it shows").click()
        field = page.get_by_role("textbox", name=re.compile("^What .* shows"))
        field.fill("hostname dock-switch\n    inet 10.40.0.3/24 brd 10.40.0.255\n    inet 10.231.9.1/24\n")
        found = page.get_by_role("region", name="What was found")
        expect(found.get_by_role("region", name="Other than planned")).to_contain_text("10.40.0.3")
        expect(found.get_by_role("region", name="Seen and not planned")).to_contain_text("10.231.9.1/24")
        expect(found.get_by_role("region", name="Planned and not seen")).to_be_visible()
        page.get_by_role("button", name="Keep with the run").click()
        expect(page.get_by_text("What was found is kept in the record of the run")).to_be_visible()
        page.get_by_role("link", name="Its run sheet").click()
        page.get_by_role("link", name="Record of this run").click()
        expect(page.get_by_text(re.compile("Read back: .*values as planned"))).to_be_visible()

    def test_the_text_of_another_box_and_what_is_no_text_are_told(self) -> None:
        page = self.desk("FERN/DOCK", "read-back")
        field = page.get_by_role("textbox", name=re.compile("^What .* shows"))
        field.fill("hostname dock-switch\naddress 10.40.0.2\n")
        expect(page.get_by_role("alert")).to_contain_text("This looks like the text of dock-switch at FERN/DOCK")
        field.fill("   ")
        expect(page.get_by_text("Nothing pasted yet")).to_be_visible()

    def test_a_template_is_written_beside_what_it_writes_and_its_faults_are_told(self) -> None:
        page = self.look_at("/templates/brackwater-e5")
        template = page.get_by_role("textbox", name="Template of identity")
        written = page.get_by_label("Text of this part")
        expect(written).to_contain_text("this box is")
        template.fill("the box {{ box.nam }}")
        expect(page.get_by_text(re.compile("template of identity, line 1: The box has no nam"))).to_be_visible()
        template.fill("the box {{ box.name }}")
        expect(written).to_contain_text(re.compile("the box \\S+"))
        expect(page.get_by_role("region", name="Planned and not written")).to_contain_text("box.time_zone")
        page.get_by_text("What each name holds").click()
        expect(page.get_by_role("cell", name="segments[].scope.lease", exact=True)).to_be_visible()
        page.get_by_role("button", name=re.compile("^Save as version")).click()
        expect(page.get_by_role("button", name="Save as version 3")).to_be_visible()

    def test_what_every_box_of_a_type_shows_is_waved_through_once_with_a_reason(self) -> None:
        page = self.desk("FERN/MILL", "read-back")
        field = page.get_by_role("textbox", name=re.compile("^What .* shows"))
        field.fill("hostname mill-edge\ninet 10.231.9.1/24\n")
        unplanned = page.get_by_role("region", name="Seen and not planned")
        expect(unplanned).to_contain_text("10.231.9.1/24")
        unplanned.get_by_role("button", name="Every Brackwater E5 shows this…").click()
        unplanned.get_by_label("Why 10.231.9.1/24 is to be expected").fill("its service port, open on the bench only")
        page.keyboard.press("Enter")
        expect(unplanned).to_have_count(0)

    def test_a_site_that_nobody_planned_is_taken_over_from_what_its_box_prints(self) -> None:
        page = self.look_at("/new")
        page.get_by_label("Name of the customer").fill("Tern & Tide Sailmakers")
        page.get_by_label("Name of the site").fill("Slipway Loft")
        page.get_by_text("as TERN/SLIP").wait_for()
        page.get_by_role("button", name=re.compile("^Begin|^Make")).last.click()
        page.wait_for_url(re.compile("/sites/TERN/SLIP"))
        page = self.desk("TERN/SLIP", "intake")
        page.get_by_role("button", name="Take over a box’s text…").click()
        dialog = page.get_by_role("dialog")
        printed = "vlan 20 phones\n  inet 10.7.2.1/24\ndhcp-range=10.7.2.50,10.7.2.99,12h\ninet 203.0.113.170/29\nwatchdog on\n"
        dialog.get_by_label("What the box prints").fill(printed)
        parts = dialog.get_by_role("list", name="What it has")
        expect(parts.get_by_role("listitem")).to_have_count(3)
        expect(dialog.get_by_role("status")).to_contain_text("4 of 5 lines understood")
        dialog.get_by_role("button", name="1 line not").press("Enter")
        expect(page.get_by_role("dialog", name="Lines that were not understood")).to_contain_text("watchdog on")
        page.keyboard.press("Escape")
        dialog.get_by_role("checkbox", name=re.compile("A segment")).uncheck()
        expect(dialog.get_by_role("checkbox", name=re.compile("A range"))).not_to_be_checked()
        dialog.get_by_role("checkbox", name=re.compile("A segment")).check()
        dialog.get_by_role("button", name="Take over 3 parts").click()
        expect(dialog).to_have_count(0)
        page = self.desk("TERN/SLIP", "addresses")
        expect(page.get_by_text("10.7.2.0/24").first).to_be_visible()
