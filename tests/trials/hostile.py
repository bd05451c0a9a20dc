"""Files and texts that were made to take long or much: `python -m tests.trials.hostile [HOW MANY]`.

Each is worked on in a process of its own, without the limits that the server has for it, so that what is measured is the
work itself. None may take more than three seconds or 300 MB beyond what the process began with, and what is refused is
refused in words.
"""

from __future__ import annotations

import io
import json
import os
import resource
import sys
import time
import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from random import Random
from typing import NamedTuple

from octaplan.core.config.grammar import grammar_of
from octaplan.core.config.readback import read_back
from octaplan.core.config.takeover import take_over
from octaplan.core.config.writeout import write_out
from octaplan.core.plan.hardware import WriteOut, WritePart
from octaplan.core.propose.fragment import LONGEST_LETTER, read_fragment
from octaplan.core.values.errors import OctaplanError
from octaplan.formats.planjson import parse_plan
from octaplan.formats.sheetreader import open_workbook
from octaplan.formats.tables import read_csv
from octaplan.worker.workers import PROCESSOR
from tests.core.config.demo import equipped, types

SECONDS, BYTES = 3.0, 300 << 20

KIND = types()["skerry-f7"]
PLAN = equipped(Random(3), KIND.key)
BOX = next(iter(PLAN.devices))
CIRCUIT = next(iter(PLAN.circuits))


class Came(NamedTuple):
    """What one of them came to."""

    what: str
    seconds: float
    end: str


def templates(chance: Random) -> Iterator[tuple[str, Callable[[], object]]]:
    """Templates: honest and endless ones are stopped by the worker, which is not the question here."""
    deep = chance.randrange(20, 400)
    for name, source in (
        ("nested", "{% if 1 %}" * deep + "x" + "{% endif %}" * deep),
        ("brackets", "{{ " + "(" * deep + "1" + ")" * deep + " }}"),
        ("doubling", "{% set n = namespace(t='x') %}{% for i in range(60) %}{% set n.t = n.t ~ n.t %}{% endfor %}"),
        ("filters", "{{ 'x' " + "| replace('x', 'xx') " * deep + "}}"),
        ("lists", "{% set n = namespace(l=[1]) %}{% for i in range(60) %}{% set n.l = n.l + n.l %}{% endfor %}"),
        ("constants", "{{ " + " ~ ".join(["'" + "y" * 900 + "'"] * 20) + " }}"),
        ("itself", "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}"),
        ("unclosed", "{% for a in segments %}" * deep),
    ):
        using = WriteOut(language="w", parts={WritePart.IDENTITY: source[:20_000]})
        yield f"template {name}", partial(write_out, PLAN, BOX, KIND, using=using)


