"""A real server on the demo portfolio, and a real browser before it."""

from __future__ import annotations

import atexit
import functools
import re
import shutil
import tempfile
import unittest
from datetime import date
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Page, expect, sync_playwright

from octaplan import demo
from octaplan.store.database import Database
from octaplan.store.records import Records
from tests.forks import Server

ROOT = Path(__file__).parents[2]
AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


#: Pages are fetched when they are looked at, not all of them after every load.
SAVES_DATA = "Object.defineProperty(Navigator.prototype, 'connection', { get: () => ({ saveData: true }) })"

expect.set_options(timeout=20_000)  # a loaded machine is slow, not wrong


@functools.cache
def _browser() -> Browser:
    """The browser of this process, which closes with it."""
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
    atexit.register(playwright.stop)
    atexit.register(browser.close)
    return browser


@functools.cache
def _demo() -> Path:
    """A data folder with the demo portfolio, made once for this process."""
    folder = tempfile.TemporaryDirectory(prefix="octaplan-demo-")
    atexit.register(folder.cleanup)
    database = Database(Path(folder.name))
    demo.prepare(Records(database), date.today())  # noqa: DTZ011  (as `octaplan serve --demo` does)
    database.close()
    return Path(folder.name)


class InBrowser(unittest.TestCase):
    """Each class of tests has a server with fresh demo data, each test a fresh page that is signed in as Ines."""

    _page: Page | None = None

    browser: ClassVar[Browser]
    url: ClassVar[str]
    password: ClassVar[str]
    said: ClassVar[str]

    @classmethod
    def prepare(cls, data: Path) -> list[str]:
        """Make ready the data folder of the class's server; returns options for `octaplan serve`."""
        shutil.copytree(_demo(), data, dirs_exist_ok=True)
        return ["--demo"]

    @classmethod
    def setUpClass(cls) -> None:
        data = tempfile.TemporaryDirectory()
        cls.addClassCleanup(data.cleanup)
        options = cls.prepare(Path(data.name))
        server = Server("--data", data.name, "--port", "0", *options)
        cls.addClassCleanup(server.end)
        cls.said = server.until("Octaplan is at")
        cls.url = re.findall(r"http://\S+", cls.said)[0]
        if "Demo sign-in" in cls.said:
            cls.password = re.findall(r"ines, password (\S+)", cls.said)[0]
        cls.browser = _browser()

    def blank(self) -> Page:
        """A page of its own, not signed in."""
        page = self._new_page()
        page.goto("/")
        return page

    def visit(self, name: str = "ines") -> Page:
        """A page of its own, signed in."""
        page = self._new_page()
        credentials = {"name": name, "password": self.password}
        answer = page.context.request.post("/api/session", data=credentials, headers={"X-Octaplan": "1"})
        self.assertTrue(answer.ok, answer.text())
        page.goto("/")
        expect(
            page.get_by_role("button", name="Load intake tables").or_(page.get_by_role("list")).first
        ).to_be_visible()
        return page

    def _new_page(self) -> Page:
        context = self.browser.new_context(base_url=self.url, viewport={"width": 1280, "height": 800})
        self.addCleanup(context.close)
        context.add_init_script(SAVES_DATA)
        page = context.new_page()
        page.set_default_timeout(20_000)
        page.on("pageerror", lambda error: self.fail(f"a script failed: {error}"))
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
        expect(page.locator("[aria-busy=true]")).to_have_count(0)  # its page has been fetched
        return page

    def open_segment(self, label: str, page: Page | None = None) -> None:
        row = (page or self.page).get_by_role("region", name=f"Segment {label}", exact=True)
        row.get_by_role("button").first.click()
        expect(row.get_by_label("Subnet", exact=True)).to_be_visible()
