from __future__ import annotations

import json
import os
import pty
import re
import signal
import socket
import sqlite3
import ssl
import subprocess
import sys
import time
import unittest
import urllib.error
import urllib.request
from pathlib import Path
from random import Random
from typing import Any

from octaplan.formats.tables import csv_text
from octaplan.lab.spaces.ground import missing
from octaplan.lab.standin.box import StandIn
from octaplan.lab.standin.run import NoSuchFact, tell_plan
from tests import forks
from tests.core.check.test_traffic_rules import allow, entries
from tests.core.config.demo import equipped, types
from tests.core.flow.test_asking import planned
from tests.link.clinic import box_of, clinic
from tests.support import InFolder

DEMO = Path(__file__).parents[1] / "octaplan" / "demo" / "tables"
SEGMENTS = "customer,site,segment,role,subnet,gateway\nF,A,office,office,10.40.8.0/24,10.40.8.1\n"


octaplan = forks.run


class Progress(InFolder):
    def test_a_bar_is_shown_to_whoever_waits_at_a_terminal_and_to_nobody_else(self) -> None:
        rows = "".join(f"F,S{n},10.{n // 250}.{n % 250}.0/24\n" for n in range(600))
        self.write("segments.csv", "customer,site,subnet,segment\n" + rows.replace("/24\n", "/24,office\n"))
        command = [sys.executable, "-m", "octaplan", "check", str(self.folder)]
        ours, theirs = pty.openpty()
        with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=theirs) as process:
            os.close(theirs)
            said = b""
            while chunk := _read(ours):
                said += chunk
            process.wait(60)
        os.close(ours)
        self.assertIn(b"Reading", said)
        self.assertIn(b"Checking", said)
        self.assertEqual(octaplan("check", self.folder).stderr, "")


def _read(descriptor: int) -> bytes:
    try:
        return os.read(descriptor, 65_536)
    except OSError:  # the other side is closed
        return b""


@unittest.skipIf(missing(), missing())
class Rehearse(InFolder):
    def test_all_three_agree_or_not_and_what_cannot_be_rehearsed(self) -> None:
        plan = self.write("plan.json", json.dumps(planned().document()))
        done = octaplan("rehearse", plan, "--format", "json")
        told = json.loads(done.stdout)
        self.assertEqual((told["against_walk"], told["not_brought_up"]), ([], []))
        self.assertEqual(done.returncode, 1 if told["otherwise_count"] or told["leases_wrong"] else 0)
        wrong = planned(entries("allows", test=allow("seg1", "seg0")))
        done = octaplan("rehearse", self.write("wrong.json", json.dumps(wrong.document())))
        self.assertEqual(done.returncode, 1)
        self.assertIn("Voice to Office", done.stdout)
        self.assertRegex(done.stdout, "it passes in .*, and is meant to be stopped")
        bare = planned(lambda d: d["devices"].clear())
        done = octaplan("rehearse", self.write("bare.json", json.dumps(bare.document())))
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertIn("No box of this site routes", done.stderr)

    def test_kept_up_it_says_how_to_enter_each_space(self) -> None:
        plan = self.write("plan.json", json.dumps(planned().document()))
        command = [sys.executable, "-m", "octaplan", "rehearse", str(plan), "--keep"]
        done = subprocess.run(command, input="\n", capture_output=True, text=True, check=False)
        self.assertIn("nsenter --net=/proc/", done.stderr)
        self.assertIn("dock-edge", done.stderr)
        self.assertIn("questions to the network", done.stdout)


