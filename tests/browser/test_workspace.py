"""Segments as wholes, letters and columns, address space, findings of all sites, Go to: by mouse and by keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, expect

from tests.browser.support import Held, InBrowser


class Workspace(InBrowser):
    def row(self, label: str) -> Locator:
        return self.page.get_by_role("region", name=f"Segment {label}", exact=True)

    def saved(self, sentence: str) -> None:
        expect(self.page.locator("header").get_by_text(re.compile(sentence))).to_be_attached()

    def labels(self) -> list[str]:
        rows = self.page.get_by_role("region", name=re.compile("^Segment "))
        return [str(row.get_attribute("aria-label")).removeprefix("Segment ") for row in rows.all()]

    def choose(self, label: str, what: str) -> None:
        """An entry of a segment's menu, by keyboard."""
        self.page.get_by_role("button", name=f"What to do with {label}", exact=True).press("Enter")
        self.page.get_by_role("menuitem", name=what).press("Enter")


class Segments(Workspace):
    def test_a_new_one_is_drawn_then_taken(self) -> None:
        page = self.desk("LIBR/BELL")
        page.get_by_role("button", name="Add segment").click()
        page.get_by_label("Role of the new segment").select_option("cameras")
        page.get_by_label("Size of the new segment").fill("/28")
        page.get_by_role("button", name="Find room").click()
        expect(page.get_by_text(re.compile("^Add Cameras with 10.44"))).to_be_visible()
        expect(self.row("Cameras")).to_be_visible()
        page.get_by_role("button", name="Leave it").click()
        expect(self.row("Cameras")).to_have_count(0)
        page.get_by_label("Size of the new segment").fill("20 hosts")
        page.get_by_label("Size of the new segment").press("Enter")
        take = page.get_by_role("button", name="Take it", exact=True)
        expect(take).to_be_focused()
        take.press("Enter")
        self.saved("Added segment Cameras")
        page.get_by_role("button", name="Add segment").press("Enter")
        page.get_by_label("Size of the new segment").fill("10.44.300.0/24")
        page.get_by_label("Size of the new segment").press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("Octet 300")

    def test_split_and_join(self) -> None:
        page = self.desk("QUAY/MILLQ")
        self.choose("Office", "Split in two")
        expect(page.get_by_text(re.compile("^Split Office into 10.52.8.0/25"))).to_be_visible()
        expect(self.row("Office 2")).to_be_visible()
        page.get_by_role("button", name="Take it", exact=True).press("Enter")
        self.saved("Added segment Office 2")
        page.get_by_role("button", name="What to do with Office", exact=True).click()
        page.get_by_role("menuitem", name="Join with Office 2").click()
        expect(page.get_by_text("becomes free")).to_be_visible()
        page.get_by_role("button", name="Take it", exact=True).click()
        expect(self.row("Office 2")).to_have_count(0)
        expect(self.row("Office").get_by_text("10.52.8.0/24")).to_be_visible()

    def test_another_size_tells_first_what_falls_out(self) -> None:
        page = self.desk("QUAY/OVEN")
        self.choose("Office", "Another size")
        field = page.get_by_label("Another subnet", exact=True)
        field.fill("/33")
        field.press("Enter")
        expect(page.get_by_role("dialog").get_by_role("alert")).to_be_visible()
        field.fill("/25")
        field.press("Enter")
        expect(page.get_by_text("file store 10.52.0.210 is outside")).to_be_visible()
        expect(self.row("Office").get_by_text("10.52.0.0/25")).to_be_visible()
        page.get_by_role("region", name="Proposal").press("Escape")
        expect(self.row("Office").get_by_text("10.52.0.0/24")).to_be_visible()
        page.get_by_role("button", name="What to do with Office", exact=True).click()
        page.get_by_role("menuitem", name="Another size").click()
        field.fill("10.52.40.0/24")
        page.get_by_role("button", name="Draw it").click()
        expect(page.get_by_text(re.compile("hosts and .* move along|hosts move along"))).to_be_visible()
        page.get_by_role("button", name="Take it", exact=True).click()
        self.saved("Office subnet 10.52.0.0/24 → 10.52.40.0/24")

    def test_order_copy_and_removal_with_undo(self) -> None:
        page = self.desk("FERN/ORCH")
        first, second = self.labels()[:2]
        self.choose(second, "Move up")
        self.saved("Segments put in another order")
        self.assertEqual(self.labels()[:2], [second, first])
        page.get_by_role("button", name=f"What to do with {second}", exact=True).click()
        page.get_by_role("menuitem", name="Move down").click()
        expect(page.get_by_role("region", name=re.compile("^Segment ")).first).to_have_attribute(
            "aria-label", f"Segment {first}"
        )
        page.get_by_role("button", name="What to do with Voice", exact=True).click()
        page.get_by_role("menuitem", name="Copy into free space").click()
        page.get_by_role("button", name="Take it", exact=True).click()
        self.saved("Added segment Voice 2")
        expect(self.row("Voice 2").get_by_role("button").first).to_be_focused()  # what was made is at hand
        self.assertEqual(self.labels().index("Voice 2"), self.labels().index("Voice") + 1)
        self.choose("Voice 2", "Remove, with its hosts")
        proposal = page.get_by_role("region", name="Proposal")
        expect(proposal).to_contain_text("Remove Voice 2, so that 10.40.")
        expect(self.row("Voice 2")).to_have_count(0)
        proposal.get_by_role("button", name="Leave it").press("Enter")
        expect(self.row("Voice 2")).to_be_visible()
        self.choose("Voice 2", "Remove, with its hosts")
        expect(proposal).to_be_in_viewport()
        page.get_by_role("button", name="Take it", exact=True).press("Enter")
        self.saved("Removed segment Voice 2")
        expect(self.row("Voice 2")).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(self.row("Voice 2")).to_be_visible()

    def test_what_is_proposed_while_another_change_is_saved_is_drawn_afterwards(self) -> None:
        page = self.desk("FERN/DOCK")
        held = Held(page, "**/plan")
        with page.expect_request("**/plan"):
            self.choose("Voice", "Move up")
        self.choose("Voice", "Copy into free space")
        expect(page.get_by_role("region", name="Proposal")).to_be_visible()
        expect(self.row("Voice 2")).to_have_count(0)
        held.let_on()
        expect(self.row("Voice 2")).to_be_visible()
        with page.expect_request("**/plan"):
            page.get_by_role("button", name="Take it", exact=True).click()
        made = self.row("Voice 2").get_by_role("button").first
        expect(made).to_be_focused()
        held.let_on()
        self.saved("Added segment Voice 2")
        expect(made).to_be_focused()

    def test_a_whole_site_is_laid_out(self) -> None:
        page = self.desk("PAWS/QUARRY")
        page.get_by_role("button", name="Lay out").click()
        page.get_by_label("Block to lay out in").fill("10.61.64.0/22")
        page.get_by_role("button", name="One more").click()
        page.get_by_label("Size of a new need").fill("30 hosts")
        page.get_by_role("button", name="Draw it").click()
        expect(page.get_by_text(re.compile("^Lay out 5 segments between 10.61.64.0"))).to_be_visible()
        expect(self.row("Guest").get_by_text("10.61.6", exact=False).first).to_be_visible()
        page.get_by_label("Block to lay out in").fill("10.61.64.0/27")
        page.get_by_label("Block to lay out in").press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("does not fit into 10.61.64.0/27")
        page.get_by_label("Block to lay out in").fill("10.61.64.0/22")
        page.get_by_label("Block to lay out in").press("Enter")
        page.get_by_role("button", name="Take it", exact=True).press("Enter")
        self.saved("Office subnet 10.61.8.0/24 → 10.61.6")


