"""Why a document was refused, in sentences of our own; whoever validates with Pydantic says it with these."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from pydantic import ValidationError

#: By the kind of fault that Pydantic names. What is in braces comes from the fault.
_SENTENCES = {
    "missing": "this is missing: give it a value",
    "extra_forbidden": "there is no such field here: leave it out",
    "none_required": "this stays empty: leave it out",
    "string_type": "a text belongs here",
    "string_too_short": "this is too short: write at least {min_length} characters",
    "string_too_long": "this is too long: write at most {max_length} characters",
    "string_pattern_mismatch": "some of these characters cannot be used here",
    "string_unicode": "this holds characters that are no text",
    "int_type": "a whole number belongs here",
    "int_parsing": "a whole number belongs here",
    "int_parsing_size": "this number is too large",
    "int_from_float": "a whole number belongs here, without a fraction",
    "float_type": "a number belongs here",
    "float_parsing": "a number belongs here",
    "finite_number": "a number that has an end belongs here",
    "bool_type": "true or false belongs here",
    "bool_parsing": "true or false belongs here",
    "greater_than": "this is too small: it must be more than {gt}",
    "greater_than_equal": "this is too small: the least is {ge}",
    "less_than": "this is too large: it must be less than {lt}",
    "less_than_equal": "this is too large: the most is {le}",
    "enum": "this must be one of {expected}",
    "literal_error": "this must be one of {expected}",
    "list_type": "a list belongs here",
    "tuple_type": "a list belongs here",
    "dict_type": "a set of named values belongs here",
    "mapping_type": "a set of named values belongs here",
    "model_type": "a set of named values belongs here",
    "model_attributes_type": "a set of named values belongs here",
    "too_long": "these are too many: at most {max_length} are taken",
    "too_short": "these are too few: at least {min_length} are needed",
    "json_invalid": "this is not JSON: {error}",
    "json_type": "JSON belongs here",
    "date_type": "a date belongs here, such as 2027-03-04",
    "date_parsing": "this is no date: write it as 2027-03-04",
    "date_from_datetime_parsing": "this is no date: write it as 2027-03-04",
    "date_from_datetime_inexact": "a date belongs here, without a time of day",
    "datetime_type": "a date and time belong here",
    "datetime_parsing": "this is no date and time: write it as 2027-03-04T09:30:00Z",
    "datetime_from_date_parsing": "this is no date and time: write it as 2027-03-04T09:30:00Z",
}

#: What fields are called whose names people would not use.
_SPOKEN = {
    "prefix": "mask",
    "prefix6": "IPv6 mask",
    "factory": "what it is out of its carton",
    "panel": "ports",
    "why_not": "why not",
}

_OTHERWISE = "this cannot be read here"


class Fault(NamedTuple):
    """Where a document was refused, as the steps to the place, and why."""

    place: tuple[int | str, ...]
    why: str

    @property
    def pointer(self) -> str:
        """The place as a JSON Pointer (RFC 6901)."""
        return "".join(f"/{part}" for part in self.place)

    @property
    def where(self) -> str:
        """The place as people say it: `mask of what it is out of its carton`, `name of ports, number 3`."""
        named: list[str] = []
        for part in self.place:
            if isinstance(part, int) and named:
                named[-1] += f", number {part + 1}"
            else:
                named.append(_SPOKEN.get(str(part), str(part).replace("_", " ")))
        return " of ".join(reversed(named))

    @property
    def sentence(self) -> str:
        """The reason as a sentence, with the place where it is not the whole document."""
        reason = self.why[:1].upper() + self.why[1:]
        return f"{reason} ({self.where})" if self.place else reason

    def __str__(self) -> str:
        """The reason, and the place where it is not the whole document."""
        return f"{self.why} ({self.where})" if self.place else self.why


def first_fault(error: ValidationError) -> Fault:
    """The first fault of a document."""
    return first_of(error.errors(include_url=False, include_input=False))


def first_of(faults: Sequence[Any]) -> Fault:
    """The first of the faults that Pydantic lists."""
    fault = faults[0]
    return Fault(tuple(fault["loc"]), _why(fault))


def _why(fault: Any) -> str:
    if fault["type"] in ("value_error", "assertion_error"):
        return str(fault["msg"]).partition(", ")[2]
    values = dict(fault.get("ctx", {}))
    if "expected" in values:
        values["expected"] = str(values["expected"]).replace("'", "")
    return _SENTENCES.get(fault["type"], _OTHERWISE).format(**values)
