"""Stand-ins: every fact of a hardware type is one that the box made from it keeps to."""

from __future__ import annotations

import unittest
from typing import Any

from octaplan.core.plan.hardware import HardwareType, Power, Verb
from octaplan.core.values.addresses import parse_address
from octaplan.lab.standin.backups import opened, sealed
from octaplan.lab.standin.box import CONSOLE, LOCKED, STARTS, TRIES, UPDATES, BoxFaults, BoxPhase, Refused, StandIn
from octaplan.lab.standin.dialogue import Awaits, Dialogue
from tests.core.config.demo import types

GOOD = "Grün-dach-7-tor!"


class Clock:
    def __init__(self) -> None:
        self.now = 1_000.0

    def __call__(self) -> float:
        return self.now


class Bench(unittest.TestCase):
    """A box that is on, with a laptop in some port."""

    def box(self, key: str, port: str = "", faults: BoxFaults = BoxFaults(), **facts: Any) -> StandIn:  # noqa: B008
        self.clock = Clock()
        document = types()[key].document()
        for name, value in facts.items():
            if name in document["factory"]:
                document["factory"][name] = value
            elif name in (document["write_out"] or {}):
                document["write_out"][name] = value
            else:
                document[name] = value
        box = StandIn(HardwareType.model_validate(document), faults, self.clock)
        box.power(True, box.kind.powered_by[0])
        self.clock.now += STARTS + 0.1
        box.laptop_port = port or next(iter(box.kind.laptop_ports()), CONSOLE)
        return box

    def inside(self, box: StandIn, way: str = "ssh", password: str | None = None) -> Dialogue:
        """A dialogue that is logged in."""
        dialogue = Dialogue(box, way)
        if dialogue.stage is Awaits.USER:
            dialogue.enter(box.kind.factory.user or "")
        first = box.first_password()
        dialogue.enter(password if password is not None else first or "")
        return dialogue

    def said(self, dialogue: Dialogue, *lines: str) -> str:
        return "\n".join(one for line in lines for one in dialogue.enter(line).lines)

    def restart(self, box: StandIn) -> None:
        box.power(False)
        box.power(True, box.kind.powered_by[0])
        self.clock.now += STARTS + 0.1

    def named(self, box: StandIn, name: str = "box-1") -> None:
        box.say(f"this box is {name}", [])


class OutOfTheCarton(Bench):
    def test_a_fixed_address_answers_at_the_ports_that_are_for_the_laptop(self) -> None:
        box = self.box("brackwater-e5")
        self.assertEqual(str(box.face("A").address), "192.168.77.1")
        self.assertEqual(str(box.face("A").leases), "192.168.77.100–192.168.77.199")
        self.assertIsNone(box.face("Net").address, "its internet port answers nobody")
        self.assertIsNone(self.box("kittiwake-a2").face("PoE").leases, "this type serves no leases")

    def test_one_that_asks_for_its_address_has_none_until_somebody_serves_it(self) -> None:
        box = self.box("oxbow-s10", "1")
        self.assertIsNone(box.face("1").address)
        net = next(one for one in (types()["brackwater-e5"].factory.subnet,) if one is not None)
        box.given = (parse_address("192.168.77.9"), net)
        self.assertEqual(str(box.face("1").address), "192.168.77.9")

    def test_interfaces_that_are_born_disabled_answer_once_they_were_told(self) -> None:
        box = self.box("tallow-q4")
        self.assertEqual({box.face(port).address for port in ("1", "2", "3")}, {None})
        for line in ("access -> socket 1 use", "Office -> socket 1 bare", "Office -> inner 1 label", "10.1.0.1 -> inner 1 own",
                     "255.255.255.0 -> inner 1 width"):  # fmt: skip
            box.say(line, [])
        self.assertEqual(str(box.face("1").address), "10.1.0.1")

    def test_one_that_blocks_everything_answers_no_ping_until_it_permits_something(self) -> None:
        point = parse_address("172.30.99.1")
        self.assertFalse(self.box("skerry-f7").answers_ping("M", point))
        self.assertTrue(self.box("skerry-f7", blocked=False).answers_ping("M", point))

    def test_the_services_of_the_carton_and_no_others(self) -> None:
        self.assertEqual(self.box("oxbow-s10").services(), {"http", "telnet"})
        self.assertEqual(self.box("skerry-f7").services(), {"https", "ssh"})
        box = self.box("skerry-f7")
        self.assertTrue(box.reached("ssh"))
        self.assertFalse(box.reached("telnet"))
        box.laptop_address = parse_address("10.9.9.9")
        self.assertFalse(box.reached("ssh"), "the laptop has no address of its network")

    def test_it_is_powered_by_what_its_type_takes_alone(self) -> None:
        box = self.box("kittiwake-a2")
        box.power(False)
        box.power(True, Power.SUPPLY)
        self.assertIs(box.phase, BoxPhase.OFF)
        self.assertEqual(set(box.lights().values()), {"dark"})
        box.power(True, Power.INJECTOR)
        self.assertIs(box.phase, BoxPhase.STARTING)
        self.clock.now += STARTS
        self.assertIs(box.phase, BoxPhase.READY)
        self.assertEqual(box.lights(), box.kind.lights)

    def test_faults_to_practise_with(self) -> None:
        self.assertIsNone(self.box("brackwater-e5", faults=BoxFaults(dead_port="A")).face("A").address)
        used = self.box("tallow-q4", faults=BoxFaults(not_fresh=True))
        with self.assertRaises(Refused):
            used.check_log_in("", "")
        mislabelled = self.box("brackwater-e5", faults=BoxFaults(wrong_label=True))
        with self.assertRaises(Refused):
            mislabelled.check_log_in("admin", mislabelled.printed.password)