class InternetSide(Workspace):
    LETTER = "Service ID: NL-30303\nIP 203.0.113.242/29\nGW .241\nDNS 192.0.2.53, 192.0.2.54\nPassword: lantern-reed"

    def test_a_letter_is_read_looked_at_and_taken(self) -> None:
        page = self.desk("LIBR/BELL")
        page.get_by_role("button", name="Paste a letter").click()
        text = page.get_by_label("Letter of the provider")
        text.fill("hello")
        expect(page.get_by_role("alert")).to_contain_text("Nothing in it names a field")
        text.fill(self.LETTER)
        expect(page.get_by_role("row", name=re.compile("Provider's gateway 203.0.113.241"))).to_be_visible()
        expect(page.get_by_text("put it into the safe on Credentials")).to_be_visible()
        page.get_by_role("button", name="Take what was read").click()
        circuit = page.get_by_role("region", name="Circuit Main")
        expect(circuit.get_by_text("203.0.113.240/29")).to_be_visible()
        self.assertNotIn("lantern-reed", page.content())

    def test_pasting_into_a_field_opens_the_same(self) -> None:
        page = self.desk("QUAY/STEPS")
        page.get_by_role("region", name="Circuit Main").get_by_role("button").first.press("Enter")
        field = page.get_by_label("Own address")
        field.focus()
        field.evaluate(
            """(field, text) => {
              const data = new DataTransfer();
              data.setData('text', text);
              field.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
            }""",
            "IP 203.0.113.250/29 GW .249 DNS 192.0.2.53",
        )
        take = page.get_by_role("button", name="Take what was read")
        expect(take).to_be_enabled()
        take.press("Enter")
        expect(page.get_by_role("region", name="Circuit Main").get_by_text("203.0.113.248/29")).to_be_visible()

    def test_several_lines_are_pasted_into_the_box_itself(self) -> None:
        page = self.desk("QUAY/STEPS")
        page.get_by_role("region", name="Circuit Main").get_by_role("button", name="Paste a letter").click()
        left_to_the_browser = page.get_by_label("Letter of the provider").evaluate(
            """(box) => {
              const data = new DataTransfer();
              data.setData('text', 'IP 203.0.113.250/29\\nGW .249');
              return box.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
            }"""
        )
        self.assertTrue(left_to_the_browser, "the page below took what was pasted into the dialog")

    def test_what_cannot_be_taken_is_listed_and_the_letter_stays(self) -> None:
        page = self.desk("LOOM/REGENT", "intake")
        section = page.get_by_role("region", name=re.compile("Provider of Main"))
        page.get_by_role("checkbox", name="The answers of the provider of Main are confirmed").check()
        tag = section.get_by_label("VLAN tag of Main", exact=True)
        tag.fill("12")
        tag.press("Enter")
        expect(page.get_by_text("VLAN tag").first).to_be_visible()
        self.saved("VLAN tag")
        section.get_by_role("button", name="Paste what they wrote").click()
        page.get_by_label("Letter of the provider").fill("VLAN 13, MTU 1492. Faults: 01632 960 411. Ref LN-77")
        page.get_by_role("button", name="Take what was read").click()
        told = page.get_by_role("dialog").get_by_role("alert")
        expect(told).to_contain_text("All else was taken. 1 value was not")
        expect(told).to_contain_text("confirmed 12")
        expect(page.get_by_label("Letter of the provider")).to_have_value(re.compile("^VLAN 13"))
        page.get_by_role("dialog").get_by_role("button", name="Close").click()
        expect(section.get_by_label("support number of Main", exact=True)).to_have_value("01632 960 411")
        expect(tag).to_have_value("12")

    def test_of_two_lines_one_is_chosen_and_the_other_becomes_a_circuit(self) -> None:
        page = self.desk("QUAY/STEPS")
        page.get_by_role("region", name="Circuit Main").get_by_role("button", name="Paste a letter").click()
        page.get_by_label("Letter of the provider").fill(
            "MAIN\nCircuit EB-1, 198.51.100.38/29, gateway 198.51.100.33, MTU 1492\n\nBACKUP\nCircuit EB-2, DHCP, 100/20"
        )
        which = page.get_by_role("group", name=re.compile("two lines"))
        expect(which.get_by_role("radio").nth(0)).to_be_checked()
        which.get_by_role("radio").nth(1).check()
        expect(page.get_by_role("row", name=re.compile("Reference EB-2"))).to_be_visible()
        which.get_by_role("radio").nth(0).check()
        page.get_by_role("button", name="Take what was read").click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        expect(page.get_by_role("region", name="Circuit Backup")).to_contain_text("EB-2")
        expect(page.get_by_role("region", name="Circuit Main")).to_contain_text("EB-1")

    def test_what_has_two_readings_is_settled_by_one_click(self) -> None:
        page = self.desk("QUAY/STEPS")
        page.get_by_role("region", name="Circuit Main").get_by_role("button", name="Paste a letter").click()
        page.get_by_label("Letter of the provider").fill("198.51.100.18 198.51.100.17 255.255.255.252")
        page.get_by_role("group", name="Which is the own address").get_by_role("button", name="198.51.100.18").click()
        gateway = page.get_by_role("group", name="Which is the provider's gateway")
        expect(gateway.get_by_role("button", name="198.51.100.17")).to_have_attribute("aria-pressed", "true")
        own = page.get_by_role("row", name=re.compile("^Own address"))
        expect(own.get_by_role("cell").last).to_have_text("")  # what is said of it is not of the other reading
        page.get_by_role("button", name="Take what was read").click()
        expect(page.get_by_role("region", name="Circuit Main").get_by_text("198.51.100.16/30")).to_be_visible()

    def test_a_column_of_addresses_goes_to_rows(self) -> None:
        page = self.desk("LOOM/REGENT")
        self.open_segment("Cameras")
        field = page.get_by_label("Address of camera 1", exact=True)
        field.focus()
        field.evaluate(
            """(field, text) => {
              const data = new DataTransfer();
              data.setData('text', text);
              field.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
            }""",
            ".101\n.102\n10.56.300.1",
        )
        expect(page.get_by_role("row", name=re.compile("camera 1 .101 10.56.2.101"))).to_be_visible()
        expect(page.get_by_text(re.compile("Octet 300"))).to_be_visible()
        page.get_by_role("button", name="Take what was read").press("Enter")
        expect(page.get_by_label("Address of camera 1", exact=True)).to_have_value("10.56.2.101")
        expect(page.get_by_label("Address of camera 2", exact=True)).to_have_value("10.56.2.102")

    def test_a_routed_block_its_uses_and_the_order_of_circuits(self) -> None:
        page = self.desk("FERN/OLDM")
        circuit = page.get_by_role("region", name="Circuit Main")
        circuit.get_by_role("button").first.click()
        routed = page.get_by_label("Routed blocks")
        routed.fill("198.51.100.64/29")
        routed.press("Enter")
        cell = circuit.get_by_role("button", name=re.compile(r"^\.66 ?free"))
        cell.click()
        page.get_by_role("dialog").get_by_role("button", name="translation").click()
        expect(circuit.get_by_role("button", name=re.compile(r"^\.66 ?translation"))).to_be_visible()
        circuit.get_by_role("button", name=re.compile(r"^\.67 ?free")).press("Enter")
        page.get_by_role("dialog").get_by_role("button", name="spare").press("Enter")
        expect(circuit.get_by_role("button", name=re.compile(r"^\.67 ?spare"))).to_be_visible()
        page.get_by_role("button", name="Add circuit").click()
        page.get_by_role("menuitem", name="One more line, beside Main").click()
        expect(page.get_by_role("region", name="Circuit Backup")).to_contain_text("used second")
        page.get_by_role("button", name="What to do with Backup").press("Enter")
        page.get_by_role("menuitem", name="Use it first").press("Enter")
        expect(page.get_by_role("region", name=re.compile("^Circuit ")).first).to_have_attribute(
            "aria-label", "Circuit Backup"
        )
        page.get_by_role("button", name="What to do with Backup").click()
        page.get_by_role("menuitem", name="Remove circuit Backup").click()
        page.get_by_role("button", name="Take it", exact=True).press("Enter")
        self.saved("Removed")
        expect(page.get_by_role("region", name=re.compile("^Circuit "))).to_have_count(1)
        expect(page.get_by_role("button", name="Add circuit")).to_be_focused()

    def test_an_order_of_use_that_is_typed_moves_no_card_under_the_hand(self) -> None:
        page = self.desk("FERN/DOCK")
        page.get_by_role("button", name="Add circuit").click()
        page.get_by_role("menuitem", name="One more line, beside Main").click()
        cards = page.get_by_role("region", name=re.compile("^Circuit "))
        order = cards.last.get_by_label("Used first, second")
        order.fill("0")
        order.press("Enter")
        expect(cards.last).to_contain_text("used first")
        expect(cards.last).to_have_attribute("aria-label", "Circuit Backup")
        order.blur()
        expect(cards.first).to_have_attribute("aria-label", "Circuit Backup")

    def test_a_line_in_the_place_of_another_begins_with_its_letter(self) -> None:
        page = self.desk("QUAY/OVEN")
        page.get_by_role("button", name="Add circuit").click()
        page.get_by_role("menuitem", name="A new line in the place of Main").click()
        letter = page.get_by_role("dialog")
        letter.get_by_role("textbox").first.fill("IP 198.51.100.18/29 GW .17 DNS 192.0.2.53")
        letter.get_by_role("button", name=re.compile("^Take")).click()
        expect(letter).to_have_count(0)
        main = page.get_by_role("region", name="Circuit Main")
        expect(main).to_contain_text("198.51.100.16/29")
        page.get_by_role("button", name="Add circuit").click()
        page.get_by_role("menuitem", name="A new line in the place of Main").click()
        expect(page.get_by_role("dialog")).to_be_visible()

    def test_a_removed_circuit_takes_its_port_routes_and_translations_along(self) -> None:
        page = self.desk("FERN/ROSE")
        stops = page.get_by_role("complementary", name="Findings").get_by_role("img", name="stop")
        before = stops.count()
        page.get_by_role("button", name="What to do with Main").click()
        page.get_by_role("menuitem", name="Remove circuit Main").click()
        proposal = page.get_by_role("region", name="Proposal")
        expect(proposal).to_contain_text(re.compile(r"Port \S+ of .* is unused then"))
        expect(proposal).to_contain_text(re.compile("translations? of"))
        page.get_by_role("button", name="Take it", exact=True).press("Enter")
        expect(page.get_by_role("region", name=re.compile("^Circuit "))).to_have_count(0)
        expect(page.get_by_text(re.compile("circuit that (is|was) (gone|removed)"))).to_have_count(0)
        self.assertLessEqual(stops.count(), before + 1, "of one cause")

    def test_addresses_of_somebody_elses_inside_are_drawn_as_such(self) -> None:
        page = self.desk("HARB/HIGH")
        expect(page.get_by_text(re.compile("behind somebody else's translation: shared addresses"))).to_be_visible()


