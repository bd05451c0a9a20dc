"""Faults of documents are told in sentences of our own, whatever is wrong."""

from __future__ import annotations

import re
import typing
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from pydantic_core import core_schema

from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.site import SitePlan
from octaplan.core.values import faults
from octaplan.core.values.faults import first_fault
from tests.core.kit import hardware, office_site

simple = st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=8)
values = st.recursive(
    simple, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3)
)


class Sentences(unittest.TestCase):
    def test_every_kind_of_fault_that_has_a_sentence_is_one_that_exists(self) -> None:
        known = set(typing.get_args(core_schema.ErrorType))
        self.assertEqual(set(faults._SENTENCES) - known, set())

    def test_what_is_wrong_and_what_belongs_there(self) -> None:
        for values, place, words in (
            ({"panel": "no"}, "/panel", "a list belongs here"),
            ({"kind": "kettle"}, "/kind", "must be one of router, "),
            ({"radio": "perhaps"}, "/radio", "true or false"),
            ({"maker": "x" * 500}, "/maker", "write at most"),
            ({"colour": "red"}, "/colour", "no such field"),
            ({"slots": {"service": {"longest": 4000}}}, "/slots/service/longest", "the most is 128"),
        ):
            with self.subTest(words), self.assertRaises(ValidationError) as raised:
                HardwareType.model_validate(hardware().document() | values)
            fault = first_fault(raised.exception)
            self.assertEqual(fault.pointer, place)
            self.assertIn(words, fault.why)

    @given(st.sampled_from(sorted(office_site().document())), values)
    def test_no_sentence_of_the_library_comes_through(self, field: str, value: Any) -> None:
        try:
            SitePlan.model_validate(office_site().document() | {field: value})
        except ValidationError as error:
            theirs = {fault["msg"] for fault in error.errors() if fault["type"] != "value_error"}
            why = first_fault(error).why
            self.assertNotIn(why, theirs)
            self.assertIsNone(re.search(r"Input|should be|[{}]", why), why)
