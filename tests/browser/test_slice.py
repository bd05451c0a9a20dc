"""The job end to end, in a real browser: from the technician's tables to a site cleared to ship."""

from __future__ import annotations

import io
import re
import tempfile
from pathlib import Path

import openpyxl
from playwright.sync_api import Page, expect

from tests.browser.support import AXE, Held, InBrowser

TABLES = {
    "sites": "customer,site,name,ship_date,technician,time_zone\n"
    "MOSS,GATE,Moss Gate,2030-01-10,Ines Aldering,Europe/Dublin\nMOSS,YARD,Moss Yard,2030-01-11,,Europe/Dublin\n",
    "circuits": "customer,site,circuit,handoff,address,prefix,gateway,dns\n"
    "MOSS,GATE,Main,static,198.51.100.226,255.255.255.248,198.51.100.225,192.0.2.53 192.0.2.54\n"
    "MOSS,YARD,Main,dhcp,,,,\n",
    "segments": "customer,site,segment,role,vlan,subnet,gateway,dhcp_first,dhcp_last,dns\n"
    "MOSS,GATE,Office,office,10,10.90.0.0/24,10.90.0.1,10.90.0.60,10.90.0.199,192.0.2.53 192.0.2.54\n"
    "MOSS,GATE,Guest,guest,40,192.168.0.0/24,192.168.0.1,192.168.0.10,192.168.0.250,192.0.2.53 192.0.2.54\n"
    "MOSS,YARD,Stores,office,10,10.90.0.0/24,10.90.0.1,,,\n"
    "MOSS,YARD,Broken,office,4095,10.90.3.0/24,10.90.3.1,,,\n",
    "hosts": "customer,site,segment,name,kind,address,method\nMOSS,GATE,Office,printer 1,printer,10.90.0.10,static\n",
}


def drop(page: Page, files: dict[str, str]) -> None:
    """Drop files on the page as a hand would."""
    transfer = page.evaluate_handle(
        """files => {
            const transfer = new DataTransfer();
            for (const [name, text] of Object.entries(files))
                transfer.items.add(new File([text], `${name}.csv`, { type: 'text/csv' }));
            return transfer;
        }""",
        files,
    )
    target = page.get_by_role("heading", name=re.compile("^Show"))
    target.dispatch_event("dragover", {"dataTransfer": transfer})
    target.dispatch_event("drop", {"dataTransfer": transfer})


