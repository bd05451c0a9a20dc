"""The language of a write-out read the other way round: from text back to named values."""

from __future__ import annotations

import contextlib
import time
import unittest
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.config.grammar import Grammar, Told, ToldSettings, grammar_of
from octaplan.core.config.sayings import NotUnderstood
from octaplan.core.config.writeout import write_out
from octaplan.core.plan.hardware import WriteOut, WritePart
from octaplan.core.stage.settings import settings_of
from tests import examples
from tests.core.config.demo import equipped, types


def told(grammar: Grammar, *lines: str) -> ToldSettings:
    settings, above = ToldSettings(grammar), list[Told]()
    for line in lines:
        _, above = settings.say(line, above)
    return settings


def language(**parts: str) -> Grammar:
    return grammar_of(WriteOut(language="w", parts={WritePart(name): text for name, text in parts.items()}))


class EachLanguage(unittest.TestCase):
    def test_every_line_that_is_written_for_random_plans_is_understood_and_kept(self) -> None:
        for kind in types().values():
            assert kind.write_out is not None
            grammar = grammar_of(kind.write_out)
            for seed in range(12):
                plan = equipped(Random(seed), kind.key)
                for key in plan.devices:
                    lines = [line.text for line in write_out(plan, key, kind).lines]
                    with self.subTest(kind.key, seed=seed, box=key):
                        kept = told(grammar, *lines)
                        self.assertEqual(set(lines) - set(kept.lines()), set())
                        again = told(grammar, *kept.lines())
                        self.assertEqual(again.lines(), kept.lines(), "what it shows is what it was told")

    def test_values_come_back_under_the_names_that_templates_have_for_them(self) -> None:
        for kind in types().values():
            assert kind.write_out is not None
            grammar = grammar_of(kind.write_out)
            for seed in range(8):
                plan = equipped(Random(seed), kind.key)
                for key in plan.devices:
                    kept = told(grammar, *(line.text for line in write_out(plan, key, kind).lines))
                    seen = {
                        values.get("label", [entry])[0]: values for entry, values in kept.entries("segments").items()
                    }
                    for inside in settings_of(plan, key, kind).inside:
                        if inside.address is None or inside.address.family != 4:
                            continue
                        with self.subTest(kind.key, seed=seed, segment=inside.label):
                            own = [seen[inside.label].get(name, [""])[0] for name in ("address", "address|within")]
                            self.assertIn(str(inside.address), [one.partition("/")[0] for one in own])

    def test_what_each_port_carries_comes_back_in_every_language(self) -> None:
        told_of = 0
        for kind in types().values():
            assert kind.write_out is not None
            grammar = grammar_of(kind.write_out)
            for seed in range(12):
                plan = equipped(Random(seed), kind.key)
                for key in plan.devices:
                    kept = told(grammar, *(line.text for line in write_out(plan, key, kind).lines))
                    seen = {values.get("name", [entry])[0]: values for entry, values in kept.entries("ports").items()}
                    for port in settings_of(plan, key, kind).ports if seen else []:
                        wanted = {word for one in port.tagged for word in (one.label, str(one.vlan))}
                        said = [v for name, values in seen[port.name].items() if "tagged[]" in name for v in values]
                        with self.subTest(kind.key, seed=seed, port=port.name):
                            self.assertEqual(len(said), len(port.tagged))
                            self.assertEqual(set(said) - wanted, set())
                            told_of += len(said)
        self.assertGreater(told_of, 50)


