"""A large workbook loaded over the API into an empty server: `python -m benchmarks.imports [SITES] [WORKBOOK]`.

The workbook is generated (into WORKBOOK, unless that is there already). Measured are the time until it is read and
until it is loaded, the server's largest memory in each, how soon a stop takes hold, and how long others wait in the
meantime: to look at the desk of another site, and to change it.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

import httpx

from benchmarks.portfolios import Shape, portfolio
from benchmarks.size import folder_named, sized
from octaplan.core.plan.site import SitePlan
from octaplan.formats.rows import table_rows
from octaplan.formats.workbook import write_workbook
from octaplan.store.database import Database
from octaplan.store.models import AccountRole
from octaplan.store.records import Records

PASSWORD = "walnut mist 12"  # noqa: S105  (of a generated portfolio)
HOSTS = 2  # in each of the six segments of a site


def main() -> None:
    sites = sized(10_000, 20)
    with tempfile.TemporaryDirectory() as spare:
        workbook = Path(folder_named() or Path(spare) / "intake.xlsx")
        if not workbook.exists():
            made = portfolio(Shape(sites, hosts=HOSTS, mistakes=0)).plans
            begun = time.perf_counter()
            write_workbook(workbook, table_rows(made))
            print(f"| writing the workbook | {time.perf_counter() - begun:.0f} s |", flush=True)
            del made
        folder = Path(spare) / "data"
        database = Database(folder)
        records = Records(database)
        records.accounts.add("ines", "Ines Aldering", PASSWORD, AccountRole.ADMINISTRATOR)
        records.plans.save_all([SitePlan(customer="LARCH", site="KEPT")], "benchmark", "Made")
        database.close()
        command = [sys.executable, "-m", "octaplan", "serve", "--data", str(folder), "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)  # noqa: S603
        try:
            said = ""
            while "Octaplan is at" not in said:
                said += server.stdout.readline() if server.stdout else ""
            url = re.findall(r"http://\S+", said)[0]
            with httpx.Client(base_url=url, headers={"X-Octaplan": "1"}, timeout=900) as client:
                client.post("/api/session", json={"name": "ines", "password": PASSWORD}).raise_for_status()
                for line in _measured(client, server.pid, workbook):
                    print(line, flush=True)
        finally:
            server.terminate()
            server.wait()


def _measured(client: httpx.Client, pid: int, workbook: Path) -> list[str]:
    watch = _Watch(pid, client)
    begun = time.perf_counter()
    stopped = _begin(client, workbook)
    time.sleep(sized(5, 0))  # into the reading, wherever that is by then
    asked = time.perf_counter()
    client.delete(f"/api/imports/{stopped['id']}")
    while _state(client, stopped)["phase"] not in ("cancelled", "ready"):
        time.sleep(0.05)
    stop = time.perf_counter() - asked
    begun = time.perf_counter()
    state = _follow(client, _begin(client, workbook))
    read, read_peak = time.perf_counter() - begun, watch.peak()
    while_read = watch.waits()
    preview = state["preview"]
    begun = time.perf_counter()
    loading = client.post(f"/api/imports/{state['id']}/apply", json={}).json()
    loaded = _follow(client, loading)
    load, load_peak = time.perf_counter() - begun, watch.peak()
    while_loaded = watch.waits()
    asked = time.perf_counter()
    undone = client.post(f"/api/findings/batches/{loaded['batch']}/undo").json()
    undo = time.perf_counter() - asked
    return [
        f"| workbook of {preview['new_total']:,} sites | {workbook.stat().st_size / 1e6:.1f} MB |",
        f"| read and shown; largest memory | {read:.0f} s; {read_peak:.0f} MB |",
        f"| loaded ({loaded['phase']}, {loaded['sites']:,} sites); largest memory | {load:.0f} s; {load_peak:.0f} MB |",
        f"| until an import that is stopped has stopped | {stop:.2f} s |",
        f"| one undo ({undone['undone']:,} sites) | {undo:.0f} s |",
        f"| others while it is read | {while_read} |",
        f"| others while it is loaded | {while_loaded} |",
        f"| others while it is undone | {watch.waits()} |",
    ]


def _begin(client: httpx.Client, workbook: Path) -> dict[str, Any]:
    with workbook.open("rb") as stream:
        answer = client.post("/api/imports", files={"files": ("intake.xlsx", stream)})
    answer.raise_for_status()
    body: dict[str, Any] = answer.json()
    return body


def _state(client: httpx.Client, state: dict[str, Any]) -> dict[str, Any]:
    body: dict[str, Any] = client.get(f"/api/imports/{state['id']}").json()
    return body


def _follow(client: httpx.Client, state: dict[str, Any]) -> dict[str, Any]:
    while state["phase"] in ("reading", "loading"):
        time.sleep(0.5)
        state = _state(client, state)
    if state["phase"] not in ("ready", "loaded"):
        raise SystemExit(f"the import is {state['phase']}: {state['problem']}")
    return state


class _Watch:
    """The largest memory of the server since it was last asked for, in MB, and how long small requests wait."""

    def __init__(self, pid: int, client: httpx.Client) -> None:
        self._status = Path(f"/proc/{pid}/statm")
        self._peak = 0.0
        self._waited: dict[str, list[float]] = {"desk": [], "change": []}
        self._client = client
        threading.Thread(target=self._watch, daemon=True).start()
        threading.Thread(target=self._ask, daemon=True).start()

    def _watch(self) -> None:
        while self._status.exists():
            self._peak = max(self._peak, int(self._status.read_text().split()[1]) * 4096 / 1e6)
            time.sleep(0.1)

    def _ask(self) -> None:
        at = "/api/sites/LARCH/KEPT"
        while self._status.exists():
            try:
                begun = time.perf_counter()
                revision = self._client.get(at).json()["revision"]["number"]
                looked = time.perf_counter()
                contact = [{"op": "add", "path": "/contact", "value": f"after {begun}"}]
                self._client.patch(f"{at}/plan", json=contact, headers={"If-Match": str(revision)}).raise_for_status()
            except (RuntimeError, httpx.HTTPError):
                return  # the measurement is over
            self._waited["desk"].append(looked - begun)
            self._waited["change"].append(time.perf_counter() - looked)
            time.sleep(0.3)

    def peak(self) -> float:
        peak, self._peak = self._peak, 0.0
        return peak

    def waits(self) -> str:
        """How long others have waited since this was asked for last."""
        told = []
        for what, waited in self._waited.items():
            some = sorted(waited[:]) or [0.0]  # it was over before anybody could ask
            waited.clear()
            middle, most, last = (some[int(len(some) * part)] for part in (0.5, 0.95, 0.9999))
            told.append(f"{what} {middle * 1000:.0f}, {most * 1000:.0f}, {last * 1000:.0f} ms")
        return "; ".join(told)


if __name__ == "__main__":
    main()
