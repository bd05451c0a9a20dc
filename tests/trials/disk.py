"""A disk that runs full, and gets room again: `python -m tests.trials.disk` (as root: it mounts a small tmpfs).

Changes are made over the API until none can be saved. What was acknowledged must be there, reads must go on, each refusal
must say why, and once there is room changes must be saved again; then the folder is opened anew.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from http import HTTPStatus
from pathlib import Path

from fastapi.testclient import TestClient

from octaplan.server.app import create_app
from octaplan.server.pages import operation
from octaplan.store.backups import verify
from octaplan.store.database import Database
from octaplan.store.models import AccountRole
from octaplan.store.records import Records
from tests.store.test_plans import DOCK

operation.LEAST_ROOM = 1 << 20

SIZE, PASSWORD = "8m", "lantern reed 9"


def main() -> int:
    with tempfile.TemporaryDirectory(prefix="octaplan-disk-") as place:
        if subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SIZE}", "tmpfs", place], check=False).returncode:
            print("no tmpfs can be mounted here: run this as root")
            return 0
        try:
            return _fill(Path(place))
        finally:
            subprocess.run(["umount", place], check=True)


def _fill(disk: Path) -> int:
    ballast = disk / "ballast"
    ballast.write_bytes(b"\0" * (2 << 20))
    database = Database(disk / "data")
    app = create_app(database)
    records: Records = app.state.records
    records.plans.save_all([DOCK], "trial", "Made")
    records.accounts.add("ines", "Ines Aldering", PASSWORD, AccountRole.ADMINISTRATOR)
    app.state.setup_code = None
    client = TestClient(app, headers={"X-Octaplan": "1"}, raise_server_exceptions=False)
    client.post("/api/session", json={"name": "ines", "password": PASSWORD}).raise_for_status()

    def change(number: int) -> tuple[int, str]:
        revision = client.get("/api/sites/FERN/DOCK").json()["revision"]["number"]
        operations = [{"op": "add", "path": "/contact", "value": f"{number} " + "x" * 150}]
        answer = client.patch("/api/sites/FERN/DOCK/plan", json=operations, headers={"If-Match": str(revision)})
        return answer.status_code, answer.text

    wrong: list[str] = []
    acknowledged = refused = 0
    begun = time.monotonic()
    while refused < 20:
        status, said = change(acknowledged + 1)
        if status == HTTPStatus.OK:
            acknowledged += 1
        elif status == HTTPStatus.INSUFFICIENT_STORAGE and "the disk is full" in said:
            refused += 1
        else:
            wrong.append(f"{status} {said[:200]}")
            break
        if client.get("/api/outbound").status_code != HTTPStatus.OK:
            wrong.append("a read was refused")
    late = TestClient(app, headers={"X-Octaplan": "1"}, raise_server_exceptions=False)
    for password, wanted in (("wrong password", HTTPStatus.UNAUTHORIZED), (PASSWORD, HTTPStatus.OK)):
        status = late.post("/api/session", json={"name": "ines", "password": password}).status_code
        if status != wanted:
            wrong.append(f"signing in on a full disk: {status} for {wanted}")
    if late.get("/api/sites/FERN/DOCK").status_code != HTTPStatus.OK:
        wrong.append("who signed in on a full disk does not read")
    status = client.post("/api/safe/key").status_code
    if status != HTTPStatus.INSUFFICIENT_STORAGE:
        wrong.append(f"a key change on a full disk: {status}")
    if client.get("/api/health").json() != {"status": "full"}:
        wrong.append("health does not tell")
    if client.get("/api/ready").status_code != HTTPStatus.OK:
        wrong.append("it is not ready for readers")
    there = int(records.now.sites.plan("FERN/DOCK").contact.split()[0])  # type: ignore[union-attr]
    if there != acknowledged:
        wrong.append(f"{acknowledged} was acknowledged, readers see {there}")
    ballast.unlink()
    status, said = change(acknowledged + 1)
    if status != HTTPStatus.OK:
        wrong.append(f"with room again: {status} {said[:200]}")
    records.accounts.write_held()
    if client.get("/api/health").json() != {"status": "ok"}:
        wrong.append("health does not tell that there is room again")
    database.close()
    again = Records(database := Database(disk / "data"))
    token = next(value for name, value in late.cookies.items() if "session" in name)
    if again.accounts.person(token) is None:
        wrong.append("the session that was begun on a full disk was not written once there was room")
    kept = int(again.now.sites.plan("FERN/DOCK").contact.split()[0])  # type: ignore[union-attr]
    if kept != acknowledged + 1:
        wrong.append(f"{acknowledged + 1} was acknowledged, {kept} is there")
    if fault := again.journal.check().fault:
        wrong.append(fault)
    database.close()
    wrong += [f"{verdict.what}: {verdict.fault}" for verdict in verify(disk / "data") if verdict.fault]
    spent = time.monotonic() - begun
    print(
        f"{acknowledged:,} changes until {SIZE} were full, {refused} refused in words, {spent:.0f} s; {len(wrong)} wrong"
    )
    for line in wrong:
        print(line)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
