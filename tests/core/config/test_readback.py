from __future__ import annotations

import json
import re
import time
import unittest
from collections import Counter
from collections.abc import Callable
from random import Random

from octaplan.core.config.departures import ReadBack
from octaplan.core.config.neutral import yang_document
from octaplan.core.config.readback import read_back
from octaplan.core.config.takeover import take_over
from octaplan.core.config.text import Unreadable, decoded, lines_of
from octaplan.core.config.writeout import Written, write_out
from octaplan.core.plan.site import SitePlan
from tests.core.config.demo import equipped, types
from tests.core.config.native import first_form, second_form
from tests.core.config.seeding import sow


def told(back: ReadBack) -> list[object]:
    return [*back.differs, *back.missing, *back.unplanned]


def corrupted(random: Random, written: Written) -> tuple[str, str, str] | None:
    """The text with one value otherwise: the text, the place of the value, the new value."""
    places = [
        (row, at)
        for row, line in enumerate(written.lines)
        for at, piece in enumerate(line.pieces)
        if piece.leaf is not None and not piece.secret and not piece.open and re.search(r"\w", piece.text)
    ]
    row, at = random.choice(places)
    piece = written.lines[row].pieces[at]
    match = random.choice([*re.finditer(r"\d+|[A-Za-z]{2,}|\w", piece.text)])
    old = match[0]
    new = str(int(old) + random.choice([1, 2, 10])) if old.isdigit() else old[:-1] + ("q" if old[-1] != "q" else "z")
    value = piece.text[: match.start()] + new + piece.text[match.end() :]
    lines = [
        "".join(value if (here, place) == (row, at) else one.shown for place, one in enumerate(line.pieces))
        for here, line in enumerate(written.lines)
    ]
    leaf = piece.leaf
    return ("\n".join(lines), leaf.path, value) if leaf is not None else None


class OwnLanguages(unittest.TestCase):
    """What a write-out says is read back without a departure, and no value of it can change unseen."""

    def test_over_random_plans(self) -> None:
        tried = 0
        for kind in types().values():
            for seed in range(8):
                plan = equipped(Random(seed), kind.key)
                for key in plan.devices:
                    written = write_out(plan, key, kind)
                    with self.subTest(kind.key, seed=seed, box=key):
                        self.assertEqual(told(read_back(plan, key, written.text, kind)), [])
                    random = Random(seed)
                    for _ in range(6):
                        changed = corrupted(random, written)
                        if changed is not None:
                            tried += 1
                            text, path, value = changed
                            with self.subTest(kind.key, seed=seed, path=path, value=value):
                                self.assertNotEqual(told(read_back(plan, key, text, kind)), [])
        self.assertGreater(tried, 500)

    def test_lines_that_nothing_planned_would_write_are_told_and_comments_are_not(self) -> None:
        kind = types()["brackwater-e5"]
        plan = equipped(Random(1), kind.key)
        key = next(iter(plan.devices))
        text = write_out(plan, key, kind).text
        self.assertEqual(told(read_back(plan, key, text + "~ a comment 10.9.9.9\n", kind)), [])
        back = read_back(plan, key, text + 'let "Guests of old" reach "the internet" by any\n', kind)
        self.assertEqual([one.kind for one in back.unplanned], ["line"])

    def test_an_order_of_its_own_and_an_echo_change_nothing(self) -> None:
        kind = types()["tallow-q4"]
        plan = equipped(Random(2), kind.key)
        key = next(iter(plan.devices))
        lines = write_out(plan, key, kind).text.splitlines()
        Random(1).shuffle(lines)
        self.assertEqual(told(read_back(plan, key, "\r\n".join(f"? {line}" for line in lines), kind)), [])

    def test_a_secret_in_clear_is_told_and_not_kept(self) -> None:
        kind = types()["skerry-f7"]
        plan = equipped(Random(2), kind.key)
        key = next(iter(plan.devices))
        text = re.sub(r"<<[^>]*administrator>>", "Heron-by-the-Weir-3", write_out(plan, key, kind).text)
        back = read_back(plan, key, text, kind)
        self.assertEqual([one.kind for one in back.unplanned], ["secret"])
        self.assertNotIn("Heron-by", json.dumps(back.document()))
        hashed = re.sub(r"<<[^>]*administrator>>", "$6$rounds=5000$abc$Kq2", write_out(plan, key, kind).text)
        self.assertEqual(told(read_back(plan, key, hashed, kind)), [])


