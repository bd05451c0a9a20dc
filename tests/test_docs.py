"""Code and documentation are held together: what is missing from one fails here."""

from __future__ import annotations

import re
import subprocess
import sys
import unittest
from pathlib import Path

from octaplan.cli import app
from octaplan.formats.columns import COLUMNS
from octaplan.server.permissions import PERMISSIONS, May
from octaplan.store.models import Role
from tools import docs

ROOT = Path(__file__).parents[1]


class Documentation(unittest.TestCase):
    def page(self, name: str) -> str:
        return (ROOT / name).read_text()

    def test_the_rule_book_is_that_of_the_code(self) -> None:
        self.assertEqual(self.page("docs/rules.md"), docs.rule_book(), "run `make docs`")

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

    def test_every_command_and_option_is_described(self) -> None:
        guide = self.page("docs/guide.md")
        for command in app.registered_commands:
            name = command.name or (command.callback.__name__ if command.callback else "")
            self.assertIn(f"`octaplan {name}", guide)
            shown = subprocess.run(
                [sys.executable, "-m", "octaplan", name, "--help"], capture_output=True, text=True, check=True
            )
            for option in set(re.findall(r"--[a-z][a-z-]+", shown.stdout)) - {"--help"}:
                self.assertIn(option, guide, f"{name} {option}")

    def test_every_permission_is_described(self) -> None:
        guide = self.page("docs/guide.md")
        for role in Role:
            cells = ["yes" if may in PERMISSIONS[role] else "no" for may in May]
            self.assertIn(f"| {role} | {' | '.join(cells)} |", guide)

    def test_every_screenshot_is_shown_in_the_readme(self) -> None:
        shown = set(re.findall(r"docs/screenshots/([\w-]+\.png)", self.page("README.md")))
        self.assertEqual(shown, {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")})
        self.assertLess(len(shown), 20)
