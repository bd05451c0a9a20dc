"""How the pages feel with a large portfolio loaded, in a real browser: `python -m benchmarks.pages [SITES] [FOLDER]`.

A server is started on a generated portfolio (made in FOLDER unless it is there already). What is measured is what a
person feels: round trips as the page sees them, frames while something is dragged, tasks that block the page.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from benchmarks.portfolios import Shape, portfolio
from benchmarks.size import folder_named, sized
from octaplan.core.plan.site import SitePlan
from octaplan.store.database import FILE, Database
from octaplan.store.models import AccountRole
from octaplan.store.records import Records
from tests.browser.support import BROWSER, CHROMIUM

PASSWORD = "walnut mist 12"  # noqa: S105  (of a generated portfolio)
CUSTOMER = 200
TWELVE = "BIG/TWELVE"

WATCH = """() => {
  window.long = [];
  new PerformanceObserver((list) => list.getEntries().forEach((e) => window.long.push(e.duration)))
    .observe({type: 'longtask'});
  window.frames = []; let last = performance.now();
  const tick = (now) => { window.frames.push(now - last); last = now; requestAnimationFrame(tick); };
  requestAnimationFrame(tick);
}"""


def main() -> None:
    sites = sized(10_000, 20)
    with tempfile.TemporaryDirectory() as spare:
        folder = Path(folder_named() or spare)
        if not (folder / FILE).exists():
            _make(folder, sites)
        command = [sys.executable, "-m", "octaplan", "serve", "--data", str(folder), "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)  # noqa: S603
        try:
            said = ""
            while "Octaplan is at" not in said:
                said += server.stdout.readline() if server.stdout else ""
            url = re.findall(r"http://\S+", said)[0]
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=BROWSER, args=CHROMIUM)
                page = browser.new_page(base_url=url, viewport={"width": 1280, "height": 800})
                page.add_init_script("delete window.SharedWorker")  # whose stream would never let the network be idle
                _sign_in(page)
                print(f"\n| in a browser, {sites:,} sites | |\n| --- | ---: |")
                for line in (*_desk(page), *_drag(page), *_outbound(page), *_space(page)):
                    print(line, flush=True)
                browser.close()
        finally:
            server.terminate()
            server.wait()


def _make(folder: Path, sites: int) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    database = Database(folder)
    records = Records(database)
    made = portfolio(Shape(sites, a_customer=CUSTOMER)).plans
    segments, hosts = {}, {}
    for number in range(12):
        net = f"10.255.{number}"
        segments[f"seg{number:02}"] = {
            "label": f"Segment {number}",
            "subnet": f"{net}.0/24",
            "gateway": f"{net}.1",
            "vlan": number + 10,
            "scope": {"first": f"{net}.100", "last": f"{net}.199"},
        }
        hosts |= {
            f"h{number:02}{n:02}": {"segment": f"seg{number:02}", "name": f"host {n}", "address": f"{net}.{n + 10}"}
            for n in range(16)
        }
    document = {"schema": "octaplan.site-plan/2", "customer": "BIG", "site": "TWELVE"}
    twelve = SitePlan.model_validate(document | {"segments": segments, "hosts": hosts})
    records.plans.save_all([*made, twelve], "Benchmark", "Generated")
    records.accounts.add("ines", "Ines", PASSWORD, AccountRole.ADMINISTRATOR)
    database.close()


def _sign_in(page: Page) -> None:
    page.goto("/")
    page.get_by_label("Name").fill("ines")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("list").first.wait_for()


def _opened(page: Page, path: str, ready: str) -> float:
    """Milliseconds from going to a page inside Octaplan until something is drawn on it."""
    return float(
        page.evaluate(
            """([path, ready]) => new Promise((done) => {
              const begun = performance.now();
              history.pushState({}, '', path);
              dispatchEvent(new PopStateEvent('popstate', {state: {}}));
              const look = () => document.querySelector(ready)
                ? done(performance.now() - begun) : requestAnimationFrame(look);
              look();
            })""",
            [path, ready],
        )
    )


def _desk(page: Page) -> list[str]:
    codes = page.evaluate(
        "fetch('/api/outbound').then((r) => r.json()).then((o) => o.sites.map((s) => [s.customer, s.site]))"
    )
    chosen = [codes[len(codes) * n // 12] for n in range(12)]
    spent = []
    for customer, site in chosen:
        _opened(page, "/rules", "article")
        spent.append(_opened(page, f"/sites/{customer}/{site}/addresses", "[data-mark]"))
    spent.sort()
    return [f"| a desk opened, of 12: median, slowest | {spent[6]:.0f} ms, {spent[-1]:.0f} ms |"]


def _drag(page: Page) -> list[str]:
    page.goto(f"/sites/{TWELVE}/addresses")
    page.locator("[data-mark]").first.wait_for()
    page.evaluate(WATCH)
    mark = page.locator('[data-mark="range:last"]').nth(1)
    box = mark.bounding_box()
    assert box  # noqa: S101
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate("() => { window.frames.length = 0; performance.clearResourceTimings(); }")
    page.evaluate("performance.setResourceTimingBufferSize(5000)")
    for step in range(400):
        page.mouse.move(x - (step % 120), y)
    trips = page.evaluate(
        "performance.getEntriesByType('resource').filter((e) => e.name.endsWith('/draft')).map((e) => e.duration)"
    )
    frames = sorted(page.evaluate("window.frames"))
    blocked = page.evaluate("Math.max(0, ...window.long)")
    page.keyboard.press("Escape")
    page.mouse.up()
    trips.sort()
    mean = sum(frames) / len(frames)
    return [
        f"| draft round trip while dragging, {len(trips)} of them: median, 95th percentile | "
        f"{trips[len(trips) // 2]:.1f} ms, {trips[int(len(trips) * 0.95)]:.1f} ms |",
        f"| frames while dragging, 12 rulers, 192 hosts: mean, 95th percentile | {1000 / mean:.0f} a second, "
        f"{frames[int(len(frames) * 0.95)]:.0f} ms |",
        f"| longest task while dragging | {blocked:.0f} ms |",
    ]


def _outbound(page: Page) -> list[str]:
    page.goto("/outbound")
    page.get_by_role("list", name="Sites by ship week").wait_for()
    page.evaluate("new Promise((done) => requestIdleCallback(done, { timeout: 3000 }))")
    page.evaluate(WATCH)
    page.evaluate("new Promise((done) => requestIdleCallback(done))")
    page.evaluate("window.long.length = 0")
    box = page.get_by_role("list", name="Sites by ship week").bounding_box()
    assert box  # noqa: S101
    page.mouse.move(box["x"] + 200, box["y"] + 200)
    for _ in range(150):
        page.mouse.wheel(0, 900)
    page.evaluate("new Promise((done) => setTimeout(done, 500))")
    return [f"| longest task while scrolling Outbound | {page.evaluate('Math.max(0, ...window.long)'):.0f} ms |"]


def _space(page: Page) -> list[str]:
    page.goto("/space?window=10.0.0.0/8")
    page.locator("[data-cell]").first.wait_for()
    page.evaluate(WATCH)
    picture = page.get_by_role("application")
    box = picture.bounding_box()
    assert box  # noqa: S101
    page.mouse.move(box["x"] + 60, box["y"] + 20)
    part = page.get_by_label("Part that is shown")
    for direction in (-120, 120):
        for _ in range(14):
            before = part.input_value()
            page.mouse.wheel(0, direction)
            expect(part).not_to_have_value(before)
    page.evaluate("new Promise((done) => requestIdleCallback(done, { timeout: 3000 }))")
    spent = page.evaluate(
        "performance.getEntriesByType('resource').filter((e) => e.name.includes('/api/space?')).map((e) => e.duration)"
    )
    spent.sort()
    return [
        f"| a window of Address space: median, slowest | {spent[len(spent) // 2]:.0f} ms, {spent[-1]:.0f} ms |",
        f"| longest task while zooming there | {page.evaluate('Math.max(0, ...window.long)'):.0f} ms |",
    ]


if __name__ == "__main__":
    main()
