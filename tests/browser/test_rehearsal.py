"""A rehearsal from the page: begun, followed, read, and told on Traffic and Clearance."""

from __future__ import annotations

import re
import unittest

from playwright.sync_api import expect

from octaplan.lab.spaces.ground import missing
from tests.browser.support import InBrowser

LACKS = missing()


@unittest.skipIf(LACKS, LACKS)
class Rehearsing(InBrowser):
    def test_from_traffic_to_a_result_that_clearance_tells(self) -> None:
        page = self.desk("FERN/ROSE", "traffic")
        page.get_by_role("link", name="Rehearse it on a real network").click()
        page.get_by_role("button", name="Rehearse", exact=True).click()
        found = page.get_by_role("region", name="What happened")
        expect(found).to_contain_text("2 answers other than is meant", timeout=60_000)
        expect(found.get_by_role("region", name=re.compile("it is not what is meant"))).to_contain_text(
            "Guest to Office"
        )
        leases = found.get_by_role("region", name="Leases and names")
        expect(leases.get_by_role("row", name=re.compile("^Office.*found"))).to_be_visible()
        expect(found.get_by_role("img", name=re.compile("The network: The internet, .*rose-edge"))).to_be_visible()
        page = self.desk("FERN/ROSE", "clearance")
        told = page.get_by_role("region", name="Rehearsal")
        expect(told).to_contain_text("as it is now")
        told.get_by_role("link", name="See what happened").click()
        expect(found).to_be_visible()
        page = self.desk("FERN/ROSE", "traffic?from=Guest&to=Office")
        expect(page.get_by_text(re.compile("Rehearsed: .*all as the walk says"))).to_be_visible()

    def test_who_only_looks_reads_and_a_site_without_boxes_says_what_it_needs(self) -> None:
        page = self.desk("FERN/ROSE", "rehearsal", self.visit("wren"))
        expect(page.get_by_role("heading", name="Rehearsal")).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("Rehearse"))).to_have_count(0)
        page = self.desk("LIBR/LOCK", "rehearsal")
        expect(page.get_by_text("No box of this site routes yet")).to_be_visible()
