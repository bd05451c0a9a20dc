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

from octaplan.core.findings import Severity
from octaplan.core.portfolio import Portfolio
from octaplan.formats import report
from octaplan.formats.planjson import PlanError
from octaplan.formats.sources import load_paths, unread_files
from octaplan.formats.tables import TableError

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
        for name in unread_files(paths):
            print(f"octaplan: {name} is none of the four tables and was not read", file=sys.stderr)
        intake = load_paths(paths)
    plans = list(intake.plans.values())
    findings = Portfolio(plans).check_all()
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
