"""The process of a rehearsal: reads what to rehearse, tells of it line by line, ends with whoever began it."""

from __future__ import annotations

import asyncio
import json
import os
import resource
import sys
import threading
from typing import Any

from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import OctaplanError
from octaplan.lab.rehearsal.rehearse import document, rehearse
from octaplan.lab.rehearsal.yard import Yard


def main() -> int:
    task = json.loads(sys.stdin.readline())
    ends = threading.Event()
    threading.Thread(target=_until_alone, args=(ends,), daemon=True).start()
    most = resource.getrlimit(resource.RLIMIT_NOFILE)[1]
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(most, 1 << 16), most))
    plan = SitePlan.model_validate(task["plan"])
    organisation = Organisation.model_validate(task["organisation"]) if task.get("organisation") else UNDECIDED

    def kept(yard: Yard) -> None:
        spaces = {key: yard.path(key).rpartition("/")[2] for key in yard.design.spaces}
        tell({"event": "kept", "spaces": spaces, "titles": {k: s.title for k, s in yard.design.spaces.items()}})
        ends.wait()

    try:
        keep, leases = kept if task.get("keep") else None, bool(task.get("leases", True))
        done = asyncio.run(rehearse(plan, organisation, tell, task.get("seed", 0), leases=leases, kept=keep))
        tell({"event": "result", **document(done)})
    except OctaplanError as error:
        tell({"event": "refused", "message": str(error)})
    return 0


def tell(event: dict[str, Any]) -> None:
    sys.stdout.write(json.dumps(event) + "\n")
    sys.stdout.flush()


def _until_alone(ends: threading.Event) -> None:
    """Wait for whoever began this to end it, by a line or by going away, and end."""
    if sys.stdin.readline():
        ends.set()
        return
    os._exit(3)


if __name__ == "__main__":
    sys.exit(main())
