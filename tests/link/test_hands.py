"""Octaplan's hands: boxes staged by themselves over every protocol, cut off, resumed, and stopped by what is wrong."""

from __future__ import annotations

import asyncio
import unittest
from collections.abc import Callable
from copy import deepcopy
from dataclasses import replace
from random import Random
from typing import Any, ClassVar
from unittest.mock import patch

from octaplan.core.config.readback import read_back
from octaplan.core.plan.patch import applied
from octaplan.core.stage.measures import Outcome as Worth
from octaplan.core.stage.measures import judge
from octaplan.lab.bench import practice
from octaplan.lab.bench.practice import PracticeBench, PracticeTable
from octaplan.lab.standin.backups import sealed
from octaplan.lab.standin.box import BoxFaults
from octaplan.link import hands as hands_module
from octaplan.link.channel import Pins
from octaplan.link.hands import Hands, Task, would_send
from octaplan.server.practising import BenchOfHands
from tests.core.config.demo import types
from tests.link.clinic import Staged, alone, box_of, clinic, put, secrets_of, stage, task, within


def staged(role: str, edge: str = "brackwater-e5", **more: Any) -> Staged:
    async def work(bench: PracticeBench) -> Staged:
        what = task(clinic(edge), role)
        return await stage(bench, await put(bench, what), what, **more)

    found: Staged = within(work)
    return found


