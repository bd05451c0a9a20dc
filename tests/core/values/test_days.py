"""Days as people write them."""

from __future__ import annotations

import unittest
from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from octaplan.core.values.days import read_day
from octaplan.core.values.errors import TypedError

TODAY = date(2026, 12, 1)  # a Tuesday


class Days(unittest.TestCase):
    def test_days_as_people_write_them(self) -> None:
        cases = {
            "2026-12-18": date(2026, 12, 18),
            "18 dec": date(2026, 12, 18),
            "18. Dezember".replace("Dezember", "December"): date(2026, 12, 18),
            "Dec 18": date(2026, 12, 18),
            "18th of December 2027": date(2027, 12, 18),
            "18.12.2026": date(2026, 12, 18),
            "18.12.": date(2026, 12, 18),
            "18.12.26": date(2026, 12, 18),
            "18/12/2026": date(2026, 12, 18),
            "12/18/2026": date(2026, 12, 18),
            "3.4.2027": date(2027, 4, 3),
            "5/5": date(2027, 5, 5),
            "15 jan": date(2027, 1, 15),
            "29 feb": date(2028, 2, 29),
            "Fri 18 Dec": date(2026, 12, 18),
            "today": TODAY,
            "tomorrow": date(2026, 12, 2),
            "fri": date(2026, 12, 4),
            "next Friday": date(2026, 12, 4),
            "tue": date(2026, 12, 8),
            "in 2 weeks": date(2026, 12, 15),
            "+10": date(2026, 12, 11),
            "3 days": date(2026, 12, 4),
        }
        for typed, day in cases.items():
            with self.subTest(typed):
                self.assertEqual(read_day(typed, TODAY), day)

    def test_what_is_none_or_two_is_told(self) -> None:
        cases = {
            "3/4/2027": "3 Apr or 4 Mar",
            "31 feb": "no day 31",
            "2027-02-30": "no such day",
            "32.1.2027": "no such day",
            "soonish": "is no day",
            "18": "is no day",
            "18 foo": "is no day",
        }
        for typed, words in cases.items():
            with self.subTest(typed), self.assertRaisesRegex(TypedError, words):
                read_day(typed, TODAY)

    @given(st.dates(date(2000, 1, 1), date(2090, 12, 31)), st.dates(date(2020, 1, 1), date(2060, 1, 1)))
    def test_every_day_reads_back_however_it_is_written(self, day: date, today: date) -> None:
        for form in ("%Y-%m-%d", "%d.%m.%Y", "%d %B %Y", "%b %d, %Y", "%a %d %b %Y"):
            self.assertEqual(read_day(day.strftime(form), today), day, form)

    @given(st.text(max_size=30))
    def test_any_text_is_a_day_or_told(self, text: str) -> None:
        try:
            found = read_day(text, TODAY)
        except TypedError as error:
            self.assertTrue(str(error))
        else:
            self.assertEqual(read_day(found.isoformat(), TODAY), found)