class StandIns(InFolder):
    def test_one_runs_until_its_input_ends_and_does_what_it_is_told(self) -> None:
        command = [sys.executable, "-m", "octaplan", "stand-in", "tallow-q4"]
        done = subprocess.run(command, input="label\nplug 9\nplug 1\ndance\noff\n", capture_output=True, text=True,
                              check=False)  # fmt: skip
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertRegex(done.stdout, r"Tallow & Reed Q4, serial Q4-")
        self.assertRegex(done.stdout, r"console    127\.0\.0\.1 \d+, and as /dev/")
        self.assertIn("There is no port 9: W, 1, 2, 3, Stick, Serial or console", done.stdout)
        self.assertIn("What can be done is on, off, reset, plug PORT, label", done.stdout)
        self.assertIn("it is off, the laptop in 1; Ready dark, W dark", done.stdout)

    def test_one_that_has_been_told_a_plan_shows_it(self) -> None:
        plan = clinic("tallow-q4")
        box = StandIn(types()["tallow-q4"])
        box.power(True, box.kind.powered_by[0])
        tell_plan(box, plan, box_of(plan, "edge"))
        self.assertIn("10.61.0.1 -> inner 1 own", box.show())
        with self.assertRaisesRegex(NoSuchFact, "not tallow-q4"):
            tell_plan(box, plan, box_of(plan, "switch"))
        file = self.write("plan.json", json.dumps(plan.document()))
        done = octaplan("stand-in", "tallow-q4", "--plan", file, "--device", "no-such")
        self.assertEqual(done.returncode, 2)
        self.assertIn("is no one box of PAWS/HERON", done.stderr)

    def test_a_type_that_is_not_known_and_a_port_that_is_taken(self) -> None:
        done = octaplan("stand-in", "none-such")
        self.assertEqual(done.returncode, 2)
        self.assertIn("There is no hardware type none-such. Known are brackwater-e5,", done.stderr)
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            done = octaplan("stand-in", "brackwater-e5", "--web", port)
        self.assertEqual(done.returncode, 2)
        self.assertIn(f"Port {port} is in use already", done.stderr)


class Walk(InFolder):
    def plan(self, *changes: Any) -> Path:
        return self.write("plan.json", json.dumps(planned(*changes).document()))

    def test_all_as_meant_exits_with_0_and_something_else_with_1(self) -> None:
        plan = self.plan()
        done = octaplan("walk", plan)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("  Office to the internet: Yes: dock-edge lets it through", done.stdout)
        plan = self.plan(entries("allows", test=allow("seg1", "seg0")))
        done = octaplan("walk", plan)
        self.assertEqual(done.returncode, 1)
        self.assertIn("! Voice to Office: Yes, and it is not meant to", done.stdout)

    def test_one_question_as_json(self) -> None:
        done = octaplan(
            *("walk", self.plan(), "--from", "10.40.9.30", "--to", "Office", "--service", "https", "--format", "json")
        )
        (answer,) = json.loads(done.stdout)["answers"]
        self.assertEqual(
            {key: answer[key] for key in ("from", "to", "service", "result", "reason", "at", "meant", "agrees")},
            {
                "from": "10.40.9.30", "to": "Office", "service": "tcp/443", "result": "stopped", "reason": "not-allowed",
                "at": "dock-edge", "meant": "closed", "agrees": True,
            },
        )  # fmt: skip
        self.assertEqual({*answer["hops"][0]}, {"at", "does", "because", "path"})
        self.assertEqual(done.returncode, 0)

    def test_with_a_circuit_down(self) -> None:
        done = octaplan("walk", self.plan(), "--from", "Office", "--to", "internet", "--down", "main")
        self.assertEqual(done.returncode, 1)
        self.assertIn("no route leads there", done.stdout)

    def test_what_cannot_be_walked_exits_with_2_and_one_line(self) -> None:
        plan = self.plan()
        bare = self.write("bare.json", json.dumps(planned(lambda d: d["devices"].clear()).document()))
        for arguments in (
            (plan, "--from", "the attic"), (plan, "--service", "the usual"), (plan, "--down", "Backup"), (bare,),
            (self.folder / "none.json",), (plan, "--types", self.folder / "none"), (self.write("x.json", "{}"),),
        ):  # fmt: skip
            with self.subTest(arguments):
                done = octaplan("walk", *arguments)
                self.assertEqual((done.returncode, done.stderr.count("\n"), done.stdout), (2, 1, ""))


