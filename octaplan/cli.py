"""The program `octaplan`: thin commands over the rest.

Exit status: 0 done (for `check`: nothing of severity `stop`, no row refused), 1 something was found or
refused, 2 it could not be done at all, told in one line on standard error.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from enum import StrEnum
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from octaplan.core.findings import Finding, Severity
from octaplan.core.plan import SitePlan
from octaplan.core.portfolio import Portfolio
from octaplan.formats import report
from octaplan.formats.intake import Intake, read_intake
from octaplan.formats.planjson import PlanError, read_plan
from octaplan.formats.tables import NAMES, Table, TableError, open_csv, open_folder, open_workbook

app = typer.Typer(
    help="Plan, check and clear the network edge of many small sites.",
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    add_completion=False,
)

DataFolder = Annotated[Path, typer.Option("--data", help="The folder that holds Octaplan's records.")]


class Format(StrEnum):
    TEXT = "text"
    JSON = "json"


def _fail(problem: str) -> NoReturn:
    print(f"octaplan: {' '.join(problem.split())}", file=sys.stderr)
    raise typer.Exit(2)


@contextmanager
def _telling() -> Iterator[None]:
    """Say in one line why something could not be read or written at all."""
    try:
        yield
    except (TableError, PlanError) as error:
        _fail(str(error))
    except OSError as error:
        _fail(f"{error.filename or 'the files'}: {error.strerror or error}")


def _load(paths: list[Path], existing: dict[str, SitePlan] | None = None) -> Intake:
    """Everything that the paths hold, tables and plan files together."""
    tables: list[Table] = []
    plans: dict[str, SitePlan] = {}
    for path in paths:
        label = f"{path.name}/" if len(paths) > 1 else ""
        if path.is_dir():
            tables += open_folder(path, label)
            for other in sorted(path.glob("*.[cC][sS][vV]")):
                if other.stem.casefold() not in NAMES:
                    print(f"octaplan: {label}{other.name} is none of the four tables and was not read", file=sys.stderr)
        elif not path.exists():
            raise TableError(f"{path} is not there")
        elif path.suffix.casefold() == ".xlsx":
            tables += open_workbook(path, path.name)
        elif path.suffix.casefold() == ".csv":
            tables.append(open_csv(path))
        elif path.suffix.casefold() == ".json":
            plan = read_plan(path)
            if plan.key in plans:
                raise PlanError(f"{path.name} is a second plan of {plan.customer}/{plan.site}: leave one of them out")
            plans[plan.key] = plan
        else:
            raise TableError(f"{path} is not a folder, an .xlsx workbook, a .csv table or a .json site plan")
    intake = read_intake(tables, (existing or {}) | plans)
    intake.plans = plans | intake.plans
    return intake


@app.callback()
def octaplan() -> None:
    """Plan, check and clear the network edge of many small sites."""


@app.command()
def check(
    paths: Annotated[list[Path], typer.Argument(help="Folders of CSV tables, XLSX workbooks, site-plan JSON files.")],
    output: Annotated[Format, typer.Option("--format", help="How to print what was found.")] = Format.TEXT,
) -> None:
    """Check intake tables and site plans with every rule, and print the findings. Nothing is written."""
    with _telling():
        intake = _load(paths)
    plans = list(intake.plans.values())
    findings: list[Finding] = Portfolio(plans).check_all()
    if output is Format.JSON:
        print(json.dumps(report.as_json(plans, findings, intake), ensure_ascii=False, indent=1))
    else:
        print("\n".join(report.as_text(plans, findings, intake)))
    stopped = any(finding.severity is Severity.STOP for finding in findings)
    raise typer.Exit(1 if stopped or intake.refused else 0)


def main() -> None:
    """The entry point of the installed program."""
    try:
        app()
    except BrokenPipeError:
        sys.exit(1)


if __name__ == "__main__":
    main()