def texts(chance: Random) -> Iterator[tuple[str, Callable[[], object]]]:
    """What a box printed, or a provider wrote."""

    def address() -> str:
        return ".".join(str(chance.randrange(256)) for _ in range(4))

    long = chance.randrange(20_000, 200_000)
    made = {
        "one line": "address " + " ".join(address() for _ in range(long // 12)),
        "colons": "a:" * long,
        "hex": " ".join("".join(chance.choice("0123456789abcdef:") for _ in range(39)) for _ in range(long // 40)),
        "blanks": "password" + " " * long,
        "quotes": "secret '" * (long // 8),
        "braces": "{\n" * (long // 2),
        "stairs": "\n".join(" " * n + "x" for n in range(1, int(long**0.5))),
        "escapes": "\x1b[" * (long // 2),
        "dashes": "-- more " + "-" * long,
        "masks": "\n".join(f"{address()} 255.255.{chance.choice([255, 254, 0])}.0" for _ in range(long // 30)),
        "leases": "\n".join(f"lease {address()} gateway {address()} dns {address()}" for _ in range(long // 50)),
        "nothing": "\x00\x01\x02" * (long // 3),
        "words": "gateway dns range vlan mask " * (long // 28),
        "numbers": " ".join(str(chance.randrange(10**6)) for _ in range(long // 7)),
    }
    for name, text in made.items():
        yield f"text {name}, read back", partial(read_back, PLAN, BOX, text, KIND)
        yield f"text {name}, taken over", partial(take_over, PLAN, text)
        yield f"letter {name}", partial(read_fragment, PLAN, CIRCUIT, text[:LONGEST_LETTER])


#: What letters are made of.
PIECES = (
    "a ", "1 ", "198.51.100.1 ", "198.51.100.1/29\n", "Gateway: ", "Gateway\n", "DNS ", "mask ", "= ", ": ",
    "usable 198.51.100.1-6\n", "VLAN ", "line 1\n", "first line\n", "second ", "PPPoE user ", "password: x\n",
    "2001:db8::/48 ", "\n", "\t", "| ", "......... ", "but .34 ", "> ", "xxxx", "old new ", "  5\n", "- x\n",
)  # fmt: skip


def letters(chance: Random) -> Iterator[tuple[str, Callable[[], object]]]:
    """Letters that say the same few things over and over."""
    for _ in range(12):
        piece = "".join(chance.choice(PIECES) for _ in range(chance.randint(1, 4)))
        text = (piece * LONGEST_LETTER)[:LONGEST_LETTER]
        yield f"letter of {piece!r}", partial(read_fragment, PLAN, CIRCUIT, text)


def packed(**members: bytes) -> bytes:
    """A ZIP file."""
    content = io.BytesIO()
    with zipfile.ZipFile(content, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name.replace("__", "/").replace("_dot_", "."), data)
    return content.getvalue()


_ODS = (
    b'<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    b'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    b'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>'
    b'<table:table table:name="sites">%s</table:table></office:spreadsheet></office:body></office:document-content>'
)


def files(chance: Random) -> Iterator[tuple[str, Callable[[], object]]]:
    """Workbooks, tables and plans."""
    many = chance.randrange(10**6, 10**9)
    deep = chance.randrange(1_000, 100_000)

    def ods(inside: bytes) -> bytes:
        mime = b"application/vnd.oasis.opendocument.spreadsheet"
        return packed(mimetype=mime, content_dot_xml=_ODS % inside)

    row = b"<table:table-row%s><table:table-cell%s><text:p>%s</text:p></table:table-cell></table:table-row>"
    laughs = b'<!DOCTYPE a [<!ENTITY a "' + b"x" * 1_000 + b'">]>' + _ODS % (row % (b"", b"", b"&a;" * 1_000))
    for name, content in (
        ("blanks.ods", ods(row % (b"", b"", b'<text:s text:c="%d"/>' % many))),
        ("columns.ods", ods(row % (b"", b' table:number-columns-repeated="%d"' % many, b"x"))),
        ("rows.ods", ods(row % (b' table:number-rows-repeated="%d"' % many, b"", b"x"))),
        ("deep.ods", ods(b"<table:table-row>" * deep)),
        ("zeros.ods", packed(content_dot_xml=b"\0" * (64 << 20))),
        ("entities.ods", packed(mimetype=b"application/vnd.oasis.opendocument.spreadsheet", content_dot_xml=laughs)),
        ("half.ods", ods(row % (b"", b"", b"x"))[: chance.randrange(20, 300)]),
        ("nothing.xlsx", packed(xl__workbook_dot_xml=b"<x>" * deep)),
        ("zeros.xlsx", packed(xl__workbook_dot_xml=b" " * (64 << 20))),
    ):
        yield f"workbook {name}", partial(_walked, content, name)
    columns = chance.randrange(10_000, 1_000_000)
    for name, content in (
        ("columns", b"customer," * columns),
        ("quote", b'customer,site\n"' + b"x" * columns),
        ("rows", b"customer,site\n" + b",\n" * columns),
        ("bytes", bytes(chance.randrange(256) for _ in range(20_000))),
    ):
        yield f"table {name}", partial(_rows, content)
    for name, document in (
        ("deep", b'{"schema":' + b"[" * deep + b"]" * deep + b"}"),
        ("keys", json.dumps({f"k{n}": n for n in range(deep)}).encode()),
        ("number", b'{"schema": ' + b"9" * min(deep, 50_000) + b"}"),
    ):
        yield f"plan {name}", partial(parse_plan, document, "plan.json")


def _walked(content: bytes, name: str) -> None:
    for table in open_workbook(io.BytesIO(content), name):
        for _ in table.rows:
            pass


def _rows(content: bytes) -> None:
    for _ in read_csv(io.BytesIO(content), "sites", "sites.csv").rows:
        pass


def languages(chance: Random) -> Iterator[tuple[str, Callable[[], object]]]:
    """Languages made of templates, and lines that almost are of them."""
    fields = " ".join("{% for r in routes %}{{ r.to }} {{ r.by }} {% endfor %}" for _ in range(chance.randrange(1, 4)))
    said = "permit " + "10.0.0.0/8 10.0.0.1 " * chance.randrange(10, 400)
    lists = WriteOut(language="w", parts={WritePart.ROUTES: f"permit {fields}end\n"})
    yield "language of lists", partial(_understood, lists, said)
    assert KIND.write_out is not None
    door = "door " + "from 10.0.0.0/8 " * chance.randrange(10, 400)
    yield "language of the firewall", partial(_understood, KIND.write_out, door)


def _understood(one: WriteOut, line: str) -> None:
    grammar = grammar_of(one)
    for saying in grammar.sayings:
        saying.shape.read(line)


def tried(what: str, work: Callable[[], object]) -> Came:
    """Do it in a process of its own, and see what it took."""
    out, into = os.pipe()
    begun = time.perf_counter()
    child = os.fork()
    if not child:
        os.close(out)
        end = "done"
        resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR * 4, PROCESSOR * 4))
        with open("/proc/self/statm", encoding="ascii") as had:
            most = int(had.read().split()[0]) * resource.getpagesize() + BYTES
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
        try:
            work()
        except MemoryError:
            end = "FAULT: it wanted more memory"
        except OctaplanError as error:
            end = f"refused: {error}"[:120]
        except Exception as error:
            end = f"FAULT {type(error).__name__}: {error}"[:200]
        os.write(into, end.encode("utf-8", "replace"))
        os._exit(0)
    os.close(into)
    with os.fdopen(out, "rb") as told:
        end = told.read().decode("utf-8", "replace") or "killed"
    os.waitpid(child, 0)
    return Came(what, time.perf_counter() - begun, end)


def main() -> int:
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    came: list[Came] = []
    seed = 0
    while len(came) < wanted:
        for sort in (templates, texts, letters, files, languages):
            for what, work in sort(Random(seed)):
                came.append(tried(what, work))
        seed += 1
    bad = [c for c in came if c.seconds > SECONDS or c.end.startswith(("FAULT", "killed"))]
    slowest = max(came, key=lambda one: one.seconds)
    refused = sum(c.end.startswith("refused") for c in came)
    print(
        f"{len(came)} of them, {refused} refused in words, none beyond {BYTES >> 20} MB unless told below; the slowest "
        f"took {slowest.seconds:.1f} s ({slowest.what}); {len(bad)} wrong"
    )
    for one in bad:
        print(f"{one.what}: {one.seconds:.1f} s, {one.end}")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
