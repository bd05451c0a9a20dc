"""Keeps a data folder of today's tables for the tests of tomorrow's: `python tools/former.py`, before a new migration.

The demo is served and worked with over its API until every table that is to survive has rows, then packed.
"""

from __future__ import annotations

import re
import sqlite3
import subprocess
import sys
import tarfile
import tempfile
import time
from contextlib import closing
from pathlib import Path

import httpx

from octaplan.store.database import FILE, known_revisions

ROOT = Path(__file__).parent.parent
FORMER = ROOT / "tests" / "store" / "former"
SITE = "/api/sites/PAWS/HERON"


def work(client: httpx.Client) -> None:
    """A backup, a batch, a link and a rehearsal."""
    devices = client.get(SITE).json()["plan"]["devices"]
    edge = next(key for key, device in devices.items() if device["role"] == "edge")
    backup = {"file": ("edge.cfg", b"this box is heron-edge\n" * 20)}
    client.post(f"{SITE}/bench/{edge}/backups", files=backup).raise_for_status()
    sites = [f"{one['customer']}/{one['site']}".lower() for one in client.get("/api/outbound").json()["sites"]]
    choice = {"rule": "overlap-scope-static", "sites": sites}
    mended = client.post("/api/findings/preview", json=choice).raise_for_status().json()
    revisions = {f"{one['customer']}/{one['site']}".lower(): one["revision"] for one in mended if one["remedies"]}
    applying = {"rule": choice["rule"], "revisions": revisions}
    client.post("/api/findings/apply", json=applying).raise_for_status()
    client.post(f"{SITE}/handover/links", json={}).raise_for_status()
    rehearsal = "/api/sites/FERN/ROSE/rehearsal"
    client.post(rehearsal, json={}).raise_for_status()
    while not client.get(rehearsal).json().get("last"):
        time.sleep(0.2)


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        data = Path(name)
        command = [sys.executable, "-m", "octaplan", "serve", "--demo", "--data", name, "--port", "0"]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as server:  # noqa: S603
            said = ""
            while "Octaplan is at" not in said:
                said += server.stdout.readline() if server.stdout else ""
            password = re.findall(r"ines, password (\S+)", said)[0]
            with httpx.Client(
                base_url=re.findall(r"http://\S+", said)[0], headers={"X-Octaplan": "1"}, timeout=60
            ) as client:
                client.post("/api/session", json={"name": "ines", "password": password}).raise_for_status()
                work(client)
            server.terminate()
        with closing(sqlite3.connect(data / FILE)) as connection:
            connection.execute("PRAGMA journal_mode=DELETE")  # nothing is left beside it
        kept = FORMER / f"{known_revisions()[-1]}.tar.xz"
        with tarfile.open(kept, "w:xz") as packed:
            for path in sorted(data.iterdir()):
                if path.is_file() and path.name != "lock":
                    packed.add(path, path.name)
        print(f"{kept.relative_to(ROOT)}: {kept.stat().st_size // 1000} kB")


if __name__ == "__main__":
    main()
