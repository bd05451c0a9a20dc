"""The practice bench in a real browser: boxes staged by Octaplan's hands, and one by the technician's own."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from octaplan.core.config.grammar import grammar_of
from tests.browser.support import InBrowser
from tests.core.config.demo import types

WRITTEN = types()["brackwater-e5"].write_out
assert WRITTEN is not None
#: The language of the box that is staged by hand.
LANGUAGE = grammar_of(WRITTEN)


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
    """One box, by hand: values and lines are read from the run sheet, told to the box on its own pages, and what is seen
    is typed back."""

    def test_a_box_is_staged_on_its_own_pages_and_shipped(self) -> None:
        sheet = self.sheet = self.desk("LIBR/CANAL", "bench", self.visit("marek"))
        sheet.get_by_role("button", name="Put a stand-in of it on the practice bench").click()
        bench = self.look_at("/practice")
        self.box = bench.get_by_role("region", name="canal-edge")
        context = self.browser.new_context(ignore_https_errors=True)
        self.addCleanup(context.close)
        self.own, self.address, self.typed = context.new_page(), "", set[str]()
        titles = sheet.get_by_role("list", name="Steps").locator("button")
        total = titles.count()
        step = sheet.get_by_role("region", name="This step", exact=True)
        for number in range(1, total + 1):
            expect(step).to_contain_text(f"Step {number} of {total}")
            title = step.get_by_role("heading").first.inner_text()
            seen = self.do(title)
            if title == "Paste what it shows now":  # keeping what was found records the step
                continue
            for field in step.locator("textarea[data-measure]").all():
                label = field.locator("xpath=ancestor::label/span[1]").inner_text()
                answer = next((text for name, text in seen.items() if label.startswith(name)), "")
                if answer:
                    field.fill(answer)
            step.get_by_role("button", name=re.compile("^Done")).first.click()
        expect(sheet.get_by_role("navigation", name="Boxes of this site")).to_contain_text(f"{total}/{total}")
        self.desk("LIBR/CANAL", "handover", sheet)
        sheet.get_by_role("navigation", name="Papers").get_by_role("button", name="Ship").click()
        sheet.get_by_label("Carrier", exact=True).fill("Parcel van")
        sheet.get_by_role("button", name="It ships").click()
        expect(sheet.get_by_role("region", name="Shipped")).to_contain_text("with Parcel van")

    def do(self, title: str) -> dict[str, str]:
        """Do at the box what a step asks for; what is seen there, by what is asked."""
        box, own = self.box, self.own
        printed = box.inner_text()
        if title.startswith("Record serial"):
            serial, mac = re.findall(r"(\S+)\n((?:[0-9a-f]{2}:){5}[0-9a-f]{2})", printed)[0]
            return {"Serial": serial, "MAC": mac}
        if title.startswith("Plug the laptop"):
            box.get_by_role("button", name="plug it in").click()
            box.get_by_role("button", name="A", exact=True).click()
            expect(box).to_contain_text("ready", timeout=60_000)
        elif title == "Laptop: ask for an address":
            box.get_by_role("button", name="ask for an address").click()
            expect(box).to_contain_text("192.168.77.100, leased")
            return {"Address": re.findall(r"Laptop: ([\d.]+)", box.inner_text())[0]}
        elif title.startswith("Laptop to"):
            expect(box.get_by_role("list", name="Ways in")).to_have_count(0)  # its address does not fit any more
            box.get_by_label("Laptop's own address").fill(title.removeprefix("Laptop to "))
            box.get_by_role("button", name="set", exact=True).click()
            expect(box.get_by_role("list", name="Ways in")).to_contain_text("HTTPS pages")
        elif title.startswith("Open https://"):
            expect(box.get_by_role("list", name="Ways in")).to_contain_text("HTTPS pages", timeout=60_000)
            way = box.get_by_role("link", name=re.compile("^https:"))
            self.address = way.inner_text()
            own.goto(str(way.get_attribute("href")))
            if "log in" in title:
                self.log_in(self.secret())
        elif title == "Log in":
            own.get_by_label("User").fill("admin")
            own.get_by_label("Password").fill("wrong")
            own.get_by_role("button", name="Log in").click()
            expect(own.get_by_role("status")).to_contain_text("wrong user or password")
            self.log_in(re.findall(r"password (\S+)", printed)[0])
        elif title == "Log in again":
            expect(box).to_contain_text("ready", timeout=60_000)
            own.goto(self.address)
            self.log_in(self.secret())
        elif title.startswith("Set the administrator"):
            self.set_password("Administrator password")
        elif title.startswith("Firmware"):
            own.get_by_label("Level").fill(title.removeprefix("Firmware "))
            own.get_by_role("button", name="take in").click(no_wait_after=True)
            expect(box).to_contain_text(title.lower(), timeout=60_000)
            return {"Firmware": re.findall(r"firmware (\S+)", box.inner_text())[0]}
        elif title == "Management access":
            own.goto(self.address)
            self.set_password("Backup passphrase")
            self.tell(title)
        elif title == "Take away what is not planned":
            own.goto(self.address)
            while (left := own.locator("fieldset", has_text="What it came with").get_by_role("button")).count():
                left.first.click()
        elif title == "Plug the internet cable in":
            box.get_by_role("button", name="plug the line in").click()
            expect(box.get_by_role("button", name="look up a name")).to_be_visible()
        elif title == "The internet is there":
            return {
                "Ping 203": self.ping("203.0.113.41"),
                "Ping 192": self.ping("192.0.2.53"),
                "Look up": self.ask("look up a name"),
            }
        elif title == "What passes, and what does not":
            tried = self.ask("try what passes").splitlines()
            return dict(line.rsplit(": ", 1) for line in tried)  # type: ignore[misc]
        elif title == "It answers":
            seen = self.ping("10.44.4.1")
            self.assertRegex(seen, "[13] received")
            return {"Ping": seen}
        elif title == "Restart by the plug":
            box.get_by_role("button", name="pull the plug").click()
            expect(box).to_contain_text("switched off")
            box.get_by_role("button", name="plug it in").click()
        elif title == "It is as it was":
            own.get_by_role("link", name="identity").click()
            expect(own.get_by_role("main")).to_contain_text("this box is canal-edge")
            return {"Host name": "yes", "Ping 10": self.ping("10.44.4.1"), "Ping 203": self.ping("203.0.113.41")}
        elif title == "Paste what it shows now":
            own.goto(f"{self.address}text")
            self.sheet.get_by_label("What it shows", exact=True).fill(own.locator("pre").inner_text())
            self.sheet.get_by_role("button", name="Keep: as planned").click()
        elif title.startswith("Take a backup"):
            own.goto(self.address)
            with own.expect_download() as taken:
                own.get_by_role("link", name="download").click()
            self.sheet.get_by_label("Backup file", exact=True).set_input_files(taken.value.path())
            expect(
                self.sheet.get_by_role("region", name="This step", exact=True).get_by_text("SHA-256")
            ).to_be_visible()
        elif title.startswith("Laptop back"):
            box.get_by_role("button", name="A", exact=True).click()
        else:
            self.tell(title)
        return {}

    def tell(self, title: str) -> None:
        """Fill in on the box's pages the text that the run sheet has for a step, if any. What is told where the laptop is comes last of
        all: with it the laptop loses the box."""
        written = ("Host name", "Ports", "Translation", "Management access")
        if not (title.startswith(written) or " on port " in title or ": address" in title):
            return
        panel = self.sheet.get_by_role("complementary", name=re.compile("these$"))
        panel.get_by_label("How").select_option("text")
        panel = self.sheet.get_by_role("complementary", name="Paste these")
        expect(panel.locator("pre").first).to_be_visible()
        lines = [line for each in panel.locator("pre").all_inner_texts() for line in each.splitlines() if line.strip()]
        last = title.startswith("Management: address")
        about = title.partition(":")[0]
        for line in sorted(lines, key=lambda one: one.startswith("port A")) if last else lines:
            of_ports = line.startswith("port ") and not line.startswith("port Net has")
            if line in self.typed or (of_ports and line.startswith("port A ") and not last):
                continue
            if title.endswith("address and range") and f'"{about}"' not in line:
                continue
            if title == "Ports" and not of_ports:
                continue
            self.typed.add(line)
            self.say_it(line)

    def say_it(self, line: str) -> None:
        """Fill in the sentence of the box's pages that a line is, and set it."""
        own = self.own
        if "<<" in line:
            return  # passwords are set where the run sheet asks for them
        told, _ = LANGUAGE.read(line, [])
        form = own.locator(f'form[action="/say/{told.saying.part}/{told.saying.number}"]')
        if not form.count():
            own.get_by_role("link", name=str(told.saying.part), exact=True).click()
        for field, value in zip(form.get_by_role("textbox").all(), told.values, strict=True):
            field.fill(value)
        cut = line.startswith("port A carries")
        form.get_by_role("button", name="set").click(no_wait_after=cut)
        if cut:
            expect(self.box).to_contain_text("the box is at 10.44.4.1 there")
        else:
            expect(own.get_by_role("status")).to_contain_text("done")

    def set_password(self, name: str) -> None:
        """Set one of the box's passwords to the secret of the step."""
        self.own.get_by_label(name).fill(self.secret())
        self.own.locator("form", has=self.own.get_by_label(name)).get_by_role("button").click()
        expect(self.own.get_by_role("status")).to_contain_text("it is set")

    def log_in(self, password: str) -> None:
        if self.own.get_by_role("button", name="log out").count():
            self.own.get_by_role("button", name="log out").click()
        self.own.get_by_label("User").fill("admin")
        self.own.get_by_label("Password").fill(password)
        self.own.get_by_role("button", name="Log in").click()
        expect(self.own.get_by_role("heading", name="Brackwater E5")).to_be_visible()

    def secret(self) -> str:
        """The secret that the step asks for, read from the safe."""
        panel = self.sheet.get_by_role("complementary", name=re.compile("these$"))
        if (how := panel.get_by_label("How")).count():
            how.select_option("values")
        panel.get_by_role("button", name=re.compile("^Read")).first.click()
        dialog = self.sheet.get_by_role("dialog")
        found = dialog.get_by_test_id("secret").text_content() or ""
        self.sheet.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        return found

    def ping(self, address: str) -> str:
        self.box.get_by_label("Address to ping").fill(address)
        return self.ask("ping")

    def ask(self, what: str) -> str:
        """Ask something at the laptop; what is seen."""
        with self.box.page.expect_response(re.compile("/api/practice/boxes/.+/.+")):
            self.box.get_by_role("button", name=what, exact=True).click()
        expect(self.box.get_by_role("status")).to_be_visible()
        return self.box.get_by_role("status").inner_text()