class NativeForms(unittest.TestCase):
    """Texts in the forms of open-source programs, with seeded differences."""

    def plans(self) -> list[SitePlan]:
        """Plans as people make them: what a random plan has twice, no box prints."""
        found = [equipped(Random(seed), "skerry-f7") for seed in range(400)]
        return [plan for plan in found if _sound(plan)][:28]

    def test_what_is_as_planned_has_hardly_a_departure(self) -> None:
        values = departures = 0
        for plan in self.plans():
            for key in plan.devices:
                for form in (first_form, second_form):
                    back = read_back(plan, key, form(plan, key))
                    values += len(back.as_planned) + len(back.missing) + len(back.differs)
                    departures += back.departures
                back = read_back(plan, key, json.dumps(yang_document(plan, key), indent=1))
                values, departures = values + len(back.as_planned), departures + back.departures
        self.assertGreater(values, 1_500)
        self.assertLessEqual(departures, values / 100)

    def test_seeded_differences_are_named_as_what_they_are(self) -> None:
        tried, found = Counter[str](), Counter[str]()
        for number, plan in enumerate(self.plans()):
            random = Random(number)
            for key in plan.devices:
                for form in (first_form, second_form):
                    text = form(plan, key)
                    for _ in range(6):
                        sown = sow(random, text)
                        if sown is not None:
                            sort = sown.what.split()[0]
                            tried[sort] += 1
                            found[sort] += sown.told(read_back(plan, key, sown.text))
        self.assertGreater(tried.total(), 400)
        lost = {sort: tried[sort] - found[sort] for sort in tried if tried[sort] != found[sort]}
        self.assertGreaterEqual(found.total(), 0.99 * tried.total(), lost)


def _sound(plan: SitePlan) -> bool:
    subnets = [segment.subnet for segment in plan.segments.values()]
    addresses = [host.address for host in plan.hosts.values() if host.address]
    addresses += [segment.gateway for segment in plan.segments.values() if segment.gateway]
    addresses += [one for device in plan.devices.values() for one in device.addresses.values()]
    vlans = [segment.vlan for segment in plan.segments.values() if segment.vlan]
    return all(len(some) == len(set(some)) for some in (subnets, addresses, vlans))


class Whose(unittest.TestCase):
    def test_the_text_of_another_box_is_known(self) -> None:
        kind = types()["skerry-f7"]
        for seed in range(30):
            plan = equipped(Random(seed), kind.key)
            if len(plan.devices) > 1:
                first, second = [*plan.devices][:2]
                back = read_back(plan, first, first_form(plan, second), kind)
                self.assertIn(plan.devices[second].name or "", back.about)
                self.assertEqual(read_back(plan, second, first_form(plan, second), kind).about, "")

    def test_an_earlier_revision_is_named(self) -> None:
        kind = types()["skerry-f7"]
        plan = equipped(Random(3), kind.key)
        key = next(iter(plan.devices))
        document = plan.document()
        document["devices"][key]["forwarders"] = ["192.0.2.99"]
        before = SitePlan.model_validate(document)
        back = read_back(plan, key, write_out(before, key, kind).text, kind, before=[before])
        self.assertEqual(
            {one.why for one in back.differs}, {"it was planned so before: the last revision has not reached the box"}
        )