class Keeping(unittest.TestCase):
    def test_what_is_said_anew_takes_the_place_of_what_was_said(self) -> None:
        grammar = language(
            identity="name {{ box.name }}\n{% for one in box.resolvers %}\nasks {{ one }}\n{% endfor %}",
            inside="{% for s in segments %}\nnet {{ s.label | quoted }} is {{ s.address }}\nnet {{ s.label | quoted }} has "
            "tag {{ s.vlan }}\n{% endfor %}",
        )
        kept = told(grammar, "name a", "asks 192.0.2.1", "asks 192.0.2.2", 'net "Office" is 10.0.0.1', "name b",
                    'net "Guest" is 10.0.1.1', 'net "Office" is 10.0.0.9', 'net "Office" has tag 5', "asks 192.0.2.1")  # fmt: skip
        self.assertEqual(kept.lines(), ["name b", "asks 192.0.2.1", "asks 192.0.2.2", 'net "Office" is 10.0.0.9',
                                        'net "Guest" is 10.0.1.1', 'net "Office" has tag 5'])  # fmt: skip
        self.assertEqual(
            kept.entries("segments")["Office"], {"label": ["Office"] * 2, "address": ["10.0.0.9"], "vlan": ["5"]}
        )

    def test_a_block_that_is_opened_again_takes_more_in(self) -> None:
        grammar = language(
            inside="{% for s in segments %}\nnet {{ s.label }} {\n  own {{ s.address }};\n{% if s.vlan %}\n  tag {{ s.vlan }};\n"
            "{% endif %}\n}\n{% endfor %}"
        )
        kept = told(grammar, "net Office {", "  own 10.0.0.1;", "}", "net Guest {", "  own 10.0.1.1;", "}",
                    "net Office {", "  tag 7;", "  own 10.0.0.2;", "}")  # fmt: skip
        self.assertEqual(kept.lines()[:4], ["net Office {", "  own 10.0.0.2;", "  tag 7;", "}"])
        self.assertEqual(kept.entries("segments")["Office"]["vlan"], ["7"])
        self.assertEqual(
            told(grammar, "net Office {", "own 10.0.0.1;").lines(),
            ["net Office {", "  own 10.0.0.1;", "}"],
            "what is typed without its end is shown whole",
        )

    def test_what_stands_elsewhere_or_is_no_saying_is_not_understood(self) -> None:
        grammar = language(identity="self {\n  name {{ box.name }}\n}")
        for lines in (["  name x"], ["self {", "  nom x"], ["self {", "}", "  name x"]):
            with self.subTest(lines), self.assertRaises(NotUnderstood):
                told(grammar, *lines)

    def test_numbers_name_entries_and_secrets_are_told_apart(self) -> None:
        grammar = language(
            inside='{% for s in segments %}\n{% set k = "lan." ~ loop.index %}\n{{ k }}.ip={{ s.address }}\n{{ k }}.label={{ s.label '
            "}}\n{% endfor %}",
            access='{% for name in ("administrator", "service") %}\npass.{{ name }}={{ secrets[name] | quoted }}\n{% endfor %}',
        )
        kept = told(grammar, "lan.1.ip=10.0.0.1", "lan.1.label=Office", "lan.2.ip=10.0.1.1", 'pass.service="a \\"b\\""')
        self.assertEqual(kept.entries("segments")["1"], {"address": ["10.0.0.1"], "label": ["Office"]})
        self.assertEqual(kept.entries("secrets"), {"service": {"secret": ['a "b"']}})
        self.assertTrue(kept.remove("lan.2.ip=10.0.1.1"))
        self.assertFalse(kept.remove("lan.2.ip=10.0.1.1"))
        self.assertNotIn("2", kept.entries("segments"))

    def test_a_list_in_one_line_is_each_of_its_members(self) -> None:
        grammar = language(
            inside='{% for p in ports %}\nport {{ p.name }} tags {% for one in p.tagged %}{{ one.label }}{{ "" if loop.last else '
            '", " }}{% endfor %}\n\n{% endfor %}'
        )
        (saying,) = grammar.sayings
        kept = told(grammar, saying.shape.said(["A", "Office, Guest Wi-Fi, Door"]), "port B tags Office")
        self.assertEqual(kept.entries("ports")["A"]["tagged[].label"], ["Office", "Guest Wi-Fi", "Door"])
        self.assertEqual(kept.entries("ports")["B"]["tagged[].label"], ["Office"])

    def test_of_two_sayings_that_fit_the_one_counts_that_leaves_least_open(self) -> None:
        grammar = language(
            inside="{% for p in ports %}\n3.{{ p.name }}.1 {{ p.mode }}\n{% for one in p.tagged %}\n3.{{ p.name }}.3.{{ loop.index "
            "}} {{ one.vlan }}\n{% endfor %}\n{% endfor %}"
        )
        kept = told(grammar, "3.1.1 trunk", "3.1.3.1 40", "3.1.3.2 50")
        self.assertEqual(
            kept.entries("ports"), {"1": {"name": ["1"] * 3, "mode": ["trunk"], "tagged[].vlan": ["40", "50"]}}
        )

    def test_a_saying_is_filled_in_with_quotes_and_without_what_is_left_out(self) -> None:
        grammar = language(
            routes="{% for r in routes %}\nto {{ r.to }} by {% if r.by %}{{ r.by }}{% else %}{{ r.circuit | quoted }}{% endif %}"
            "{% if r.table %} in table {{ r.table }}{% endif %}\n\n{% endfor %}"
        )
        (saying,) = grammar.sayings
        self.assertEqual(saying.shape.said(["0.0.0.0/0", "", "Main", ""]), 'to 0.0.0.0/0 by "Main"')
        self.assertEqual(
            saying.shape.said(["10.0.0.0/8", "10.1.1.1", "", "mgmt"]), "to 10.0.0.0/8 by 10.1.1.1 in table mgmt"
        )
        for values in (["0.0.0.0/0", "", "Main", ""], ["10.0.0.0/8", "10.1.1.1", "", "mgmt"]):
            self.assertEqual(told(grammar, saying.shape.said(values)).lines(), [saying.shape.said(values)])


