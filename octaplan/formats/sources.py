"""Where tables and plans come from: paths on a command line, or files dropped on a page."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path, PurePath

from octaplan.core.plan.site import SitePlan
from octaplan.formats.compact import RowsAmong
from octaplan.formats.intake import read_intake
from octaplan.formats.planjson import PlanError, parse_plan, read_plan
from octaplan.formats.sheetreader import SUFFIXES, open_workbook
from octaplan.formats.tables import NAMES, Progress, Table, TableError, open_csv, open_folder, read_csv
from octaplan.formats.taken import Intake

#: The tables of a workbook, by its name and bytes.
Unpack = Callable[[str, bytes, Progress], list[Table]]


def load_paths(
    paths: Sequence[Path], existing: Mapping[str, SitePlan] | None = None, progress: Progress | None = None
) -> Intake:
    """Everything that folders of tables, workbooks and plan files hold. Raises `TableError`, `PlanError`."""
    tables: list[Table] = []
    plans: dict[str, SitePlan] = {}
    for path in paths:
        if path.is_dir():
            tables += open_folder(path, f"{path.name}/" if len(paths) > 1 else "", progress)
        elif not path.exists():
            raise TableError(f"{path} is not there")
        elif path.suffix.casefold() in SUFFIXES:
            tables += open_workbook(path, path.name, progress)
        elif path.suffix.casefold() == ".csv":
            tables.append(open_csv(path, progress=progress))
        elif path.suffix.casefold() == ".json":
            _add(plans, read_plan(path), path.name)
        else:
            raise TableError(f"{path} is not a folder, an .xlsx or .ods workbook, a .csv table or a .json site plan")
    return _read(tables, plans, existing)


def load_files(
    files: Iterable[tuple[str, bytes]],
    existing: Mapping[str, SitePlan] | None = None,
    progress: Progress | None = None,
    watched: RowsAmong | None = None,
    closed: Mapping[str, str] | None = None,
    unpack: Unpack | None = None,
) -> Intake:
    """Everything that files hold, each a name and its bytes. Raises `TableError`, `PlanError`.

    `progress` is told how many of the bytes have been gone through; what it raises ends the reading. `watched` are rows
    of which it is told whether they were taken; of sites that are `closed` (by key, with the reason) nothing is.
    `unpack` reads workbooks in another way than here.
    """
    tables: list[Table] = []
    plans: dict[str, SitePlan] = {}
    for name, content in files:
        path = PurePath(name)
        suffix = path.suffix.casefold()
        if suffix in SUFFIXES:
            tables += (unpack or _opened)(path.name, content, progress or (lambda _: None))
        elif suffix == ".json":
            _add(plans, parse_plan(content, path.name), path.name, closed)
        elif suffix == ".csv":
            tables.append(read_csv(io.BytesIO(content), path.stem.casefold(), path.name, progress))
        else:
            raise TableError(f"{path.name} is not a .csv table, an .xlsx or .ods workbook or a .json site plan")
    names = [table.name for table in tables]
    for name in NAMES:
        if names.count(name) > 1:
            raise TableError(f"Two tables of {name} at once: load one after the other")
    return _read(tables, plans, existing, watched, closed)


def _opened(name: str, content: bytes, progress: Progress) -> list[Table]:
    return open_workbook(io.BytesIO(content), name, progress)


def bytes_of_tables(paths: Sequence[Path]) -> int:
    """How many bytes of CSV `load_paths` is going to read."""
    folders = [path.iterdir() if path.is_dir() else [path] for path in paths if path.exists()]
    files = [path for folder in folders for path in folder if path.suffix.casefold() == ".csv"]
    return sum(path.stat().st_size for path in files if path.stem.casefold() in NAMES)


def unread_files(paths: Sequence[Path]) -> list[str]:
    """CSV files beside the four tables that their folder's reading passes over."""
    return [
        str(path)
        for folder in paths
        if folder.is_dir()
        for path in sorted(folder.iterdir())
        if path.suffix.casefold() == ".csv" and path.stem.casefold() not in NAMES
    ]


def _add(plans: dict[str, SitePlan], plan: SitePlan, label: str, closed: Mapping[str, str] | None = None) -> None:
    if closed and plan.key in closed:
        raise PlanError(f"{label}: {closed[plan.key]}")
    if plan.customer.startswith("~"):
        raise PlanError(f"{label} is of the customer {plan.customer}: no code of a customer begins with ~")
    if plan.key in plans:
        raise PlanError(f"{label} is a second plan of {plan.customer}/{plan.site}: leave one of them out")
    plans[plan.key] = plan


def _read(
    tables: list[Table],
    plans: dict[str, SitePlan],
    existing: Mapping[str, SitePlan] | None,
    watched: RowsAmong | None = None,
    closed: Mapping[str, str] | None = None,
) -> Intake:
    intake = read_intake(tables, {**(existing or {}), **plans}, watched, closed=closed)
    intake.plans = plans | intake.plans
    return intake
