"""The parts of a run sheet: steps, what is typed in them, and what is measured."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass

from octaplan.core.stage.bench import Situation
from octaplan.core.stage.entries import Value

#: Kinds of measures whose answer shows that the box does what is planned, and not only what it is.
PROVING = ("ping", "lease", "lookup", "yes", "passes", "silent")

#: The step in which all that a box shows is held against its plan.
READ_BACK = "read-back"


@dataclass(frozen=True, slots=True)
class Measure:
    """One answer that the technician reads off and types. `record` is the field of the device that keeps it;
    without an answer that is `needed` the step is not done. `beyond` says that it needs more than box and laptop:
    a provider, one that is played, or another box of the site."""

    key: str
    label: str
    kind: str
    expect: str = ""
    record: str = ""
    needed: bool = True
    beyond: bool = False

    @property
    def proves(self) -> bool:
        return self.needed and self.kind in PROVING


@dataclass(frozen=True, slots=True)
class Step:
    """One step. `lost` says that it cuts the connection though nobody moved the cable, `mend` what to do then.

    `notes` are what others learned the hard way about it.
    """

    key: str
    group: str
    title: str
    text: str
    values: tuple[Value, ...]
    measures: tuple[Measure, ...]
    needs_box: bool
    before: Situation
    after: Situation
    mend: str = ""
    notes: tuple[str, ...] = ()

    @property
    def lost(self) -> bool:
        stays = self.after.port == self.before.port
        return stays and self.before.reaches and not self.after.reaches

    @property
    def proves(self) -> bool:
        """Whether something is measured in it that shows that the box does what is planned."""
        return any(measure.proves for measure in self.measures)

    @property
    def digest(self) -> str:
        """The same as long as the step asks for the same."""
        said = [
            self.title,
            self.text,
            [(v.label, v.text, v.secret) for v in self.values],
            [(m.key, m.expect) for m in self.measures if not m.record],
        ]
        return hashlib.blake2b(json.dumps(said).encode(), digest_size=8).hexdigest()


@dataclass(frozen=True, slots=True)
class RunSheet:
    """The steps for one box, or the `problem` that keeps it from being staged (to the end)."""

    steps: tuple[Step, ...]
    problem: str = ""
