"""From an empty data folder to planned sites, by hand."""

from __future__ import annotations

import re
import time
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.support import InBrowser


class Empty(InBrowser):
    """A new installation, with its first administrator signed in."""

    @classmethod
    def prepare(cls, data: Path) -> list[str]:
        return []

    def first(self) -> Page:
        page = self.blank()
        page.get_by_label("One-time code").fill(re.findall(r"code (\S+)", self.said)[0])
        page.get_by_label("Sign-in name").fill("ada")
        page.get_by_label("Full name").fill("Ada Fennimore")
        page.get_by_label("Password").fill("lantern over quay")
        page.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("heading", name="No sites yet")).to_be_visible()
        return page


class CustomersAndSites(Empty):
    def test_begun_renamed_put_away_and_brought_back(self) -> None:
        page = self.first()
        page.keyboard.press("n")
        page.get_by_label("Name of the customer").fill("Fernhollow Garden Centres")
        page.get_by_label("Name of the site").fill("Dockside")
        expect(page.get_by_text("FERN/DOCK")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/sites/FERN/DOCK/intake$"))
        expect(page.get_by_role("note")).to_contain_text("Begin here")

        page.get_by_role("link", name="Fernhollow Garden Centres").click()
        page.get_by_role("link", name="New site").click()
        page.get_by_label("Name of the site").fill("Docklands")
        page.get_by_label("Code of the site").fill("dock")
        expect(page.get_by_role("alert")).to_contain_text("Dockside has this code already")
        page.get_by_label("Code of the site").fill("")
        page.get_by_label("Ships on").fill("2027-13-01")
        expect(page.get_by_text("Write year-month-day")).to_be_visible()
        page.get_by_label("Ships on").fill("2027-03-01")
        page.get_by_role("button", name="Make the site").click()
        expect(page).to_have_url(re.compile("/sites/FERN/DOCKLA/intake$"))

        page.get_by_role("button", name="site facts").click()
        page.get_by_label("Code of the site").fill("LANDS")
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/sites/FERN/LANDS/"))
        page.goto("/sites/FERN/DOCKLA/intake")
        expect(page).to_have_url(re.compile("/sites/FERN/LANDS/"))

        page.get_by_role("link", name="Fernhollow Garden Centres").click()
        page.get_by_role("button", name="rename or put away").click()
        page.get_by_label("Name", exact=True).fill("Fernhollow Gardens")
        page.get_by_label("Code, at all of its sites").fill("GARD")
        page.get_by_role("button", name="Save", exact=True).first.click()
        expect(page).to_have_url(re.compile("/customers/GARD$"))
        expect(page.get_by_role("heading", name="Fernhollow Gardens")).to_be_visible()
        page.get_by_role("button", name="rename or put away").click()
        page.get_by_role("button", name="Put away…").click()
        page.get_by_role("button", name="Put 2 sites away").click()
        away = page.get_by_role("region", name="Put away")
        expect(away).to_contain_text("GARD/LANDS")
        away.get_by_role("listitem").filter(has_text="Docklands").get_by_role("button", name="Bring back").click()
        page.get_by_role("link", name="Fernhollow Gardens").click()
        page.get_by_role("link", name="Docklands").click()
        expect(page.get_by_text("Ships Mon 2027-03-01")).to_be_visible()


class Planned(Empty):
    """A site is planned when nothing stands in the way but its boxes."""

    def nothing_but_boxes(self, page: Page) -> None:
        expect(page.get_by_role("complementary", name="Findings").get_by_role("heading").first).to_have_text(
            re.compile("No stop, no open warn")
        )
        page.keyboard.press("6")
        expect(page.get_by_text("a box at its edge").first).to_be_visible()


class ThreeSites(Planned):
    """A customer with three sites."""

    #: A first site in less than this, in seconds: what a person has two minutes for.
    PATIENCE = 120

    def begin(self, page: Page, name: str, customer: str = "") -> None:
        page.goto("/new") if not customer else page.keyboard.press("n")
        if customer:
            page.get_by_label("Name of the customer").fill(customer)
        else:
            page.get_by_label("Customer", exact=True).select_option("FERN")
        page.get_by_label("Name of the site").fill(name)
        page.get_by_label("Time zone of its place").fill("Europe/Dublin")
        page.keyboard.press("Enter")
        expect(page.get_by_role("note")).to_contain_text("Begin here")

    def take_letter(self, page: Page, text: str) -> None:
        page.get_by_role("button", name="Paste the provider’s letter").click()
        page.get_by_label("Letter of the provider").fill(text)
        page.get_by_role("button", name="Take what was read").click()
        expect(page.get_by_role("dialog")).to_have_count(0)  # while it is open, nothing of the page is there by role
        expect(page.get_by_role("note")).to_have_count(0)

    def lay_out(self, page: Page) -> None:
        page.get_by_role("link", name="2 Addresses").click()
        page.get_by_role("button", name="Lay out").click()
        page.get_by_role("button", name="Draw it").click()
        page.get_by_role("button", name="Take it", exact=True).click()
        expect(page.get_by_role("region", name="Segment Guest")).to_be_visible()

    def test_by_mouse_and_keys(self) -> None:
        page = self.first()
        begun = time.monotonic()
        self.begin(page, "Dockside", "Fernhollow Garden Centres")
        self.take_letter(
            page,
            "Service ID: NL-20676\nNetwork 203.0.113.48/29, first usable .49 is our router, please use .50\n"
            "DNS 192.0.2.53 and 192.0.2.54, no VLAN",
        )
        self.lay_out(page)
        self.nothing_but_boxes(page)
        self.assertLess(time.monotonic() - begun, self.PATIENCE)

        self.begin(page, "Mill Lane")
        self.take_letter(page, "PPPoE, user name east@isp.example, VLAN 835, password walnut-barge")
        page.keyboard.press("2")
        expect(page.get_by_role("region", name="Circuit Main")).to_contain_text("835")
        self.lay_out(page)
        self.assertNotIn("walnut-barge", page.content())
        page.keyboard.press("5")
        page.get_by_role("button", name="Type PPPoE password of Main").click()
        dialog = page.get_by_role("dialog", name="Type PPPoE password of Main")
        dialog.get_by_label("Secret").fill("walnut-barge")
        dialog.get_by_label("The same again").fill("walnut-barge")
        dialog.get_by_role("button", name="Keep it").click()
        self.nothing_but_boxes(page)

        self.begin(page, "Old Quay")
        page.get_by_role("combobox", name="hand-off of Main").select_option("dhcp")
        expect(page.get_by_role("note")).to_have_count(0)
        modem = page.get_by_label("modem's inside of Main")
        modem.fill("192.168.100.0/24")
        modem.press("Enter")
        self.lay_out(page)
        self.nothing_but_boxes(page)


class WithoutAMouse(Planned):
    def tab_to(self, page: Page, name: str) -> None:
        """Press Tab until a field or button of a name has the focus; where it would take a hundred, it cannot be reached."""
        for _ in range(100):
            page.keyboard.press("Tab")
            if page.locator(":focus").and_(page.get_by_label(name).or_(page.get_by_role("button", name=name))).count():
                return
        self.fail(f"{name} is not reached by Tab")

    def test_by_keyboard_alone(self) -> None:
        page = self.first()
        page.keyboard.press("n")
        expect(page.get_by_label("Name of the customer")).to_be_focused()
        page.keyboard.type("Quayside Bakehouse")
        self.tab_to(page, "Name of the site")
        page.keyboard.type("Ovens Lane")
        self.tab_to(page, "Time zone of its place")
        page.keyboard.press("Control+a")
        page.keyboard.type("Europe/Dublin")
        page.keyboard.press("Enter")
        expect(page.get_by_role("note")).to_contain_text("Begin here")
        self.tab_to(page, "Paste the provider’s letter")
        page.keyboard.press("Enter")
        expect(page.get_by_label("Letter of the provider")).to_be_focused()
        page.keyboard.insert_text("IP 198.51.100.18/29, gateway .17, DNS 192.0.2.53 and 192.0.2.54, untagged")
        expect(page.get_by_role("button", name="Take what was read")).to_be_enabled()
        self.tab_to(page, "Take what was read")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_have_count(0)
        expect(page.get_by_role("note")).to_have_count(0)
        page.keyboard.press("2")
        expect(page.get_by_role("region", name="Circuit Main")).to_contain_text("198.51.100.16/29")
        self.tab_to(page, "Lay out")
        page.keyboard.press("Enter")
        self.tab_to(page, "Draw it")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Take it", exact=True)).to_be_visible()
        self.tab_to(page, "Take it")
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Segment Guest")).to_be_visible()
        self.nothing_but_boxes(page)


class ByKeyboard(InBrowser):
    def test_past_the_frame_with_one_key_and_every_control_shows_its_focus(self) -> None:
        page = self.desk("FERN/DOCK")
        page.keyboard.press("Tab")
        expect(page.get_by_role("button", name="To the page")).to_be_focused()
        page.keyboard.press("Enter")
        page.keyboard.press("Tab")
        add = page.get_by_role("button", name="Add circuit")
        expect(add).to_be_focused()
        page.keyboard.press("Tab")
        page.keyboard.press("Shift+Tab")
        self.assertEqual(add.evaluate("button => getComputedStyle(button).outlineStyle"), "solid")
        self.look_at("/settings")
        page.get_by_label("Per cent of growth").fill("30")
        page.get_by_role("button", name="Put back").focus()
        page.keyboard.press("Tab")
        save = page.get_by_role("button", name="Save settings")
        expect(save).to_be_focused()
        self.assertEqual(save.evaluate("button => getComputedStyle(button).outlineStyle"), "solid")

    def test_the_focus_stays_near_what_was_removed(self) -> None:
        page = self.desk("FERN/MILL")
        self.open_segment("Office")
        remove = page.get_by_role("button", name=re.compile("^Remove till"))
        names = [str(one.get_attribute("aria-label")) for one in remove.all()]
        page.get_by_role("button", name=names[0], exact=True).press("Enter")
        expect(page.get_by_role("button", name=names[0], exact=True)).to_have_count(0)
        expect(page.get_by_role("button", name=names[1], exact=True)).to_be_focused()
        row = page.get_by_role("region", name="Segment Cameras", exact=True)
        first, second = (str(one.get_attribute("data-host")) for one in row.locator("[data-host]").all()[:2])
        row.locator("[data-host] [data-mark]").first.focus()
        page.keyboard.press("Delete")
        expect(page.locator("header").get_by_text(re.compile(f"Removed host {first}"))).to_be_attached()
        expect(row.locator(f'[data-host="{second}"] [data-mark]')).to_be_focused()

    def test_walking_a_ruler_is_told_to_who_does_not_see_it(self) -> None:
        page = self.desk("FERN/DOCK")
        row = page.get_by_role("region", name="Segment Voice", exact=True)
        row.get_by_role("group").first.focus()
        page.keyboard.press("Home")
        page.keyboard.press("ArrowRight")
        expect(row.get_by_role("status")).to_have_text("10.40.1.2 free")