class LoggingIn(Bench):
    def test_each_first_password(self) -> None:
        self.box("tallow-q4").check_log_in("", "")
        self.box("skerry-f7").check_log_in("setup", "skerry-first")
        labelled = self.box("brackwater-e5")
        labelled.check_log_in("admin", labelled.printed.password)
        for key, user, wrong in (("tallow-q4", "", "x"), ("skerry-f7", "setup", ""), ("brackwater-e5", "admin", "")):
            with self.assertRaises(Refused):
                self.box(key).check_log_in(user, wrong)
        with self.assertRaises(Refused):
            labelled.check_log_in("root", labelled.printed.password)

    def test_one_that_has_a_password_chosen_takes_nothing_else_before(self) -> None:
        box = self.box("kittiwake-a2")
        dialogue = self.inside(box, "console")
        self.assertIs(dialogue.stage, Awaits.CHOICE)
        self.assertIn("Please check", self.said(dialogue, "short"))
        self.assertIn("it is set", self.said(dialogue, GOOD))
        self.assertFalse(box.must_choose)

    def test_too_many_tries_lock_it_for_a_while(self) -> None:
        box = self.box("skerry-f7")
        for _ in range(TRIES):
            with self.assertRaises(Refused):
                box.check_log_in("setup", "guess")
        with self.assertRaisesRegex(Refused, "too many tries"):
            box.check_log_in("setup", "skerry-first")
        self.clock.now += LOCKED
        box.check_log_in("setup", "skerry-first")

    def test_rules_of_slots_are_kept_to(self) -> None:
        box = self.box("skerry-f7")
        for slot, secret, why in (
            ("administrator", "Short-1", "at least 14"),
            ("administrator", "no-capitals-at-all-1", "capital"),
            ("storage", "Has'a-quote-and-is-long-1", ""),
            ("nonsense", GOOD, "there is no nonsense"),
        ):
            with self.subTest(slot, secret=secret):
                if why:
                    with self.assertRaisesRegex(Refused, why):
                        box.set_secret(slot, secret)
                else:
                    box.set_secret(slot, secret)
        box.set_secret("administrator", "Sommer-am-Weiher-4")
        with self.assertRaisesRegex(Refused, "same as administrator"):
            box.set_secret("read-only", "Sommer-am-Weiher-4")
        with self.assertRaisesRegex(Refused, "recovery code: only digits"):
            self.box("tallow-q4").set_secret("recovery", "1234567a")

    def test_the_new_password_takes_the_place_of_the_first(self) -> None:
        box = self.box("tallow-q4")
        box.set_secret("administrator", "Sommer-am-Weiher-4")
        with self.assertRaises(Refused):
            box.check_log_in("", "")
        box.check_log_in("", "Sommer-am-Weiher-4")

    def test_its_ssh_stays_off_without_a_full_name(self) -> None:
        box = self.box("oxbow-s10", services=["ssh"], web=None)
        for line, services in (("1.3 Europe/London", set()), ("1.1 north", set()), ("1.2 north.example", {"ssh"})):
            box.say(line, [])
            box.apply()
            self.assertEqual(box.services(), services, line)