class Texts(InFolder):
    """What goes into a box as text, and what comes back."""

    def setUp(self) -> None:
        super().setUp()
        self.plan = self.write("plan.json", json.dumps(equipped(Random(4), "skerry-f7").document()))
        self.box = "north-edge0"

    def test_what_is_written_is_read_back_without_a_departure(self) -> None:
        for form in ("own", "yang"):
            written = octaplan("write-out", self.plan, "--device", self.box, "--as", form)
            said = "octaplan: not known yet: time zone (/time_zone)\n" if form == "own" else ""
            self.assertEqual((written.returncode, written.stderr), (0, said), form)
            text = self.write(f"{form}.txt", written.stdout)
            back = octaplan("read-back", self.plan, "--device", self.box, text, "--format", "json")
            told = json.loads(back.stdout)
            self.assertEqual(
                (back.returncode, told["missing"], told["differs"], told["unplanned"]), (0, [], [], []), form
            )
            self.assertEqual({*told}, {"as_planned", "missing", "differs", "unplanned", "unread"})
            self.assertEqual({*told["as_planned"][0]}, {"path", "value", "line"})

    def test_what_is_otherwise_exits_with_1_and_says_what_where_and_why(self) -> None:
        written = octaplan("write-out", self.plan, "--device", self.box)
        text = self.write(
            "seen.txt", written.stdout.replace(f"title {self.box}\n", "title north-egde0\n") + "lookup 203.0.113.9\n"
        )
        back = octaplan("read-back", self.plan, "--device", self.box, text, "--format", "json")
        told = json.loads(back.stdout)
        self.assertEqual(back.returncode, 1)
        (differs,) = told["differs"]
        self.assertEqual((differs["planned"], differs["seen"], differs["line"]), (self.box, "north-egde0", 2))
        self.assertEqual(differs["why"], "digits are swapped")
        self.assertEqual({*told["unplanned"][0]}, {"kind", "value", "line", "why"})
        plain = octaplan("read-back", self.plan, "--device", self.box, text)
        self.assertIn("other       line 2: host name north-egde0, planned north-edge0", plain.stdout)

    def test_neutral_forms_are_printed(self) -> None:
        for form, said in (("zone", "$ORIGIN"), ("hosts", "10.1."), ("reservations", "segment,address,mac,name")):
            done = octaplan("write-out", self.plan, "--device", self.box, "--as", form)
            self.assertEqual(done.returncode, 0)
            self.assertIn(said, done.stdout)

    def test_what_cannot_be_done_exits_with_2_and_one_line(self) -> None:
        empty, odd = self.write("empty.txt", ""), self.write("odd.json", "{")
        self.write("types/broken.json", "{")
        for asked in (
            ("write-out", self.plan, "--device", "nobody"),
            ("write-out", odd, "--device", self.box),
            ("write-out", self.plan, "--device", self.box, "--types", self.folder / "types"),
            ("write-out", self.plan, "--device", self.box, "--types", self.folder / "nowhere"),
            ("read-back", self.plan, "--device", self.box, empty),
            ("read-back", self.plan, "--device", self.box, self.folder / "nowhere.txt"),
        ):
            with self.subTest(asked[2:]):
                done = octaplan(*asked)
                self.assertEqual((done.returncode, done.stdout), (2, ""))
                self.assertRegex(done.stderr, r"\Aoctaplan: .+\n\Z")


class Check(InFolder):
    def test_clean_tables_exit_with_0(self) -> None:
        self.write("segments.csv", SEGMENTS)
        done = octaplan("check", self.folder)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("1 site, 1 segment, 0 hosts, 0 circuits: 0 stops", done.stdout)

    def test_a_warn_alone_exits_with_0(self) -> None:
        self.write("segments.csv", SEGMENTS.replace("10.40.8", "192.168.1"))
        self.assertEqual(octaplan("check", self.folder).returncode, 0)

    def test_a_stop_or_a_refused_row_exits_with_1(self) -> None:
        self.write("segments.csv", SEGMENTS.replace("10.40.8.1\n", "10.99.8.1\n"))
        self.assertEqual(octaplan("check", self.folder).returncode, 1)
        self.write("segments.csv", SEGMENTS + "F,A,voice,lounge,,\n")
        self.assertEqual(octaplan("check", self.folder).returncode, 1)

    def test_what_cannot_be_read_exits_with_2_and_one_line(self) -> None:
        self.write("empty/notes.txt", "")
        self.write("double/sites.csv", "customer,site,site\n")
        self.write("plan.json", '{"schema": "something"}')
        self.write("broken.json", "{")
        self.write("photo.png", "x")
        for path in ("empty", "double", "plan.json", "broken.json", "photo.png", "nowhere"):
            with self.subTest(path):
                done = octaplan("check", self.folder / path)
                self.assertEqual((done.returncode, done.stdout), (2, ""))
                self.assertRegex(done.stderr, r"\Aoctaplan: .+\n\Z")
                self.assertNotIn("Traceback", done.stderr)

    def test_json_is_as_the_contract_says(self) -> None:
        self.write("sites.csv", "customer,site,room\nF,A,1\nF,B,2\n")
        rows = [
            ["F", "A", "office", "10.40.8.1/24"],
            ["F", "B", "office", "10.40.8.0/25"],
            ["F", "B", "voice", "10.0.0.300/24"],
        ]
        self.write("segments.csv", csv_text(["customer", "site", "segment", "subnet"], rows))
        done = octaplan("check", self.folder, "--format", "json")
        report = json.loads(done.stdout)
        self.assertEqual(done.returncode, 1)
        self.assertEqual([report[key] for key in ("sites", "segments", "hosts", "circuits")], [2, 2, 0, 0])
        finding = next(f for f in report["findings"] if f["rule"] == "overlap-reach" and f["site"] == "A")
        self.assertEqual(finding.pop("message")[:6], "office")
        self.assertEqual(
            finding,
            {
                "rule": "overlap-reach",
                "severity": "stop",
                "customer": "F",
                "site": "A",
                "subject": "office",
                "addresses": "10.40.8.0/24",
                "others": [{"customer": "F", "site": "B", "subject": "office"}],
                "others_total": 1,
            },
        )
        (refused,) = report["refused"]
        self.assertIn("Octet 300", refused.pop("problem"))
        self.assertEqual(refused, {"file": "segments.csv", "row": 4, "column": "subnet", "value": "10.0.0.300/24"})
        self.assertEqual(
            report["corrected"],
            [{"file": "segments.csv", "row": 2, "column": "subnet", "value": "10.40.8.1/24", "became": "10.40.8.0/24"}],
        )
        self.assertEqual(report["ignored_columns"], [{"file": "sites.csv", "column": "room"}])

    def test_other_files_beside_the_tables_are_named(self) -> None:
        self.write("segments.csv", SEGMENTS)
        self.write("host.csv", "customer\n")
        self.assertIn("host.csv is none of the four tables", octaplan("check", self.folder).stderr)

    def test_the_demo_holds_its_planted_mistakes(self) -> None:
        report = json.loads(octaplan("check", DEMO, "--format", "json").stdout)
        rules = {finding["rule"] for finding in report["findings"]}
        self.assertGreaterEqual(len(rules), 12)
        self.assertEqual((report["sites"], report["refused"]), (24, []))

    def test_every_command_has_help(self) -> None:
        for command in ("", "check", "serve", "import", "export", "user", "journal-check", "change-key"):
            done = octaplan(*filter(None, [command]), "--help")
            self.assertEqual(done.returncode, 0, command)