class FromTablesToShipping(InBrowser):
    def test_the_whole_way(self) -> None:
        page = self.page
        drop(page, TABLES)
        dialog = page.get_by_role("dialog", name="What these tables would change")
        expect(dialog.get_by_text("1 row refused")).to_be_visible()
        expect(dialog.get_by_role("row", name=re.compile("segments.csv 5 vlan 4095"))).to_be_visible()
        with page.expect_download() as download:
            dialog.get_by_role("link", name="refused segments.csv").click()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "refused.csv"
            download.value.save_as(path)
            self.assertIn("MOSS,YARD,Broken,office,4095", path.read_text("utf-8-sig"))
        dialog.get_by_role("button", name="Load 2 sites").click()
        expect(page.get_by_role("status").filter(has_text="2 sites saved")).to_be_visible()
        page.get_by_role("button", name="Close").click()

        page.get_by_role("link", name=re.compile("Moss Gate")).click()
        rail = page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("heading", name="1 stop before it can ship")).to_be_visible()
        rail.get_by_role("button", name=re.compile("Same addresses as another site")).click()
        expect(page.get_by_label("Subnet", exact=True)).to_be_focused()
        expect(page.get_by_label("Subnet", exact=True)).to_have_value("10.90.0.0/24")
        subnet = page.get_by_label("Subnet", exact=True)
        subnet.fill("10.90.8.0/24")
        expect(
            page.get_by_text(re.compile("254 usable addresses; gateway, range and 1 host move along"))
        ).to_be_visible()
        subnet.press("Enter")
        expect(rail.get_by_role("button", name=re.compile("Same addresses as another site"))).to_have_count(0)
        expect(page.get_by_label("Address of printer 1")).to_have_value("10.90.8.10")

        page.get_by_role("navigation", name="Stages").get_by_role("link", name=re.compile("Devices")).click()
        page.get_by_role("button", name="Add a box").click()
        page.get_by_label("Hardware").select_option(label="Brackwater E5")
        page.get_by_role("button", name="Add, wired and addressed").click()
        expect(page.get_by_role("status", name="What was assumed")).to_contain_text("Managed by HTTPS from Office")
        page.get_by_role("button", name="As it should be").click()
        expect(rail.get_by_role("heading", name="2 stops before it can ship")).to_be_visible()
        rail.get_by_role("button", name=re.compile("Secret not in the safe")).first.click()
        page.get_by_role("button", name="Make the 2 that are missing").click()
        expect(page.get_by_text("2 slots, all filled")).to_be_visible()

        page.get_by_role("navigation", name="Stages").get_by_role("link", name=re.compile("Clearance")).click()
        sign = page.get_by_role("button", name=re.compile("Sign revision"))
        expect(sign).to_be_disabled()
        way = page.get_by_role("region", name="In the way")
        way.get_by_role("button", name="Accept…").click()
        way.get_by_label("Why it is accepted").fill("Guests have no remote workers")
        way.get_by_role("button", name="Accept", exact=True).click()
        expect(page.get_by_text("Ines Aldering: Guests have no remote workers").first).to_be_visible()
        sign.click()
        expect(page.get_by_role("heading", name="Clear to ship").first).to_be_visible()

        page.keyboard.press("8")
        sheet = page.get_by_role("article", name="Site sheet")
        for value in ("198.51.100.226", "255.255.255.248 (/29)", "198.51.100.225", "10.90.8.60", "Clear to ship"):
            expect(sheet.get_by_text(value).first).to_be_visible()
        page.emulate_media(media="print")
        expect(page.get_by_role("banner").first).to_be_hidden()
        expect(sheet).to_be_visible()
        page.emulate_media(media="screen")

        page.keyboard.press("2")
        self.open_segment("Office")
        page.get_by_label("VLAN", exact=True).first.fill("11")
        page.get_by_label("VLAN", exact=True).first.press("Enter")
        expect(rail.get_by_role("heading", name="Clear to ship")).to_have_count(0)
        page.keyboard.press("Escape")
        page.get_by_role("link", name=re.compile("6 Clearance")).click()
        expect(page.get_by_text("The clearance of revision 4 is void")).to_be_visible()
        expect(page.get_by_text("Office VLAN 10 → 11").first).to_be_visible()

    def test_loading_the_same_again_changes_nothing(self) -> None:
        tables = {"sites": "customer,site,name\nSAME,ONE,One\n"}
        drop(self.page, tables)
        self.page.get_by_role("button", name="Load 1 site").click()
        self.page.get_by_role("button", name="Close").click()
        drop(self.page, tables)
        expect(self.page.get_by_role("button", name="Nothing to change")).to_be_disabled()

    def test_an_empty_workbook_is_taken_filled_in_and_loaded(self) -> None:
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="empty intake workbook").click()
        book = openpyxl.load_workbook(io.BytesIO(download.value.path().read_bytes()))
        book["sites"].append(["BOOK", "SHOP", "The book shop"])
        book["segments"].append(["BOOK", "SHOP", "Office", "office", 10, None, None, "10.90.1.1/24", "10.90.1.1"])
        filled = io.BytesIO()
        book.save(filled)
        kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
        file = {"name": "intake.xlsx", "mimeType": kind, "buffer": filled.getvalue()}
        self.page.get_by_label("Intake tables").set_input_files([file])  # type: ignore[list-item]
        expect(self.page.get_by_text("10.90.1.1/24").first).to_be_visible()
        self.page.get_by_role("button", name="Load 1 site").click()
        self.page.get_by_role("button", name="Close").click()
        self.desk("BOOK/SHOP")
        row = self.page.get_by_role("region", name="Segment Office", exact=True)
        expect(row.get_by_text("10.90.1.0/24")).to_be_visible()

    def test_what_is_no_table_is_said_and_nothing_is_kept(self) -> None:
        for files, words in (
            ({"sites": ""}, "empty"),
            ({"sites": "customer,site,Site\n"}, "twice"),
            ({"people": "a,b\n"}, "none of sites.csv"),
            ({"sites": "customer,site\n" + "x" * (33 << 20)}, "larger than 32 MB"),
        ):
            with self.subTest(words):
                drop(self.page, files)
                expect(self.page.get_by_role("alert").filter(has_text=words)).to_be_visible()
                self.page.get_by_role("button", name="Close").click()