class BeingTold(Bench):
    def test_changes_take_effect_at_once_or_when_they_are_applied_or_committed(self) -> None:
        at_once = self.box("brackwater-e5")
        self.named(at_once)
        self.assertEqual(at_once.running.first("", "box.name"), "box-1")
        box = self.box("skerry-f7")
        dialogue = self.inside(box)
        self.assertEqual(self.said(dialogue, "self {", "  title box-1", "}"), "")
        self.assertEqual(box.running.first("", "box.name"), "")
        self.assertIn("take effect after apply", self.said(dialogue, "commit"))
        self.assertIn("done", self.said(dialogue, "apply"))
        self.assertEqual(box.running.first("", "box.name"), "box-1")
        commits = self.box("skerry-f7", takes="after commit")
        dialogue = self.inside(commits)
        self.said(dialogue, "self {", "  title box-1", "}")
        self.assertIn("take effect after commit", self.said(dialogue, "apply"))
        self.said(dialogue, "commit")
        self.assertEqual(commits.running.first("", "box.name"), "box-1")

    def test_a_change_that_nobody_confirms_is_taken_back(self) -> None:
        never = self.inside(self.box("skerry-f7", confirms=False))
        self.assertIn("takes nothing back", self.said(never, "apply 20"))
        box = self.box("skerry-f7")
        dialogue = self.inside(box)
        self.said(dialogue, "self {", "  title box-1", "}", "apply 20")
        self.assertEqual(box.running.first("", "box.name"), "box-1")
        self.clock.now += 21
        self.assertIs(box.phase, BoxPhase.READY)
        self.assertEqual(box.running.first("", "box.name"), "")
        self.said(dialogue, "self {", "  title box-2", "}", "apply 20", "confirm")
        self.clock.now += 21
        self.assertIs(box.phase, BoxPhase.READY)
        self.assertEqual(box.running.first("", "box.name"), "box-2")
        self.assertIn("nothing to confirm", self.said(dialogue, "confirm"))

    def test_what_is_not_saved_is_gone_with_the_power_where_the_type_says_so(self) -> None:
        box = self.box("tallow-q4")
        box.say("north -> self called", [])
        self.restart(box)
        self.assertEqual(box.running.first("", "box.name"), "")
        dialogue = self.inside(box, CONSOLE)
        self.assertEqual(self.said(dialogue, "north -> self called", "!keep"), "Keep?")
        self.assertIn("nothing was done", self.said(dialogue, "n"))
        self.restart(box)
        self.assertEqual(box.running.first("", "box.name"), "")
        dialogue = self.inside(box, CONSOLE)
        self.said(dialogue, "north -> self called", "!keep", "y")
        self.restart(box)
        self.assertEqual(box.running.first("", "box.name"), "north")
        keeps = self.box("brackwater-e5")
        self.named(keeps)
        self.restart(keeps)
        self.assertEqual(keeps.running.first("", "box.name"), "box-1")

    def test_only_a_restart_lets_changes_take_effect_where_the_type_says_so(self) -> None:
        box = self.box("kittiwake-a2")
        box.say("  Name: point", box.say("Page: Unit", []))
        box.apply()
        self.assertEqual(box.running.first("", "box.name"), "")
        box.restart()
        self.clock.now += STARTS + 0.1
        self.assertEqual((box.phase, box.running.first("", "box.name")), (BoxPhase.READY, "point"))

    def test_its_address_changes_when_it_is_told_and_the_session_hangs(self) -> None:
        box = self.box("brackwater-e5", services=["https", "ssh"])
        dialogue = self.inside(box)
        self.said(dialogue, 'segment "Office" knows this box as 10.61.0.1 under mask 255.255.255.0')
        self.said(dialogue, 'leases in "Office" go from 10.61.0.60 to 10.61.0.99')
        self.assertFalse(dialogue.hangs)
        self.said(dialogue, 'manage by https from "Office"', 'port A carries "Office" bare')
        self.assertTrue(dialogue.hangs)
        face = box.face("A")
        self.assertEqual((str(face.address), str(face.leases)), ("10.61.0.1", "10.61.0.60–10.61.0.99"))
        self.assertEqual(str(box.face("B").address), "192.168.77.1", "a port that was told nothing is as it was")

    def test_it_is_managed_from_where_that_is_permitted(self) -> None:
        box = self.box("brackwater-e5")
        for line in ('segment "Office" knows this box as 10.61.0.1 under mask 255.255.255.0',
                     'segment "Guest" knows this box as 10.61.4.1 under mask 255.255.255.0',
                     'port A carries "Office" bare', 'port B carries "Guest" bare', 'manage by ssh from "Office"'):  # fmt: skip
            box.say(line, [])
        box.off("https")
        self.assertEqual(box.open_at(box.face("A").address), {"ssh"})
        self.assertEqual(box.open_at(box.face("B").address), set())
        self.assertFalse(box.face("B").managed)

    def test_words_of_its_own_by_which_it_refuses_and_comments_that_it_passes_over(self) -> None:
        box = self.box("brackwater-e5")
        self.assertIn("did not understand", self.said(self.inside(box), "make me a sandwich"))
        self.assertEqual(self.said(self.inside(box), "~ a comment", ""), "")
        self.assertEqual(self.inside(box).prompt, "ready.")

    def test_more_lines_than_the_console_takes_at_once_are_lost(self) -> None:
        box = self.box("brackwater-e5", lines_at_once=3, services=["https", "ssh"])
        lines = [f"names for itself from 192.0.2.{n}" for n in range(1, 6)]
        self.inside(box).paste(lines)
        self.assertEqual(box.running.settings.lines(), lines[:3])

    def test_commands_of_its_own_take_the_place_of_the_usual_words(self) -> None:
        box = self.box("brackwater-e5", commands={"show": "tell me all"})
        self.named(box)
        self.assertIn("this box is box-1", self.said(self.inside(box), "tell me all"))
        self.assertIn("did not understand", self.said(self.inside(box), "show"))

    def test_new_firmware_comes_from_where_the_type_takes_it(self) -> None:
        box = self.box("brackwater-e5")
        self.assertIn("does not come over the console", self.said(self.inside(box, CONSOLE), "firmware 4.8.2"))
        box.perform(Verb.FIRMWARE, "4.8.2")
        self.assertIs(box.phase, BoxPhase.UPDATING)
        self.assertIsNone(box.face("A").address)
        self.clock.now += UPDATES
        self.assertIs(box.phase, BoxPhase.STARTING)
        self.clock.now += STARTS
        self.assertEqual((box.phase, box.firmware), (BoxPhase.READY, "4.8.2"))
        point = self.box("kittiwake-a2")
        with self.assertRaisesRegex(Refused, "internet is not there"):
            point.perform(Verb.FIRMWARE, "2.3.0")

    def test_a_stick_goes_in_at_the_console_alone(self) -> None:
        with self.assertRaisesRegex(Refused, "a memory stick, at the console"):
            self.box("tallow-q4").perform(Verb.FIRMWARE, "5.3")
        self.assertIn("goes away", self.said(self.inside(self.box("tallow-q4"), CONSOLE), "firmware 5.3"))

    def test_all_that_it_asks_back_is_answered_before_it_saves(self) -> None:
        asks = [{"question": "Keep?", "answer": "y"}, {"question": "Really?", "answer": "sure"}]
        box = self.box("tallow-q4", asks=asks)
        dialogue = self.inside(box, CONSOLE)
        self.assertEqual(self.said(dialogue, "north -> self called", "!keep", "y"), "Keep?\nReally?")
        self.assertIn("nothing was done", self.said(dialogue, "no"))
        self.assertEqual(box.saved.first("", "box.name"), "")
        self.said(dialogue, "!keep", "y", "sure")
        self.assertEqual(box.saved.first("", "box.name"), "north")

    def test_what_it_came_with_is_shown_until_it_is_removed(self) -> None:
        box = self.box("tallow-q4")
        self.assertIn("# The sample user that the assistant makes", box.show())
        box.remove("The sample user that the assistant makes")
        self.assertEqual(box.show(), [])
        with self.assertRaisesRegex(Refused, "no such thing"):
            box.remove("The sample user that the assistant makes")

    def test_secrets_are_never_shown(self) -> None:
        box = self.box("brackwater-e5")
        for line in (f'whoever manages knows "{GOOD}"', 'port Net dials as "user" with "Dial-in-geheim"',
                     'air "North" is kept by wpa3 with "Luft-geheim-12"'):  # fmt: skip
            box.say(line, [])
        shown = "\n".join(box.show())
        for secret in (GOOD, "Dial-in-geheim", "Luft-geheim-12"):
            self.assertNotIn(secret, shown)
        self.assertEqual(box.saved.secrets, {"administrator": GOOD})
        self.assertIn("wpa3", shown)

    def test_a_backup_brings_everything_back_and_only_there(self) -> None:
        box = self.box("brackwater-e5")
        self.named(box)
        box.set_secret("administrator", GOOD)
        kept = sealed(box)
        self.assertNotIn(GOOD.encode(), kept)
        self.named(box, "other")
        box.saved = opened(box, kept)
        box.restart()
        self.clock.now += STARTS + 0.1
        self.assertEqual((box.phase, box.running.first("", "box.name")), (BoxPhase.READY, "box-1"))
        with self.assertRaisesRegex(Refused, "passphrase"):
            opened(self.box("brackwater-e5"), kept)
        with self.assertRaisesRegex(Refused, "no backup"):
            opened(box, b"anything")

    def test_the_reset_button_makes_it_as_it_came(self) -> None:
        box = self.box("brackwater-e5")
        self.named(box)
        box.set_secret("administrator", GOOD)
        box.reset()
        self.clock.now += STARTS + 0.1
        self.assertEqual((box.phase, box.show()[:1]), (BoxPhase.READY, ["~ " + box.kind.leftovers[0]]))
        box.check_log_in("admin", box.printed.password)
