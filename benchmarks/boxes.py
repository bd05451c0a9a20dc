"""How long boxes take: a run sheet, and 500 secrets, beside making and judging each alone: `make bench`."""

from __future__ import annotations

import tempfile
from pathlib import Path

from benchmarks.check import timed
from benchmarks.size import sized
from octaplan.core.plan.hardware import SlotRule
from octaplan.core.plan.passwords import make, strength
from octaplan.core.stage.runsheet import run_sheet
from octaplan.demo import prepare
from octaplan.store.database import Database
from octaplan.store.records import Records


def main() -> None:
    from datetime import date

    with tempfile.TemporaryDirectory() as folder:
        records = Records(Database(Path(folder)))
        prepare(records, date.today())  # noqa: DTZ011
        print("\n| what | time |")
        print("| --- | ---: |")
        for plan in records.plans.now.all().values():
            for key, device in plan.devices.items():
                if device.staged:
                    kind = records.hardware.types[device.type]
                    spent, sheet = timed(lambda p=plan, k=key, t=kind: run_sheet(p, k, t), sized(20, 1))  # type: ignore[misc]
                    print(f"| run sheet of {device.name}, {len(sheet.steps)} steps | {spent:.2f} ms |")
        need = records.plans.now.needs(records.plans.now.plan("paws/heron"))[0]
        count = sized(500, 5)
        sealed, _ = timed(lambda: records.safe.make([need] * count, "bench"), 3)
        alone, _ = timed(lambda: [strength(make(SlotRule())) for _ in range(count)], 3)
        print(f"| {count} secrets made, sealed, fingerprinted and noted in the journal | {sealed:.0f} ms |")
        print(f"| {count} secrets made and judged by zxcvbn, nothing kept | {alone:.0f} ms ({alone / sealed:.1f}×) |")
        records.database.close()


if __name__ == "__main__":
    main()
