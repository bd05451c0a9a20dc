"""The practice bench in a real browser: boxes staged by Octaplan's hands, and one by the technician's own."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.support import InBrowser


class ByOctaplan(InBrowser):
    def test_edge_switch_and_access_point_from_carton_to_shipped(self) -> None:
        page = self.desk("PAWS/HERON", "bench")
        boxes = page.get_by_role("navigation", name=re.compile("^Boxes of this site"))
        for name in ("heron-edge", "heron-switch", "heron-ap"):
            boxes.get_by_role("link", name=re.compile(name)).click()
            hands = page.get_by_role("region", name="Octaplan's hands")
            hands.get_by_role("button", name="Do all that is left").click()
            expect(hands.get_by_role("status")).to_contain_text("“Label” is yours", timeout=60_000)
            expect(hands).to_contain_text("This run is of a stand-in: practice.")
            expect(page.get_by_role("heading", name="Label")).to_be_visible()
            page.get_by_role("button", name="Done", exact=True).click()
            expect(page.get_by_role("heading", name="Pack")).to_be_visible()
            page.get_by_role("button", name="Done", exact=True).click()
        hands.get_by_role("button", name="see what was sent and received").click()
        expect(hands.get_by_role("region", name="What was sent and received")).to_contain_text("PATCH /restconf/data")
        page = self.desk("PAWS/HERON", "handover")
        page.get_by_role("navigation", name="Papers").get_by_role("button", name="Ship").click()
        page.get_by_label("Carrier", exact=True).fill("Parcel van")
        page.get_by_role("button", name="It ships").click()
        expect(page.get_by_role("region", name="Shipped")).to_contain_text("with Parcel van")

    def test_a_fault_stops_it_with_what_was_seen(self) -> None:
        page = self.desk("LIBR/CANAL", "bench")
        hands = page.get_by_role("region", name="Octaplan's hands")
        hands.get_by_role("button", name="Put a stand-in of it on the practice bench").click()
        hands.get_by_role("button", name="what would be sent").click()
        expect(hands.get_by_role("region", name="What was sent and received")).to_contain_text("octaplan-box:box")
        hands.get_by_role("button", name="Do the next step").click()
        expect(hands.get_by_role("status")).to_contain_text("1 step done")
        provider = self.look_at("/practice", self.visit("marek"))
        provider.get_by_role("button", name="up", exact=True).click()
        expect(provider.get_by_role("button", name="down", exact=True)).to_be_visible()
        hands.get_by_role("button", name="Do all that is left").click()
        expect(hands.get_by_role("status")).to_contain_text("Stopped at “The internet is there”", timeout=60_000)
        provider.get_by_role("button", name="down", exact=True).click()
        expect(provider.get_by_role("button", name="up", exact=True)).to_be_visible()


class ByOwnHands(InBrowser):
    def test_through_its_own_pages_with_the_values_of_the_run_sheet(self) -> None:
        bench = self.look_at("/practice")
        box = bench.get_by_role("region", name="heron-edge")
        box.get_by_role("button", name="plug it in").click()
        box.get_by_role("button", name="A", exact=True).click()
        expect(box).to_contain_text("ready", timeout=30_000)
        box.get_by_role("button", name="ask for an address").click()
        expect(box).to_contain_text("192.168.77.100, leased")
        address = box.get_by_role("link", name=re.compile("^https:")).inner_text()
        password = re.findall(r"password (\S+)", box.inner_text())[0]
        context = self.browser.new_context(ignore_https_errors=True)
        self.addCleanup(context.close)
        own = context.new_page()
        own.goto(address)
        own.get_by_label("User").fill("admin")
        own.get_by_label("Password").fill("wrong")
        own.get_by_role("button", name="Log in").click()
        expect(own.get_by_role("status")).to_contain_text("wrong user or password")
        own.get_by_label("User").fill("admin")
        own.get_by_label("Password").fill(password)
        own.get_by_role("button", name="Log in").click()
        expect(own.get_by_role("heading", name="Brackwater E5")).to_be_visible()
        sheet = self.desk("PAWS/HERON", "bench", self.visit("marek"))
        steps = sheet.get_by_role("list", name="Steps")
        steps.get_by_role("button", name=re.compile("Host name, time zone")).click()
        name = sheet.get_by_role("complementary", name="Type these").get_by_text("heron-edge", exact=True)
        expect(name).to_be_visible()
        own.get_by_role("link", name="identity").click()
        form = own.get_by_role("form", name="this box is <box.name>")
        form.get_by_label("name", exact=True).fill(name.inner_text())
        form.get_by_role("button", name="set").click()
        expect(own.get_by_role("main")).to_contain_text("this box is heron-edge")
        own.get_by_role("link", name="inside").click()
        self.say(
            own,
            "segment <segments[].label> knows this box as <segments[].address> under",
            "Office",
            "10.61.0.1",
            "255.255.255.0",
        )
        own.get_by_role("link", name="access").click()
        self.say(own, "manage by <access[].service>", "https", "Office", "")
        own.get_by_role("link", name="inside").click()
        self.fill(own, "port <ports[].name> carries <ports[].untagged.label> bare", "A", "Office")
        own.get_by_role("form", name="port <ports[].name> carries <ports[].untagged.label> bare").get_by_role(
            "button", name="set"
        ).click(no_wait_after=True)
        expect(box).to_contain_text("the box is at 10.61.0.1 there")
        expect(box.get_by_role("list", name="Ways in")).to_have_count(0)
        box.get_by_label("Laptop's own address").fill("10.61.0.9")
        box.get_by_role("button", name="set", exact=True).click()
        expect(box.get_by_role("list", name="Ways in")).to_contain_text("HTTPS pages")
        box.get_by_label("Address to ping").fill("10.61.0.1")
        box.get_by_role("button", name="ping").click()
        expect(box.get_by_role("status")).to_contain_text(re.compile("[13] received"))
        again = context.new_page()
        again.goto(address)
        expect(again.get_by_role("heading", name="Brackwater E5")).to_be_visible()
        box.get_by_role("button", name="pull the plug").click()
        expect(box).to_contain_text("switched off")

    def fill(self, page: Page, form: str, *values: str) -> None:
        fields = page.get_by_role("form", name=re.compile("^" + re.escape(form))).get_by_role("textbox")
        for place, value in enumerate(values):
            fields.nth(place).fill(value)

    def say(self, page: Page, form: str, *values: str) -> None:
        self.fill(page, form, *values)
        page.get_by_role("form", name=re.compile("^" + re.escape(form))).get_by_role("button", name="set").click()
        expect(page.get_by_role("status")).to_contain_text("done")