class EachType(unittest.TestCase):
    """The boxes stand on one bench, and are staged at once."""

    done: ClassVar[dict[tuple[str, str], Staged]]

    @classmethod
    def setUpClass(cls) -> None:
        kinds = [("edge", "brackwater-e5"), ("switch", "brackwater-e5"), ("access-point", "brackwater-e5"),
                 ("edge", "skerry-f7"), ("edge", "tallow-q4")]  # fmt: skip

        async def work(bench: PracticeBench) -> list[Staged]:
            whats = [alone(task(clinic(edge), role), number) for number, (role, edge) in enumerate(kinds)]
            boxes = [await put(bench, what) for what in whats]
            return await asyncio.gather(*(stage(bench, *pair) for pair in zip(boxes, whats, strict=True)))

        cls.done = dict(zip(kinds, within(work), strict=True))

    def all_of_it(self, role: str, edge: str = "brackwater-e5") -> Staged:
        found = self.done[role, edge]
        what = task(clinic(edge), role)
        self.assertEqual([(one.step.key, one.note) for one in found.outcomes if not one.good], [])
        keys = [step.key for step in what.sheet.steps if step.key not in ("label", "pack")]
        self.assertEqual([one.step.key for one in found.outcomes], keys)
        shown = found.by_step["read-back"].shown
        back = read_back(what.plan, what.key, shown, what.kind)
        self.assertEqual((back.departures, back.about), (0, ""))
        self.assertGreater(len(back.as_planned), 8)
        for outcome in found.outcomes:
            for measure in outcome.step.measures:
                if measure.key in outcome.measured and measure.key not in ("serial", "mac"):
                    worth = judge(measure.kind, outcome.measured[measure.key], measure.expect)[0]
                    self.assertIn(worth, (Worth.GOOD, Worth.ODD), measure.label)
        self.no_secret_in(found, what)
        return found

    def no_secret_in(self, found: Staged, what: Task) -> None:
        told = "\n".join(one.text for outcome in found.outcomes for one in outcome.exchanged)
        self.assertGreater(len(told), 400)
        texts = [
            what.secret(place) for place in secrets_of(types()[what.plan.devices[box_of(what.plan, "edge")].type].key)
        ]
        self.assertEqual([text for text in [*texts, found.one.box.printed.password] if text and text in told], [])
        held = found.one.box.saved.secrets
        self.assertEqual(held["administrator"], what.secret(f"devices/{what.key}/administrator"))

    def test_a_router_that_takes_all_at_once_by_restconf(self) -> None:
        found = self.all_of_it("edge")
        self.assertEqual(found.by_step["prove-line"].measured["lookup"], "192.0.2.80")
        tried = found.by_step["passes"]
        self.assertEqual(set(tried.measured.values()), {"it answers", "no answer"})
        self.assertEqual(tried.skips, {}, "what passes and what does not was tried by real packets")
        self.assertTrue(found.by_step["segment-seg0"].step.lost)

    def test_a_switch_by_telnet_until_it_has_its_https(self) -> None:
        found = self.all_of_it("switch")
        self.assertIn("> 1.1", "\n".join("> " * one.sent + one.text for one in found.by_step["identity"].exchanged))

    def test_an_access_point_that_restarts_to_take_effect(self) -> None:
        found = self.all_of_it("access-point")
        self.assertEqual(found.by_step["join-wifi0"].measured, {"joined": "yes"})

    def test_a_firewall_that_saves(self) -> None:
        self.all_of_it("edge", "skerry-f7")

    def test_a_router_by_its_console(self) -> None:
        found = self.all_of_it("edge", "tallow-q4")
        self.assertEqual(found.by_step["log-in"].step.before.port, "console")

    def test_a_firewall_by_ssh_where_it_speaks_nothing_else(self) -> None:
        plan = clinic("skerry-f7")
        key = box_of(plan, "edge")
        entry = next(iter(plan.devices[key].access))
        plan = applied(plan, [{"op": "add", "path": f"/devices/{key}/access/ssh00",
                               "value": {"service": "ssh", "segment": plan.devices[key].access[entry].segment}}])  # fmt: skip
        kind = types()["skerry-f7"].model_copy(update={"restconf": False})

        async def work(bench: PracticeBench) -> Staged:
            what = task(plan, "edge", kind, secrets_of("skerry-f7"))
            return await stage(bench, await put(bench, what), what)

        found: Staged = within(work)
        self.assertEqual([one.note for one in found.outcomes if not one.good], [])
        self.assertIn("title", "\n".join(one.text for one in found.by_step["identity"].exchanged))

    def test_all_three_of_a_site_side_by_side(self) -> None:
        async def work(bench: PracticeBench) -> list[Staged]:
            what = [task(clinic(), role) for role in ("edge", "switch", "access-point")]
            boxes = [await put(bench, one) for one in what]
            edge = await stage(bench, boxes[0], what[0], upto="prove-again")
            boxes[0].plugged_in = True
            switch, point = await asyncio.gather(
                stage(bench, boxes[1], what[1]), stage(bench, boxes[2], what[2], upto="prove")
            )
            settled = [*point.by_step]  # what it hangs on restarts while it is staged, so that its uplink comes after
            return [edge, switch, await stage(bench, boxes[2], what[2], settled=settled)]

        for real, pings, leased in ((True, "3 received", "10.61.0.61"), (False, "1 received", "10.61.0.60")):
            with self.subTest(real=real):
                _, switch, point = within(work, real=real)
                self.assertEqual(switch.by_step["uplink"].skips, {})
                self.assertIn(pings, switch.by_step["uplink"].measured["gateway"])
                self.assertEqual(switch.by_step["clients"].measured, {"lease-seg0": leased})
                self.assertIn(pings, point.by_step["uplink"].measured["gateway"])


