"""Code and documentation are held together: what is missing from one fails here."""

from __future__ import annotations

import ast
import re
import sys
import tomllib
import unittest
from collections.abc import Iterator
from importlib.metadata import packages_distributions
from pathlib import Path

from octaplan.cli import app
from octaplan.formats.columns import COLUMNS
from octaplan.server.permissions import PERMISSIONS, May
from octaplan.store.models import AccountRole
from tests import forks
from tools import docs

ROOT = Path(__file__).parents[1]


class Packages(unittest.TestCase):
    def test_what_is_imported_is_declared(self) -> None:
        declared = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        of_module = packages_distributions()
        for folders, wanted in ((("octaplan",), declared["dependencies"]),
                                (("octaplan", "tests", "tools", "benchmarks"),
                                 [*declared["dependencies"], *declared["optional-dependencies"]["dev"]])):  # fmt: skip
            names = {re.match(r"[\w.-]+", one)[0].casefold().replace("_", "-") for one in wanted}  # type: ignore[index]
            for path in (path for folder in folders for path in (ROOT / folder).rglob("*.py")):
                for module in _imported(path) - sys.stdlib_module_names - {"octaplan", "tests", "tools", "benchmarks"}:
                    told = {name.casefold().replace("_", "-") for name in of_module.get(module, ())}
                    self.assertTrue(told & names, f"{path} imports {module} of {told}, which pyproject.toml lacks")


def _imported(path: Path) -> set[str]:
    """The modules that a file imports, by their first names."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name.partition(".")[0] for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            found.add(node.module.partition(".")[0])
    return found


class Documentation(unittest.TestCase):
    def page(self, name: str) -> str:
        return (ROOT / name).read_text()

    def test_the_rule_book_is_that_of_the_code(self) -> None:
        self.assertEqual(self.page("docs/rules.md"), docs.rule_book(), "run `make docs`")

    def test_write_outs_and_their_languages_are_those_of_the_code(self) -> None:
        self.assertEqual(self.page("docs/write-out.md"), docs.write_out_page(), "run `make docs`")
        pages = docs.language_pages()
        self.assertEqual({path.stem for path in (ROOT / "docs" / "languages").glob("*.md")}, set(pages))
        for name, page in pages.items():
            self.assertEqual(self.page(f"docs/languages/{name}.md"), page, "run `make docs`")

    def test_the_published_schema_is_that_of_the_code(self) -> None:
        self.assertEqual(self.page("docs/site-plan.schema.json"), docs.plan_schema(), "run `make docs`")
        self.assertEqual(self.page("docs/organisation.schema.json"), docs.organisation_schema(), "run `make docs`")
        self.assertEqual(self.page("docs/hardware-type.schema.json"), docs.hardware_schema(), "run `make docs`")

    def test_the_fields_that_pages_know_are_those_of_the_code(self) -> None:
        self.assertEqual(docs.FIELDS.read_text(), docs.fields(), "run `make docs`")

    def test_every_table_and_column_is_described(self) -> None:
        page = self.page("docs/formats.md")
        self.assertEqual(page, docs.formats(), "run `make docs`")
        for name in (name for columns in COLUMNS.values() for name in columns):
            self.assertIn(f"| `{name}` |", page)

    def test_the_glossary_is_that_of_the_code(self) -> None:
        page = self.page("docs/words.md")
        self.assertEqual(page, docs.words(), "run `make docs`")
        told = re.findall(r"^\| ([^|]+) \| [^|]+ \| `(\w+)` \|$", page, re.M)
        for column in zip(*told, strict=True):
            self.assertEqual(len(column), len(set(column)), "one word, one thing")
        classes = {name for _, name in self.classes(ROOT / "octaplan")}
        self.assertLessEqual({name for _, name in told}, classes)

    def test_every_name_of_the_core_says_one_thing(self) -> None:
        self.assertEqual(self.doubled(self.names(ROOT / "octaplan" / "core")), {})

    def test_no_two_classes_have_one_name(self) -> None:
        self.assertEqual(self.doubled(self.classes(ROOT / "octaplan")), {})

    def test_every_class_of_the_core_says_what_it_is(self) -> None:
        self.assertEqual([name for _, name, said in docs.core_classes() if not said], [])

    def doubled(self, names: list[tuple[str, str]]) -> dict[str, list[str]]:
        places: dict[str, list[str]] = {}
        for place, name in names:
            places.setdefault(name, []).append(place)
        return {name: found for name, found in places.items() if len(found) > 1}

    def classes(self, root: Path) -> list[tuple[str, str]]:
        return [(place, node.name) for place, node in self.nodes(root) if isinstance(node, ast.ClassDef)]

    def names(self, root: Path) -> list[tuple[str, str]]:
        """Public classes, functions, constants and kinds of values that a module defines."""
        found = []
        for place, node in self.nodes(root):
            if isinstance(node, ast.ClassDef | ast.FunctionDef):
                found.append((place, node.name))
            elif isinstance(node, ast.Assign | ast.AnnAssign):
                targets = node.targets if isinstance(node, ast.Assign) else [node.target]
                found += [(place, target.id) for target in targets if isinstance(target, ast.Name)]
        return [(place, name) for place, name in found if not name.startswith("_") and name != "RULES"]

    def nodes(self, root: Path) -> Iterator[tuple[str, ast.stmt]]:
        for path in sorted(root.rglob("*.py")):
            if "migrations" not in path.parts:
                for node in ast.parse(path.read_text()).body:
                    yield str(path.relative_to(ROOT)), node

    def test_every_command_and_option_is_described(self) -> None:
        guide = self.page("docs/guide.md")
        for command in app.registered_commands:
            name = command.name or (command.callback.__name__ if command.callback else "")
            self.assertIn(f"`octaplan {name}", guide)
            shown = forks.run(name, "--help")
            self.assertEqual(shown.returncode, 0, shown.stderr)
            for option in set(re.findall(r"--[a-z][a-z-]+", shown.stdout)) - {"--help"}:
                self.assertIn(option, guide, f"{name} {option}")

    def test_every_permission_is_described(self) -> None:
        guide = self.page("docs/guide.md")
        for role in AccountRole:
            cells = ["yes" if may in PERMISSIONS[role] else "no" for may in May]
            self.assertIn(f"| {role} | {' | '.join(cells)} |", guide)

    def test_every_screenshot_is_shown_in_the_readme(self) -> None:
        shown = set(re.findall(r"docs/screenshots/([\w-]+\.png)", self.page("README.md")))
        self.assertEqual(shown, {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")})
        self.assertLess(len(shown), 20)
