"""Traffic in the real pages: asked, read, mended, meant otherwise, published, by mouse and by keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, expect

from tests.browser.support import InBrowser


class Traffic(InBrowser):
    def rail(self, page: Page) -> Locator:
        return page.get_by_role("complementary", name="Findings")

    def cell(self, page: Page, words: str) -> Locator:
        return page.get_by_role("gridcell", name=re.compile(f"^{words}".replace("/", ".")))  # a slash ends selectors

    def test_a_cell_that_passes_and_must_not_is_opened_and_the_boxes_do_what_is_meant(self) -> None:
        page = self.desk("FERN/ROSE", "traffic")
        amiss = self.cell(page, "Guest to Office: meant closed, everything passes, not as it is meant")
        amiss.click()
        ask = page.get_by_role("region", name="Ask")
        expect(ask.get_by_role("status")).to_have_text(
            "Yes, and it is not meant to: rose-edge lets it through by the rule “Guest to Office”."
        )
        way = page.get_by_role("region", name="The way")
        expect(way.get_by_role("list", name="The way there")).to_contain_text("anybody in Guest")
        expect(way.get_by_role("list", name="The way there")).to_contain_text("rose-switch")
        page.get_by_role("button", name="Let the boxes do what is meant").click()
        expect(self.cell(page, "Guest to Office: meant closed, nothing passes$")).to_be_visible()
        expect(self.rail(page).get_by_role("button", name=re.compile("Meant to be closed"))).to_have_count(0)
        expect(ask.get_by_role("status")).to_contain_text("No, as it is meant")
        page.keyboard.press("Control+z")
        expect(amiss).to_be_visible()

    def test_the_matrix_is_walked_by_keys_and_something_else_is_meant_with_a_reason(self) -> None:
        page = self.desk("LIBR/CANAL", "traffic")
        grid = page.get_by_role("grid", name="Who reaches whom")
        grid.locator('[tabindex="0"]').focus()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Home")
        expect(self.cell(page, "Voice to Office")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_label("Who asks")).to_have_value("Voice")
        page.get_by_role("button", name="Mean it otherwise…").click()
        form = page.get_by_role("form", name="Mean it otherwise")
        form.get_by_label("It is meant to be").select_option("services")
        form.get_by_label("Services").fill("sip")
        form.get_by_label("Reason").fill("the exchange stands in the office")
        form.get_by_label("Reason").press("Enter")
        missing = self.cell(
            page, "Voice to Office: meant open for tcp/5060, udp/5060, nothing passes, not as it is meant"
        )
        expect(missing).to_be_visible()
        expect(self.rail(page).get_by_role("button", name=re.compile("Meant to pass, and not allowed"))).to_be_visible()
        page.get_by_role("button", name="Let the boxes do what is meant").click()
        expect(self.cell(page, "Voice to Office: meant open for tcp/5060, udp/5060, .*passes$")).to_be_visible()
        page.get_by_role("button", name="As it is meant elsewhere").click()
        expect(self.cell(page, "Voice to Office: meant closed, .*not as it is meant")).to_be_visible()

    def test_a_question_is_typed_word_by_word_and_wrong_words_are_told(self) -> None:
        page = self.desk("FERN/ROSE", "traffic")
        status = page.get_by_role("region", name="Ask").get_by_role("status")
        page.get_by_label("Who asks").fill("10.40.24.30")
        page.get_by_label("Who asks").press("Enter")
        page.get_by_label("Who is asked").fill("192.0.2.53")
        page.get_by_label("Who is asked").press("Enter")
        page.get_by_label("By which service").fill("udp 53")
        page.get_by_label("By which service").press("Enter")
        expect(status).to_have_text("Yes: rose-edge lets it through by the rule “Office to the internet”.")
        page.get_by_label("Who is asked").fill("the attic")
        page.get_by_label("Who is asked").press("Enter")
        expect(status).to_contain_text("'the attic' is nobody at this site")
        page.get_by_label("Who is asked").fill("mail server")
        page.get_by_label("Who is asked").press("Enter")
        page.get_by_label("By which service").fill("443")
        page.get_by_label("By which service").press("Enter")
        expect(status).to_contain_text("lacks its protocol: write tcp/443 or udp/443")

    def test_a_line_is_thought_down(self) -> None:
        page = self.desk("LOOM/REGENT", "traffic")
        self.cell(page, "Office to the internet").click()
        expect(page.get_by_role("region", name="Ask").get_by_role("status")).to_contain_text("Yes")
        page.get_by_role("button", name="as if Backup were down").click()
        expect(page.get_by_role("button", name="Backup is thought down: up again")).to_be_visible()
        page.get_by_role("button", name="Backup is thought down: up again").click()
        rail = self.rail(page)
        rail.get_by_role("button", name=re.compile("Translate Voice to the address of Backup")).click()
        expect(rail.get_by_role("button", name=re.compile("leave untranslated"))).to_have_count(0)

    def test_something_is_published_with_its_rule_and_ends_with_it(self) -> None:
        page = self.desk("FERN/MILL", "traffic")
        part = page.get_by_role("region", name="Published")
        part.get_by_role("button", name="Publish something").click()
        form = part.get_by_role("form", name="Publish")
        form.get_by_label("Host inside").select_option(label=self.option(form, "file store"))
        form.get_by_label("Service outside").fill("the usual")
        form.get_by_role("button", name="Publish, and let it in").click()
        expect(form).to_contain_text("is no service that is known by name")
        form.get_by_label("Service outside").fill("https")
        form.get_by_label("Only from").fill("198.51.100.0/28")
        form.get_by_role("button", name="Publish, and let it in").click()
        expect(part.get_by_text(re.compile("^tcp/443 at 203.0.113.26 leads to file store"))).to_be_visible()
        told = page.get_by_role("region", name="What the boxes are told")
        expect(told.get_by_text(re.compile("^the internet to file store, tcp/443"))).to_be_visible()
        expect(self.cell(page, "the internet to Office: meant open for tcp/443, tcp/443 passes$")).to_be_visible()
        page.keyboard.press("2")
        expect(page.get_by_text("published at 203.0.113.26: tcp/443 for file store")).to_be_visible()
        page.keyboard.press("4")
        part.get_by_role("button", name=re.compile("^End tcp.443")).click()
        expect(self.cell(page, "the internet to Office: meant closed, nothing passes$")).to_be_visible()

    def option(self, form: Locator, words: str) -> str:
        """The label of the first choice that begins with some words."""
        labels = form.get_by_label("Host inside").locator("option").all_inner_texts()
        return next(label for label in labels if label.startswith(words))

    def test_entries_are_read_taken_away_and_added_as_sentences(self) -> None:
        page = self.desk("FERN/MILL", "traffic")
        routes = page.get_by_role("region", name="Routes, mill-edge")
        expect(routes).to_contain_text("for Office to the internet")
        routes.get_by_role("button", name=re.compile("^Remove anywhere")).click()
        rail = self.rail(page)
        expect(rail.get_by_role("button", name=re.compile("No default route"))).to_be_visible()
        routes.get_by_role("button", name="Add", exact=True).click()
        routes.get_by_role("button", name="Add it").click()
        expect(rail.get_by_role("button", name=re.compile("No default route"))).to_have_count(0)
        allows = page.get_by_role("region", name="Lets through, mill-edge")
        allows.get_by_role("button", name="Add", exact=True).click()
        allows.get_by_label("From", exact=True).select_option(label="Guest")
        allows.get_by_label("To", exact=True).select_option(label="Office")
        allows.get_by_label("Service").fill("ipp")
        allows.get_by_role("button", name="Add it").click()
        expect(allows.get_by_text(re.compile("^Guest to Office, tcp/631"))).to_be_visible()
        expect(allows).to_contain_text("nothing that is meant uses this")
        expect(rail.get_by_role("button", name=re.compile("Meant to be closed, and passes"))).to_be_visible()

    def test_an_entry_that_is_refused_stays_as_it_was_typed(self) -> None:
        page = self.desk("LOOM/GAIETY", "traffic")
        relays = page.get_by_role("region", name="Passes lease requests on, gaiety-edge")
        relays.get_by_role("button", name="Add", exact=True).click()
        relays.get_by_label("Of segment").select_option(label="Guest")
        relays.get_by_label("Server").fill("10.56.16.9x")
        relays.get_by_label("Server").press("Enter")
        told = self.rail(page).get_by_role("alert")
        expect(told).to_contain_text(re.compile("four numbers.*Guest of relays of gaiety-edge"))
        expect(relays.get_by_label("Server")).to_have_value("10.56.16.9x")
        relays.get_by_label("Server").fill("10.56.16.9")
        relays.get_by_label("Server").press("Enter")
        expect(relays.get_by_text("Guest to 10.56.16.9")).to_be_visible()
        expect(relays.get_by_label("Server")).to_have_count(0)
        relays.get_by_role("button", name="Remove Guest to 10.56.16.9").click()
        expect(relays.get_by_text("nothing")).to_be_visible()

    def test_go_to_answers_who_reaches_whom(self) -> None:
        page = self.look_at("/outbound")
        page.keyboard.press("/")
        page.keyboard.type("10.40.24.30 to internet")
        page.get_by_role("option", name=re.compile("Yes: rose-edge lets it through")).click()
        expect(page.get_by_role("region", name="Ask").get_by_role("status")).to_contain_text("Yes: rose-edge")

    def test_who_may_only_look_changes_nothing(self) -> None:
        page = self.look_at("/sites/FERN/ROSE/traffic", self._enter("wren"))
        self.cell(page, "Guest to Office").click()
        expect(page.get_by_role("region", name="The way")).to_be_visible()
        for words in ("Let the boxes do what is meant", "Mean it otherwise…", "Publish something"):
            expect(page.get_by_role("button", name=words)).to_have_count(0)
        expect(page.get_by_role("button", name="Add", exact=True)).to_have_count(0)

    def test_a_site_without_a_box_says_what_to_do_first(self) -> None:
        page = self.desk("LIBR/LOCK", "traffic")
        expect(page.get_by_text("No box of this site routes yet")).to_be_visible()
        page.get_by_role("link", name="Add its edge on Devices").click()
        expect(page.get_by_role("button", name="Add a box")).to_be_visible()

    def test_clearance_shows_the_matrix_as_it_is_signed(self) -> None:
        page = self.desk("PAWS/HERON", "clearance")
        part = page.get_by_role("region", name="Who reaches whom, as it is signed")
        expect(part.get_by_role("heading", name="Who reaches whom, as it was signed")).to_be_visible()
        part.get_by_role("gridcell", name=re.compile("^Guest to the internet")).click()
        expect(page.get_by_label("Who asks")).to_have_value("Guest")