class WhatIsWrong(unittest.TestCase):
    def test_a_first_password_that_is_another_s(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic(), "edge")
            return await stage(bench, await put(bench, what, BoxFaults(wrong_label=True)), what)

        found: Staged = within(work)
        self.assertEqual(found.last.step.key, "log-in")
        self.assertIn("does not let one in: wrong user or password", found.last.note)

    def test_a_box_that_was_used_before(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic("skerry-f7"), "edge")
            return await stage(bench, await put(bench, what, BoxFaults(not_fresh=True)), what)

        self.assertEqual(within(work).last.step.key, "log-in")

    def test_a_cable_that_is_dead(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic(), "edge")
            return await stage(bench, await put(bench, what, BoxFaults(dead_port="A")), what)

        last = within(work).last
        self.assertEqual((last.step.key, last.good), ("laptop", False))
        self.assertIn("asks for an address, and gets none", last.note)

    def test_a_provider_that_is_down(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            bench.provider_up = False
            what = task(clinic(), "edge")
            return await stage(bench, await put(bench, what), what, upto="prove-line")

        measured = within(work).last.measured
        self.assertEqual(measured["lookup"], "no answer")
        self.assertIn("0 received", measured["gateway"])

    def test_another_box_is_put_in_its_place(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what, pins = task(clinic(), "edge"), Pins()
            first = await stage(bench, await put(bench, what), what, pins=pins, upto="log-in-own")
            await bench.take(first.one.key)
            other = await put(bench, what)
            other.box.power(True)
            settled = [one.step.key for one in first.outcomes if one.good]
            return await stage(bench, other, what, pins=pins, settled=settled)

        last = within(work).last
        self.assertFalse(last.good)
        self.assertIn("is not the one that was met first", last.note)

    def test_the_power_goes_before_all_was_saved(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what, pins = task(clinic("tallow-q4"), "edge"), Pins()
            first = await stage(bench, await put(bench, what), what, pins=pins, upto="slot-recovery")
            first.one.box.power(False)
            first.one.box.power(True)
            settled = [one.step.key for one in first.outcomes if one.good]
            return await stage(bench, first.one, what, pins=pins, settled=settled)

        last = within(work).last
        self.assertIn("first password again", last.note)

    def test_a_box_of_another_type_s_language(self) -> None:
        kind = types()["skerry-f7"].model_copy(update={"restconf": False})
        other = types()["oxbow-s10"].write_out

        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic("skerry-f7"), "edge", kind, secrets_of("skerry-f7"))
            one = await bench.put(kind.model_copy(update={"write_out": other}), what.plan.key, what.key)
            return await stage(bench, one, what)

        last = within(work).last
        self.assertEqual((last.step.key, last.good), ("log-in", False))
        self.assertIn("stopped answering", last.note)

    def test_a_type_whose_write_out_tells_nothing_or_not_all(self) -> None:
        whole = types()["tallow-q4"]
        assert whole.write_out is not None
        for parts, step, said in (
            ({}, "identity", "has no line for this step"),
            (
                {part: text for part, text in whole.write_out.parts.items() if part != "routes"},
                "read-back",
                "No line of its",
            ),
        ):
            told = whole.write_out.model_copy(update={"parts": parts})
            kind = whole.model_copy(update={"write_out": told})

            async def work(bench: PracticeBench, kind: Any = kind) -> Staged:
                what = task(clinic("tallow-q4"), "edge", kind)
                return await stage(bench, await put(bench, what), what)

            last = within(work).last
            self.assertFalse(last.good)
            self.assertEqual(last.step.key, step, last.note)
            self.assertIn(said, last.note)

    def test_a_box_that_repeats_a_secret_when_it_refuses_it(self) -> None:
        whole = types()["tallow-q4"]
        assert whole.write_out is not None
        other = whole.write_out.model_copy(update={"commands": {"password": "word"}})

        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic("tallow-q4"), "edge")
            one = await bench.put(whole.model_copy(update={"write_out": other}), what.plan.key, what.key)
            return await stage(bench, one, what)

        found: Staged = within(work)
        self.assertEqual(found.last.step.key, "slot-administrator")
        told = found.last.note + "".join(one.text for one in found.last.exchanged)
        self.assertIn("E!: password administrator", found.last.note)
        self.assertEqual([one for one in secrets_of("tallow-q4").values() if one in told], [])

    def test_once_it_was_met_by_tls_nothing_is_sent_in_the_clear(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic(), "switch")
            return await stage(bench, await put(bench, what), what, pins=Pins(certificate=b"met before"))

        last = within(work).last
        self.assertEqual((last.step.key, last.good, last.exchanged), ("log-in", False, []))
        self.assertIn("gives no answer by HTTPS", last.note)

    def test_a_safe_that_holds_nothing(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic(), "edge", secrets={})
            return await stage(bench, await put(bench, what), what)

        last = within(work).last
        self.assertEqual(last.note, "The safe holds nothing for administrator: fill it on Credentials")


class Passing(unittest.TestCase):
    def test_what_a_box_was_told_otherwise_is_not_taken_for_proven(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic(), "edge")
            one = await put(bench, what)
            await stage(bench, one, what, upto="prove-line")
            one.box.running.data["octaplan-box:box"]["allow"] = []
            one.box.running.data.pop("ietf-access-control-list:acls")
            settled = [step.key for step in what.sheet.steps]
            settled = settled[: settled.index("passes")]
            return await stage(bench, one, what, settled=settled, upto="passes")

        found: Staged = within(work)
        self.assertEqual((found.last.step.key, found.last.measured), ("passes", {}))
        self.assertTrue(found.last.skips)

    def test_without_ground_for_real_packets_the_walk_answers(self) -> None:
        with patch.object(practice, "missing", lambda *_: "nftables is not installed"):
            found = staged("edge", upto="passes")
        self.assertEqual(set(found.last.measured.values()), {"it answers", "no answer"})


class PuttingBack(unittest.TestCase):
    def test_a_backup_goes_back_by_restconf_by_ssh_and_by_the_console(self) -> None:
        for edge, upto in (("brackwater-e5", "backup"), ("tallow-q4", "backup"), ("tallow-q4", "save-firmware")):

            async def work(bench: PracticeBench, edge: str = edge, upto: str = upto) -> tuple[Any, ...]:
                what = task(clinic(edge), "edge")
                one = await put(bench, what)
                done = await stage(bench, one, what, upto=upto)
                before, content = deepcopy(done.final), done.last.backup or sealed(one.box)
                for state in (one.box.saved, one.box.running):
                    state.leftovers.append("something that came since")
                hands = Hands(what, BenchOfHands(PracticeTable(bench, one, what.plan)), Pins(), [*done.by_step])
                (outcome,) = [each async for each in hands.put_back(content)]
                return before, Staged(one, []).final, outcome

            with self.subTest(edge, upto=upto):
                before, after, outcome = within(work)
                self.assertEqual((outcome.note, outcome.good), ("", True))
                self.assertEqual(after, before)
                self.assertNotIn("something that came since", outcome.shown)


class Measuring(unittest.TestCase):
    """Answers that could come out otherwise, and do when the box is otherwise."""

    def after(self, change: Callable[[Any], None], upto: str, role: str = "edge") -> Staged:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic(), role)
            keys = [step.key for step in what.sheet.steps]
            one = await put(bench, what)
            await stage(bench, one, what, upto=keys[keys.index(upto) - 1])
            change(one.box.running)
            return await stage(bench, one, what, settled=keys[: keys.index(upto)], upto=upto)

        found: Staged = within(work)
        return found

    def test_what_a_restart_lost_is_seen(self) -> None:
        def forget(state: Any) -> None:
            state.data["octaplan-box:box"]["allow"].pop()

        self.assertEqual(self.after(forget, "prove-again").last.measured["kept"], "no")
        self.assertEqual(self.after(lambda state: None, "prove-again").last.measured["kept"], "yes")

    def test_a_wi_fi_with_another_key_lets_nobody_in(self) -> None:
        def other(state: Any) -> None:
            state.secrets["wireless/wifi0"] = "another key"

        self.assertEqual(self.after(other, "join-wifi0", "access-point").last.measured, {"joined": "no"})

    def test_names_are_not_found_by_who_was_told_no_resolver(self) -> None:
        def deaf(state: Any) -> None:
            for one in (state.data["ietf-system:system"], state.data["octaplan-box:box"]):
                one.pop("dns-resolver", None)
                one.pop("forwarder", None)
            for line in state.data["octaplan-box:box"]["circuit"]:
                line.pop("resolver", None)
            for segment in state.data["octaplan-box:box"]["segment"]:
                segment.get("scope", {}).pop("resolver", None)

        self.assertEqual(self.after(deaf, "prove-line").last.measured["lookup"], "no answer")


