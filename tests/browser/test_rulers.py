"""The rulers as a planner works on them: every action once with the mouse and once with the keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, expect

from tests.browser.support import InBrowser


class OnRulers(InBrowser):
    def row(self, label: str) -> Locator:
        return self.page.get_by_role("region", name=f"Segment {label}", exact=True)

    def mark(self, label: str, name: str) -> Locator:
        return self.row(label).locator(f'[data-mark="{name}"]')

    def host(self, label: str, name: str) -> Locator:
        return self.row(label).locator(f'[data-host="{name}"] [data-mark]')

    def at(self, label: str, offset: float) -> tuple[float, float]:
        """Where an address of a /24 is drawn, in the window."""
        box = self.row(label).locator("svg[data-handled]").bounding_box()
        assert box
        return box["x"] + 14 + (offset + 0.5) / 256 * (box["width"] - 28), box["y"] + 60

    def drag(self, label: str, mark: Locator, offset: float, *, let_go: bool = True) -> None:
        """Take hold of a mark and bring it so many addresses on."""
        mark.scroll_into_view_if_needed()
        box = mark.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] - 6
        step = self.at(label, 1)[0] - self.at(label, 0)[0]
        mouse = self.page.mouse
        mouse.move(x, y)
        mouse.down()
        for part in range(1, 9):
            mouse.move(x + offset * step * part / 8, y)
        if let_go:
            mouse.up()

    def revision(self) -> int:
        text = self.page.get_by_text(re.compile("^Revision")).first.inner_text()
        return int(re.findall(r"\d+", text)[0])

    def saved(self, sentence: str) -> None:
        expect(self.page.locator("header").get_by_text(re.compile(sentence))).to_be_attached()

    def rail(self) -> Locator:
        return self.page.get_by_role("complementary", name="Findings")


class Moving(OnRulers):
    def test_findings_follow_a_drag_and_a_release_is_one_revision(self) -> None:
        self.desk("FERN/DOCK")
        before = self.revision()
        finding = self.rail().get_by_role("button", name=re.compile("^Fixed host inside a DHCP range"))
        expect(finding).to_be_visible()
        self.drag("Voice", self.mark("Voice", "range:last"), -20, let_go=False)
        expect(finding).to_have_count(0)
        expect(self.rail().get_by_role("status").get_by_text("not saved yet")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(finding).to_be_visible()
        self.page.mouse.up()
        self.assertEqual(self.revision(), before)
        self.drag("Voice", self.mark("Voice", "range:last"), -20)
        self.saved("Voice range end 10.40.1.239 → 10.40.1.2[12]")
        self.assertEqual(self.revision(), before + 1)
        expect(finding).to_have_count(0)

    def test_a_range_end_by_keys(self) -> None:
        page = self.desk("FERN/ROSE")
        last = self.mark("Voice", "range:last")
        last.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        expect(last).to_have_attribute("aria-valuetext", "end of DHCP range at .201")
        self.saved("Voice range end 10.40.25.199 → 10.40.25.201")
        expect(last).to_be_focused()
        page.keyboard.press("Shift+ArrowRight")
        self.saved("Voice range end 10.40.25.201 → 10.40.25.224")
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("Escape")
        expect(last).to_have_attribute("aria-valuetext", "end of DHCP range at .224")
        page.keyboard.press("Enter")
        field = page.get_by_role("dialog").get_by_label("DHCP range")
        expect(field).to_be_focused()
        field.fill(".20-.180")
        field.press("Enter")
        self.saved("10.40.25.180")

    def test_the_whole_range_the_gateway_and_a_host(self) -> None:
        page = self.desk("QUAY/STEPS")
        x, y = self.at("Voice", 100)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 40, y, steps=6)
        page.mouse.up()
        self.saved("Voice range start 10.52.17.20 → .*; Voice range end 10.52.17.199 → ")
        self.drag("Voice", self.mark("Voice", "gateway"), 4)
        self.saved("Voice gateway 10.52.17.1 → 10.52.17.[456]")
        self.drag("Office", self.host("Office", "file store"), 12)
        self.saved("File store address 10.52.16.210 → 10.52.16.22[0-4]")
        host = self.host("Office", "printer 1")
        host.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        self.saved("Printer 1 address 10.52.16.10 → 10.52.16.12")
        whole = self.mark("Office", "range")
        whole.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Office range start 10.52.16.60 → 10.52.16.61; Office range end 10.52.16.199 → 10.52.16.200")
        gateway = self.mark("Office", "gateway")
        gateway.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Office gateway 10.52.16.1 → 10.52.16.2")

    def test_nothing_leaves_its_subnet(self) -> None:
        page = self.desk("LIBR/WEIR")
        self.drag("Voice", self.mark("Voice", "range:last"), 300)
        self.saved("Voice range end 10.44.9.199 → 10.44.9.254")
        first = self.mark("Voice", "range:first")
        first.focus()
        page.keyboard.press("Shift+ArrowLeft")
        page.keyboard.press("Shift+ArrowLeft")
        self.saved("Voice range start 10.44.9.20 → 10.44.9.1")

    def test_a_viewer_reads_and_moves_nothing(self) -> None:
        self._page = self.visit("wren")
        self.desk("FERN/DOCK")
        last = self.mark("Voice", "range:last")
        expect(last).to_have_attribute("aria-readonly", "true")
        before = last.get_attribute("aria-valuetext")
        self.drag("Voice", last, -20)
        last.focus()
        self.page.keyboard.press("ArrowLeft")
        self.assertEqual(last.get_attribute("aria-valuetext"), before)


class Placing(OnRulers):
    def test_what_goes_to_a_free_address_by_mouse(self) -> None:
        page = self.desk("LOOM/PALACE")
        page.mouse.click(*self.at("Voice", 250))
        asked = page.get_by_role("dialog", name="At this address")
        asked.get_by_label("Host").fill("door phone")
        asked.get_by_role("button", name="Place host").click()
        self.saved("Added host door phone")
        page.mouse.click(*self.at("Voice", 240))
        asked.get_by_label("Kind").fill("printer")
        asked.get_by_label("Length of the run").fill("5")
        asked.get_by_role("button", name="Keep a run of").click()
        self.saved("Voice kept runs empty → 10.56.25.2[34][0-9]-10.56.25.24[0-9] for printer")
        page.mouse.click(*self.at("Voice", 225))
        asked.get_by_role("button", name="Let the range end here").click()
        self.saved("Voice range end 10.56.25.199 → 10.56.25.22[456]")

    def test_what_goes_to_a_free_address_by_keys(self) -> None:
        page = self.desk("LOOM/ORPH")
        ruler = self.row("Voice").get_by_role("group").first
        ruler.focus()
        for key in ("Home", "Shift+ArrowRight", "ArrowRight", "ArrowRight"):
            page.keyboard.press(key)
        expect(self.row("Voice").get_by_role("status")).to_have_text("10.56.9.34 leased from .20–.199")
        page.keyboard.press("Enter")
        asked = page.get_by_role("dialog", name="At this address")
        asked.get_by_role("button", name="Exclude it from the range").press("Enter")
        self.saved("Voice excluded empty → 10.56.9.34")
        run = self.mark("Voice", "excluded:0:last")
        run.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Voice excluded 10.56.9.34 → 10.56.9.34-10.56.9.35")
        self.mark("Voice", "excluded:0").focus()
        page.keyboard.press("Delete")
        self.saved("Voice excluded 10.56.9.34-10.56.9.35 → empty")
        ruler.focus()
        page.keyboard.press("End")
        page.keyboard.press("Enter")
        asked.get_by_label("Host").fill("bell")
        asked.get_by_label("Host").press("Enter")
        self.saved("Added host bell")

    def test_network_and_broadcast_are_said_to_be_none(self) -> None:
        page = self.desk("QUAY/OVEN")
        page.mouse.click(*self.at("Voice", 255))
        expect(page.get_by_text("No host can have it: it is the broadcast address.")).to_be_visible()

    def test_kept_runs_are_dragged_and_taken_away(self) -> None:
        page = self.desk("FERN/DOCK")
        self.drag("Office", self.mark("Office", "kept:1:last"), 6)
        self.saved("Office kept runs .*10.40.0.30-10.40.0.5[456] for")
        self.mark("Office", "kept:0").focus()
        page.keyboard.press("Delete")
        self.saved("Office kept runs .* → 10.40.0.30")


class Several(OnRulers):
    def test_hosts_chosen_by_marquee_are_moved_and_spaced(self) -> None:
        page = self.desk("FERN/MILL")
        x, y = self.at("Cameras", 19)
        page.mouse.move(x - 6, y - 20)
        page.mouse.down()
        page.mouse.move(self.at("Cameras", 60)[0], y - 6, steps=6)
        page.mouse.up()
        bar = page.get_by_role("toolbar", name="Chosen hosts")
        expect(bar).to_be_visible()
        bar.get_by_role("button", name="Let go").hover()
        self.drag("Cameras", self.host("Cameras", "camera 3"), 30)
        self.saved("Camera 3 address .*; Camera 4 address")
        bar.get_by_role("button", name="Let go").click()
        expect(bar).to_have_count(0)

    def test_hosts_chosen_by_keys_are_spaced_and_closed_up(self) -> None:
        page = self.desk("FERN/MILL")
        names = ["camera 1", "camera 2", "recorder"]
        for name in names:
            self.host("Cameras", name).focus()
            page.keyboard.press("Space")
        bar = page.get_by_role("toolbar", name="Chosen hosts")
        expect(bar).to_contain_text("3 hosts")
        before = self.revision()
        bar.get_by_role("button", name="Close up").press("Enter")
        expect(page.get_by_text(f"Revision {before + 1}")).to_be_visible()
        self.host("Cameras", names[2]).focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text(f"Revision {before + 2}")).to_be_visible()
        page.keyboard.press("Escape")
        expect(bar).to_have_count(0)


class Large(OnRulers):
    def test_a_slash_16_is_read_closely_by_wheel_and_keys(self) -> None:
        page = self.desk("KILN/WORK")
        self.open_segment("Office")
        subnet = page.get_by_label("Subnet", exact=True)
        subnet.fill("10.76.0.0/16")
        subnet.press("Enter")
        expect(self.row("Office").get_by_text("10.76.0.0/16", exact=True)).to_be_visible()
        ticks = self.row("Office").locator("svg text")
        expect(ticks.filter(has_text=".32.0")).to_be_visible()
        last = self.mark("Office", "range:last")
        last.focus()
        page.keyboard.press("ArrowRight")
        expect(self.row("Office").locator('[data-here="true"]')).to_be_visible()
        self.saved("Office range end 10.76.0.199 → 10.76.0.200")
        for _ in range(7):
            page.keyboard.press("+")
        expect(ticks.filter(has_text=".32.0")).to_have_count(0)
        expect(ticks.filter(has_text=".0.64")).to_be_visible()
        page.keyboard.press("0")
        expect(ticks.filter(has_text=".32.0")).to_be_visible()
        box = self.row("Office").locator("svg[data-handled]").bounding_box()
        assert box
        page.mouse.move(box["x"] + 200, box["y"] + 60)
        page.keyboard.down("Control")
        page.mouse.wheel(0, -100)
        page.mouse.wheel(0, -100)
        page.keyboard.up("Control")
        expect(self.row("Office").get_by_label("Part in view")).to_be_visible()
        page.keyboard.press("Tab")
        self.row("Office").get_by_role("group").first.focus()
        page.keyboard.press("Escape")
        expect(self.row("Office").get_by_label("Part in view")).to_have_count(0)

    def test_two_hundred_hosts_stay_legible(self) -> None:
        page = self.desk("HARB/HIGH")
        key = page.evaluate(
            """async () => {
              const desk = await (await fetch('/api/sites/HARB/HIGH')).json();
              const [id] = Object.entries(desk.plan.segments).find(([, s]) => s.label === 'Voice');
              const hosts = Array.from({length: 200}, (_, n) => ({
                op: 'add', path: `/hosts/bulk${n}`.replace(/(\\d+)$/, (d) => d.padStart(3, '0')),
                value: {segment: id, name: `phone ${n}`, address: `10.72.1.${n + 21}`},
              }));
              await fetch('/api/sites/HARB/HIGH/plan', {
                method: 'PATCH', body: JSON.stringify(hosts),
                headers: {'X-Octaplan': '1', 'If-Match': String(desk.revision.number), 'Content-Type': 'application/json'},
              });
              return id;
            }"""
        )
        self.assertTrue(key)
        row = self.row("Voice")
        expect(row.get_by_text(re.compile("20[0-9] fixed hosts: names on pointing"))).to_be_visible()
        expect(row.locator("[data-density]").first).to_be_attached()
        self.assertEqual(row.locator('[data-host] [tabindex="0"]').count(), 1, "one stop for Tab, not two hundred")
        phone = self.host("Voice", "phone 100")
        phone.hover(force=True)
        expect(row.locator("svg").get_by_text("phone 100", exact=True)).to_be_visible()
        row.locator('[data-host] [tabindex="0"]').first.focus()
        page.keyboard.press("n")
        page.keyboard.press("n")
        focused = page.evaluate("document.activeElement.getAttribute('aria-valuetext')")
        self.assertRegex(focused, r"phone 2 at \.23|phone 1 at")


class Together(OnRulers):
    def test_two_who_drag_the_same_at_once_see_both_and_choose(self) -> None:
        page = self.desk("FERN/ORCH")
        last = self.mark("Voice", "range:last")
        last.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Voice range end 10.40.33.199 → 10.40.33.200")
        page.add_init_script("delete window.SharedWorker")  # so that it can be kept from hearing
        page.route("**/api/events*", lambda route: route.abort())
        page.reload()
        expect(last).to_be_visible()
        page.evaluate(
            """async () => {
              const desk = await (await fetch('/api/sites/FERN/ORCH')).json();
              const [id] = Object.entries(desk.plan.segments).find(([, s]) => s.label === 'Voice');
              await fetch('/api/sites/FERN/ORCH/plan', {
                method: 'PATCH', headers: {'X-Octaplan': '1', 'If-Match': String(desk.revision.number),
                  'Content-Type': 'application/json'},
                body: JSON.stringify([{op: 'add', path: `/segments/${id}/scope/last`, value: '10.40.33.190'}]),
              });
            }"""
        )
        self.drag("Voice", last, 20)
        choice = self.rail().get_by_role("alertdialog", name="Changed by somebody else")
        expect(choice).to_contain_text("changed this from 10.40.33.200 to 10.40.33.190 while you wrote")
        choice.get_by_role("button", name="Keep mine").press("Enter")
        self.saved("Voice range end 10.40.33.190 → 10.40.33.2")

    def test_what_somebody_saves_while_a_mark_is_held_is_not_overruled(self) -> None:
        page = self.desk("FERN/MILL")
        last = self.mark("Voice", "range:last")
        before = str(last.get_attribute("aria-valuetext"))
        self.drag("Voice", last, 20, let_go=False)
        other = self.desk("FERN/MILL", page=self.visit("sabine"))
        theirs = other.get_by_role("region", name="Segment Voice", exact=True).locator('[data-mark="range:last"]')
        theirs.focus()
        other.keyboard.press("ArrowLeft")
        expect(page.get_by_text(re.compile("^Sabine Oake: Voice range end"))).to_be_visible()
        page.mouse.up()
        choice = self.rail().get_by_role("alertdialog", name="Changed by somebody else")
        expect(choice).to_contain_text("Sabine Oake changed this from")
        self.assertNotEqual(last.get_attribute("aria-valuetext"), before, "theirs is drawn until one has chosen")
        choice.get_by_role("button", name="Take theirs").press("Enter")
        expect(choice).to_have_count(0)

    def test_an_exact_value_is_typed_after_a_double_click(self) -> None:
        page = self.desk("LIBR/MARKET")
        box = self.mark("Voice", "gateway").bounding_box()
        assert box
        page.mouse.dblclick(box["x"] + box["width"] / 2, box["y"] + 8)
        field = page.get_by_role("dialog").get_by_label("Gateway")
        field.fill(".300")
        field.press("Enter")
        expect(page.get_by_role("dialog").get_by_role("alert")).to_contain_text("300")
        field.fill(".254")
        field.press("Enter")
        self.saved("Voice gateway 10.44.33.1 → 10.44.33.254")


class Rail(OnRulers):
    def test_a_remedy_is_drawn_before_it_is_taken(self) -> None:
        page = self.desk("PAWS/LARCH")
        before = self.revision()
        remedy = self.rail().locator('[data-key="r"]').first
        remedy.hover()
        expect(self.rail().get_by_role("status").get_by_text(re.compile("this would end"))).to_be_visible()
        self.assertEqual(self.revision(), before)
        page.mouse.move(400, 90)
        expect(self.rail().get_by_text(re.compile("this would end"))).to_have_count(0)

    def test_keys_mend_and_accept(self) -> None:
        page = self.desk("LOOM/GAIETY")
        page.keyboard.press("j")
        finding = self.rail().get_by_role("button", name=re.compile("^DHCP range back to front"))
        expect(finding).to_be_focused()
        inner = page.get_by_role("button", name=re.compile("^DHCP range back to front"))
        one = self.rail().locator("[data-one]").filter(has=inner)
        expect(one.locator('[data-key="r"]')).to_be_visible()  # what can be done is asked for after the desk is there
        page.keyboard.press("r")
        self.saved("Office range start 10.56.16.199 → 10.56.16.60")
        page = self.desk("FERN/DOCK")
        warn = self.rail().get_by_role("button", name=re.compile("^Subnet that everybody else uses"))
        warn.focus()
        page.keyboard.press("a")
        reason = self.rail().get_by_label("Why it is accepted")
        expect(reason).to_be_focused()
        reason.fill("no remote work here")
        reason.press("Enter")
        expect(self.rail().get_by_text("no remote work here")).to_be_visible()


class History(OnRulers):
    def test_undo_and_redo_by_button_by_key_and_after_a_reload(self) -> None:
        page = self.desk("LIBR/LOCK")
        last = self.mark("Voice", "range:last")
        last.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Voice range end 10.44.17.199 → 10.44.17.200")
        page.keyboard.press("Control+z")
        self.saved("Undone: Voice range end 10.44.17.199 → 10.44.17.200")
        expect(last).to_have_attribute("aria-valuetext", "end of DHCP range at .199")
        page.reload()
        page.get_by_role("button", name="Redo").click()
        self.saved("Done again: Voice range end")
        expect(last).to_have_attribute("aria-valuetext", "end of DHCP range at .200")
        page.get_by_role("button", name="Undo").click()
        self.saved("Undone: Voice range end")
        page.keyboard.press("Control+Shift+z")
        self.saved("Done again")

    def test_revisions_are_named_compared_and_taken_again(self) -> None:
        page = self.desk("LIBR/CANAL")
        last = self.mark("Voice", "range:last")
        last.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Voice range end 10.44.1.199 → 10.44.1.200")
        newest = self.revision()
        page.get_by_role("button", name=re.compile("revisions$")).press("Enter")
        history = page.get_by_role("dialog", name="History")
        history.get_by_role("button", name="Name it").last.click()
        history.get_by_label("Name of revision 1").fill("As loaded")
        history.get_by_label("Name of revision 1").press("Enter")
        expect(history.get_by_text("As loaded")).to_be_visible()
        history.get_by_role("link", name="Compare with now").first.click()
        expect(page.get_by_role("row", name=re.compile("Voice range end"))).to_be_visible()
        expect(page.locator('[data-changed="true"][data-mark="range:last"]')).to_have_count(2)
        self.choose_named("Second site", "FERN/MILL")
        expect(page.get_by_role("row", name=re.compile("Office subnet"))).to_be_visible()
        self.desk("LIBR/CANAL")
        page.get_by_role("button", name=re.compile("revisions$")).click()
        page.get_by_role("dialog", name="History").get_by_role("button", name="Go back to it").first.click()
        asked = page.get_by_role("dialog", name=f"Back to revision {newest - 1}?")
        expect(asked.get_by_role("status")).to_have_text("It changes 1 value:")
        expect(asked).to_contain_text("Voice range end 10.44.1.200 → 10.44.1.199")
        asked.get_by_role("button", name="Go back to it").press("Enter")
        self.saved(f"Back to revision {newest - 1}")

    def test_two_people_see_each_other_and_what_the_other_does(self) -> None:
        page = self.desk("KILN/WORK")
        other = self.visit("sabine")
        other.goto("/sites/KILN/WORK/addresses")
        expect(page.get_by_text("Sabine Oake is here too")).to_be_visible()
        expect(other.get_by_text("Ines Aldering is here too")).to_be_visible()
        mark = other.get_by_role("region", name="Segment Guest", exact=True).locator('[data-mark="range:last"]')
        mark.focus()
        other.keyboard.press("ArrowLeft")
        expect(page.get_by_text("Sabine Oake: Guest range end 10.76.3.250 → 10.76.3.249")).to_be_visible()
        page.keyboard.press("Control+z")
        asked = page.get_by_role("dialog")
        expect(asked).to_contain_text("Take back what Sabine Oake did?")
        asked.get_by_role("button", name="Take it back").click()
        expect(other.get_by_text(re.compile("Ines Aldering: Undone"))).to_be_visible()
        other.goto("/outbound")
        expect(page.get_by_text("Sabine Oake is here too")).to_have_count(0)


class SixSide(OnRulers):
    def test_the_ipv6_side_of_a_segment_is_worked_on_with_the_same_hands(self) -> None:
        page = self.desk("LOOM/REGENT")
        self.open_segment("Office")
        subnet = page.get_by_label("IPv6 subnet")
        subnet.fill("2001:db8:56:10::/64")
        subnet.press("Enter")
        gateway = page.get_by_label("IPv6 gateway")
        gateway.fill("first")
        gateway.press("Enter")
        ruler = self.row("Office").get_by_role("group", name=re.compile("gateway 2001:db8:56:10::"))
        post = ruler.locator('[data-mark="gateway"]')
        expect(post).to_have_attribute("aria-valuetext", "gateway at ::1")
        post.focus()
        page.keyboard.press("ArrowRight")
        self.saved("Office IPv6 gateway 2001:db8:56:10::1 → 2001:db8:56:10::2")
        ruler.focus()
        for key in ("Home", "Shift+ArrowRight", "Enter"):
            page.keyboard.press(key)
        asked = page.get_by_role("dialog", name="At this address")
        expect(asked).to_contain_text("2001:db8:56:10::80")
        asked.get_by_label("Host").fill("six only")
        asked.get_by_label("Host").press("Enter")
        self.saved("Added host six only")
        host = ruler.locator('[data-host="six only"] [data-mark]')
        host.press("Enter")
        field = page.get_by_role("dialog").get_by_label("Address of six only")
        expect(field).to_have_value("2001:db8:56:10::80")
        field.fill("::beef:1")
        field.press("Enter")
        self.saved("Six only IPv6 address 2001:db8:56:10::80 → 2001:db8:56:10::beef:1")
        away = ruler.get_by_role("button", name="six only ::beef:1")
        away.press("Enter")
        expect(host).to_be_visible()


class Close(OnRulers):
    def test_zoom_keeps_what_one_points_at_under_the_pointer(self) -> None:
        page = self.desk("FERN/DOCK")
        till = self.host("Office", "till 3")
        x, y = self.at("Office", 32)
        pointed = int(x)
        page.mouse.move(pointed, y)
        page.keyboard.down("Control")
        for times in (2, 4, 8, 16):
            page.mouse.wheel(0, -100)
            box = till.locator("circle").bounding_box()
            assert box
            away = (x - pointed) * times  # only what is not under the pointer moves away from it
            self.assertAlmostEqual(box["x"] + box["width"] / 2, pointed + away, delta=1)
        page.keyboard.up("Control")

    def test_hosts_are_walked_from_the_ruler_itself_also_out_of_view(self) -> None:
        page = self.desk("FERN/DOCK")
        ruler = self.row("Office").get_by_role("group").first
        ruler.focus()
        page.keyboard.press("n")
        expect(self.host("Office", "switch 1")).to_be_focused()
        for _ in range(4):
            page.keyboard.press("+")
        for _ in range(9):
            page.keyboard.press("n")
        expect(self.host("Office", "file store")).to_be_focused()

    def test_a_gateway_and_what_is_next_to_it_can_each_be_taken_hold_of(self) -> None:
        page = self.desk("FERN/DOCK")
        for offset, name in ((1, "gateway"), (2, "switch 1")):
            page.mouse.click(self.at("Office", offset)[0], self.at("Office", offset)[1])
            focused = page.evaluate("document.activeElement.getAttribute('aria-valuetext')")
            self.assertEqual(focused, f"{name} at .{offset}")
            page.keyboard.press("Escape")

    def test_what_appears_pushes_nothing_away_and_says_when_there_is_nothing_to_do(self) -> None:
        page = self.desk("FERN/DOCK")
        before = self.row("Voice").bounding_box()
        for name in ("till 1", "till 2", "till 3"):
            self.host("Office", name).focus()
            page.keyboard.press("Space")
        bar = page.get_by_role("toolbar", name="Chosen hosts")
        expect(bar.get_by_role("status")).to_have_text("they are spaced evenly; nothing is free between them")
        expect(bar.get_by_role("button", name="Space evenly")).to_be_disabled()
        page.keyboard.press("+")
        expect(self.row("Office").get_by_label("Part in view")).to_be_visible()
        self.assertEqual(self.row("Voice").bounding_box(), before)

    def test_only_a_collision_is_drawn_as_one(self) -> None:
        page = self.desk("FERN/MILL")
        page.get_by_role("button", name="Add segment").click()
        page.get_by_label("Size of the new segment").fill("/28")
        page.get_by_label("Size of the new segment").press("Enter")
        page.get_by_role("button", name="Take it", exact=True).press("Enter")
        self.saved("Added segment")
        finding = self.rail().locator('[data-finding="segment-unplugged"], [data-finding="port-missing"]')
        expect(finding.first).to_be_attached()
        expect(self.row("Office 2").locator("svg[data-handled]")).to_be_visible()
        expect(self.row("Office 2").locator("[data-notch]")).to_have_count(0)
