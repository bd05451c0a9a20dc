"""Errands in child processes: done, refused, or given up within their limits, while others are served."""

from __future__ import annotations

import io
import threading
import time
import unittest
from random import Random
from unittest.mock import patch

from octaplan.core.config.writeout import NotWritten, write_out
from octaplan.core.plan.hardware import WriteOut, WritePart
from octaplan.core.plan.organisation import UNDECIDED
from octaplan.formats.sheetreader import open_workbook
from octaplan.formats.tables import TableError
from octaplan.formats.workbook import write_workbook
from octaplan.worker import errands, workers
from octaplan.worker.workers import NotDone, Workers
from tests.core.config.demo import equipped, types
from tests.worker.doing import asleep, dying, forever, greedy, mistaken, slowly


class Errands(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.workers = Workers(preload=("octaplan.worker.errands", "tests.worker.doing"))
        cls.workers.warm()

    def test_what_is_brought_is_what_the_core_makes(self) -> None:
        for seed, kind in enumerate(types().values()):
            plan = equipped(Random(seed), kind.key)
            for key in plan.devices:
                ours = write_out(plan, key, kind)
                theirs = self.workers.do("ines", errands.written, plan, key, kind, UNDECIDED)
                self.assertEqual(theirs.text, ours.text)
                back = self.workers.do("ines", errands.held_against_plan, plan, key, ours.text, kind, UNDECIDED, (), {})
                self.assertEqual((back.missing, back.differs), ([], []))

    def test_a_refusal_comes_back_as_it_was(self) -> None:
        with self.assertRaisesRegex(NotWritten, "line 7: it is not so") as caught:
            self.workers.do("ines", mistaken)
        self.assertEqual((caught.exception.part, caught.exception.line), (WritePart.RULES, 7))

    def test_what_goes_on_grows_or_dies_ends_in_a_sentence(self) -> None:
        for errand in (forever, asleep, greedy, dying):
            begun = time.monotonic()
            with self.subTest(errand.__name__), patch.object(workers, "SECONDS", 1.5):
                with self.assertRaisesRegex(NotDone, "given up: give less of it, or write it more simply"):
                    self.workers.do("ines", errand)
                self.assertLess(time.monotonic() - begun, 20)
        self.assertEqual(self.workers.do("ines", slowly, 0.0), "done")

    def test_a_template_of_a_few_bytes_takes_no_gigabytes(self) -> None:
        kind = types()["skerry-f7"]
        plan = equipped(Random(1), kind.key)
        for source in (
            "{% set n = namespace(a='x') %}{% for i in range(30) %}{% set n.a = n.a ~ n.a %}{% endfor %}{{ n.a }}",
            "{{ 'xxxxxxxxxx' | replace('x', 'xxxxxxxxxx') | replace('x', 'xxxxxxxxxx') | replace('x', 'xxxxxxxxxx') "
            "| replace('x', 'xxxxxxxxxx') | replace('x', 'xxxxxxxxxx') | replace('x', 'xxxxxxxxxx') | replace('x', 'xxxxxxxxxx') }}",
            "{{ 'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaa' | quoted('a', 'bbbbbbbbbbbbbbbbbbbbbbbb') | quoted('b', 'cccccccccccccccccccccccc')"
            " | quoted('c', 'dddddddddddddddddddddddd') | quoted('d', 'eeeeeeeeeeeeeeeeeeeeeeeeeeee') }}",
            "{% set n = namespace(l=[]) %}{% for i in range(9999) %}{% set n.l = n.l + ['x' | replace('x', 'y') ] %}{% endfor %}"
            "{{ n.l | join('zzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzzz') }}",
        ):
            using = WriteOut(language="w", parts={WritePart.IDENTITY: source})
            with self.subTest(source[:40]), self.assertRaises((NotDone, NotWritten)):
                self.workers.do("ines", errands.written, plan, next(iter(plan.devices)), kind, UNDECIDED, using)

    def test_a_template_that_repeats_without_end_is_given_up(self) -> None:
        kind = types()["skerry-f7"]
        plan = equipped(Random(1), kind.key)
        again = "{% for a in range(9999) %}" * 3 + "{% endfor %}" * 3
        using = WriteOut(language="w", parts={WritePart.IDENTITY: again})
        with patch.object(workers, "SECONDS", 1.5), self.assertRaisesRegex(NotDone, "write it more simply"):
            self.workers.do("ines", errands.written, plan, next(iter(plan.devices)), kind, UNDECIDED, using)

    def test_what_nobody_waits_for_any_more_is_given_up(self) -> None:
        def enough() -> None:
            raise InterruptedError

        begun = time.monotonic()
        with self.assertRaises(InterruptedError):
            self.workers.do_while(enough, "ines", slowly, 60.0)
        self.assertLess(time.monotonic() - begun, 30)
        self.assertEqual(self.workers.do("ines", slowly, 0.0), "done")

    def test_a_workbook_comes_as_it_is_read_here(self) -> None:
        content = io.BytesIO()
        write_workbook(content, suffix=".xlsx")
        content.seek(0)
        here = [(one.name, one.header, [*one.rows]) for one in open_workbook(content, "a.xlsx")]
        there = self.workers.do("", errands.unpacked, "a.xlsx", content.getvalue())
        self.assertEqual([(one.name, one.header, [*one.rows]) for one in there], here)
        with self.assertRaisesRegex(TableError, "b.xlsx"):
            self.workers.do("", errands.unpacked, "b.xlsx", b"no workbook")

    def test_who_has_two_under_way_waits_while_others_are_served(self) -> None:
        both = [threading.Thread(target=self.workers.do, args=("ines", slowly, 1.0)) for _ in range(2)]
        for one in both:
            one.start()
        while self.workers._of["ines"] < 2:
            time.sleep(0.01)
        with self.assertRaisesRegex(NotDone, "2 of yours are being worked on"):
            self.workers.do("ines", slowly, 0.0)
        self.assertEqual(self.workers.do("marek", slowly, 0.0), "done")
        for one in both:
            one.join()
        self.assertEqual(self.workers.do("ines", slowly, 0.0), "done")