class Confirming(unittest.TestCase):
    def test_a_change_that_cuts_the_box_off_is_confirmed_once_it_is_reached_again(self) -> None:
        found = staged("edge", "skerry-f7", upto="reconnect")
        self.assertEqual([one.note for one in found.outcomes if not one.good], [])
        applied_ = "\n".join(one.text for one in found.by_step["apply"].exchanged)
        self.assertIn('"confirm-within": 120', applied_)
        back = "\n".join(one.text for one in found.by_step["reconnect"].exchanged)
        self.assertIn("octaplan-box:confirm", back)
        self.assertIsNone(found.one.box._before)

    def test_what_is_not_reached_again_is_taken_back_by_the_box_and_said(self) -> None:
        async def work(bench: PracticeBench) -> Staged:
            what = task(clinic("skerry-f7"), "edge")
            one = await put(bench, what)
            with patch.object(hands_module, "CONFIRM_WITHIN", 1):
                await stage(bench, one, what, upto="apply")
            before = [str(each.address) for each in one.box.running.own_addresses()]
            await asyncio.sleep(1.1)
            self.assertIn(one.box.phase, ("ready",))
            self.assertEqual(([*one.box.running.own_addresses()], len(before)), ([], 2))
            settled = [step.key for step in what.sheet.steps]
            settled = settled[: settled.index("apply") + 1]
            return await stage(bench, one, what, settled=settled)

        with patch.object(hands_module, "AWAY", 1.0):
            found: Staged = within(work)
        self.assertIn(found.last.step.key, ("laptop-again", "reconnect"))
        self.assertFalse(found.last.good)


