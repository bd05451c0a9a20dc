"""How long writing text for a box takes and reading it back, beside trying each word as an address: `make bench`."""

from __future__ import annotations

import ipaddress
import re
from random import Random

from benchmarks.check import timed
from benchmarks.size import sized
from octaplan.core.config.readback import read_back
from octaplan.core.config.writeout import write_out
from tests.core.config.demo import equipped, types
from tests.core.config.native import first_form


def word_by_word(text: str) -> int:
    """How many words of a text the standard library takes for an address: no more than that is told of them."""
    found = 0
    for line in text.splitlines():
        for word in re.split(r"[\s,;=\"']+", line):
            try:
                ipaddress.ip_interface(word)
            except ValueError:
                continue
            found += 1
    return found


def main() -> None:
    kind = types()["skerry-f7"]
    plan = equipped(Random(3), kind.key)
    key = next(iter(plan.devices))
    written = write_out(plan, key, kind)
    once, _ = timed(lambda: write_out(plan, key, kind), 20)
    print(f"\nA write-out of {len(written.lines)} lines: {once:.1f} ms")
    lines = sized(5_000, 200)
    print(f"\n| a text of {lines:,} lines | read back | each word tried as an address | ratio |")
    print("| --- | ---: | ---: | ---: |")
    for name, some in (("as status commands print it", first_form(plan, key)), ("in its own language", written.text)):
        text = "".join((some * (lines // some.count("\n") + 1)).splitlines(keepends=True)[:lines])
        ours, _ = timed(lambda t=text: read_back(plan, key, t, kind), 5)  # type: ignore[misc]
        theirs, _ = timed(lambda t=text: word_by_word(t), 3)  # type: ignore[misc]
        print(f"| {name} | {ours:.0f} ms | {theirs:.0f} ms | {theirs / ours:.1f}× |")


if __name__ == "__main__":
    main()