class Records(InFolder):
    def test_tables_go_in_and_come_out_the_same(self) -> None:
        data, out = self.folder / "data", self.folder / "out"
        done = octaplan("import", DEMO, "--data", data)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("24 sites new, 0 changed, 0 unchanged, 0 rows refused", done.stdout)
        self.assertIn("0 sites new, 0 changed, 24 unchanged", octaplan("import", DEMO, "--data", data).stdout)
        self.assertEqual(octaplan("export", out, "--data", data).returncode, 0)
        self.assertEqual(
            octaplan("check", out, "--format", "json").stdout, octaplan("check", DEMO, "--format", "json").stdout
        )
        plan = self.folder / "dock.json"
        self.assertEqual(octaplan("export", plan, "--data", data, "--site", "fern/dock").returncode, 0)
        self.assertEqual(json.loads(plan.read_text())["schema"], "octaplan.site-plan/2")
        self.assertIn("1 unchanged", octaplan("import", plan, "--data", data).stdout)
        missing = octaplan("export", out, "--data", data, "--site", "fern/none")
        self.assertEqual((missing.returncode, missing.stderr.count("\n")), (2, 1))

    def test_a_workbook_goes_out_and_comes_in_the_same(self) -> None:
        data, book = self.folder / "data", self.folder / "out.ods"
        octaplan("import", DEMO, "--data", data)
        self.assertEqual(octaplan("export", book, "--data", data).returncode, 0)
        self.assertIn("24 unchanged", octaplan("import", book, "--data", data).stdout)

    def test_an_empty_workbook_is_written_once(self) -> None:
        book = self.folder / "intake.ods"
        done = octaplan("intake-template", book)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        again = octaplan("intake-template", book)
        self.assertEqual((again.returncode, again.stderr.count("\n")), (2, 1))
        self.assertIn("is there already", again.stderr)
        self.assertIn("does not end in .xlsx or .ods", octaplan("intake-template", self.folder / "intake.csv").stderr)
        self.assertEqual(octaplan("check", book).returncode, 0)

    def test_refused_rows_can_be_mended_and_loaded(self) -> None:
        self.write("in/segments.csv", SEGMENTS + "F,A,voice,voice,10.40.9/24,\n")
        refused = self.folder / "refused"
        done = octaplan("import", self.folder / "in", "--data", self.folder / "data", "--refused", refused)
        self.assertEqual(done.returncode, 1)
        self.assertIn("segments.csv row 3, subnet", done.stdout)
        table = refused / "segments.csv"
        table.write_text(table.read_text("utf-8-sig").replace("10.40.9/24", "10.40.9.0/24"))
        done = octaplan("import", refused, "--data", self.folder / "data")
        self.assertEqual((done.returncode, done.stdout), (0, "0 sites new, 1 changed, 0 unchanged, 0 rows refused\n"))

    def test_accounts_are_made_on_the_command_line(self) -> None:
        data = self.folder / "data"
        done = octaplan("user", "Sabine", "--data", data, "--role", "viewer", text="a long enough pass\n")
        self.assertEqual((done.returncode, done.stdout), (0, "Account sabine made\n"))
        again = octaplan("user", "sabine", "--data", data, text="a long enough pass\n")
        self.assertEqual((again.returncode, again.stderr.count("\n")), (2, 1))
        self.assertEqual(octaplan("user", "tom", "--data", data, text="short\n").returncode, 2)

    def test_an_account_is_reset_without_its_second_factor(self) -> None:
        data = self.folder / "data"
        octaplan("user", "sabine", "--data", data, "--role", "planner", text="a long enough pass\n")
        done = octaplan("user", "sabine", "--data", data, "--reset", text="another long pass\n")
        self.assertEqual((done.returncode, done.stdout), (0, "Account sabine reset\n"))
        nobody = octaplan("user", "tom", "--data", data, "--reset", text="another long pass\n")
        self.assertEqual((nobody.returncode, nobody.stderr), (2, "octaplan: There is no account tom\n"))

    def test_passwords_of_tables_are_sealed_and_the_key_can_be_changed(self) -> None:
        data, out = self.folder / "data", self.folder / "out"
        header = "customer,site,circuit,handoff,pppoe_user,pppoe_password\n"
        self.write("in/circuits.csv", header + "F,A,Main,pppoe,a@f.example,walnut99\n")
        checked = octaplan("check", self.folder / "in", "--format", "json")
        self.assertNotIn("walnut99", checked.stdout)
        self.assertEqual(octaplan("import", self.folder / "in", "--data", data).returncode, 0)
        self.assertIn("0 changed, 1 unchanged", octaplan("import", self.folder / "in", "--data", data).stdout)
        self.assertIn("1 things sealed anew", octaplan("change-key", "--data", data).stdout)
        octaplan("export", out, "--data", data)
        self.assertNotIn("walnut99", (out / "circuits.csv").read_text())
        for path in data.iterdir():
            self.assertNotIn(b"walnut99", path.read_bytes(), path.name)

    def test_the_journal_is_checked(self) -> None:
        data = self.folder / "data"
        octaplan("user", "sabine", "--data", data, text="a long enough pass\n")
        whole = octaplan("journal-check", "--data", data)
        self.assertRegex(whole.stdout, r"^1 lines, the chain is whole; its head is 1:[0-9a-f]{64}\. Keep")
        with sqlite3.connect(data / "octaplan.sqlite") as database:
            database.execute("DROP TRIGGER journal_no_update")
            database.execute("UPDATE journal SET by = 'nobody'")
        database.close()
        broken = octaplan("journal-check", "--data", data)
        self.assertEqual(broken.returncode, 1)
        self.assertIn("Line 1 was changed", broken.stdout)

    def test_a_lost_key_is_told_in_one_line(self) -> None:
        data = self.folder / "data"
        octaplan("user", "sabine", "--data", data, text="a long enough pass\n")
        (data / "safe.key").unlink()
        done = octaplan("change-key", "--data", data)
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1))
        self.assertIn("is missing", done.stderr)


