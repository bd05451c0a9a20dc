"""A new installation, and one that was filled on the command line."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from pathlib import Path

import openpyxl
from playwright.sync_api import expect

from tests.browser.support import InBrowser
from tests.browser.test_slice import TABLES


class FirstStart(InBrowser):
    @classmethod
    def prepare(cls, data: Path) -> list[str]:
        return []

    def test_from_the_code_on_the_console_to_the_first_site(self) -> None:
        page = self.blank()
        expect(page.get_by_role("heading", name="Make the first administrator")).to_be_visible()
        page.get_by_label("One-time code").fill("AAAA-AAAA-AAAA")
        page.get_by_label("Sign-in name").fill("ada")
        page.get_by_label("Full name").fill("Ada Fennimore")
        page.get_by_label("Password").fill("lantern over quay")
        page.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("alert")).to_contain_text("The code does not fit")
        code = re.findall(r"code (\S+)", self.said)[0]
        page.get_by_label("One-time code").fill(code)
        page.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("heading", name="No sites yet")).to_be_visible()

        book = openpyxl.Workbook()
        for name, text in TABLES.items():
            sheet = book.create_sheet(name)
            for line in text.splitlines():
                sheet.append(line.split(","))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "intake.xlsx"
            book.save(path)
            gone = Path(folder) / "gone.xlsx"
            book.save(gone)
            page.route("**/api/imports", lambda route: (gone.unlink(missing_ok=True), route.abort()))
            page.get_by_label("Intake tables").set_input_files(gone)
            expect(page.get_by_role("alert")).to_contain_text("gone.xlsx was moved, removed or saved anew")
            page.unroute("**/api/imports")
            page.get_by_role("button", name="Close").click()
            page.get_by_label("Intake tables").set_input_files(path)
            expect(page.get_by_role("row", name=re.compile(r"intake.xlsx.segments 5 vlan 4095"))).to_be_visible()
        page.get_by_role("button", name="Load 2 sites").click()
        page.get_by_role("button", name="Close").click()
        page.get_by_role("link", name=re.compile("Moss Yard")).click()
        page.get_by_role("button", name="1 revision").click()
        history = page.get_by_role("list", name="Revisions, newest first")
        expect(history).to_contain_text("Loaded from tables")
        expect(history).to_contain_text("Ada Fennimore")

        page.keyboard.press("Escape")
        page.get_by_role("button", name="Ada Fennimore").click()
        with page.expect_popup() as opened:
            page.get_by_role("menuitem", name="Licences").click()
        text = opened.value.locator("body")
        for name in ("@mui/material", "react-dom", "@fontsource/atkinson-hyperlegible-mono"):
            expect(text).to_contain_text(name)
        expect(text).to_contain_text("SIL OPEN FONT LICENSE")


class Viewer(InBrowser):
    password = "lantern over quay"

    @classmethod
    def prepare(cls, data: Path) -> list[str]:
        with tempfile.TemporaryDirectory() as folder:
            for name, text in TABLES.items():
                (Path(folder) / f"{name}.csv").write_text(text)
            octaplan = [sys.executable, "-m", "octaplan"]
            subprocess.run([*octaplan, "import", folder, "--data", data], check=False, capture_output=True)
            user = [*octaplan, "user", "vera", "--data", data, "--role", "viewer", "--full-name", "Vera"]
            subprocess.run(user, check=True, capture_output=True, input=f"{cls.password}\n", text=True)
        return []

    def test_a_viewer_sees_everything_and_is_offered_no_change(self) -> None:
        page = self.visit("vera")
        expect(page.get_by_role("button", name="Load intake tables")).to_have_count(0)
        page.get_by_role("link", name=re.compile("Moss Gate")).click()
        self.open_segment("Office", page)
        expect(page.get_by_label("Subnet", exact=True)).to_be_disabled()
        expect(page.get_by_label("Address of printer 1")).to_be_disabled()
        for name in ("Add segment", "Add circuit", "Accept…", re.compile("^Remove"), re.compile("^Add host")):
            expect(page.get_by_role("button", name=name)).to_have_count(0)
        page.get_by_role("link", name=re.compile("Clearance")).click()
        expect(page.get_by_role("region", name="In the way")).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("Sign revision"))).to_have_count(0)

    def test_the_scheme_can_be_chosen_and_is_kept(self) -> None:
        page = self.visit("vera")
        for choice, scheme in (("Dark", "dark"), ("Light", "light")):
            page.get_by_role("button", name="Vera").click()
            page.get_by_role("menuitem", name=choice).click()
            expect(page.locator("html")).to_have_attribute("data-scheme", scheme)
            page.keyboard.press("Escape")
            page.reload()
            expect(page.locator("html")).to_have_attribute("data-scheme", scheme)