class Editing(InBrowser):
    def test_a_bad_value_is_refused_beside_its_field_and_kept(self) -> None:
        page = self.desk("FERN/DOCK")
        self.open_segment("Voice")
        revision = page.get_by_text(re.compile(r"^Revision \d+")).first
        before = revision.inner_text()
        field = page.get_by_label("DHCP range", exact=True)
        field.fill(".20-.300")
        expect(page.get_by_role("alert").filter(has_text="Octet 300 (> 255)")).to_be_visible()
        field.press("Enter")
        expect(field).to_have_value(".20-.300")
        expect(revision).to_have_text(before)
        field.press("Escape")
        expect(field).to_have_value("10.40.1.20 - .239")

    def test_fixing_an_overlap_by_keyboard_alone(self) -> None:
        page = self.desk("FERN/DOCK")
        rail = page.get_by_role("complementary", name="Findings")
        finding = rail.get_by_role("button", name=re.compile("Fixed host inside a DHCP range"))
        page.keyboard.press("j")
        page.keyboard.press("j")
        expect(finding).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_label("Address of phone system")).to_be_focused()
        page.keyboard.press("Shift+Tab")
        field = page.get_by_label("DHCP range", exact=True)
        field.focus()
        page.keyboard.press("Control+a")
        page.keyboard.type(".20 + 180")
        expect(page.get_by_text("10.40.1.20 to 10.40.1.199, 180 addresses")).to_be_visible()
        page.keyboard.press("Enter")
        expect(finding).to_have_count(0)
        expect(page.get_by_text("Voice range end 10.40.1.239 → 10.40.1.199").first).to_be_visible()

    def test_the_other_site_of_an_overlap_is_freed_too(self) -> None:
        self.desk("FERN/MILL")
        rail = self.page.get_by_role("complementary", name="Findings")
        expect(rail.get_by_role("heading", name="1 stop before it can ship")).to_be_visible()
        rail.get_by_role("link", name="Open FERN/DOCK").click()
        self.open_segment("Cameras")
        subnet = self.page.get_by_label("Subnet", exact=True)
        subnet.fill("10.40.2.0/24")
        subnet.press("Enter")
        expect(self.page.get_by_label("Address of recorder")).to_have_value("10.40.2.10")
        self.desk("FERN/MILL")
        expect(rail.get_by_role("heading", name="No stop, no open warn")).to_be_visible()

    def test_a_session_that_ends_takes_nothing_typed_with_it(self) -> None:
        page = self.desk("QUAY/STEPS")
        self.open_segment("Office")
        field = page.get_by_label("VLAN", exact=True)
        page.context.clear_cookies()
        field.fill("77")
        again = page.get_by_role("dialog", name="Sign in again")
        again.get_by_label("Name").fill("ines")
        again.get_by_label("Password").fill(self.password)
        again.get_by_role("button", name="Sign in").click()
        expect(again).to_have_count(0)
        expect(field).to_have_value("77")
        field.focus()
        field.press("Enter")
        expect(page.get_by_text("Office VLAN 10 → 77").first).to_be_visible()

    def test_an_answer_from_before_a_change_takes_nothing_back(self) -> None:
        page = self.desk("FERN/MILL")
        held = Held(page, "**/api/sites/FERN/MILL", answered=True)
        with page.expect_request("**/api/sites/FERN/MILL"):
            page.evaluate("document.dispatchEvent(new Event('visibilitychange'))")
        self.open_segment("Office")
        field = page.get_by_label("VLAN", exact=True)
        field.fill("77")
        field.press("Enter")
        expect(page.get_by_text("Office VLAN 10 → 77").first).to_be_visible()
        with page.expect_response("**/api/sites/FERN/MILL"):
            held.let_on()
        page.evaluate("new Promise(done => setTimeout(() => requestAnimationFrame(done), 100))")
        expect(field).to_have_value("77")

    def test_two_people_at_one_value_see_both_and_choose(self) -> None:
        mine, theirs = self.page, self.visit("marek")
        for page in (mine, theirs):
            self.desk("LOOM/REGENT", page=page)
            self.open_segment("Voice", page=page)
        field = mine.get_by_label("VLAN", exact=True)
        field.fill("21")
        theirs.get_by_label("VLAN", exact=True).fill("22")
        theirs.get_by_label("VLAN", exact=True).press("Enter")
        expect(theirs.get_by_text("Voice VLAN 20 → 22").first).to_be_visible()
        field.press("Enter")
        choice = mine.get_by_role("alertdialog", name="Changed by somebody else")
        expect(choice).to_contain_text("Marek Dunmore changed this from 20 to 22 while you wrote 21")
        choice.get_by_role("button", name="Keep mine").click()
        expect(mine.get_by_text("Voice VLAN 22 → 21").first).to_be_visible()

    def test_hosts_and_uses_are_added_and_removed(self) -> None:
        page = self.desk("LOOM/PALACE")
        self.open_segment("Office")
        page.get_by_role("button", name="Add host to Office").click()
        field = page.get_by_label("Address of host 4")
        expect(field).to_be_focused()
        field.fill(".44")
        field.press("Enter")
        expect(field).to_have_value(re.compile(r"\.44$"))
        page.get_by_role("button", name="Remove host 4").click()
        expect(field).to_have_count(0)
        self.desk("LOOM/REGENT")
        page.get_by_role("button", name=re.compile(r"free$")).first.click()
        use = page.get_by_label(re.compile("is used for"))
        use.fill("booking server")
        use.press("Enter")
        expect(page.get_by_role("button", name=re.compile("booking server"))).to_be_visible()

    def test_segments_circuits_and_site_facts_can_be_made_by_hand(self) -> None:
        page = self.desk("PAWS/HERON")
        page.get_by_role("button", name="Add segment").click()
        page.get_by_label("Role of the new segment").select_option("isolated")
        page.get_by_label("Name of the new segment").fill("Lab")
        page.get_by_label("Size of the new segment").fill("10.61.6.0/24")
        page.get_by_role("button", name="Find room").click()
        page.get_by_role("button", name="Take it", exact=True).click()
        row = page.get_by_role("region", name="Segment Lab")
        expect(row.get_by_role("group", name=re.compile("no gateway"))).to_be_visible()
        self.open_segment("Lab")
        row.get_by_label("Subnet", exact=True).fill("10.61.7.0 255.255.255.0")
        row.get_by_label("Subnet", exact=True).press("Enter")
        expect(row.get_by_text("10.61.7.0/24").first).to_be_visible()
        row.get_by_role("button", name="What to do with Lab").click()
        page.get_by_role("menuitem", name="Remove, with its hosts").click()
        page.get_by_role("button", name="Take it", exact=True).click()
        expect(row).to_have_count(0)
        page.get_by_role("button", name="Add circuit").click()
        page.get_by_role("menuitem", name="One more line, beside Main").click()
        expect(page.get_by_role("region", name="Circuit Backup")).to_be_visible()
        page.get_by_role("button", name="site facts").click()
        page.get_by_label("Ship date").fill("2030-02-30")
        expect(page.get_by_role("alert").filter(has_text="no such day")).to_be_visible()
        page.get_by_label("Ship date").fill("2030-02-28")
        page.get_by_label("Ship date").press("Enter")
        expect(page.get_by_text("Ships Thu 2030-02-28")).to_be_visible()


