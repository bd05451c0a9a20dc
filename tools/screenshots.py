"""Takes the pictures of docs/screenshots from the demo portfolio: `python tools/screenshots.py [FOLDER] [options]`."""

from __future__ import annotations

import argparse
import re
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parent.parent


def outbound(page: Page) -> None:
    page.goto("/outbound")
    page.get_by_role("list", name="Sites by ship week").wait_for()


def addresses(page: Page) -> None:
    page.goto("/sites/FERN/DOCK/addresses")
    page.get_by_role("region", name="Segment Voice").wait_for()
    page.get_by_role("button", name=re.compile("^End the range at")).wait_for()


def clearance(page: Page) -> None:
    page.goto("/sites/HARB/HIGH/clearance")
    page.get_by_role("region", name="In the way").wait_for()


def handover(page: Page) -> None:
    page.goto("/sites/PAWS/HERON/handover")
    page.get_by_role("article").wait_for()


def practice(page: Page) -> None:
    page.goto("/sites/PAWS/HERON/bench")
    hands = page.get_by_role("region", name="Octaplan's hands")
    hands.get_by_role("button", name="Do all that is left").click()
    hands.get_by_text("“Label” is yours").wait_for()
    page.goto("/practice")
    box = page.get_by_role("region", name="oven-edge")
    box.get_by_role("button", name="plug it in").click()
    box.get_by_role("button", name="M", exact=True).click()
    box.get_by_text("ready", exact=True).wait_for()
    box.get_by_label("Laptop's own address").fill("172.30.99.9")
    box.get_by_role("button", name="set", exact=True).click()
    box.get_by_text("HTTPS pages").wait_for()
    page.get_by_role("heading", name=re.compile("^Practice bench")).scroll_into_view_if_needed()


def devices(page: Page) -> None:
    page.goto("/sites/PAWS/HERON/devices")
    page.get_by_role("group", name="Ports of heron-edge").wait_for()


def traffic(page: Page) -> None:
    page.goto("/sites/FERN/ORCH/traffic?from=Voice&to=internet")
    page.get_by_role("list", name="The way there").wait_for()


def bench(page: Page) -> None:
    page.goto("/sites/PAWS/HERON/bench")
    page.get_by_role("button", name=re.compile("Office: address and range")).click()
    page.get_by_text("The laptop loses the box with this step.").wait_for()


def read_back(page: Page) -> None:
    page.goto("/sites/PAWS/HERON/text")
    page.get_by_label(re.compile("^Text of portion")).last.wait_for()
    text = "".join(page.get_by_label(re.compile("^Text of portion")).all_inner_texts())
    for planned, seen in (
        (" 3600 seconds", " 360 seconds"),
        ("192.0.2.53", "192.0.2.35"),
        ("Europe/London", "Europe/Dublin"),
    ):
        text = text.replace(planned, seen, 1)
    page.get_by_role("link", name="Read back what it shows").click()
    page.get_by_role("textbox", name=re.compile("^What .* shows")).fill(text + "\npassword Summer2024\n")
    page.get_by_role("region", name="Seen and not planned").wait_for()


def hardware(page: Page) -> None:
    page.goto("/hardware/skerry-f7")
    page.get_by_role("article").wait_for()


def safe(page: Page) -> None:
    page.goto("/safe")
    page.get_by_role("table").wait_for()


def rehearsal(page: Page) -> None:
    page.goto("/sites/FERN/ROSE/rehearsal")
    page.get_by_role("button", name="Rehearse", exact=True).click()
    page.get_by_role("region", name="What happened").wait_for()


def space(page: Page) -> None:
    page.goto("/space?window=10.40.0.0/19&colour=role")
    page.get_by_label("Near which address").fill("10.40.9.0")
    page.get_by_label("For which customer").select_option("FERN")
    page.get_by_label("For which site").select_option("ROSE")
    page.get_by_role("button", name="Find", exact=True).click()
    page.locator("[data-lit]").first.wait_for()


def findings(page: Page) -> None:
    page.goto("/findings?rule=overlap-reach")
    page.get_by_role("button", name=re.compile("^Mend at")).click()
    page.get_by_role("button", name=re.compile("^Do it at")).wait_for()


def asked(page: Page) -> None:
    page.goto("/sites/FERN/DOCK/intake")
    page.get_by_label("gateway of Main", exact=True).wait_for()


def rollout(page: Page) -> None:
    page.goto("/rollout?customer=QUAY")
    rows = "\n".join(f"S{n:02};Quayside {n};Europe/Dublin" for n in range(1, 41))
    page.get_by_label("Table of sites").fill(f"site;name;time_zone\n{rows}")
    page.get_by_role("button", name="See what it makes").click()
    page.get_by_role("button", name="Make 40 sites").wait_for()


VIEWS: dict[str, Callable[[Page], None]] = {
    "outbound": outbound,
    "addresses": addresses,
    "devices": devices,
    "traffic": traffic,
    "clearance": clearance,
    "bench": bench,
    "read-back": read_back,
    "hardware": hardware,
    "safe": safe,
    "rehearsal": rehearsal,
    "site-sheet": handover,
    "intake": asked,
    "rollout": rollout,
    "space": space,
    "findings": findings,
    "practice": practice,
}


def main() -> None:
    arguments = argparse.ArgumentParser(description=__doc__)
    arguments.add_argument("folder", nargs="?", type=Path, default=ROOT / "docs" / "screenshots")
    arguments.add_argument("--only", choices=VIEWS, action="append")
    arguments.add_argument("--scheme", choices=("light", "dark"), default="light")
    arguments.add_argument("--width", type=int, default=1280)
    arguments.add_argument("--height", type=int, default=800)
    chosen = arguments.parse_args()
    chosen.folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data:
        command = [sys.executable, "-m", "octaplan", "serve", "--demo", "--data", data, "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)  # noqa: S603
        try:
            said = ""
            while "Octaplan is at" not in said:
                line = server.stdout.readline() if server.stdout else ""
                if not line:
                    sys.exit("Octaplan did not start; what it said is above")
                said += line
            password = re.search(r"ines, password (\S+)", said)[1]  # type: ignore[index]
            url = re.search(r"http://\S+", said)[0]  # type: ignore[index]
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(
                    executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"]
                )
                page = browser.new_page(
                    base_url=url,
                    color_scheme=chosen.scheme,
                    viewport={"width": chosen.width, "height": chosen.height},
                )
                page.add_init_script("delete window.SharedWorker")  # whose stream would never let the network be idle
                page.goto("/")
                page.get_by_label("Name").fill("ines")
                page.get_by_label("Password").fill(password)
                page.get_by_role("button", name="Sign in").click()
                page.get_by_role("heading", name=re.compile("^Show")).wait_for()
                for name in chosen.only or VIEWS:
                    VIEWS[name](page)
                    page.evaluate("document.fonts.ready")
                    page.evaluate("new Promise((done) => requestIdleCallback(done, { timeout: 3000 }))")
                    page.screenshot(path=chosen.folder / f"{name}.png")
                browser.close()
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
