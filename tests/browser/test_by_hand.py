"""From an empty data folder to planned sites, by hand."""

from __future__ import annotations

import re
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
