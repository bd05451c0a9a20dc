"""A real server on the demo portfolio, and a real browser before it."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

ROOT = Path(__file__).parents[2]
AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


expect.set_options(timeout=20_000)  # a loaded machine is slow, not wrong


class InBrowser(unittest.TestCase):
    """Each class of tests has a server with fresh demo data, each test a fresh page that is signed in as Ines."""

    _page: Page | None = None

    playwright: ClassVar[Playwright]
    browser: ClassVar[Browser]
    url: ClassVar[str]
    password: ClassVar[str]
    said: ClassVar[str]

    @classmethod
    def prepare(cls, data: Path) -> list[str]:
        """Make ready the data folder of the class's server; returns options for `octaplan serve`."""
        return ["--demo"]

    @classmethod
    def setUpClass(cls) -> None:
        data = tempfile.TemporaryDirectory()
        cls.addClassCleanup(data.cleanup)
        options = cls.prepare(Path(data.name))
        command = [sys.executable, "-m", "octaplan", "serve", "--data", data.name, "--port", "0", *options]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        assert server.stdout
        cls.addClassCleanup(server.stdout.close)
        cls.addClassCleanup(server.wait)
        cls.addClassCleanup(server.kill)
        cls.said = ""
        while "Octaplan is at" not in cls.said and server.poll() is None:
            cls.said += server.stdout.readline()
        cls.url = re.findall(r"http://\S+", cls.said)[0]
        if "Demo sign-in" in cls.said:
            cls.password = re.findall(r"ines, password (\S+)", cls.said)[0]
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        cls.addClassCleanup(cls.browser.close)

    def blank(self) -> Page:
        """A page of its own, not signed in."""
        context = self.browser.new_context(base_url=self.url, viewport={"width": 1280, "height": 800})
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(20_000)
        page.on("pageerror", lambda error: self.fail(f"a script failed: {error}"))
        page.goto("/")
        return page

    def visit(self, name: str = "ines") -> Page:
        """A page of its own, signed in."""
        page = self.blank()
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(self.password)
        page.get_by_role("button", name="Sign in").click()
        expect(
            page.get_by_role("button", name="Load intake tables").or_(page.get_by_role("list")).first
        ).to_be_visible()
        return page

    @property
    def page(self) -> Page:
        """The test's own page, signed in as Ines."""
        if self._page is None:
            self._page = self.visit()
        return self._page

    def desk(self, site: str, stage: str = "addresses", page: Page | None = None) -> Page:
        page = page or self.page
        page.goto(f"/sites/{site}/{stage}")
        expect(page.get_by_role("complementary", name="Findings")).to_be_visible()
        return page

    def open_segment(self, label: str, page: Page | None = None) -> None:
        row = (page or self.page).get_by_role("region", name=f"Segment {label}", exact=True)
        row.get_by_role("button").first.click()
        expect(row.get_by_label("Subnet", exact=True)).to_be_visible()
