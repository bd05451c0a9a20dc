"""Many at once: readers see one saved snapshot, writers take turns, trials stay apart; in pairs, and all together."""

from __future__ import annotations

import itertools
import random
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from typing import Any

from octaplan.core.plan.site import SitePlan
from octaplan.core.propose.replacing import replace
from octaplan.core.values.errors import OctaplanError
from octaplan.store.author import Author
from octaplan.store.models import Batch, Revision
from octaplan.store.records import load_snapshot
from octaplan.store.refusals import Conflict
from octaplan.store.runs import Result
from octaplan.store.snapshot import Snapshot, once
from octaplan.store.staging import sheet_of, staging_of
from tests.core.kit import hardware
from tests.store.test_plans import put
from tests.store.test_safe import WithSafe
from tests.support import segment, site, writing

DEADLINE = 60.0
TABLES = [("sites.csv", b"customer,site\nFERN,NEW1\nFERN,NEW2\n"),
          ("segments.csv", b"customer,site,segment,subnet\nFERN,NEW1,Office,10.81.0.0/24\n")]  # fmt: skip


class Together(WithSafe):
    """Records with two sites that have boxes, secrets and a run begun."""

    def setUp(self) -> None:
        super().setUp()
        self.fill()

    def at_once(self, works: list[Callable[[], object]]) -> list[BaseException]:
        """Do things in threads of their own; what they raised. Fails when one does not come back."""
        raised: list[BaseException] = []
        begin = threading.Barrier(len(works))

        def run(work: Callable[[], object]) -> None:
            begin.wait()
            try:
                work()
            except BaseException as error:
                raised.append(error)

        threads = [threading.Thread(target=run, args=(work,), daemon=True) for work in works]
        for thread in threads:
            thread.start()
        ends = time.monotonic() + DEADLINE
        for thread in threads:
            thread.join(max(0.0, ends - time.monotonic()))
        self.assertFalse([t for t in threads if t.is_alive()], "something waits for ever")
        return raised


class Readers(Together):
    def test_a_plan_is_never_read_with_the_number_of_another(self) -> None:
        done = threading.Event()
        torn: list[tuple[int, str | None]] = []

        def write() -> None:
            for number in range(2, 60):
                self.plans.revise("FERN/DOCK", put("/contact", f"as of {number}"), number - 1, "Ada")
            done.set()

        def read() -> None:
            while not done.is_set():
                held = self.records.now.sites.of("FERN/DOCK")
                if held.saved.number > self.first and held.plan.contact != f"as of {held.saved.number}":
                    torn.append((held.saved.number, held.plan.contact))

        self.first = self.plans.now.saved("FERN/DOCK").number
        self.assertEqual(self.first, 1)
        self.assertEqual(self.at_once([write, read, read, read]), [])
        self.assertEqual(torn, [])

    def test_four_people_who_add_lose_nothing_that_was_acknowledged(self) -> None:
        def add(who: str) -> Callable[[], None]:
            def work() -> None:
                for n in range(12):
                    while True:
                        held = self.records.now.sites.of("FERN/DOCK")
                        servers = [*held.plan.circuits["circ0"].resolvers]
                        host = {"segment": "seg0", "name": f"{who} {n}", "address": None}
                        try:
                            self.plans.revise(
                                "FERN/DOCK", put(f"/hosts/{who}{n}", host), held.saved.number, Author(who, who)
                            )
                            break
                        except Conflict:
                            self.assertTrue(servers)

            return work

        self.assertEqual(self.at_once([add(who) for who in ("adam", "bona", "cyra", "dido")]), [])
        names = {host.name for host in self.records.now.sites.plan("FERN/DOCK").hosts.values()}
        self.assertLessEqual({f"{who} {n}" for who in ("adam", "bona", "cyra", "dido") for n in range(12)}, names)

    def test_what_is_tried_out_is_never_read_as_saved(self) -> None:
        clash = [site(f"FERN/C{n}", [segment(subnet="10.40.1.0/24")]) for n in range(6)]
        self.plans.save_all(clash, "Ada", "Made")
        saved = {plan.key: plan for plan in clash}
        keys, done = list(saved), threading.Event()
        strange: list[SitePlan] = []

        def preview() -> None:
            for _ in range(8):
                self.records.batches.preview("overlap-reach", keys)
            done.set()

        def read() -> None:
            while not done.is_set():
                now = self.records.now.sites
                strange.extend(plan for key in keys if (plan := now.plan(key)) != saved[key])
                strange.extend(plan for plan in now.portfolio if plan.key in saved and plan != saved[plan.key])

        self.assertEqual(self.at_once([preview, read, read]), [])
        self.assertEqual(strange, [])

    def test_a_run_sheet_is_that_of_the_plan_it_is_read_with(self) -> None:
        before = self.records.now
        sheet = staging_of(before, "FERN/DOCK", self.edge).sheet
        self.plans.revise("FERN/DOCK", put("/segments/seg0/gateway", "10.40.8.9"), 1, "Ada")
        fresh = staging_of(self.records.now, "FERN/DOCK", self.edge).sheet
        self.assertNotEqual([step.digest for step in sheet.steps], [step.digest for step in fresh.steps])
        again = staging_of(before, "FERN/DOCK", self.edge).sheet
        self.assertEqual([step.digest for step in again.steps], [step.digest for step in sheet.steps])


