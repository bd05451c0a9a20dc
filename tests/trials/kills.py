"""A process that writes is killed again and again: `python -m tests.trials.kills [TIMES]`.

Plans and secrets are written, tables are loaded in parts, and the key is changed, while the process is killed at random
moments. What it had acknowledged must be there when the folder is opened again, tables wholly or not at all, every secret
must open, and the journal must be whole.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from octaplan.store.backups import verify
from octaplan.store.database import Database
from octaplan.store.records import Records
from tests.store.test_safe import KIND, equipped

#: How many sites each table has.
SITES = 40

WRITER = (
    f"SITES = {SITES}"
    + """
import itertools, sys
from pathlib import Path
from octaplan.store.database import Database
from octaplan.store.records import Records
from octaplan.store.refusals import PlansError
records = Records(Database(Path(sys.argv[1])))
slot, start = sys.argv[2], int(sys.argv[3])
for number in itertools.count(start):
    held = records.now.sites.of("FERN/DOCK")
    change = [{"op": "add", "path": "/contact", "value": str(number)}]
    records.plans.revise("FERN/DOCK", change, held.saved.number, "writer")
    print("plan", number, flush=True)
    records.safe.put(records.now.sites.need("FERN/DOCK", slot), f"lantern Reed 9 {number}", "writer")
    print("secret", number, flush=True)
    if number % 3 == 0:
        table = "customer,site,name\\n" + "".join(f"LOAD,L{number}-{one},Shop\\n" for one in range(SITES))
        preview = records.imports.preview([("sites.csv", table.encode())], "writer")
        print("load", number, records.imports.apply(preview.id, "writer").batch, flush=True)
    if number % 7 == 0:
        records.safe.change_key("writer")
        print("key", number, flush=True)
"""
)


def main() -> int:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000
    chance = random.Random(1)
    folder = Path(tempfile.mkdtemp(prefix="octaplan-kills-"))
    plan, edge = equipped()
    slot = f"devices/{edge}/administrator"
    database = Database(folder / "data")
    records = Records(database)
    records.hardware.save(KIND.document(), 0, "trial")
    records.plans.save_all([plan], "trial", "Made")
    database.close()
    lost: list[str] = []
    kills = acknowledged = number = cut_short = 0
    begun = time.monotonic()
    for _ in range(times):
        command = [sys.executable, "-c", WRITER, str(folder / "data"), slot, str(number + 1)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as writer:
            assert writer.stdout
            said = {"plan": number, "secret": 0, "key": 0, "load": 0}
            for _ in range(chance.randrange(1, 12)):
                what, told = writer.stdout.readline().split()[:2]
                said[what] = int(told)
            time.sleep(chance.random() / chance.choice((100, 2)))  # sometimes into the loading of a table
            os.kill(writer.pid, signal.SIGKILL)
            for line in writer.stdout.read().splitlines():
                if len(line.split()) >= 2 and line.split()[1].isdigit():
                    said[line.split()[0]] = int(line.split()[1])
        kills += 1
        acknowledged += said["plan"] - number
        database = Database(folder / "data")
        records = Records(database)
        cut_short += len(records.batches.finish())
        loads = Counter(key.partition("-")[0] for key in records.now.sites.held if key.startswith("load/"))
        lost += [f"{many} sites of table {name} are there" for name, many in loads.items() if many != SITES]
        if said["load"] and f"load/l{said['load']}" not in loads:
            lost.append(f"table {said['load']} was acknowledged and is not there")
        for batch in records.batches.recent():
            if not batch.undone:
                records.batches.undo(batch.id, "trial")
        contact = int(records.now.sites.plan("FERN/DOCK").contact or 0)
        if contact < said["plan"]:
            lost.append(f"plan {said['plan']} was acknowledged, {contact} is there")
        if said["secret"]:
            newest = int(records.safe.read("FERN/DOCK", slot, "trial").rsplit(" ", 1)[1])
            if newest < said["secret"]:
                lost.append(f"secret {said['secret']} was acknowledged, {newest} is there")
        fault = records.journal.check().fault
        if fault:
            lost.append(fault)
        number = max(contact, said["plan"])
        database.close()
        if kills % 50 == 0:
            print(
                f"{kills:,} kills, {acknowledged:,} plans, {cut_short} tables cut short, {len(lost)} lost", flush=True
            )
    faults = [f"{verdict.what}: {verdict.fault}" for verdict in verify(folder / "data") if verdict.fault]
    spent = time.monotonic() - begun
    print(
        f"{kills:,} kills in {spent:.0f} s, {acknowledged:,} plans acknowledged, {cut_short} tables cut short; "
        f"{len(lost)} lost, {len(faults)} faults"
    )
    for line in [*lost, *faults]:
        print(line)
    shutil.rmtree(folder)
    return 1 if lost or faults else 0


if __name__ == "__main__":
    raise SystemExit(main())
