"""What a child process is sent to do with what people or boxes wrote."""

from __future__ import annotations

import io
from collections.abc import Mapping

from octaplan.core.config.departures import ReadBack
from octaplan.core.config.readback import read_back
from octaplan.core.config.takeover import TakenFrom, take_over
from octaplan.core.config.writeout import Written, write_out
from octaplan.core.plan.hardware import HardwareType, WriteOut
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.asking import Came, read_text
from octaplan.core.propose.fragment import Fragment, read_fragment
from octaplan.formats.answers import read_answers
from octaplan.formats.sheetreader import open_workbook
from octaplan.formats.tables import Table


def written(
    plan: SitePlan, device: str, kind: HardwareType, organisation: Organisation, using: WriteOut | None = None
) -> Written:
    """The write-out of a box, by the templates of its type or by others. Raises `NotWritten`."""
    return write_out(plan, device, kind, organisation, using=using)


def held_against_plan(
    plan: SitePlan,
    device: str,
    text: str,
    kind: HardwareType | None,
    organisation: Organisation,
    before: tuple[SitePlan, ...],
    others: Mapping[str, SitePlan],
) -> ReadBack:
    """What a box printed, held against its plan. Raises `Unreadable`."""
    return read_back(plan, device, text, kind, organisation, before=before, others=others)


def taken_over(plan: SitePlan, text: str) -> TakenFrom:
    """What a text of a box has that a plan does not hold yet. Raises `Unreadable`."""
    return take_over(plan, text)


def letter_read(plan: SitePlan, circuit: str, text: str) -> Fragment:
    """What a provider wrote, in the fields of a circuit. Raises `TypedError`."""
    return read_fragment(plan, circuit, text)


def answers_read(plans: Mapping[str, SitePlan], text: str) -> list[Came]:
    """The answers in a list that came back as text. Raises `TypedError`."""
    return read_text(plans, text)


def answers_unpacked(name: str, content: bytes) -> list[dict[str, str]]:
    """The rows of a list that came back as a table. Raises `TableError`."""
    return read_answers(name, content)


def unpacked(name: str, content: bytes) -> list[Table]:
    """The tables of a workbook, whole. Raises `TableError`."""
    tables = open_workbook(io.BytesIO(content), name)
    return [table._replace(rows=[*table.rows], doubts=dict(table.doubts)) for table in tables]