class CutOff(unittest.TestCase):
    def test_whatever_moment_it_is_cut_at_it_is_resumed_to_the_same_end(self) -> None:
        boxes = (("edge", "brackwater-e5"), ("switch", "brackwater-e5"), ("access-point", "brackwater-e5"),
                 ("edge", "skerry-f7"), ("edge", "tallow-q4"))  # fmt: skip

        async def work(bench: PracticeBench) -> list[tuple[Staged, Staged]]:
            # each as a box of a site of its own: what hangs on another waits for that one
            whats = [alone(task(clinic(edge), role), number) for number, (role, edge) in enumerate(boxes)]
            return await asyncio.gather(*(cut_and_resumed(bench, what, 3, 5) for what in whats))

        for (role, edge), (whole, cut) in zip(boxes, within(work), strict=True):
            with self.subTest(role, edge=edge):
                self.assertEqual(cut.last.note, "")
                self.assertEqual(cut.final, whole.final)


async def cut_and_resumed(bench: PracticeBench, what: Task, seed: int, cuts: int) -> tuple[Staged, Staged]:
    """A box staged in one go, and one whose staging was cut at random moments and resumed each time."""
    whole = await stage(bench, await put(bench, what), what)
    await bench.take(whole.one.key)
    random, one, pins = Random(seed), await put(bench, what), Pins()
    settled: set[str] = set()
    for left in range(cuts, -1, -1):
        work = asyncio.ensure_future(collected(bench, one, what, pins, settled))
        if left:
            await asyncio.wait([work], timeout=random.uniform(0.05, 1.6))
            work.cancel()
            await asyncio.wait([work])
        if not left or not work.cancelled():
            return whole, await work
    raise AssertionError("it was never let run to its end")


async def collected(
    bench: PracticeBench,
    one: Any,
    what: Task,
    pins: Pins,
    settled: set[str],
    held: Callable[[Any], None] = lambda _: None,
) -> Staged:
    """Stage as far as it goes, taking note of each step that was done, as the records do; `held` is given the hands."""

    def note(hands: Any) -> None:
        do = hands.do
        held(hands)

        async def noted(step: Any) -> Any:
            outcome = await do(step)
            if outcome.good:
                settled.add(step.key)
            return outcome

        hands.do = noted

    return await stage(bench, one, what, pins=pins, settled=set(settled), also=note)


class DryRun(unittest.TestCase):
    def test_what_would_be_sent_is_told_step_by_step_without_secrets(self) -> None:
        for edge in ("brackwater-e5", "tallow-q4"):
            what = task(clinic(edge), "edge")
            marked = replace(what, secret=lambda place: f"<<{place}>>")
            told = {step.key: lines for step, lines in would_send(marked, {"unpack"})}
            self.assertNotIn("unpack", told)
            self.assertTrue(any("203.0.113.18" in line for line in told["circuit-circ0"]))
            self.assertTrue(any("10.61.0.1" in line for line in told["segment-seg0"]))
            self.assertIn(f"password administrator <<devices/{what.key}/administrator>>", told["slot-administrator"])
            self.assertIn(f"firmware {what.kind.firmware.wanted}", told["firmware"])
            self.assertIn(f"remove {what.kind.leftovers[0]}", told["clear-away"])
            text = "\n".join(line for lines in told.values() for line in lines)
            self.assertEqual([one for one in secrets_of(edge).values() if one in text], [])
