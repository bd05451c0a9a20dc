"""Writes the parts of the documentation that come from the code: `python tools/docs.py`."""

from __future__ import annotations

import ast
import json
import re
from pathlib import Path

from octaplan.core.check import rules  # noqa: F401  (fills the rule book)
from octaplan.core.check.rules import RULES
from octaplan.core.plan.fields import described
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import remedied_rules
from octaplan.formats.columns import COLUMNS

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"
FIELDS = ROOT / "frontend" / "src" / "api" / "fields.json"

HEAD = """# The rule book

A rule looks at one site plan, and some at the rest of the portfolio, and yields findings: one for each subject.
Where remedies are offered, one click applies one; each has been tried on the plan first.
A `stop` cannot be cleared, a `warn` is fixed or accepted with a reason, a `note` is worth knowing. Where several
subjects collide there is a finding at each of them, listing at most 20 of the others and counting all.

This page is written from the code by `make docs`.

| rule | severity | subject | remedies | what it is | what it means |
| --- | --- | --- | --- | --- | --- |
"""


TABLE_HEAD = "| column | what it holds |\n| --- | --- |\n"


def rule_book() -> str:
    """The rule book as Markdown."""
    mended = remedied_rules()
    rows = (
        f"| `{r.id}` | {r.severity} | {r.subject} | {'yes' if r.id in mended else ''} | {r.title} | {r.prose} |"
        for r in RULES.values()
    )
    return HEAD + "\n".join(rows) + "\n"


def plan_schema() -> str:
    """The JSON Schema of the site plan."""
    return json.dumps(SitePlan.model_json_schema(), indent=1, sort_keys=True) + "\n"


def organisation_schema() -> str:
    """The JSON Schema of the organisation's settings."""
    return json.dumps(Organisation.model_json_schema(), indent=1, sort_keys=True) + "\n"


def hardware_schema() -> str:
    """The JSON Schema of the hardware type."""
    return json.dumps(HardwareType.model_json_schema(), indent=1, sort_keys=True) + "\n"


def formats() -> str:
    """docs/formats.md with the tables of columns as the code has them."""
    page = (DOCS / "formats.md").read_text()
    for table, columns in COLUMNS.items():
        rows = "".join(f"| `{name}` | {column.note} |\n" for name, column in columns.items())
        page = re.sub(
            rf"(?<=^### {table}\n\n)(?:\|.*\n)+", f"{TABLE_HEAD}{rows}".replace("\\", "\\\\"), page, flags=re.M
        )
    return page


ROOMS = ("values", "plan", "check", "propose", "stage")
NAMES_HEAD = "Written from the code by `make docs`: every public class, by the room it is in.\n"


def core_classes() -> list[tuple[str, str, str]]:
    """Every public class of the core: room, name, and what it is in a line."""
    found = []
    for room in ROOMS:
        for path in sorted((ROOT / "octaplan" / "core" / room).rglob("*.py")):
            for node in ast.parse(path.read_text()).body:
                if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                    said = " ".join((ast.get_docstring(node) or "").split("\n\n")[0].split())
                    found.append((room, node.name, said))
    return found


def words() -> str:
    """docs/words.md with the names of the core as they are."""
    page = (DOCS / "words.md").read_text()
    kept = page[: page.index(NAMES_HEAD) + len(NAMES_HEAD)]
    for room in ROOMS:
        rows = [f"| `{name}` | {said} |\n" for where, name, said in core_classes() if where == room]
        kept += f"\n### {room}\n\n| name | what it is |\n| --- | --- |\n{''.join(sorted(rows))}"
    return kept


def fields() -> str:
    """What the pages have to know of the plan's fields."""
    return json.dumps(described(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    FIELDS.write_text(fields())
    (DOCS / "words.md").write_text(words())
    (DOCS / "formats.md").write_text(formats())
    (DOCS / "rules.md").write_text(rule_book())
    (DOCS / "site-plan.schema.json").write_text(plan_schema())
    (DOCS / "organisation.schema.json").write_text(organisation_schema())
    (DOCS / "hardware-type.schema.json").write_text(hardware_schema())
