"""The bench proves: skips are accepted, runs are followed and kept, boxes replaced, and the site answers by telephone."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.support import Held, InBrowser


class Skipping(InBrowser):
    def test_a_skipped_check_waits_for_somebody_who_may_sign(self) -> None:
        page = self.look_at("/sites/PAWS/HERON/bench")
        page.get_by_role("button", name=re.compile("It answers$")).click()
        page.get_by_label(re.compile("the box itself")).fill("4/4")
        page.get_by_role("button", name="Skip this check").last.click()
        page.get_by_label(re.compile("^Why Address")).fill("the laptop has a fixed address")
        page.get_by_role("button", name="Done", exact=True).click()
        expect(page.get_by_role("heading", name="A line, or a practice provider")).to_be_visible()
        marek = self.visit("marek")
        self.look_at("/sites/PAWS/HERON/clearance", marek)
        skipped = marek.get_by_role("region", name="Skipped on the bench")
        expect(skipped).to_contain_text("the laptop has a fixed address")
        expect(skipped).to_contain_text("It waits for somebody who may sign")
        planner = self.visit("sabine")
        self.look_at("/sites/PAWS/HERON/clearance", planner)
        planner.get_by_role("button", name="Accept that it is not proven").click()
        expect(planner.get_by_role("region", name="Skipped on the bench")).to_contain_text("accepted by Sabine")


class Together(InBrowser):
    def test_a_colleague_follows_a_run_step_by_step(self) -> None:
        mine = self.look_at("/sites/FERN/MILL/bench")
        other = self.visit("marek")
        self.look_at("/sites/FERN/MILL/bench", other)
        mine.get_by_role("button", name=re.compile("Host name, time zone")).click()
        who = other.get_by_role("status", name="Who is at this box")
        expect(who).to_contain_text("Ines Aldering is at step")
        who.get_by_role("button", name="Follow").click()
        expect(other.get_by_role("heading", name="Host name, time zone, time")).to_be_visible()
        mine.locator("h2").first.click()
        mine.keyboard.press("n")
        expect(other.get_by_role("heading", name="Ports", exact=True, level=2)).to_be_visible()
        who.get_by_role("button", name="Stop following").click()
        mine.keyboard.press("n")
        expect(mine.get_by_role("heading", name="Ports", exact=True, level=2)).to_have_count(0)
        expect(other.get_by_role("heading", name="Ports", exact=True, level=2)).to_be_visible()

    def test_who_comes_late_sees_who_is_there_already(self) -> None:
        mine, other = self.look_at("/sites/FERN/MILL/bench"), self.visit("marek")
        other.add_init_script("delete window.SharedWorker")  # whose questions cannot be held
        held = Held(other, "**/api/events?*")
        self.look_at("/sites/FERN/MILL/bench", other)
        with mine.expect_response("**/here"):
            mine.get_by_role("button", name=re.compile("Host name, time zone")).click()
        held.let_on()
        who = other.get_by_role("status", name="Who is at this box")
        expect(who).to_contain_text("Ines Aldering is at step")

    def test_a_viewer_sees_only_what_works_for_a_viewer(self) -> None:
        page = self.visit("wren")
        self.look_at("/sites/PAWS/HERON/bench", page)
        page.get_by_role("button", name=re.compile("Set the administrator password")).click()
        step = page.get_by_role("region", name="This step", exact=True)
        expect(step.get_by_role("button", name=re.compile("Next"))).to_be_visible()
        for name in ("Done", "Skip", "Trouble", "Take back"):
            expect(step.get_by_role("button", name=re.compile(name))).to_have_count(0)
        values = page.get_by_role("complementary", name="Type these")
        expect(values.get_by_role("button", name=re.compile("Read"))).to_have_count(0)


class ManyTabs(InBrowser):
    def test_thirty_tabs_of_one_browser_load_hear_and_work(self) -> None:
        """A browser has six connections for a host: tabs with a stream each would leave none for what they ask."""
        first = self.look_at("/sites/FERN/DOCK/addresses")
        tabs = [first.context.new_page() for _ in range(29)]
        for number, tab in enumerate(tabs):
            tab.set_default_timeout(60_000)
            self.look_at("/sites/FERN/DOCK/addresses" if number % 2 else "/outbound", tab)
        marek = self.visit("marek")
        self.look_at("/sites/FERN/DOCK/addresses", marek)
        expect(first.locator("header").get_by_text(re.compile("Marek"))).to_be_visible()
        before = first.locator("header").get_by_text(re.compile(r"^Revision \d+$")).inner_text()
        self.desk("FERN/DOCK", page=tabs[-1])
        revision = tabs[-1].request.get("/api/sites/FERN/DOCK").json()["revision"]["number"]
        done = tabs[-1].request.patch(
            "/api/sites/FERN/DOCK/plan",
            data=[{"op": "add", "path": "/contact", "value": "Bo"}],
            headers={"X-Octaplan": "1", "If-Match": str(revision)},
        )
        self.assertTrue(done.ok, done.text())
        for tab in (first, tabs[1], tabs[27], marek):
            expect(tab.locator("header").get_by_text(f"Revision {revision + 1}")).to_be_visible()
        self.assertNotIn(str(revision + 1), before)
        marek.close()
        expect(first.locator("header").get_by_text(re.compile("Marek"))).to_have_count(0)


class Replacing(InBrowser):
    def test_a_box_is_replaced_and_the_old_one_stays_to_be_read(self) -> None:
        page = self.look_at("/sites/PAWS/HERON/devices")
        card = page.get_by_role("region", name="Box heron-edge")
        card.get_by_role("button", expanded=False).first.click()
        card.get_by_role("button", name="Replace heron-edge…").click()
        page.get_by_role("dialog", name="Replace heron-edge").get_by_role("button", name="Replace it").click()
        told = page.get_by_role("status", name="What was assumed")
        expect(told).to_contain_text("may have kept the MAC of the old box")
        self.look_at("/sites/PAWS/HERON/runs")
        row = page.get_by_role("row", name=re.compile("heron-edge"))
        expect(row).to_contain_text("no longer planned")
        row.get_by_role("link", name="heron-edge").click()
        record = page.get_by_role("article", name="Record of heron-edge")
        expect(record).to_contain_text("BW5-20931")
        record.get_by_role("button", name=re.compile("^Read administrator password")).click()
        expect(page.get_by_test_id("secret")).to_be_visible()
        page.get_by_role("button", name="Hide").click()
        self.look_at("/sites/PAWS/HERON/devices")
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(page.get_by_role("region", name="Box heron-edge")).to_contain_text("serial BW5-20931")

    def test_removing_asks_first_and_anew_can_be_left_again(self) -> None:
        page = self.look_at("/sites/PAWS/HERON/bench")
        page.get_by_role("button", name="Stage it anew…").click()
        page.get_by_role("dialog", name="Stage heron-edge anew?").get_by_role("button", name="Stage it anew").click()
        expect(page.get_by_role("heading", name="Record serial, MAC and label")).to_be_visible()
        page.get_by_role("button", name="Go back to the run before").click()
        expect(page.get_by_role("navigation", name=re.compile("Boxes of this site"))).to_contain_text("15/34")
        self.look_at("/sites/PAWS/HERON/devices")
        card = page.get_by_role("region", name="Box heron-ap")
        card.get_by_role("button", expanded=False).first.click()
        card.get_by_role("button", name="Remove heron-ap…").click()
        asked = page.get_by_role("dialog", name="Remove heron-ap?")
        expect(asked).to_contain_text("Undo brings all of it back")
        asked.get_by_role("button", name="Keep it").click()
        expect(card).to_be_visible()


class OnSite(InBrowser):
    def telephone(self, link: str) -> Page:
        context = self.browser.new_context(base_url=self.url, viewport={"width": 400, "height": 800})
        self.addCleanup(context.close)
        page = context.new_page()
        page.goto(link)
        return page

    def test_the_installer_answers_by_a_link_that_opens_nothing_else(self) -> None:
        page = self.look_at("/sites/PAWS/HERON/handover?paper=installer")
        page.get_by_role("button", name="Make a link").click()
        link = page.get_by_test_id("link").inner_text().strip()
        phone = self.telephone(link)
        expect(phone.get_by_role("heading", name="Heron Street")).to_be_visible()
        expect(phone.get_by_text("comms cupboard by the back door").first).to_be_visible()
        self.assertEqual(phone.evaluate("document.documentElement.scrollWidth"), 400)
        phone.get_by_role("button", name=re.compile("^It does not work: .*Wi-Fi Paws and Pines")).click()
        phone.get_by_label("Your name").fill("Bo Larsen")
        phone.get_by_label("What happens instead").fill("no page comes")
        phone.get_by_role("button", name="Say that it does not").click()
        expect(phone.get_by_text("does not work: no page comes")).to_be_visible()
        self.assertEqual(phone.context.request.get("/api/outbound").status, 401)
        self.look_at("/sites/PAWS/HERON/handover?paper=installer")
        expect(page.get_by_text("1 test answered, 1 not working")).to_be_visible()
        page.get_by_role("button", name="End it now").click()
        expect(page.get_by_role("button", name="End it now")).to_have_count(0)
        phone.reload()
        expect(phone.get_by_text("This link has ended")).to_be_visible()
