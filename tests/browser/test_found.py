"""What practitioners stumbled over, driven as it was found."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.browser.support import InBrowser


class Typing(InBrowser):
    def test_a_new_host_takes_the_focus_once(self) -> None:
        page = self.desk("LOOM/PALACE")
        self.open_segment("Office")
        page.get_by_role("button", name="Add host to Office").click()
        first = page.get_by_label("Address of host 4")
        expect(first).to_be_focused()
        first.fill(".200")
        first.press("Enter")
        expect(first).to_have_value(re.compile(r"\.200$"))
        hosts = page.get_by_role("region", name="Segment Office", exact=True).get_by_label(re.compile("^Address of"))
        before = [one.get_attribute("aria-label") for one in hosts.all()]
        domain = page.get_by_label("Domain", exact=True).first
        domain.fill("palace.example")
        domain.press("Enter")
        expect(page.get_by_text(re.compile("palace.example")).first).to_be_visible()
        expect(page.get_by_text("Revision 4")).to_be_visible()
        expect(domain).to_be_focused()
        first.fill(".4")
        first.press("Enter")
        expect(first).to_have_value(re.compile(r"\.4$"))
        self.assertEqual([one.get_attribute("aria-label") for one in hosts.all()], before, "rows stay where they are")
        page.get_by_role("button", name="Sort by address").click()
        self.assertNotEqual([one.get_attribute("aria-label") for one in hosts.all()], before)

    def test_enter_in_the_last_field_of_a_box_saves(self) -> None:
        page = self.desk("FERN/MILL", "devices")
        box = page.get_by_role("region", name="Box mill-edge")
        box.get_by_role("button").first.click()
        last = box.get_by_label("Banner")
        last.fill("For the desk alone")
        last.press("Enter")
        expect(page.get_by_text(re.compile("banner empty → For the desk alone")).first).to_be_visible()

    def test_dhcp_is_served_by_a_box_that_is_named(self) -> None:
        page = self.desk("PAWS/HERON")
        self.open_segment("Office")
        served = page.get_by_label("DHCP served by", exact=True)
        served.fill("heron-switch")
        served.press("Enter")
        expect(page.get_by_text(re.compile("DHCP server edge → 10.61.0.2")).first).to_be_visible()
        served.fill("no such box")
        expect(page.get_by_role("alert").filter(has_text="no such box")).to_be_visible()

    def test_a_mask_is_typed_as_one_on_hardware(self) -> None:
        page = self.look_at("/hardware")
        page.get_by_role("button", name="Add a hardware type").click()
        form = page.get_by_role("form", name="Hardware type")
        mask = form.get_by_label("Mask", exact=True)
        mask.fill("255.255.255")
        expect(form.get_by_role("alert").filter(has_text="Write a mask such as /24")).to_be_visible()
        mask.fill("255.255.254.0")
        form.get_by_label("Maker", exact=True).fill("Plover")
        form.get_by_label("Model", exact=True).fill("P9")
        form.get_by_label("Factory address").fill("192.168.66.1")
        form.get_by_role("button", name="Add a port").click()
        form.get_by_role("button", name="Save it").click()
        expect(page.get_by_role("article", name="Plover P9")).to_contain_text("192.168.66.1/23")


class Meant(InBrowser):
    def test_a_segment_over_a_port_that_carries_another_asks(self) -> None:
        page = self.desk("PAWS/HERON", "devices")
        jack = page.get_by_role("button", name=re.compile("^Port A of heron-edge"))
        expect(jack).to_have_accessible_name(re.compile("access, Office"))
        page.get_by_title("Drag Guest onto a port").drag_to(jack)
        asked = page.get_by_role("menu", name="What port A is to carry")
        asked.get_by_role("menuitem", name="Leave it").click()
        expect(jack).to_have_accessible_name(re.compile("access, Office"))
        page.get_by_title("Drag Guest onto a port").drag_to(jack)
        asked.get_by_role("menuitem", name="Both: Office untagged, Guest tagged (a trunk)").click()
        expect(jack).to_have_accessible_name(re.compile("trunk, Office untagged, Guest"))
        page.get_by_title("Drag Voice onto a port").drag_to(page.get_by_role("button", name=re.compile("^Port 3 of")))
        page.get_by_role("menuitem", name="Voice in place of Office").click()
        expect(page.get_by_role("button", name=re.compile("^Port 3 of heron-switch"))).to_have_accessible_name(
            re.compile("access, Voice")
        )


class Sheets(InBrowser):
    def test_the_site_sheet_has_what_lets_traffic_through_and_who_may_manage(self) -> None:
        page = self.look_at("/sites/PAWS/HERON/handover")
        sheet = page.get_by_role("article", name="Site sheet")
        for words in ("Our support", "Translates", "Lets through", "Managed by", "Reference", "Provider"):
            expect(sheet.get_by_text(re.compile(f"^{words}")).first).to_be_visible()

    def test_a_cleared_site_says_whether_an_open_question_matters(self) -> None:
        page = self.look_at("/sites/PAWS/HERON/clearance")
        expect(page.get_by_role("heading", name="Clear to ship").first).to_be_visible()
        expect(page.get_by_text(re.compile("still open on Intake"))).to_have_count(0)  # the demo has answered all

    def test_a_signature_outlives_another_code(self) -> None:
        page = self.desk("LIBR/CANAL")
        page.get_by_role("button", name="site facts").click()
        page.get_by_label("Code of the site").fill("QUIET")
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/sites/LIBR/QUIET/"))
        self.look_at("/sites/LIBR/QUIET/clearance")
        expect(page.get_by_role("heading", name="Clear to ship").first).to_be_visible()
        expect(page.get_by_text(re.compile("Ines Aldering")).first).to_be_visible()


class Places(InBrowser):
    def test_a_finding_leads_to_its_field_on_a_page_that_is_fetched_first(self) -> None:
        page = self.desk("FERN/DOCK", "intake")
        rail = page.get_by_role("complementary", name="Findings")
        rail.get_by_role("button", name=re.compile("Fixed host inside a DHCP range")).click()
        expect(page.get_by_label("Address of phone system")).to_be_focused()


class WhatFailed(InBrowser):
    def test_an_error_of_the_server_never_looks_like_nothing_found(self) -> None:
        page = self.look_at("/customers")
        answer = {"status": 500, "content_type": "application/json", "body": '{"detail": "The disk is full"}'}
        page.route("**/api/goto*", lambda route: route.fulfill(**answer))  # type: ignore[arg-type]
        page.keyboard.press("/")
        page.keyboard.type("2001:db8::1")
        expect(page.get_by_text("It could not be looked up. The disk is full")).to_be_visible()
        told = page.get_by_role("alert").filter(has_text="Something on this page could not be fetched")
        expect(told).to_contain_text("The disk is full")
        told.get_by_role("button", name="Close").click()
        expect(told).to_have_count(0)