class MadeOnce(Together):
    def test_who_asks_for_what_is_being_made_waits_for_it(self) -> None:
        now, begun, go_on = self.records.now, threading.Event(), threading.Event()
        made: list[int] = []

        def make() -> int:
            begun.set()
            go_on.wait(10)
            made.append(len(made))
            return made[-1]

        with ThreadPoolExecutor(8) as pool:
            first = pool.submit(once, now, "number", make)
            begun.wait(10)
            others = [pool.submit(once, now, "number", make) for _ in range(7)]
            self.assertEqual(once(now, "something else", lambda: "at once"), "at once")
            go_on.set()
            self.assertEqual([one.result(10) for one in (first, *others)], [0] * 8)

    def test_what_could_not_be_made_is_made_for_the_next(self) -> None:
        now = self.records.now
        with self.assertRaises(ZeroDivisionError):
            once(now, "number", lambda: 1 // 0)
        self.assertEqual(once(now, "number", lambda: 7), 7)


class Writers(Together):
    def test_an_import_is_undone_beside_somebody_who_types_secrets(self) -> None:
        need = self.plans.now.need("FERN/DOCK", self.slot)

        def imports() -> None:
            for _ in range(8):
                preview = self.records.imports.preview(TABLES, "Ada")
                batch = self.records.imports.apply(preview.id, "Ada").batch
                assert batch is not None
                self.records.batches.undo(batch, "Ada")

        def types() -> None:
            for n in range(40):
                self.safe.put(need, f"lantern Reed 9 {n}", "Bo")

        self.assertEqual(self.at_once([imports, types, types]), [])
        self.assertNotIn("fern/new1", self.records.now.sites.held)

    def test_secrets_that_are_saved_while_the_key_changes_can_be_read(self) -> None:
        need = self.plans.now.need("FERN/DOCK", self.slot)
        typed: list[str] = []

        def types(who: str) -> Callable[[], None]:
            def work() -> None:
                for n in range(25):
                    secret = f"lantern Reed 9 {who}{n}"
                    self.safe.put(need, secret, who)
                    typed.append(secret)

            return work

        def changes() -> None:
            for _ in range(10):
                self.safe.change_key("Ada")

        self.assertEqual(self.at_once([types("a"), types("b"), changes]), [])
        self.reopen()
        numbers = [entry.number for entry in self.safe.history("FERN/DOCK", self.slot) if entry.typed]
        read = {self.safe.read("FERN/DOCK", self.slot, "Ada", number=number) for number in numbers}
        self.assertEqual(read, set(typed))
        self.safe.change_key("Ada")
        self.assertEqual(self.records.journal.check().fault, "")

    def test_what_fails_after_the_commit_is_neither_undone_nor_told_as_lost(self) -> None:
        def breaks(*_: object) -> None:
            raise RuntimeError("a watcher fails")

        self.plans.watchers.insert(0, breaks)
        heard: list[int] = []
        self.plans.watchers.append(lambda saved, plan, affected: heard.append(saved.number))
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 1, "Ada")
        self.assertEqual(self.records.now.sites.plan("FERN/DOCK").contact, "Ada")
        self.assertEqual(self.records.now.sites.saved("FERN/DOCK").number, 2)
        self.reopen()
        self.assertEqual(self.records.now.sites.plan("FERN/DOCK").contact, "Ada")

    def test_what_fails_before_the_commit_leaves_nothing(self) -> None:
        before = self.records.now
        with self.assertRaises(ZeroDivisionError), self.records.database.turn():
            self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 1, "Ada")
            raise ZeroDivisionError
        self.assertIs(self.records.now, before)
        self.reopen()
        self.assertIsNone(self.records.now.sites.plan("FERN/DOCK").contact)

    def test_a_part_of_a_turn_that_fails_leaves_the_rest(self) -> None:
        with self.records.database.turn():
            self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 1, "Ada")
            with self.assertRaises(ZeroDivisionError), self.records.database.turn():
                self.plans.revise("FERN/DOCK", put("/contact", "Bo"), 2, "Ada")
                raise ZeroDivisionError
        self.assertEqual(self.records.now.sites.plan("FERN/DOCK").contact, "Ada")
        self.reopen()
        self.assertEqual(self.records.now.sites.plan("FERN/DOCK").contact, "Ada")

    def test_a_pending_import_of_a_namesake_stays(self) -> None:
        one = self.records.imports.preview(TABLES, Author("Ada Marsh", "ada"))
        self.records.imports.preview(TABLES, Author("Ada Marsh", "marsh"))
        self.assertEqual(self.records.imports.apply(one.id, Author("Ada Marsh", "ada")).sites, 2)

    def test_revisions_know_the_account_behind_a_name(self) -> None:
        self.plans.revise("FERN/DOCK", put("/contact", "Ada"), 1, Author("Ada Marsh", "ada"))
        self.plans.revise("FERN/DOCK", put("/contact", "Bo"), 2, Author("Ada Marsh", "marsh"))
        told = [(saved.by, saved.account) for saved in self.plans.history("FERN/DOCK")[:2]]
        self.assertEqual(told, [("Ada Marsh", "marsh"), ("Ada Marsh", "ada")])

    def test_an_undo_of_many_does_not_go_by_the_clock(self) -> None:
        """A site that was edited since stays, also when the clock has gone back in between."""
        preview = self.records.imports.preview(TABLES, "Ada")
        batch = self.records.imports.apply(preview.id, "Ada").batch
        assert batch is not None
        self.plans.revise("FERN/NEW1", put("/contact", "Ada"), 1, "Ada")
        with writing(self.records.database) as session:
            session.get_one(Revision, (self.records.now.sites.site_id("FERN/NEW1"), 2)).at = datetime(
                2020, 1, 1, tzinfo=UTC
            )
            session.get_one(Batch, batch).at = datetime(2030, 1, 1, tzinfo=UTC)
        undone = self.records.batches.undo(batch, "Ada")
        self.assertEqual((undone.undone, undone.moved), (1, ["FERN/NEW1"]))