class Finding(InBrowser):
    def test_go_to_by_keyboard(self) -> None:
        page = self.page
        page.keyboard.press("/")
        page.keyboard.type("10.40.1.230")
        expect(page.get_by_text(re.compile("10.40.1.230 is the host phone system of FERN.DOCK"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/sites/FERN/DOCK/addresses#/hosts/"))
        expect(page.get_by_label("Address of phone system")).to_have_value("10.40.1.230")
        page.keyboard.press("/")
        page.keyboard.type("no such thing")
        expect(page.get_by_text("Nothing is called no such thing")).to_be_visible()

    def test_the_sentence_on_outbound_chooses_sites(self) -> None:
        page = self.page
        sites = page.get_by_role("listitem")
        page.get_by_role("button", name="Sites: every site").click()
        page.get_by_role("menuitem", name="every site clear to ship").click()
        expect(sites).to_have_count(2)
        page.get_by_role("button", name=re.compile("Customer: ")).click()
        page.get_by_role("menuitem", name="Millrace Libraries").click()
        expect(sites).to_have_count(1)
        page.reload()
        expect(sites).to_have_count(1)
        page.get_by_role("button", name=re.compile("Shipping: ")).click()
        page.get_by_role("menuitem", name="before today").click()
        expect(page.get_by_role("heading", name="No site fits the sentence")).to_be_visible()

    def test_outbound_is_walked_with_the_arrow_keys(self) -> None:
        page = self.page
        page.get_by_role("listitem").get_by_role("link").first.focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("a[data-index='1']")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/addresses$"))

    def test_pages_that_are_not_there_say_so(self) -> None:
        self.page.goto("/sites/FERN/NONE/addresses")
        expect(self.page.get_by_text("There is no site FERN/NONE")).to_be_visible()
        self.page.goto("/nowhere")
        expect(self.page.get_by_role("heading", name="There is no such page")).to_be_visible()


#: Until every animation that has an end has come to it.
SETTLED = """() => Promise.allSettled(
  document.getAnimations()
    .filter((one) => Number.isFinite(one.effect.getComputedTiming().endTime))
    .map((one) => one.finished))"""


#: Pages that every look at all of them takes in.
PAGES = (
    "/outbound",
    "/sites/FERN/DOCK/intake",
    "/questions",
    "/patterns",
    "/patterns/shop-with-tills",
    "/customers/QUAY",
    "/rollout?customer=QUAY",
    "/imports",
    "/sites/FERN/DOCK/addresses",
    "/sites/PAWS/HERON/devices",
    "/sites/PAWS/HERON/credentials",
    "/sites/PAWS/HERON/bench",
    "/sites/PAWS/HERON/handover",
    "/sites/PAWS/HERON/runs/1",
    "/space?window=10.40.0.0/19&colour=role",
    "/findings?rule=overlap-reach",
    "/compare?one=FERN/DOCK&other=FERN/MILL",
    "/hardware/skerry-f7",
    "/safe",
    "/journal",
    "/settings",
    "/new",
    "/customers",
)  # fmt: skip


#: What reaches beyond the right edge, where nothing scrolls to it and no ellipsis tells that there is more.
CUT_OFF = """() => [...document.querySelectorAll('body *')].filter((element) => {
    const { width, height, right } = element.getBoundingClientRect();
    if (!width || !height || right <= innerWidth + 1 || element.parentElement?.closest('svg')) return false;
    for (let around = element; around && around !== document.body; around = around.parentElement) {
      const { overflowX, textOverflow, clipPath } = getComputedStyle(around);
      if (textOverflow === 'ellipsis' || clipPath !== 'none') return false;
      if (/auto|scroll/.test(overflowX) && around.getBoundingClientRect().right <= innerWidth + 1) return false;
    }
    return true;
  }).map((element) => element.outerHTML.slice(0, 120))"""


class Barriers(InBrowser):
    def axe(self, scheme: str) -> list[str]:
        self.page.evaluate(SETTLED)  # colours on their way from one to another are no barrier
        colours = ", runOnly: { type: 'rule', values: ['color-contrast', 'link-in-text-block'] }"
        only = "" if scheme == "light" else colours  # nothing else differs
        found = self.page.evaluate(f"axe.run(document, {{ resultTypes: ['violations']{only} }})")
        return [
            f"{v['id']}: {v['nodes'][0]['html'][:200]} {v['nodes'][0]['any'][:1]}"
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]

    def barriers(self, path: str) -> None:
        """Look for barriers at a page as it is now, in either scheme."""
        self.page.evaluate(AXE.read_text())
        for scheme in ("light", "dark"):
            with self.subTest(path=path, scheme=scheme):
                self.page.emulate_media(color_scheme=scheme, reduced_motion="reduce")  # type: ignore[arg-type]
                expect(self.page.locator("html")).to_have_attribute("data-scheme", scheme)
                self.assertEqual(self.axe(scheme), [])

    def test_none_is_serious_on_any_page_in_either_scheme(self) -> None:
        for path in PAGES:
            self.look_at(path)
            self.barriers(path)


class MoreBarriers(Barriers):
    def test_none_is_serious_on_any_page_in_either_scheme(self) -> None:
        for path in (
            "/sites/FERN/DOCK/clearance",
            "/sites/PAWS/HERON/handover?paper=installer",
            "/sites/PAWS/HERON/handover?paper=ship",
            "/space?kind=6",
            "/space?kind=public",
            "/rules",
            "/me",
            "/people",
            "/guide",
        ):
            self.look_at(path)
            self.barriers(path)

    def test_none_is_serious_in_a_proposal(self) -> None:
        self.desk("FERN/DOCK")
        self.open_segment("Office")
        self.page.get_by_role("button", name="Lay out").click()
        self.page.get_by_role("button", name="Draw it").click()
        expect(
            self.page.get_by_role("region", name="Proposal").or_(self.page.get_by_role("alert")).first
        ).to_be_visible()
        self.barriers("a proposal")


class Quality(InBrowser):
    def test_a_page_that_cannot_be_fetched_says_so_and_the_others_go_on(self) -> None:
        page = self.page
        page.route("**/assets/SafePage-*.js", lambda route: route.abort())
        page.reload()
        page.get_by_role("link", name="Safe", exact=True).click()
        expect(page.get_by_role("heading", name="This page cannot be shown")).to_be_visible()
        page.get_by_role("link", name="Journal", exact=True).click()
        expect(page.get_by_role("heading", name=re.compile("Journal"))).to_be_visible()
        page.get_by_role("link", name="Safe", exact=True).click()
        expect(page.get_by_role("heading", name="This page cannot be shown")).to_be_visible()  # it was tried again
        page.unroute_all()
        page.get_by_role("button", name="Load it again").click()
        expect(page).to_have_title("Safe · Octaplan")
        expect(page.get_by_role("heading", name="This page cannot be shown")).to_have_count(0)

    def test_nothing_is_cut_off_or_scrolls_sideways(self) -> None:
        for path in PAGES:
            self.look_at(path)
            for width, height in ((1920, 1080), (1280, 800), (960, 800), (640, 400)):  # the last: 1280 at 200 %
                self.page.set_viewport_size({"width": width, "height": height})
                self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), width, path)
                self.assertEqual(self.page.evaluate(CUT_OFF), [], f"{path} at {width} pixels")
            self.assertEqual(self.page.locator("main").count(), 1, path)

    def test_a_viewer_without_a_session_is_asked_to_sign_in(self) -> None:
        self.page.get_by_role("button", name="Ines Aldering").click()
        self.page.get_by_role("menuitem", name="Sign out").click()
        expect(self.page.get_by_role("heading", name="Sign in")).to_be_visible()
        self.page.get_by_label("Name").fill("ines")
        self.page.get_by_label("Password").fill("wrong")
        self.page.get_by_role("button", name="Sign in").click()
        expect(self.page.get_by_role("alert").filter(has_text="do not fit")).to_be_visible()