class Texts(unittest.TestCase):
    def test_what_consoles_add_is_taken_away(self) -> None:
        text = "\x1b[32mhost\x1b[0m one\r\n--More--\r        \rhost two\r\nab\x08\x08host three\r\n\r\n"
        self.assertEqual([line.text.strip() for line in lines_of(text)], ["host one", "host two", "host three"])

    def test_wrapped_lines_are_joined_at_the_edge_of_the_terminal(self) -> None:
        long = "x" * 74 + " 10.40.8.120 and then " + "y" * 58 + " 10.40.8.121 end"
        cut = "\n".join(long[at : at + 80] for at in range(0, len(long), 80))
        self.assertEqual([line.text for line in lines_of(cut)], [long])

    def test_encodings(self) -> None:
        for encoding in ("utf-8", "utf-8-sig", "utf-16", "utf-16-le", "utf-16-be"):
            self.assertEqual(decoded("name Köln-edge\n".encode(encoding)), "name Köln-edge\n", encoding)
        self.assertEqual(decoded("name Köln\n".encode("cp1252")), "name Köln\n")

    def test_what_is_no_text_says_so(self) -> None:
        for text, said in (
            ("", "nothing in this text"),
            (" \n\t\n", "nothing in this text"),
            (decoded(bytes(range(256)) * 40), "no text"),
            ("10.1.1.1\n" * 70_000, "more than 60,000 lines"),
        ):
            with self.assertRaisesRegex(Unreadable, said):
                lines_of(text)
        with self.assertRaisesRegex(Unreadable, "longer than 4 MB"):
            decoded(b"a" * 4_000_001)

    def test_no_text_takes_long_whatever_is_in_it(self) -> None:
        """Lines made to be tried again and again, and a log of tens of thousands of lines beside the box's own text."""
        kind = types()["skerry-f7"]
        plan = equipped(Random(3), kind.key)
        key = next(iter(plan.devices))
        own = write_out(plan, key, kind).text
        log = "".join(f"{' ' * (n % 7)}entry {n} of {n * 7 % 1009}\n" for n in range(50_000))
        for text in (
            own + "permit { from " + " to ".join(['"a"'] * 20_000) + "\n",
            own + "a:" * 100_000,
            own + "more " + "-" * 200_000,
            own + "dhcp-option " + "a," * 100_000,
            own + "\x1b]" * 50_000,
            own + log,
        ):
            with self.subTest(text[len(own) : len(own) + 30]):
                begun = time.process_time()
                read_back(plan, key, text, kind)
                self.assertLess(time.process_time() - begun, 20)

    def test_four_times_the_text_takes_about_four_times_as_long(self) -> None:
        kind, random = types()["skerry-f7"], Random(3)
        plan = equipped(Random(3), kind.key)
        key = next(iter(plan.devices))
        own, first = write_out(plan, key, kind).text, first_form(plan, key)

        def near() -> str:
            return f"10.1.{random.randrange(256)}.{random.randrange(256)}"

        def changed() -> str:
            line = random.choice(own.splitlines()) or "permit"
            at = random.randrange(len(line))
            return line[:at] + random.choice("0123456789abc") + line[at + 1 :]

        def least_of(read: Callable[[str], object], told: str) -> float:
            spent = []
            for _ in range(2):
                begun = time.process_time()
                read(told)
                spent.append(time.process_time() - begun)
            return min(spent)

        def text(head: str, line: Callable[[], str], lines: int) -> str:
            return head + "\n".join(line() for _ in range(lines))

        for name, head, line in (
            ("a log with its own text", own, lambda: f"session from 203.0.{near()[5:]} gateway {near()} dns"),
            ("addresses alone", first, lambda: " ".join(near() for _ in range(5))),
            (
                "leases",
                first,
                lambda: f"lease {near()} 02:00:5e:08:{random.randrange(16, 99)}:{random.randrange(16, 99)}",
            ),
            ("its own text mistyped", own, changed),
        ):
            for read in (lambda told: read_back(plan, key, told, kind), lambda told: take_over(plan, told)):
                with self.subTest(name):
                    few, many = (least_of(read, text(head, line, lines)) for lines in (800, 3_200))
                    self.assertLess(many, 11 * few + 0.2, "squared it would be sixteen times as long")

    def test_what_is_left_out_of_very_much_is_counted(self) -> None:
        plan = equipped(Random(3), "skerry-f7")
        text = "".join(f"gateway 203.{n >> 8}.{n & 255}.9\n" for n in range(1_500))
        back = read_back(plan, next(iter(plan.devices)), text)
        *told, last = (one for one in back.unplanned if one.kind != "secret")
        self.assertEqual((len(told), last.kind), (1_000, "more"))
        self.assertRegex(last.value, "^(4|5)[0-9][0-9] more values")

    def test_a_long_log_is_read(self) -> None:
        plan = equipped(Random(3), "skerry-f7")
        log = "".join(f"Nov 26 10:00:{n % 60:02} kernel: drop SRC=198.51.100.{n % 9} DPT={n}\n" for n in range(20_000))
        back = read_back(plan, next(iter(plan.devices)), log)
        self.assertLessEqual(len(back.unplanned), 12)


if __name__ == "__main__":
    unittest.main()