class Serving(InFolder):
    def serve(self, *arguments: str) -> tuple[forks.Server, str]:
        server = forks.Server("--data", self.folder / "data", "--port", 0, *arguments)
        self.addCleanup(server.end)
        return server, server.until("Octaplan is at")

    def started(self) -> tuple[subprocess.Popen[str], str]:
        """As somebody starts it, in a process that is not forked off this one."""
        command = [sys.executable, "-m", "octaplan", "serve", "--data", str(self.folder / "data"), "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        self.addCleanup(server.wait)
        self.addCleanup(server.kill)
        assert server.stdout
        self.addCleanup(server.stdout.close)
        said = ""
        while "Octaplan is at" not in said and server.poll() is None:
            said += server.stdout.readline()
        return server, said

    def test_a_first_start_prints_a_code_and_a_folder_serves_one_process(self) -> None:
        server, said = self.started()
        self.assertRegex(said, r"code [A-Z2-9]{4}-[A-Z2-9]{4}-[A-Z2-9]{4}\n")
        second = octaplan("import", DEMO, "--data", self.folder / "data")
        self.assertEqual(second.returncode, 2)
        self.assertIn("in use by another Octaplan", second.stderr)
        server.send_signal(signal.SIGTERM)
        server.wait(10)
        self.assertEqual(octaplan("import", DEMO, "--data", self.folder / "data").returncode, 0)

    def test_the_demo_is_loaded_once_and_its_sign_in_always_printed(self) -> None:
        server, said = self.serve("--demo")
        self.assertRegex(said, r"Demo sign-in: ines, password \S+ \(administrator\)")
        server.end()
        _, again = self.serve("--demo")
        self.assertRegex(again, r"Demo sign-in: ines, password \S+ \(administrator\)")
        self.assertNotEqual(re.findall(r"password (\S+)", said), re.findall(r"password (\S+)", again))

    def test_only_its_owner_may_read_the_records(self) -> None:
        self.serve()
        self.assertEqual(os.stat(self.folder / "data").st_mode & 0o077, 0)

    def test_https_is_spoken_with_a_certificate_made_here(self) -> None:
        _, said = self.serve("--self-signed", "--public-url", "https://plan.example")
        self.assertNotIn("without encryption", said)
        port = re.findall(r"https://127\.0\.0\.1:(\d+)/", said)[0]
        trust = ssl.create_default_context(cafile=str(self.folder / "data" / "certificate.pem"))
        for host, status in (("127.0.0.1", 200), ("elsewhere.example", 421)):
            request = urllib.request.Request(f"https://127.0.0.1:{port}/api/health", headers={"Host": host})
            answer = self.answered(request, trust)
            self.assertEqual(answer.status, status)
            self.assertIn("max-age", answer.headers["Strict-Transport-Security"])

    def answered(self, request: urllib.request.Request, trust: ssl.SSLContext) -> Any:
        ends = time.monotonic() + 30
        while True:
            try:
                return urllib.request.urlopen(request, context=trust)
            except urllib.error.HTTPError as error:
                return error
            except urllib.error.URLError:
                self.assertLess(time.monotonic(), ends)

    def test_being_reached_from_outside_without_encryption_is_said(self) -> None:
        _, said = self.serve("--host", "0.0.0.0")
        self.assertIn("Note: others reach it without encryption", said)
        _, said = self.serve_other("--host", "0.0.0.0", "--trusted-proxy", "127.0.0.1")
        self.assertNotIn("without encryption", said)

    def serve_other(self, *arguments: str) -> tuple[forks.Server, str]:
        self.folder = self.folder / "other"
        self.folder.mkdir()
        return self.serve(*arguments)

    def test_a_unit_runs_this_installation(self) -> None:
        unit = octaplan("service-unit", "--data", "/srv/plans", "--user", "plans", "--port", "8400").stdout
        self.assertIn("User=plans\n", unit)
        for line in (
            "Type=notify",
            "WatchdogSec=60",
            "StartLimitBurst=5",
            "RestartPreventExitStatus=2",
            "MemoryMax=4G",
            "LimitNOFILE=8192",
            "CapabilityBoundingSet=",
        ):
            self.assertIn(f"{line}\n", unit)
        self.assertIn(f"{sys.executable} -m octaplan serve --data /srv/plans --port 8400\n", unit)

    def test_a_copy_is_made_while_it_runs_and_put_back(self) -> None:
        server, _ = self.serve("--demo")
        data, copy = self.folder / "data", self.folder / "copy.zip"
        (self.folder / "pass.txt").write_text("lantern over the quay\n")
        passphrase = ("--passphrase-file", self.folder / "pass.txt")
        for arguments in (
            ("backup", copy, "--data", data, *passphrase),
            ("verify", data),
            ("verify", copy, *passphrase),
            ("restore", copy, "--data", self.folder / "there", *passphrase),
            ("verify", self.folder / "there"),
        ):
            done = octaplan(*arguments)
            self.assertEqual((done.returncode, done.stderr), (0, ""), arguments)
        again = octaplan("restore", copy, "--data", data, *passphrase)
        self.assertEqual((again.returncode, again.stderr.count("\n")), (2, 1))
        server.end()

    def test_a_port_in_use_is_said(self) -> None:
        _, said = self.serve()
        port = re.search(r":(\d+)/", said)
        assert port
        done = octaplan("serve", "--data", self.folder / "other", "--port", port[1])
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1))
