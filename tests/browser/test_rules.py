"""Remedies, the rule book, the settings and IPv6, as a planner meets them."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.support import InBrowser


class Remedies(InBrowser):
    def test_one_click_mends_and_makes_a_revision(self) -> None:
        page = self.desk("FERN/DOCK")
        rail = page.get_by_role("complementary", name="Findings")
        finding = rail.get_by_role("button", name=re.compile("^Fixed host inside a DHCP range"))
        expect(finding).to_be_visible()
        rail.get_by_role("button", name="End the range at 10.40.1.229, 10 fewer").click()
        expect(finding).to_have_count(0)
        expect(page.get_by_text("Voice range end 10.40.1.239 → 10.40.1.229")).to_be_visible()

    def test_another_way_is_taken_by_keyboard(self) -> None:
        page = self.desk("LOOM/GAIETY")
        rail = page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("button", name=re.compile("^Swap the ends"))).to_be_visible()
        page.keyboard.press("j")
        expect(rail.get_by_role("button", name=re.compile("^DHCP range back to front"))).to_be_focused()
        page.keyboard.press("Tab")
        page.keyboard.press("Tab")
        expect(rail.get_by_role("button", name="or another way").first).to_be_focused()
        page.keyboard.press("Enter")
        other = rail.get_by_role("button", name=re.compile("which leaves 56 for fixed hosts"))
        expect(other).to_be_visible()
        page.keyboard.press("Shift+Tab")
        page.keyboard.press("Tab")
        other.focus()
        page.keyboard.press("Enter")
        expect(rail.get_by_role("button", name=re.compile("^DHCP range back to front"))).to_have_count(0)

    def test_a_viewer_is_offered_nothing(self) -> None:
        page = self.desk("PAWS/QUARRY", page=self.visit("wren"))
        rail = page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("button", name=re.compile("^VLAN used twice")).first).to_be_visible()
        page.wait_for_function("() => window.asked === 0")
        expect(rail.get_by_role("button", name=re.compile("^Give Cameras"))).to_have_count(0)

    def test_a_missing_time_zone_leads_to_the_facts_of_the_site(self) -> None:
        page = self.desk("FERN/ROSE")
        page.get_by_role("button", name="site facts").click()
        zone = page.get_by_role("dialog", name="Site facts").get_by_label("Time zone")
        zone.fill("")
        zone.press("Enter")
        expect(page.get_by_text("Time zone Europe/London → empty")).to_be_attached()
        rail = page.get_by_role("complementary", name="Findings")
        page.keyboard.press("Escape")
        rail.get_by_role("button", name=re.compile("^No time zone")).click()
        expect(page.get_by_role("dialog", name="Site facts").get_by_label("Time zone")).to_be_focused()
        page.keyboard.press("Escape")
        rail.get_by_role("button", name=re.compile("^Europe.London, as .* other sites of FERN")).click()
        expect(rail.get_by_role("button", name=re.compile("^No time zone"))).to_have_count(0)


class RuleBook(InBrowser):
    def test_a_finding_leads_to_its_rule_and_the_book_is_told_by_sorts(self) -> None:
        page = self.desk("LIBR/MARKET")
        rail = page.get_by_role("complementary", name="Findings")
        rail.get_by_role("link", name="why").first.click()
        expect(page.get_by_role("heading", name="Host outside its segment's subnet")).to_be_in_viewport()
        which = page.get_by_label("Which rules")
        which.select_option("stop")
        expect(page.get_by_role("article").filter(has_text="note at the")).to_have_count(0)
        which.select_option("speaking")
        expect(page.get_by_text("silent at present")).to_have_count(0)
        expect(page.get_by_text("1 finding at 1 site").first).to_be_visible()

    def test_it_is_found_in_the_menu(self) -> None:
        self.page.get_by_role("button", name="Ines Aldering").click()
        self.page.get_by_role("menuitem", name="Rule book").click()
        expect(self.page.get_by_role("heading", name=re.compile("^Rule book"))).to_be_visible()


class Settings(InBrowser):
    def test_settings_are_saved_and_every_site_goes_by_them(self) -> None:
        page = self.page
        page.get_by_role("button", name="Ines Aldering").click()
        page.get_by_role("menuitem", name="Settings").click()
        own = page.get_by_label("Our own networks, one a line: network and name")
        own.fill("10.255.0.0/16 Remote access\n10.40.300.0/24 Workshop")
        save = page.get_by_role("button", name="Save settings")
        save.click()
        clear_of = page.get_by_role("region", name="Networks to keep clear of")  # the preview may say it too
        expect(clear_of.get_by_text(re.compile("Octet 300"))).to_be_visible()
        expect(own).to_have_value("10.255.0.0/16 Remote access\n10.40.300.0/24 Workshop")
        own.fill("10.255.0.0/16 Remote access\n10.40.4.0/24 Workshop")
        save.press("Enter")
        expect(page.get_by_text("Own networks with 10.40.4.0/24 Workshop")).to_be_visible()
        expect(save).to_be_disabled()
        self.desk("FERN/DOCK")
        rail = page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("button", name=re.compile("^Subnet of the provider's own network"))).to_be_visible()

    def test_what_they_would_bring_is_told_while_they_are_typed(self) -> None:
        page = self.look_at("/settings")
        brought = page.get_by_role("status", name="What it would bring")
        page.get_by_label("QUAY Quayside Bakehouse").fill("10.40.0.0/16")
        expect(brought).to_contain_text(re.compile(r"Saving it brings \d+ warns .* at \d+ sites"))
        brought.get_by_role("button", name=re.compile("sites$")).first.press("Enter")
        listed = page.get_by_role("dialog", name="Sites where it brings findings")
        expect(listed.get_by_role("link", name="FERN/HQ")).to_be_visible()
        expect(listed).to_contain_text("is in 10.40.0.0/16 of QUAY")
        page.keyboard.press("Escape")
        page.get_by_label("QUAY Quayside Bakehouse").fill("10.52.0.0/16")
        expect(brought).to_have_count(0)
        page.get_by_label("Per cent of growth").fill("900")
        expect(brought).to_contain_text("from 0 to 400")

    def test_what_another_version_of_a_type_would_bring_is_told_before_it_is_saved(self) -> None:
        page = self.look_at("/hardware/brackwater-e5")
        page.get_by_role("button", name="Edit", exact=True).click()
        brought = page.get_by_role("status", name="What it would bring")
        expect(brought).to_have_count(0)
        page.get_by_label("How it is updated").fill("from its page")
        expect(brought).to_contain_text("every clearance stands")
        page.get_by_role("button", name="Add a line").first.press("Enter")
        page.get_by_label("Licence 1", exact=True).fill("Filter")
        page.get_by_label("Needed for 1", exact=True).fill("names by category")
        expect(brought).to_contain_text("It voids the clearance of 2 sites: LIBR/CANAL, PAWS/HERON")
        brought.get_by_role("button", name=re.compile("sites$")).first.press("Enter")
        expect(page.get_by_role("dialog").get_by_role("link", name="LIBR/CANAL")).to_be_visible()

    def test_two_who_change_them_at_once_are_told(self) -> None:
        other = self.visit("sabine")
        for page in (self.page, other):
            page.goto("/settings")
            page.get_by_label("Per cent of growth").fill("30" if page is other else "40")
        other.get_by_role("button", name="Save settings").click()
        expect(other.get_by_text("growth 25 → 30", exact=False).first).to_be_visible()
        self.page.get_by_role("button", name="Save settings").click()
        expect(self.page.get_by_role("alert")).to_contain_text("Sabine Oake saved revision")
        expect(self.page.get_by_label("Per cent of growth")).to_have_value("40")

    def test_a_technician_reads_them(self) -> None:
        page = self.visit("marek")
        page.goto("/settings")
        expect(page.get_by_text("Planners and administrators change them.")).to_be_visible()
        expect(page.get_by_label("Per cent of growth")).to_be_disabled()


class SecondFamily(InBrowser):
    def test_a_segment_takes_the_next_subnet_of_the_sites_prefix(self) -> None:
        page = self.desk("FERN/HQ")
        self.open_segment("Office")
        subnet = page.get_by_label("IPv6 subnet")
        subnet.fill("next")
        expect(page.get_by_text("2001:db8:40:1::/64").first).to_be_visible()
        subnet.press("Enter")
        expect(
            page.get_by_role("region", name="Segment Office").get_by_text("2001:db8:40:1::/64").first
        ).to_be_visible()
        subnet.fill("10")
        subnet.press("Enter")
        expect(subnet).to_have_value("2001:db8:40:10::/64")
        subnet.fill("10.0.0.0/24")
        subnet.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("is IPv4")

    def test_hosts_and_kept_runs(self) -> None:
        page = self.desk("LOOM/REGENT")
        self.open_segment("Office")
        expect(page.get_by_label("IPv6 address of file store")).to_have_value("2001:db8:56:10::210")
        address = page.get_by_label("IPv6 address of printer 1")
        address.fill("2001:db8:56:99::1")
        address.press("Enter")
        rail = page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("button", name=re.compile("^Host outside its segment's subnet"))).to_be_visible()
        rail.get_by_role("button", name=re.compile("^Host outside its segment's subnet")).click()
        expect(page.get_by_label("IPv6 address of printer 1")).to_be_focused()
        kept = page.get_by_label("Addresses kept for a kind of host")
        kept.fill("printer .10-.19; camera .240 + 10")
        expect(page.get_by_text("10.56.0.240–10.56.0.249 for camera", exact=False).first).to_be_visible()
        kept.press("Enter")
        expect(kept).to_have_value("printer 10.56.0.10-10.56.0.19; camera 10.56.0.240-10.56.0.249")