def _state(now: Snapshot) -> dict[str, Any]:
    """What a snapshot says, as values that can be compared."""
    return {
        "sites": {
            key: (held.plan, held.saved[:1] + held.saved[2:], held.signed, list(held.findings))
            for key, held in now.sites.held.items()
        },
        "unheld": now.sites.unheld,
        "customers": now.sites.customers(),
        "patterns": {key: held.plan for key, held in now.patterns.held.items()},
        "types": (dict(now.types.types), dict(now.types.versions)),
        "settings": now.settings.current,
        "secrets": {key: dict(now.secrets.kept(key)) for key in now.sites.held},
        "runs": {key: {d: (r.id, dict(r.ticks), r.box, r.backups) for d, r in runs.items()} for key, runs in now.runs.devices.items() if runs},
        "shipped": dict(now.runs.shipped),
    }  # fmt: skip


class Everything(Together):
    """Every writer beside every other one, and all of them at random: memory and database say the same at the end."""

    def works(self, seed: int) -> dict[str, Callable[[], object]]:
        records, chance = self.records, random.Random(seed)

        def revise() -> None:
            held = records.now.sites.of(chance.choice(("FERN/DOCK", "FERN/MILL")))
            records.plans.revise(held.plan.key, put("/contact", f"c{chance.random()}"), held.saved.number, "Ada")

        def undo() -> None:
            held = records.now.sites.of("FERN/DOCK")
            records.plans.undo("FERN/DOCK", held.saved.number, "Ada")

        def load() -> None:
            preview = records.imports.preview(TABLES, f"L{chance.random()}")
            batch = records.imports.apply(preview.id, "Ada").batch
            if batch:
                records.batches.undo(batch, "Ada")

        def typed() -> None:
            need = records.now.sites.need("FERN/DOCK", self.slot)
            records.safe.put(need, f"lantern Reed 9 {chance.random()}", "Ada")

        def mend() -> None:
            keys = list(records.now.sites.held)
            mended = records.batches.preview("common-default", keys)
            records.batches.apply(
                "common-default", {f"{m.customer}/{m.site}".casefold(): m.revision for m in mended}, "Ada"
            )

        def settle() -> None:
            current, saved = records.now.settings
            document = current.document() | {"growth": chance.randrange(100)}
            records.settings.save(document, saved.number, "Ada")

        def change_type() -> None:
            kind, number = hardware(model=f"Five {chance.random()}"), records.now.types.versions["test-five"].number
            records.hardware.save(kind.document(), number, "Ada")

        def stage() -> None:
            records.bench.begin("FERN/DOCK", self.edge, "Ada")

        def tick() -> None:
            ticked = records.now.runs.at("fern/dock").get(self.edge)
            now = ticked.ticks.get("prove") if ticked else None
            skips = {
                m.key: "none here" for s in sheet_of(records.now, "FERN/DOCK", self.edge).steps for m in s.measures
            }
            records.bench.tick(
                "FERN/DOCK", self.edge, "prove", Result.DONE, seen=now.at if now else None, skips=skips, by="Ada"
            )
            run = records.now.runs.at("fern/dock")[self.edge]
            if "prove" in run.ticks:
                records.bench.accept("FERN/DOCK", self.edge, "prove", run.ticks["prove"].at, "Pia")

        def anew() -> None:
            records.bench.begin("FERN/DOCK", self.edge, "Ada")
            records.bench.take_back_run("FERN/DOCK", self.edge)

        def practise() -> None:
            run = records.bench.practise("FERN/DOCK", self.edge, "Ada")
            records.bench.keep_exchange("FERN/DOCK", self.edge, "identity", "> name", f"{run:02x} ", "Ada")
            records.bench.exchanged("FERN/DOCK", self.edge)
            taken = records.bench.attach("FERN/DOCK", self.edge, "edge.backup", b"sealed", "Ada")
            records.bench.put_back("FERN/DOCK", self.edge, taken.id, "", "Ada")

        def back() -> None:
            records.safe.bring_back(records.now.sites.need("FERN/DOCK", self.slot), 1, "Ada")

        def on_site() -> None:
            made = records.onsite.make("FERN/DOCK", 3, "Ada")
            records.onsite.answer(made.token, "t", "It prints", "Bo", "", works=True)
            for link in records.onsite.links("FERN/DOCK"):
                records.onsite.end("FERN/DOCK", link.id, "Ada")

        def exchange() -> None:
            held = records.now.sites.of("FERN/MILL")
            box = next(iter(held.plan.devices))
            proposal = replace(held.plan, box, records.hardware.get("test-five"), held.saved.number)
            records.plans.revise("FERN/MILL", proposal.operations, held.saved.number, "Ada")

        def pattern() -> None:
            records.patterns.make(f"Pattern {chance.random()}", "Ada", records.now.sites.plan("FERN/MILL"))

        def begin() -> None:
            records.register.begin(site(f"FERN/N{chance.randrange(10**9)}", name="By hand"), "Ada")

        def recode() -> None:
            there = (held.plan.site for key, held in records.now.sites.held.items() if key.startswith("fern/mil"))
            code = next(there, "MILL")  # where it is put away at this moment, that is said
            records.register.recode(f"FERN/{code}", "MILX" if code == "MILL" else "MILL", "Ada")

        def rename() -> None:
            records.register.rename_customer("FERN", "FERN", f"Fernhollow {chance.random()}", "Ada")

        def away() -> None:
            records.register.put_away(["FERN/MILL"], "Ada")
            records.register.bring_back("FERN/MILL", "Ada")

        return {
            "begin": begin, "recode": recode, "rename": rename, "away": away,
            "revise": revise, "undo": undo, "load": load, "type": typed, "mend": mend, "settle": settle,
            "change type": change_type, "stage": stage, "pattern": pattern, "tick": tick, "anew": anew, "practise": practise,
            "back": back,
            "on site": on_site, "exchange": exchange,
            "new key": lambda: records.safe.change_key("Ada"),
            "read": lambda: _state(records.now),
        }  # fmt: skip

    def assert_whole(self) -> None:
        with self.records.database.reading() as session:
            self.assertEqual(_state(self.records.now), _state(load_snapshot(session)))
        self.assertEqual(self.records.journal.check().fault, "")

    def test_in_pairs(self) -> None:
        works = self.works(1)
        for one, other in itertools.combinations_with_replacement(works, 2):
            with self.subTest(f"{one} beside {other}"):
                raised = self.at_once([works[one], works[other], works[one]])
                self.assertEqual([error for error in raised if not isinstance(error, OctaplanError)], [])
        self.assert_whole()

    def test_at_random(self) -> None:
        def client(seed: int) -> Callable[[], None]:
            works = list(self.works(seed).values())
            chance = random.Random(seed)

            def work() -> None:
                for _ in range(15):
                    try:
                        chance.choice(works)()
                    except OctaplanError:
                        continue  # refused in words: somebody else was first

            return work

        self.assertEqual(self.at_once([client(seed) for seed in range(6)]), [])
        self.assert_whole()
        secret = self.safe.read("FERN/DOCK", self.slot, "Ada")
        self.reopen()
        self.assertEqual(self.safe.read("FERN/DOCK", self.slot, "Ada"), secret)
        self.assert_whole()
