"""A real server on the demo portfolio, and a real browser before it."""

from __future__ import annotations

import atexit
import functools
import re
import shutil
import tempfile
import unittest
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Page, Route, StorageState, ViewportSize, expect, sync_playwright

from octaplan import demo
from octaplan.store.database import Database
from octaplan.store.records import Records
from tests.forks import Server

ROOT = Path(__file__).parents[2]
AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
BROWSER = "/usr/bin/chromium-headless-shell"
CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


#: Pages are fetched when they are looked at, not all of them after every load.
SAVES_DATA = "Object.defineProperty(Navigator.prototype, 'connection', { get: () => ({ saveData: true }) })"

#: Counts the questions to the server that are not answered yet; what it streams is no question.
COUNTS_QUESTIONS = """
    const ask = window.fetch;
    window.asked = 0;
    window.fetch = (...what) => { window.asked += 1; return ask(...what).finally(() => { window.asked -= 1; }); };"""

#: A page is there when it has a heading, every part of it has been fetched, and every question was answered.
THERE = """() => document.querySelector('main :is(h1, h2)') && !document.querySelector('[aria-busy=true]')
    && window.asked === 0"""

expect.set_options(timeout=60_000)  # a loaded machine is slow, not wrong


@functools.cache
def _browser() -> Browser:
    """The browser of this process, which closes with it."""
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
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


class Held:
    """Questions of a page that do not reach the server until they are let on, or `answered` by it at once, but unheard."""

    def __init__(self, page: Page, pattern: str, answered: bool = False) -> None:
        self._let_on: list[Callable[[], None]] = []
        self._answered = answered
        page.route(pattern, self._hold)

    def _hold(self, route: Route) -> None:
        if self._answered:
            answer = route.fetch()
            self._let_on.append(lambda: route.fulfill(response=answer))
        else:
            self._let_on.append(route.continue_)

    def let_on(self) -> None:
        self._let_on.pop(0)()


class InBrowser(unittest.TestCase):
    """Each class of tests has a server with fresh demo data, each test a fresh page that is signed in as Ines."""

    _page: Page | None = None

    browser: ClassVar[Browser]
    url: ClassVar[str]
    password: ClassVar[str]
    said: ClassVar[str]

    #: By name of the person: the cookies of the first page signed in.
    sessions: ClassVar[dict[str, StorageState]]

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
        cls.sessions = {}

    def blank(self) -> Page:
        """A page of its own, not signed in."""
        page = self._new_page()
        page.goto("/")
        return page

    def visit(self, name: str = "ines") -> Page:
        """A page of its own, signed in, at Outbound."""
        return _go(self._enter(name), "/")

    def _enter(self, name: str) -> Page:
        """A page of its own, signed in, at no address yet."""
        page = self._new_page(self.sessions.get(name))
        if not page.context.request.get("/api/session").ok:  # the first page of this person, or signed out since
            credentials = {"name": name, "password": self.password}
            answer = page.context.request.post("/api/session", data=credentials, headers={"X-Octaplan": "1"})
            self.assertTrue(answer.ok, answer.text())
            self.sessions[name] = page.context.storage_state()
        return page

    def choose_named(self, label: str, typed: str) -> None:
        """Choose one of many customers or sites by typing some of its code or name."""
        field = self.page.get_by_role("combobox", name=label, exact=True)
        field.fill(typed)
        listed = self.page.locator("[role=listbox] [role=option]")
        listed.first.wait_for()
        field.press("Enter")
        expect(listed).to_have_count(0)

    def _new_page(self, session: StorageState | None = None) -> Page:
        viewport = ViewportSize(width=1280, height=800)
        context = self.browser.new_context(base_url=self.url, viewport=viewport, storage_state=session)
        self.addCleanup(context.close)
        context.add_init_script(SAVES_DATA + COUNTS_QUESTIONS)
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.on("pageerror", lambda error: self.fail(f"a script failed: {error}"))
        return page

    @property
    def page(self) -> Page:
        """The test's own page, signed in as Ines."""
        if self._page is None:
            self._page = self.visit()
        return self._page

    def look_at(self, path: str, page: Page | None = None) -> Page:
        """Go to a page, the test's own unless another is given, and wait until all of it is there."""
        if page is None:
            page = self._page = self._page or self._enter("ines")
        return _go(page, path)

    def desk(self, site: str, stage: str = "addresses", page: Page | None = None) -> Page:
        return self.look_at(f"/sites/{site}/{stage}", page)

    def open_segment(self, label: str, page: Page | None = None) -> None:
        row = (page or self.page).get_by_role("region", name=f"Segment {label}", exact=True)
        row.get_by_role("button").first.click()
        row.get_by_label("Subnet", exact=True).wait_for()


def _go(page: Page, path: str) -> Page:
    page.goto(path)
    page.wait_for_function(THERE)
    return page