class Hostile(unittest.TestCase):
    def test_an_honest_list_of_two_fields_in_one_line_freezes_nothing(self) -> None:
        grammar = language(rules="permit {% for r in routes %}{{ r.to }} {{ r.by }} {% endfor %}end")
        self.assertEqual(told(grammar, "permit 10.0.0.0/8 10.1.1.1 end").lines(), ["permit 10.0.0.0/8 10.1.1.1 end"])
        begun = time.process_time()
        for line in ("permit " + "a " * 141, "permit " + "a " * 2_000 + "en", "permit " + "a" * 4_000):
            with self.assertRaises(NotUnderstood):
                told(grammar, line)
        self.assertLess(time.process_time() - begun, 1.0)

    def test_a_line_that_lost_its_end_takes_no_longer_with_each_of_its_sources(self) -> None:
        kind = types()["skerry-f7"]
        assert kind.write_out is not None
        grammar = grammar_of(kind.write_out)
        begun = time.process_time()
        for count in (1, 20, 200):
            sources = "".join(f" from 192.0.2.{n % 250}" for n in range(count))
            for line in (
                f'door "Main" for tcp/443 to 10.0.0.1{sources}',
                f'door "Main for tcp/443 to 10.0.0.1{sources}',
            ):
                with contextlib.suppress(NotUnderstood):
                    told(grammar, line)
        self.assertLess(time.process_time() - begun, 1.0)

    @examples(200)
    @given(st.lists(st.sampled_from(
        ["{{ a }}", "{{ b | quoted }}", "{{ loop.index }}", " to ", " ", "x", "{% if c %} by {{ c }}{% endif %}",
         "{% if d %}{{ d }}{% else %}own{% endif %}", "{% for e in f %} from {{ e }}{% endfor %}",
         "{% for g in h %}{{ g }}{{ '' if loop.last else ',' }}{% endfor %}"]), max_size=8),
        st.text(alphabet='ab x,0"to', max_size=300))  # fmt: skip
    def test_no_template_and_no_line_takes_long(self, parts: list[str], line: str) -> None:
        begun = time.process_time()
        with contextlib.suppress(NotUnderstood):
            told(language(rules="keep " + "".join(parts)), f"keep {line * 10}")
        self.assertLess(time.process_time() - begun, 1.0)

    def test_a_line_with_too_many_choices_is_refused_in_words(self) -> None:
        many = "".join(f"{{% if a{n} %}} w{n}{{% endif %}}" for n in range(12))
        with self.assertRaisesRegex(NotUnderstood, "too many choices: write its parts as lines of their own"):
            language(rules=f"keep{many}")
