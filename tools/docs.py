"""Writes the parts of the documentation that come from the code: `python tools/docs.py`."""

from __future__ import annotations

import ast
import json
import re
from pathlib import Path
from random import Random

from octaplan.core.check import rules  # noqa: F401  (fills the rule book)
from octaplan.core.check.rules import RULES
from octaplan.core.config.template import FILTERS
from octaplan.core.config.view import BoxView
from octaplan.core.config.writeout import named_in_view
from octaplan.core.plan.fields import described
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.remedies import remedied_rules
from octaplan.demo.boxes import TYPES
from octaplan.formats.columns import COLUMNS
from octaplan.formats.typefiles import read_types
from tests.core.config.demo import equipped

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


ROOMS = ("values", "plan", "flow", "check", "propose", "stage", "config")
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


FILTERS_HEAD = "Written from the code by `make docs`: every filter.\n"
VIEW_HEAD = "Written from the code by `make docs`: every name.\n"

#: What a page about one of the demo's languages begins with: how it is put together.
LANGUAGES = {
    "brackwater-e5": "One sentence a line, each whole by itself, in any order. Texts stand in double quotes.",
    "skerry-f7": "Blocks in braces, each with a heading, a statement a line in them; and statements that stand alone.",
    "tallow-q4": "A value, an arrow and the place where it goes a line. Lists are numbered from 1 in their places.",
    "oxbow-s10": "The number of a menu entry and what is answered there. It is typed at its terminal.",
    "gorse-m1": "A table of three columns: where, what, value. It is uploaded as it stands.",
    "kittiwake-a2": "Its web pages, each with the fields to fill in, a field a line under the name of its page.",
}


def _view_names() -> list[tuple[str, str]]:
    """What templates may name, with what each is."""
    found: dict[str, str] = {}
    kind = read_types(TYPES)["skerry-f7"]
    for seed in range(60):
        plan = equipped(Random(seed), kind.key)
        for key in plan.devices:
            for part, value in BoxView(plan, key, kind).names.items():
                found |= {name: what for name, what, _ in named_in_view(value, part) if name not in found}
    named = {name: re.sub(r" (?:of|on port) \S+$| \d+$", "", what) for name, what in found.items()}
    return sorted(named.items())


def write_out_page() -> str:
    """docs/write-out.md with the names and filters as the code has them."""
    page = (DOCS / "write-out.md").read_text()
    kept = page[: page.index(VIEW_HEAD) + len(VIEW_HEAD)]
    rows = "".join(f"| `{name}` | {what} |\n" for name, what in _view_names())
    filters = "".join(f"| `{name}` | {' '.join((one.__doc__ or '').split())} |\n" for name, one in FILTERS.items())
    return (
        f"{kept}\n| name | what it is |\n| --- | --- |\n{rows}\n## Filters\n\n{FILTERS_HEAD}\n"
        f"| filter | what it makes |\n| --- | --- |\n{filters}"
    )


def language_pages() -> dict[str, str]:
    """A page about each of the languages of the demo's types."""
    pages = {}
    for key, kind in read_types(TYPES).items():
        one = kind.write_out
        if one is None:
            continue
        told = [f"# The language of the {kind.title}: {one.language}", "", LANGUAGES[key], ""]
        told += [f"- A line that begins with `{one.comment}` is passed over."] if one.comment else []
        told += [f"- It shows `{one.prompt}` when it waits for more."] if one.prompt else []
        told += [f"- It takes at most {one.lines_at_once} lines at once."]
        told += [f"- It asks `{asked.question}`; the answer is `{asked.answer}`." for asked in one.asks]
        told += [f"- It has refused a line when it says {' or '.join(f'`{word}`' for word in one.refusals)}."] * bool(
            one.refusals
        )
        told += [f"- It takes by other ways than text: {', '.join(f'`{name}`' for name in one.not_written)}."] * bool(
            one.not_written
        )
        for part, source in one.parts.items():
            told += ["", f"## {part.capitalize()}", "", "```jinja", source, "```"]
        pages[key] = "\n".join(told) + "\n"
    return pages


if __name__ == "__main__":
    (DOCS / "write-out.md").write_text(write_out_page())
    for name, page in language_pages().items():
        (DOCS / "languages" / f"{name}.md").write_text(page)
    FIELDS.write_text(fields())
    (DOCS / "words.md").write_text(words())
    (DOCS / "formats.md").write_text(formats())
    (DOCS / "rules.md").write_text(rule_book())
    (DOCS / "site-plan.schema.json").write_text(plan_schema())
    (DOCS / "organisation.schema.json").write_text(organisation_schema())
    (DOCS / "hardware-type.schema.json").write_text(hardware_schema())
