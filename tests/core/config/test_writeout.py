from __future__ import annotations

import time
import unittest
from random import Random

from hypothesis import given, settings
from hypothesis import strategies as st

from octaplan.core.config.readback import read_back
from octaplan.core.config.template import FILTERS, TemplateFault, read, write
from octaplan.core.config.view import Book, Leaf, between_quotes
from octaplan.core.config.writeout import NotWritten, Written, write_out
from octaplan.core.plan.hardware import HardwareType, WriteOut, WritePart
from octaplan.core.plan.patch import applied, set_to
from octaplan.core.values.addresses import Network, Span, parse_address, parse_mac, parse_network
from tests.core.config.demo import equipped, types


def net(text: str) -> Network:
    return parse_network(text)[0]


def filled(source: str, **names: object) -> str:
    return write(read(source), names)


class Filters(unittest.TestCase):
    def test_each_says_what_the_trade_expects(self) -> None:
        subnet, run = net("10.40.8.0/22"), Span(parse_address("10.40.8.10"), parse_address("10.40.8.19"))
        for source, expected in {
            "{{ n | mask }}": "255.255.252.0",
            "{{ n | wildcard }}": "0.0.3.255",
            "{{ n | prefix }}": "22",
            "{{ n | network }}": "10.40.8.0",
            "{{ n | broadcast }}": "10.40.11.255",
            "{{ n | first }} {{ n | last }}": "10.40.8.1 10.40.11.254",
            "{{ n | nth(2) }} {{ n | nth(-1) }}": "10.40.8.2 10.40.11.254",
            "{{ a | host_part(n) }}": "257",
            "{{ a | within(n) }}": "10.40.9.1/22",
            "{{ r | range }} {{ r | range(' to ') }} {{ r | count }}": "10.40.8.10-10.40.8.19 10.40.8.10 to 10.40.8.19 10",
            "{{ m | mac('-') }} {{ m | mac('.', 4) }} {{ m | mac('') }}": "02-40-08-aa-bb-cc 0240.08aa.bbcc 024008aabbcc",
            "{{ 'tcp/443' | ports }} {{ 'tcp/443' | protocol }}": "443 tcp",
            "{{ 'a \"b\" \\\\' | quoted }}": '"a \\"b\\" \\\\"',
            "{{ 'Back office, 2' | dashed }}": "Back-office-2",
            "{{ ['a', 'b'] | join('+') }}": "a+b",
        }.items():
            with self.subTest(source):
                told = filled(source, n=subnet, a=parse_address("10.40.9.1"), r=run, m=parse_mac("02:40:08:aa:bb:cc"))
                self.assertEqual(told, expected)

    def test_what_a_filter_cannot_do_is_said(self) -> None:
        for source, said in {
            "{{ 'x' | mask }}": "no subnet",
            "{{ n | nth(9) }}": "no address number 9",
            "{{ a | host_part(n) }}": "is no address of",
            "{{ 'x' | mac }}": "no MAC",
        }.items():
            with self.subTest(source), self.assertRaisesRegex(TemplateFault, said):
                filled(source, n=net("10.40.8.0/30"), a=parse_address("10.9.0.1"))

    def test_every_filter_tells_what_it_does(self) -> None:
        self.assertEqual([name for name, one in FILTERS.items() if not (one.__doc__ or "").strip()], [])

    def test_a_filter_keeps_where_a_value_comes_from(self) -> None:
        book = Book()
        leaf = Leaf(book, net("10.1.0.0/24"), "/segments/a/subnet", "segments.subnet", "mask")
        other = Leaf(book, parse_address("10.1.0.1"), "/segments/a/gateway", "segments.address", "own address")
        filled("{{ a | within(n) }}", a=other, n=leaf)
        self.assertEqual(book.order[0].tells, ("/segments/a/gateway", "/segments/a/subnet"))


class Sandbox(unittest.TestCase):
    def test_what_reaches_loops_or_grows_is_stopped_with_its_line(self) -> None:
        for source in (
            "{{ ''.__class__.__mro__ }}",
            "{{ x.__init__ }}",
            "{{ cycler }}",
            "{{ ''.join(['a']) }}",
            "{{ 'a' * 100000000 }}",
            "{{ 2 ** 1000000 }}",
            "{{ '%099999999d' % 1 }}",
            "{% set n = namespace(t='aaaaaaaa') %}{% for a in range(60) %}{% set n.t = n.t ~ n.t %}{% endfor %}",
            "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}",
            "{% for a in range(9999999) %}x{% endfor %}",
            "{% include 'x' %}",
            "{% import 'os' as os %}",
            "{{ nothing }}",
            "{{ x.nothing }}",
            "{{ x | attr('__class__') }}",
        ):
            with self.subTest(source):
                begun = time.process_time()
                with self.assertRaises(TemplateFault) as caught:
                    filled("first line\n" + source, x=[1])
                self.assertLess(time.process_time() - begun, 3)
                self.assertEqual(caught.exception.line, 2)

    def test_what_cannot_be_read_says_where(self) -> None:
        with self.assertRaises(TemplateFault) as caught:
            read("one\ntwo {{ box.name\n")
        self.assertEqual(caught.exception.line, 2)

    @given(st.text(alphabet="{}%|()[]'\"~. abox_name0-", max_size=60))
    @settings(max_examples=150, deadline=None)
    def test_whatever_is_typed_is_written_or_told(self, source: str) -> None:
        try:
            filled(source, box=1)
        except TemplateFault as fault:
            self.assertTrue(str(fault))


