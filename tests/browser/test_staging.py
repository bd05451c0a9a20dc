"""From the carton to the parcel van, in a real browser: bench by keyboard alone, wiring, credentials, hardware."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

import pyotp
from playwright.sync_api import Locator, Page, expect

from tests.browser.support import InBrowser


def answer(field: Locator) -> str:
    """What a technician would read off when all is well; nothing for what need not be answered."""
    key = field.get_attribute("data-measure") or ""
    if key in ("firmware", "leased", "lease"):
        shown = field.locator("xpath=ancestor::label/span[1]").inner_text()
        return re.findall(r"[\d.]+", shown)[0]
    if key.startswith("passes"):
        closed = "answer" in field.locator("xpath=ancestor::label/span[1]").inner_text().replace("answers at", "")
        return (
            "no answer"
            if closed or "no box" in field.locator("xpath=ancestor::label/span[1]").inner_text()
            else "it answers"
        )
    if key.startswith(("answer", "outside", "gateway")):
        return "4/5"
    return {"serial": "BW5-30117", "lookup": "ok", "kept": "yes", "joined": "yes"}.get(key, "")


def shown_by_box(page: Page) -> str:
    """What the box of the run sheet prints when all is in it as planned: its write-out, with secrets in stars."""
    site, _, device = page.url.partition("/sites/")[2].rpartition("/bench/")
    written = page.context.request.get(f"/api/sites/{site}/devices/{device}/write-out").json()
    return "\n".join("".join(p["text"] or "*****" for p in line["pieces"]) for line in written["lines"])


def tab_to(page: Page, name: str) -> None:
    """Press Tab until what is focused says so."""
    for _ in range(80):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.textContent").strip() == name:
            return
    raise AssertionError(f"{name} cannot be reached by Tab")


class OneBoxFromCartonToShipped(InBrowser):
    def test_by_keyboard_alone(self) -> None:
        page = self.page
        keys = page.keyboard
        keys.press("/")
        keys.type("Canal Reading")
        expect(page.get_by_role("option", name=re.compile("Canal Reading Room")).first).to_be_visible()
        keys.press("Enter")
        expect(page.get_by_role("heading", name="Canal Reading Room", exact=True)).to_be_visible()
        keys.press("7")
        expect(page.get_by_role("heading", name="Record serial, MAC and label")).to_be_visible()
        titles = page.get_by_role("list", name="Steps").locator("button")
        total = titles.count()
        self.assertGreater(total, 20)
        lost = 0
        for number in range(1, total + 1):
            step = page.get_by_role("region", name="This step", exact=True)
            expect(step).to_contain_text(f"Step {number} of {total}")
            lost += page.get_by_text("The laptop loses the box with this step.").count()
            if page.get_by_role("button", name="Attach the backup file").count():
                keys.press("m")
                expect(page.get_by_role("button", name="Attach the backup file")).to_be_focused()
                config = {"name": "canal.cfg", "mimeType": "text/plain", "buffer": b"hostname canal-edge\n"}
                page.get_by_label("Backup file", exact=True).set_input_files(
                    [config]
                )  # the chooser is the system's own
                expect(step.get_by_text("SHA-256")).to_be_visible()
                keys.press("d")
            elif (shown := step.get_by_label("What it shows", exact=True)).count():
                keys.press("m")
                expect(shown).to_be_focused()
                shown.fill(shown_by_box(page))  # the clipboard is the system's own
                tab_to(page, "Keep: as planned")
                keys.press("Enter")
            elif (fields := step.locator("textarea[data-measure]")).count():
                keys.press("m")
                for place in range(fields.count()):
                    expect(fields.nth(place)).to_be_focused()
                    text = answer(fields.nth(place))
                    if text:
                        keys.type(text)
                        expect(
                            fields.nth(place).locator("xpath=ancestor::*[@data-beyond]").get_by_role("status")
                        ).to_be_visible()
                    keys.press("Enter")
            else:
                keys.press("Space")
            if number < total:
                expect(step).to_contain_text(f"Step {number + 1} of {total}")
        self.assertEqual(lost, 1)
        expect(page.get_by_role("navigation", name="Boxes of this site")).to_contain_text(f"{total}/{total}")

        keys.press("8")
        expect(page.get_by_role("article", name="Site sheet")).to_contain_text("BW5-30117")
        tab_to(page, "Ship")
        keys.press("Enter")
        expect(page.get_by_text("canal-edge is staged")).to_be_visible()
        expect(page.get_by_text("Cleared by Ines Aldering")).to_be_visible()
        page.get_by_label("Carrier", exact=True).focus()
        keys.type("Parcel van")
        keys.press("Tab")
        keys.type("PV-2071")
        keys.press("Enter")
        expect(page.get_by_role("region", name="Shipped")).to_contain_text("with Parcel van (PV-2071)")
        expect(page.get_by_role("link", name=re.compile("8 Handover")).get_by_role("img", name="done")).to_be_visible()


class Bench(InBrowser):
    def test_what_a_box_shows_is_pasted_in_a_step_and_departures_make_it_trouble(self) -> None:
        page = self.desk_bench("FERN/MILL")
        page.get_by_role("button", name=re.compile("Paste what it shows now")).click()
        expect(page.get_by_role("button", name="Done")).to_have_count(0)
        text = shown_by_box(page)
        page.get_by_label("What it shows", exact=True).fill(f"{text}\ninet 10.231.9.1/24\n")
        step = page.get_by_role("region", name="This step", exact=True)
        expect(step.get_by_role("region", name="Seen and not planned")).to_contain_text("10.231.9.1/24")
        step.get_by_role("button", name="Keep what was found").click()
        expect(step.get_by_text(re.compile("Trouble by Ines Aldering.*1 otherwise"))).to_be_visible()
        page.get_by_label("What it shows", exact=True).fill(text)
        step.get_by_role("button", name="Keep: as planned").click()
        expect(step.get_by_role("heading", name="Take a backup and attach it")).to_be_visible()
        page.get_by_role("button", name=re.compile("Paste what it shows now")).click()
        expect(step.get_by_text("Done by Ines Aldering")).to_be_visible()

    def test_trouble_is_noted_and_a_bad_answer_is_not_taken_for_good(self) -> None:
        page = self.desk_bench("FERN/MILL")
        page.keyboard.press("t")
        page.get_by_label("What trouble there was").fill("The carton holds another model")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Trouble by Ines Aldering").first).to_be_visible()
        page.reload()
        expect(page.get_by_text("The carton holds another model")).to_be_visible()
        page.get_by_role("button", name=re.compile("Laptop: ask for an address")).first.click()
        field = page.get_by_label("Address that the laptop got")
        field.fill("169.254.9.9")
        expect(page.get_by_text("DHCP is not running")).to_be_visible()
        field.press("Enter")
        expect(page.get_by_text(re.compile("Trouble by Ines Aldering, .*DHCP is not running"))).to_be_visible()
        page.reload()
        page.get_by_role("button", name=re.compile("Laptop: ask for an address")).first.click()
        expect(page.get_by_label("Address that the laptop got")).to_have_value("169.254.9.9")

    def test_a_change_of_the_plan_marks_the_step_it_touches(self) -> None:
        page = self.desk_bench("PAWS/HERON")
        page.get_by_role("button", name=re.compile("Main on port Net")).click()
        expect(page.get_by_text("Done by Ines Aldering")).to_be_visible()
        other = self.visit()
        self.desk("PAWS/HERON", page=other)
        other.get_by_role("region", name="Circuit Main").get_by_role("button").first.click()
        other.get_by_label("Resolvers", exact=True).fill("192.0.2.99")
        other.get_by_label("Resolvers", exact=True).press("Enter")
        expect(other.get_by_text("Resolvers 192.0.2.53").or_(other.get_by_text("Main resolvers")).first).to_be_visible()
        page.reload()
        page.get_by_role("button", name=re.compile("Main on port Net")).click()
        expect(page.get_by_text("The plan asks for something else since.")).to_be_visible()
        row = page.get_by_role("row", name=re.compile("^Resolvers"))
        expect(row).to_contain_text(re.compile("192.0.2.53.*192.0.2.99"))

    def test_values_are_copied_one_after_another_by_key(self) -> None:
        page = self.desk_bench("PAWS/HERON")
        page.get_by_role("button", name=re.compile("Main on port Net")).click()
        page.locator("h2").first.click()
        page.keyboard.press("c")
        expect(page.get_by_role("button", name="Copy Port")).to_be_focused()
        page.keyboard.press("c")
        expect(page.get_by_role("button", name="Copy Address")).to_be_focused()
        page.get_by_title("Enlarge").nth(1).click()
        expect(page.get_by_role("dialog", name="Address")).to_contain_text("203.0.113.34")

    def desk_bench(self, site: str) -> Page:
        self.page.goto(f"/sites/{site}/bench")
        expect(self.page.get_by_role("region", name="This step", exact=True)).to_be_visible()
        return self.page


class TwoTechnicians(InBrowser):
    def test_who_ticks_second_sees_what_the_first_recorded(self) -> None:
        pages = [self.page, self.visit("marek")]
        for page in pages:
            page.goto("/sites/FERN/MILL/bench")
            page.get_by_role("button", name=re.compile(r"^\d+\s*Log in\s*$")).click()
            expect(page.get_by_role("heading", name="Log in", exact=True)).to_be_visible()
        pages[0].keyboard.press("t")
        pages[0].get_by_label("What trouble there was").fill("It does not answer")
        pages[1].keyboard.press("Space")
        expect(pages[1].get_by_role("heading", name="Log in", exact=True)).to_have_count(0)
        pages[0].keyboard.press("Enter")
        expect(pages[0].get_by_role("alert")).to_contain_text("Marek Dunmore has recorded this step as done")
        expect(pages[0].get_by_label("What trouble there was")).to_have_value("It does not answer")
        expect(pages[0].get_by_text("Done by Marek Dunmore")).to_be_visible()


class PasswordsOfTables(InBrowser):
    def test_a_pppoe_password_goes_to_the_safe(self) -> None:
        page = self.page
        table = "customer,site,circuit,handoff,pppoe_user,pppoe_password\nPAWS,QUARRY,Main,pppoe,,walnut99\n"
        file = {"name": "circuits.csv", "mimeType": "text/csv", "buffer": table.encode()}
        page.get_by_label("Intake tables").set_input_files([file])
        dialog = page.get_by_role("dialog", name="What these tables would change")
        expect(dialog.get_by_text("1 PPPoE password for the safe")).to_be_visible()
        expect(dialog.get_by_text("walnut99")).to_have_count(0)
        dialog.get_by_role("button", name="Load 1 site").click()
        page.get_by_role("button", name="Close").click()
        self.desk("PAWS/QUARRY", "credentials")
        page.get_by_role("button", name="Read PPPoE password of Main").click()
        expect(page.get_by_test_id("secret")).to_have_text("walnut99")


class Wiring(InBrowser):
    def test_by_mouse(self) -> None:
        page = self.desk("PAWS/HERON", "devices")
        jack = page.get_by_role("button", name=re.compile("^Port C of heron-edge"))
        expect(jack).to_have_accessible_name(re.compile("unused"))
        page.get_by_title("Drag Guest onto a port").drag_to(jack)
        expect(jack).to_have_accessible_name(re.compile("access, Guest"))
        page.get_by_role("button", name=re.compile("^Port D of heron-edge")).scroll_into_view_if_needed()
        jack.drag_to(page.get_by_role("button", name=re.compile("^Port 3 of heron-switch")))
        expect(jack).to_have_accessible_name(re.compile("into port 3 of heron-switch"))
        page.get_by_role("button", name=re.compile("^Port 2 of heron-ap|^Port LAN of heron-ap")).click()
        expect(page.get_by_role("dialog", name="Port LAN of heron-ap")).to_be_visible()

    def test_by_keyboard(self) -> None:
        page = self.desk("LIBR/CANAL", "devices")
        jack = page.get_by_role("button", name=re.compile("^Port D of canal-edge"))
        jack.focus()
        page.keyboard.press("Enter")
        dialog = page.get_by_role("dialog", name="Port D of canal-edge")
        expect(dialog.get_by_label("It is for")).to_be_focused()
        dialog.get_by_label("It is for").select_option("access")
        expect(dialog.get_by_role("combobox", name="Segment", exact=True)).to_have_value(re.compile("."))
        dialog.get_by_label("Cable: colour or label").fill("blue")
        dialog.get_by_label("switched on").click()
        expect(dialog.get_by_label("switched on")).not_to_be_checked()
        page.keyboard.press("Escape")
        rail = page.get_by_role("complementary", name="Findings")
        finding = rail.get_by_role("button", name=re.compile("Port in use but switched off"))
        finding.click()
        expect(jack).to_be_focused()

    def test_a_device_is_edited_in_place(self) -> None:
        page = self.desk("FERN/MILL", "devices")
        box = page.get_by_role("region", name="Box mill-edge")
        box.get_by_role("button").first.click()
        name = box.get_by_label("Host name")
        name.fill("mill edge")
        expect(box.get_by_role("alert")).to_contain_text("RFC 1123")
        name.press("Escape")
        serial = box.get_by_label("Serial number")
        serial.focus()
        for scanned in ("BW5-30777", "0277e5209310", "ASSET-12"):  # a scanner types, and presses Enter
            page.keyboard.type(scanned)
            page.keyboard.press("Enter")
        expect(box.get_by_label("Location")).to_be_focused()
        expect(box.get_by_label("MACs")).to_have_value("02:77:e5:20:93:10")
        expect(box.get_by_label("Asset tag")).to_have_value("ASSET-12")
        rail = page.get_by_role("complementary", name="Findings")
        page.get_by_role("button", name="Add a Wi-Fi network").click()
        wifi = page.get_by_role("region", name="Wi-Fi Millbank")
        wifi.get_by_label("Security").select_option("open")
        expect(rail.get_by_role("button", name=re.compile("Wi-Fi without encryption"))).to_be_visible()


class Credentials(InBrowser):
    def test_a_secret_is_made_read_spelled_out_and_noted(self) -> None:
        page = self.desk("FERN/DOCK", "credentials")
        page.get_by_role("button", name="Make the 4 that are missing").click()
        expect(page.get_by_text("4 slots, all filled")).to_be_visible()
        page.get_by_role("button", name="Read administrator password of dock-edge").click()
        dialog = page.get_by_role("dialog", name="administrator password of dock-edge")
        secret = dialog.get_by_test_id("secret").inner_text()
        self.assertGreaterEqual(len(secret), 13)
        expect(dialog.get_by_text(re.compile("small|capital")).first).to_be_visible()
        dialog.get_by_role("button", name="Hide").click()
        expect(page.get_by_text(secret)).to_have_count(0)
        page.goto("/journal")
        expect(page.get_by_role("row", name=re.compile("secret read dock-edge administrator password"))).to_be_visible()
        page.get_by_role("button", name="Check the chain").click()
        expect(page.get_by_role("status")).to_contain_text("the chain is whole")

    def test_a_weak_secret_is_told_while_typed_and_stops(self) -> None:
        page = self.desk("FERN/MILL", "credentials")
        page.get_by_role("button", name="Type administrator password of mill-edge").click()
        dialog = page.get_by_role("dialog", name="Type administrator password of mill-edge")
        dialog.get_by_label("Secret").fill("short")
        expect(dialog.get_by_text("wants at least 12")).to_be_visible()
        dialog.get_by_label("Secret").fill("Password123!")
        dialog.get_by_label("The same again").fill("Password123!")
        expect(dialog.get_by_role("status")).to_contain_text("guessed")
        dialog.get_by_role("button", name="Keep it").click()
        rail = page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("button", name=re.compile("Secret that is easily guessed"))).to_be_visible()

    def test_many_sites_are_filled_in_one_action(self) -> None:
        page = self.page
        page.goto("/safe")
        page.get_by_label("Choose Weir Road").check()
        page.get_by_role("button", name="Make 3 missing secrets at 1 site").click()
        expect(page.get_by_text("3 secrets made just now")).to_be_visible()

    def test_a_secret_hides_itself_and_its_copy_leaves_the_clipboard(self) -> None:
        page = self.page
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        page.clock.install()
        self.desk("PAWS/HERON", "credentials")
        page.get_by_role("button", name="Read backup passphrase of heron-edge").click()
        dialog = page.get_by_role("dialog", name="backup passphrase of heron-edge")
        secret = dialog.get_by_test_id("secret").inner_text()
        dialog.get_by_role("button", name="Copy").click()
        expect(dialog.get_by_role("status")).to_contain_text("cleared after 30 seconds")
        clipboard = "navigator.clipboard.readText()"
        self.assertEqual(page.evaluate(clipboard), secret)
        page.clock.run_for(31_000)
        expect(dialog).to_be_visible()
        self.assertEqual(page.evaluate(clipboard), "")
        page.clock.run_for(20_000)
        expect(dialog).to_have_count(0)

    def test_the_history_of_a_slot_is_kept(self) -> None:
        page = self.desk("HARB/HIGH", "credentials")
        page.get_by_role("button", name="Make new administrator password of high-edge").click()
        page.get_by_role("dialog", name="A new administrator password of high-edge?").get_by_role(
            "button", name="Make a new one"
        ).click()
        expect(page.get_by_text(re.compile("number 2"))).to_be_visible()
        page.get_by_role("button", name="History of administrator password of high-edge").click()
        entries = page.get_by_role("list", name="Secrets of this slot, newest first")
        expect(entries.get_by_text("counts now")).to_be_visible()
        entries.get_by_role("button", name="Read").click()
        old = page.get_by_role("dialog", name=re.compile("number 1"))
        expect(old.get_by_test_id("secret")).to_be_visible()
        old.get_by_role("button", name="Hide").click()
        entries.get_by_role("button", name="Bring number 1 back").click()
        expect(page.get_by_text(re.compile("number 3")).first).to_be_visible()

    def test_a_secret_that_belongs_to_no_device(self) -> None:
        page = self.desk("KILN/WORK", "credentials")
        expect(page.get_by_text("No secret is needed yet")).to_be_visible()
        page.get_by_role("button", name="Add a named secret").click()
        expect(page.get_by_text("No secret is needed yet")).to_be_visible()  # nothing is made before it has a name
        name = page.get_by_label("What the secret is called")
        name.fill("Alarm panel")
        name.press("Enter")
        expect(page.get_by_role("group", name="Alarm panel of Workshop")).to_contain_text("not made yet")
        page.get_by_role("button", name="Make Alarm panel of Workshop").click()
        expect(page.get_by_role("group", name="Alarm panel of Workshop")).to_contain_text("very strong")

    def test_a_viewer_is_offered_no_secret(self) -> None:
        page = self.visit("wren")
        self.desk("PAWS/HERON", "credentials", page)
        expect(page.get_by_text("6 slots, all filled")).to_be_visible()
        for name in ("Read", "Make", "Type"):
            expect(page.get_by_role("button", name=re.compile(f"^{name} "))).to_have_count(0)
        page.goto("/sites/PAWS/HERON/bench")
        expect(page.get_by_role("region", name="This step", exact=True)).to_be_visible()
        expect(page.get_by_role("button", name="Done", exact=True)).to_have_count(0)


class Reasons(InBrowser):
    def test_a_reason_is_asked_for_when_the_organisation_wants_one(self) -> None:
        page = self.page
        page.goto("/safe")
        choice = page.get_by_label("Whoever reads a secret says what for")
        with page.expect_response("**/api/safe/settings"):
            choice.click()
        expect(choice).to_be_checked()
        self.desk("LIBR/CANAL", "credentials")
        page.get_by_role("button", name="Read administrator password of canal-edge").click()
        dialog = page.get_by_role("dialog", name="administrator password of canal-edge")
        dialog.get_by_label("What it is read for").fill("Bench 2")
        page.keyboard.press("Enter")
        expect(dialog.get_by_test_id("secret")).to_be_visible()
        page.goto("/journal?act=secret+read")
        expect(page.get_by_role("cell", name="Bench 2")).to_be_visible()


class Hardware(InBrowser):
    def test_a_type_is_described_and_used(self) -> None:
        page = self.page
        page.goto("/hardware")
        page.get_by_role("button", name="Add a hardware type").click()
        form = page.get_by_role("form", name="Hardware type")
        form.get_by_label("Maker", exact=True).fill("Plover")
        form.get_by_label("Model", exact=True).fill("P4")
        form.get_by_role("button", name="Save it").click()
        expect(form.get_by_role("alert")).to_contain_text("needs address and mask")
        form.get_by_label("Factory address").fill("192.168.66.1")
        form.get_by_role("button", name="Add a port").click()
        many = form.get_by_label("Many ports at once")
        many.fill("3-10, 11-12 optical")
        expect(form.get_by_text("“optical” is no medium")).to_be_visible()
        many.fill("3-10, 11-12 fibre")
        many.press("Enter")
        expect(form.get_by_label("Medium of 12")).to_have_value("fibre")
        services = form.get_by_label("Answers on the network")
        services.press_sequentially("https, ssh")
        expect(services).to_have_value("https, ssh")
        form.get_by_role("button", name="Save it").click()
        article = page.get_by_role("article", name="Plover P4")
        expect(article).to_contain_text("HTTPS, SSH")
        expect(article).to_contain_text("192.168.66.1/24")
        article.get_by_label("Something you found out").fill("The label is inside the battery lid")
        article.get_by_role("button", name="Note it").click()
        expect(article.get_by_text("Ines Aldering,").first).to_be_visible()
        expect(article.get_by_role("button", name="2 versions")).to_be_visible()
        self.desk("LIBR/BELL", "devices")
        page.get_by_role("button", name="Add a box").click()
        page.get_by_label("Hardware").select_option(label="Plover P4")
        page.get_by_role("button", name="Add, wired and addressed").click()
        expect(page.get_by_role("region", name="Box bell-edge")).to_be_visible()
        page.get_by_role("button", name="Take the box back").click()
        expect(page.get_by_role("region", name="Box bell-edge")).to_have_count(0)

    def test_a_type_is_copied_and_a_kind_begins_with_what_is_usual_of_it(self) -> None:
        page = self.look_at("/hardware/skerry-f7")
        page.get_by_role("button", name="Copy it").click()
        form = page.get_by_role("form", name="Hardware type")
        ports = form.get_by_label(re.compile("^Name of port")).count()
        form.get_by_label("Model", exact=True).fill("F8")
        form.get_by_role("button", name="Save it").click()
        expect(page.get_by_role("article", name="Skerry F8")).to_be_visible()
        page.get_by_role("button", name="Add a hardware type").click()
        form.get_by_label("Kind").select_option("switch")
        expect(form.get_by_label(re.compile("^Name of port"))).to_have_count(8)
        form.get_by_label("Kind").select_option("access point")
        expect(form.get_by_label(re.compile("^Name of port"))).to_have_count(1)
        self.assertGreater(ports, 3)

    def test_from_a_box_without_a_type_one_comes_back_with_it(self) -> None:
        page = self.look_at("/hardware?new=modem&for=LIBR%2FLOCK&as=modem")
        form = page.get_by_role("form", name="Hardware type")
        expect(form.get_by_label("Kind")).to_have_value("modem")
        form.get_by_label("Maker", exact=True).fill("Plover")
        form.get_by_label("Model", exact=True).fill("M1")
        form.get_by_label("Factory address").fill("192.168.77.1")
        form.get_by_role("button", name="Save it").click()
        expect(page.get_by_role("dialog", name="Add a box").get_by_label("Hardware")).to_have_value("plover-m1")


class Finding(InBrowser):
    def test_a_box_is_found_by_its_serial_number_and_leads_to_its_page(self) -> None:
        page = self.page
        page.keyboard.press("/")
        page.keyboard.type("BW5-20931")
        expect(page.get_by_role("option", name=re.compile("heron-edge"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Box heron-edge").get_by_label("Serial number")).to_have_value(
            "BW5-20931"
        )


class Papers(InBrowser):
    def test_every_paper_is_there_and_the_credential_sheet_only_on_request(self) -> None:
        page = self.desk("PAWS/HERON", "handover")
        papers = page.get_by_role("navigation", name="Papers")
        papers.get_by_role("button", name="Installer's page").click()
        expect(page.get_by_role("article", name="Installer's page")).to_contain_text(
            "the socket or box of Gannet Broadband"
        )
        papers.get_by_role("button", name="Labels").click()
        expect(
            page.get_by_role("article", name="Label of heron-edge").get_by_role("img", name=re.compile("^QR"))
        ).to_be_visible()
        expect(page.get_by_role("img", name="Barcode: BW5-20931")).to_be_visible()
        papers.get_by_role("button", name="Credential sheet").click()
        page.get_by_label("What it is for").fill("Sealed envelope for the customer")
        with page.expect_download() as download:
            page.get_by_role("button", name="Make the credential sheet").click()
        with tempfile.TemporaryDirectory() as folder:
            download.value.save_as(Path(folder) / "sheet.pdf")
            self.assertEqual((Path(folder) / "sheet.pdf").read_bytes()[:5], b"%PDF-")
        papers.get_by_role("button", name="Ship").click()
        expect(page.get_by_role("button", name="It ships")).to_be_disabled()
        expect(page.get_by_text(re.compile("heron-edge: 1. of 3. steps are open"))).to_be_visible()


class People(InBrowser):
    def test_an_account_is_made_and_its_password_changed_by_its_owner(self) -> None:
        page = self.page
        page.goto("/people")
        page.get_by_label("Full name").fill("Tam Brook")
        page.get_by_label("Signs in as").fill("tam")
        page.get_by_label("First password, 12 characters or more").fill("walnut mist 12")
        page.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("row", name=re.compile("Tam Brook"))).to_be_visible()
        tam = self.blank()
        tam.get_by_label("Name").fill("tam")
        tam.get_by_label("Password").fill("walnut mist 12")
        tam.get_by_role("button", name="Sign in").click()
        tam.get_by_role("button", name="Tam Brook").click()
        tam.get_by_role("menuitem", name="My account").click()
        tam.get_by_label("Old password").fill("walnut mist 12")
        tam.get_by_label("New password, 12 characters or more").fill("copper anchor 7")
        tam.get_by_label("The same again").fill("copper anchor 7")
        tam.get_by_role("button", name="Change it").click()
        expect(tam.get_by_text("It is changed")).to_be_visible()
        second = tam.get_by_role("region", name="Second factor")
        second.get_by_label("Your password").fill("copper anchor 7")
        second.get_by_role("button", name="Turn it on").click()
        expect(tam.get_by_role("img", name="QR code for the authenticator app")).to_be_visible()
        key = tam.locator("form p.mono").inner_text().replace(" ", "")
        tam.get_by_label("Code").fill(pyotp.TOTP(key).now())
        tam.get_by_role("button", name="Confirm").click()
        codes = tam.get_by_role("list", name="Recovery codes").get_by_role("listitem")
        expect(codes).to_have_count(10)
        recovery = codes.first.inner_text()
        tam.get_by_role("button", name="I have kept them").click()
        expect(tam.get_by_text("It is on: signing in asks for a code of your")).to_be_visible()
        again = self.blank()
        again.get_by_label("Name").fill("tam")
        again.get_by_label("Password").fill("copper anchor 7")
        again.get_by_role("button", name="Sign in").click()
        expect(again.get_by_label("Code of the second factor")).to_be_focused()
        again.get_by_label("Code of the second factor").fill("000000")
        again.keyboard.press("Enter")
        expect(again.get_by_role("alert")).to_contain_text("do not fit")
        again.get_by_label("Code of the second factor").fill(recovery)
        again.keyboard.press("Enter")
        expect(again.get_by_role("button", name="Tam Brook")).to_be_visible()
        tam.reload()
        here = tam.get_by_role("region", name="Sessions")
        expect(here.get_by_role("listitem")).to_have_count(2)
        here.get_by_role("button", name="End it").click()
        expect(here.get_by_role("listitem")).to_have_count(1)
        page.reload()
        row = page.get_by_role("row", name=re.compile("Tam Brook"))
        row.get_by_role("button", name="Remove…").click()
        row.get_by_role("button", name="Remove tam for good").click()
        expect(row).to_have_count(0)

    def test_a_copy_is_made_and_the_installation_tells_of_itself(self) -> None:
        page = self.page
        page.goto("/operation")
        expect(page.get_by_role("heading", level=1)).to_contain_text("there is no copy yet")
        page.get_by_role("button", name="Make one now").click()
        copies = page.get_by_role("region", name="Copies")
        expect(copies.get_by_role("row", name=re.compile(r"octaplan-.*\.zip"))).to_have_count(1)
        expect(page.get_by_role("heading", level=1)).to_contain_text("0 minutes old")
        expect(page.get_by_role("region", name="This installation")).to_contain_text("24 sites")
        page.goto("/journal")
        expect(page.get_by_text(re.compile("copy made, octaplan-"))).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="Save as JSON Lines").click()
        self.assertEqual(download.value.suggested_filename, "journal.jsonl")

    def test_an_account_is_given_a_last_day(self) -> None:
        page = self.page
        page.goto("/people")
        day = page.get_by_label("Last day of Wren Tolley")
        day.fill("2031-02-30")
        expect(page.get_by_role("alert")).to_contain_text("No such day")
        day.fill("2031-02-28")
        day.press("Enter")
        page.reload()
        expect(page.get_by_label("Last day of Wren Tolley")).to_have_value("2031-02-28")
        page.get_by_label("What Wren Tolley may do").select_option("planner")
        page.goto("/journal")
        expect(page.get_by_text("wren: role planner")).to_be_visible()
