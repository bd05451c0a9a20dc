from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from octaplan.formats.compact import BLOCK, PLAIN, Packed, RowsAmong
from octaplan.formats.taken import CellFault, RefusedRow, refusal_as_plain, refusal_of_plain
from tests import examples


def row(number: int) -> RefusedRow:
    return RefusedRow(
        "hosts", "hosts.csv", number, ["customer", "site"], [f"c{number}", "é"], [CellFault("x", "y", "z")]
    )


class Rows(unittest.TestCase):
    @given(
        st.sampled_from([0, 1, PLAIN, PLAIN + 1, PLAIN + BLOCK - 1, PLAIN + BLOCK, PLAIN + 3 * BLOCK + 7]), st.data()
    )
    @examples(30)
    def test_they_are_what_a_list_would_be(self, count: int, data: st.DataObject) -> None:
        plain = [row(number) for number in range(count)]
        packed = Packed(refusal_as_plain, refusal_of_plain, plain)
        self.assertEqual(packed, plain)
        self.assertEqual((len(packed), list(packed), bool(packed)), (count, plain, bool(plain)))
        places = st.integers(-count - 2, count + 2)
        start, stop = data.draw(places), data.draw(places)
        self.assertEqual(packed[start:stop], plain[start:stop])
        if count:
            place = data.draw(st.integers(-count, count - 1))
            self.assertEqual(packed[place], plain[place])
        with self.assertRaises(IndexError):
            packed[count]


class Among(unittest.TestCase):
    keys = st.tuples(st.sampled_from(["sites", "hosts"]), st.text(max_size=3), st.text(max_size=3))

    @given(st.sets(keys, max_size=30), st.sets(keys, max_size=30))
    @examples(60)
    def test_they_are_what_a_set_would_say(self, known: set[tuple[str, ...]], asked: set[tuple[str, ...]]) -> None:
        among = RowsAmong(iter(known))
        self.assertEqual({key for key in known | asked if key in among}, known)
        self.assertEqual((len(among), among.tables), (len(known), {key[0] for key in known}))