def trial(kind: HardwareType, parts: dict[WritePart, str], random: int = 4) -> Written:
    plan = equipped(Random(random), kind.key)
    one = WriteOut(language="words", parts=parts)
    return write_out(plan, next(iter(plan.devices)), kind, using=one)


class Writing(unittest.TestCase):
    def setUp(self) -> None:
        self.kind = types()["skerry-f7"]

    def test_every_demo_language_writes_every_planned_value_of_random_plans(self) -> None:
        for kind in types().values():
            for seed in range(25):
                plan = equipped(Random(seed), kind.key)
                for key in plan.devices:
                    with self.subTest(kind.key, seed=seed, box=key):
                        self.assertEqual([leaf.name for leaf in write_out(plan, key, kind).left_out], [])

    def test_a_banner_of_several_lines_is_one_in_each_demo_language_and_read_back_as_planned(self) -> None:
        for kind in types().values():
            plan = equipped(Random(3), kind.key)
            key = next(key for key, device in plan.devices.items() if device.type == kind.key)
            plan = applied(plan, [set_to(f"/devices/{key}/banner", 'Keep out.\nCall "the desk" first.')])
            with self.subTest(kind.key):
                told = write_out(plan, key, kind).text
                self.assertEqual(len([line for line in told.splitlines() if "Keep out." in line and "desk" in line]), 1)
                back = read_back(plan, key, told, kind)
                self.assertFalse([one for one in (*back.missing, *back.differs) if "banner" in str(one)])

    def test_a_template_that_would_let_a_line_end_through_says_which_value_holds_it(self) -> None:
        plan = equipped(Random(4), self.kind.key)
        key = next(iter(plan.devices))
        plan = applied(plan, [set_to(f"/devices/{key}/banner", "Keep out.\nuser evil secret word")])
        one = WriteOut(language="w", parts={WritePart.IDENTITY: "greeting {{ box.banner | quoted }}"})
        with self.assertRaisesRegex(NotWritten, "template of identity: banner holds a line end"):
            write_out(plan, key, self.kind, using=one)

    def test_what_no_line_tells_is_listed_and_what_a_type_does_not_take_is_not(self) -> None:
        written = trial(self.kind, {WritePart.IDENTITY: "{{ box.time_zone }}"})
        names = {leaf.name for leaf in written.left_out}
        self.assertIn("box.name", names)
        self.assertNotIn("box.time_zone", names)
        one = WriteOut(language="w", parts={WritePart.IDENTITY: "x"}, not_written=["box", "circuits.port"])
        plan = equipped(Random(4), self.kind.key)
        left = {leaf.name for leaf in write_out(plan, next(iter(plan.devices)), self.kind, using=one).left_out}
        self.assertFalse(any(name.startswith("box.") for name in left))
        self.assertNotIn("circuits.port", left)

    def test_a_choice_by_a_value_tells_it(self) -> None:
        choice = "{% for c in circuits %}{% if c.handoff == 'static' %}fixed{% else %}given{% endif %}{% endfor %}"
        for seed in range(20):
            plan = equipped(Random(seed), self.kind.key)
            one = WriteOut(language="w", parts={WritePart.INTERNET: choice})
            written = write_out(plan, next(iter(plan.devices)), self.kind, using=one)
            static = [c for c in plan.circuits.values() if c.handoff == "static"]
            left = [leaf for leaf in written.left_out if leaf.name == "circuits.handoff"]
            self.assertLessEqual(len(left), len(plan.circuits) - len(static) + 1)

    def test_secrets_stand_as_marks_that_know_their_quotes(self) -> None:
        written = trial(self.kind, {WritePart.ACCESS: "word {{ secrets.administrator | quoted }};"})
        (piece,) = [one for one in written.lines[0].pieces if one.secret]
        self.assertEqual(written.text, f"word <<{piece.secret}>>;\n")
        assert piece.leaf is not None
        self.assertEqual(piece.leaf.quotes, ('"', "\\"))

    def test_quotes_are_escaped_as_the_box_wants_it(self) -> None:
        self.assertEqual(between_quotes('a"b\\', '"', "\\"), '"a\\"b\\\\"')
        self.assertEqual(between_quotes("it's", "'", "'"), "'it''s'")
        self.assertEqual(between_quotes("plain", '"', ""), '"plain"')

    def test_what_the_plan_does_not_hold_yet_is_marked(self) -> None:
        plan = equipped(Random(4), self.kind.key)
        document = plan.document()
        key = next(iter(document["devices"]))
        document["devices"][key]["name"] = None
        one = WriteOut(language="w", parts={WritePart.IDENTITY: "name {{ box.name }}"})
        written = write_out(type(plan).model_validate(document), key, self.kind, using=one)
        self.assertEqual((written.text, len(written.open)), ("name <<? host name>>\n", 1))

    def test_a_type_without_one_says_so_and_a_fault_says_where(self) -> None:
        plan = equipped(Random(4), self.kind.key)
        key = next(iter(plan.devices))
        with self.assertRaisesRegex(NotWritten, "no write-out yet"):
            write_out(plan, key, self.kind.model_copy(update={"write_out": None}))
        with self.assertRaisesRegex(NotWritten, "template of routes, line 2: The box has no nam"):
            write_out(plan, key, self.kind, using=WriteOut(language="w", parts={WritePart.ROUTES: "a\n{{ box.nam }}"}))


if __name__ == "__main__":
    unittest.main()