class Space(Workspace):
    def test_deeper_and_back_by_wheel_click_and_keys(self) -> None:
        page = self.page
        page.get_by_role("link", name="Address space", exact=True).click()
        part = page.get_by_label("Part that is shown")
        expect(part).to_have_value("10.0.0.0/9")
        picture = page.get_by_role("application")
        box = picture.bounding_box()
        assert box
        page.mouse.move(box["x"] + 44 + (box["width"] - 46) * 40.5 / 128, box["y"] + 20)
        page.mouse.wheel(0, -120)
        expect(part).to_have_value("10.0.0.0/10")
        page.mouse.wheel(0, 120)
        expect(part).to_have_value("10.0.0.0/9")
        page.mouse.click(box["x"] + 44 + (box["width"] - 46) * 40.5 / 128, box["y"] + 36 * 7 + 10)
        expect(part).to_have_value("10.40.0.0/16")
        picture.focus()
        for key in ("ArrowDown", "ArrowDown", "ArrowDown"):
            page.keyboard.press(key)
        expect(page.get_by_text(re.compile("^10.40.0.0/19: .* used"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(part).to_have_value("10.40.0.0/19")
        page.keyboard.press("-")
        expect(part).to_have_value("10.40.0.0/18")
        page.keyboard.press("PageDown")
        expect(part).to_have_value("10.40.64.0/18")

    def test_what_is_typed_before_the_customers_have_come_is_kept(self) -> None:
        page = self.page
        held = Held(page, "**/api/organisation")
        page.goto("/space", wait_until="commit")
        field = page.get_by_role("combobox", name="Customer", exact=True)
        field.fill("fernhollow")
        expect(page.get_by_text("None is called so")).to_be_visible()
        held.let_on()
        expect(page.locator("[role=listbox] [role=option]")).to_have_text([re.compile("Fernhollow")])
        expect(field).to_have_value("fernhollow")
        field.press("Enter")
        expect(page.get_by_label("Part that is shown")).to_have_value("10.40.0.0/16")

    def test_a_window_typed_colours_customers_and_overlaps(self) -> None:
        page = self.page
        page.goto("/space")
        self.choose_named("Customer", "fernhollow")
        expect(page.get_by_label("Part that is shown")).to_have_value("10.40.0.0/16")
        page.get_by_label("Colours").select_option("role")
        part = page.get_by_label("Part that is shown")
        part.fill("10.40.300.0/20")
        part.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("Octet 300")
        expect(part).to_have_value("10.40.300.0/20")
        expect(page.get_by_role("application")).to_be_visible()  # the picture stays
        part.fill("10.40.0.0/19")
        part.press("Enter")
        expect(page.locator('[data-placed="10.40.8.0/24"] [data-shared]').first).to_be_attached()
        both = page.locator('[data-placed="10.40.8.0/24"] rect:not([data-shared])')
        self.assertEqual(len({str(one.get_attribute("y")) for one in both.all()}), 2, "both are seen")
        legend = page.get_by_role("note", name="Legend")
        expect(legend).to_contain_text("inside 10.40.0.0/16 of FERN")
        expect(legend).to_contain_text("cameras")
        expect(page.get_by_role("list").get_by_text("overlaps FERN/MILL Office")).to_be_visible()

    def test_two_sites_are_compared_by_offset(self) -> None:
        page = self.look_at("/compare?one=FERN/DOCK&other=FERN/MILL")
        expect(page.get_by_role("row", name=re.compile("Office gateway 10.40.0.1 10.40.8.1"))).to_be_visible()
        page.get_by_label("How they are compared").select_option("offset")
        expect(page.get_by_role("row", name=re.compile("Office gateway"))).to_have_count(0)
        expect(page.get_by_role("row", name=re.compile("Voice range end 10.40.1.239 10.40.1.199"))).to_be_visible()
        expect(page.get_by_role("table")).to_contain_text("what every site has of its own")

    def test_room_is_found_lit_and_taken(self) -> None:
        page = self.page
        page.goto("/space?window=10.40.0.0/19")
        page.get_by_label("Near which address").fill("10.40.9.0")
        self.choose_named("For which customer", "FERN")
        self.choose_named("For which site", "ROSE")
        page.get_by_label("Near which address").press("Enter")
        found = page.get_by_role("list", name="Where there is room")
        expect(found.get_by_role("listitem").first).to_be_visible()
        expect(page.locator("[data-lit]").first).to_be_attached()
        found.get_by_role("link", name="take it for a segment").first.click()
        expect(page.get_by_label("Size of the new segment")).to_have_value(re.compile(r"^10\.40\.\d+\.0/24$"))
        page.get_by_label("Size of the new segment").press("Enter")
        page.get_by_role("button", name="Take it", exact=True).click()
        self.saved("Added segment Office 2")

    def test_what_providers_have_handed_out(self) -> None:
        page = self.page
        page.goto("/space")
        page.get_by_label("Which address space").select_option("public")
        expect(page.get_by_role("heading", name="Gannet Broadband")).to_be_visible()
        expect(page.get_by_text("overlaps another block").first).to_be_visible()
        page.get_by_role("link", name="QUAY/OVEN Main").press("Enter")
        expect(page.get_by_role("region", name="Circuit Main")).to_be_visible()


class AllFindings(Workspace):
    def test_the_same_remedy_at_many_sites_and_one_undo(self) -> None:
        page = self.page
        page.get_by_role("link", name="Findings").click()
        page.get_by_role("button", name=re.compile("^stop Same addresses as another site")).click()
        page.get_by_role("button", name="Mend at 2 sites").click()
        done = page.get_by_role("region", name="What would be done")
        expect(done.get_by_text(re.compile("Renumber "))).to_be_visible()
        done.get_by_role("button", name="Do it at 1 site").click()
        expect(page.get_by_role("button", name=re.compile("Same addresses as another site"))).to_have_count(0)
        page.get_by_role("button", name="Undo it at all of them").first.click()
        expect(page.get_by_text("Taken back at 1 site.")).to_be_visible()
        page.get_by_role("button", name=re.compile("Same addresses as another site")).click()
        page.get_by_role("button", name="Mend at 2 sites").click()
        done.get_by_role("button", name="Do it at 1 site").click()
        page.get_by_role("button", name=re.compile("^All .* of the last two weeks")).click()
        listed = page.get_by_role("dialog", name="Changes of many sites").get_by_role("listitem")
        expect(listed.filter(has_text="taken back").first).to_be_visible()
        listed.get_by_role("button", name="Undo it at all of them").first.click()
        expect(listed.get_by_role("button", name="Undo it at all of them")).to_have_count(0)
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name=re.compile("Same addresses as another site"))).to_be_visible()

    def test_by_keyboard_to_the_culprit(self) -> None:
        page = self.page
        page.goto("/findings")
        rules = page.get_by_role("navigation", name="Rules that speak")
        expect(rules.get_by_role("button").first).to_have_attribute("aria-current", "true")
        expect(page.get_by_text("Choose a rule")).to_have_count(0)
        page.goto("/findings?customer=FERN")
        page.get_by_role("button", name=re.compile("Fixed host inside a DHCP range")).press("Enter")
        page.get_by_role("button", name="Mend at 1 site").press("Enter")
        expect(page.get_by_role("button", name="Do it at 1 site")).to_be_focused()
        page.get_by_role("button", name="Leave it").press("Enter")
        page.get_by_role("link", name=re.compile("Dockside")).press("Enter")
        expect(
            page.get_by_role("region", name="Segment Voice", exact=True).get_by_label("Name of phone system")
        ).to_be_visible()


class GoTo(Workspace):
    def test_addresses_pages_customers_and_last_places(self) -> None:
        page = self.desk("FERN/HQ")
        page.goto("/outbound")
        expect(page.get_by_role("list", name="Sites by ship week")).to_be_visible()
        page.keyboard.press("/")
        field = page.get_by_role("combobox", name="Go to a site")
        expect(page.get_by_role("option", name=re.compile("FERN.HQ")).first).to_be_visible()
        field.fill("10.40.1.9")
        told = "10.40.1.9 is free in Voice of FERN/DOCK, in the block 10.40.0.0/16 of FERN"
        expect(page.get_by_text(told)).to_be_visible()
        page.get_by_role("option", name=re.compile("See what is around it")).click()
        expect(page.get_by_label("Part that is shown")).to_have_value("10.40.1.0/24")
        page.keyboard.press("/")
        field.fill("rule book")
        expect(page.get_by_role("option", name=re.compile("^page Rule book"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name=re.compile("^Rule book"))).to_be_visible()
        field.click()
        field.fill("fernhollow")
        page.get_by_role("option", name=re.compile("^customer Fernhollow")).click()
        expect(page.get_by_role("heading", name="Fernhollow Garden Centres")).to_be_visible()
        page.get_by_role("link", name=re.compile("sites on Outbound")).click()
        expect(page.get_by_role("button", name="Customer: Fernhollow Garden Centres")).to_be_visible()

    def test_parts_words_and_what_is_at_no_site(self) -> None:
        page = self.look_at("/customers")
        field = page.get_by_role("combobox", name="Go to a site")
        for typed, first in (
            ("10.40.1", "segment Voice .*FERN/DOCK.* 10.40.1.0/24"),
            (".230", "host phone system"),
            ("10.40.1.225-235", "segment Voice"),
            ("VLAN 20", "segment Voice"),
            ("dockside phone", "host phone system .*FERN/DOCK"),
            ("millbank credentials", "credentials Millbank"),
            ("millbank bench", "bench Millbank"),
            ("shop with tills pattern", "pattern Shop with tills"),
            ("vlan duplicate", "rule "),
        ):
            field.fill(typed)
            with self.subTest(typed):
                expect(page.get_by_role("option").first).to_have_accessible_name(re.compile(f"^{first}"))
        field.fill("10.40.8.300")
        expect(page.get_by_text(re.compile("^Octet 300"))).to_be_visible()


class ManyHosts(Workspace):
    def test_two_hundred_rows_become_hosts_and_one_remedy_clears_the_range(self) -> None:
        page = self.desk("FERN/ORCH")
        row = self.row("Voice")
        row.get_by_role("button").first.click()
        row.get_by_role("button", name="Paste rows").press("Enter")
        dialog = page.get_by_role("dialog", name="Hosts of Voice from rows")
        rows = [f"phone {n}\t.{n}\t02:40:33:00:00:{n:02x}\tphone" for n in range(30, 230)]
        dialog.get_by_label("Rows", exact=True).fill("\n".join(["Name\tIP\tMAC\tKind", *rows, "odd\t.300\t\t"]))
        expect(dialog.get_by_role("status")).to_contain_text("200 new hosts · 1 row not read")
        expect(dialog.get_by_role("status")).to_contain_text("taking them brings 170 stops")
        expect(dialog.get_by_role("row", name=re.compile("^202 odd"))).to_contain_text("Octet 300")
        expect(dialog.get_by_role("row", name=re.compile("phone 30 "))).to_contain_text("is inside the DHCP range")
        expect(dialog.get_by_role("row", name=re.compile("phone 220 "))).to_contain_text("new host")
        dialog.get_by_role("button", name="Take the others, keep 1 row here").press("Enter")
        self.saved("Added 200 hosts")
        left = dialog.get_by_label("Rows", exact=True)
        expect(left).to_have_value("Name\tIP\tMAC\tKind\nodd\t.300\t\t")
        left.fill("Name\tIP\nodd\t.240")
        take = dialog.get_by_role("button", name="Take them")
        expect(take).to_be_enabled()
        take.press("Enter")
        self.saved("Added host odd")
        expect(dialog).to_have_count(0)
        remedy = page.get_by_role("button", name="Exclude all 170 hosts in it from the range of Voice")
        page.get_by_role("button", name=re.compile("^or .* other way")).first.click()
        remedy.first.press("Enter")
        self.saved("Voice excluded")
        expect(page.get_by_role("button", name=re.compile("^Fixed host inside a DHCP range"))).to_have_count(0)
