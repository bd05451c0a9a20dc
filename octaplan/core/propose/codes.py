"""Codes for customers and sites, proposed from their names: `FERN` for Fernhollow Garden Centres."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection
from itertools import count

#: How long a proposed code is, when nothing speaks against it.
LENGTH = 4

#: Words that say little of a name, at its beginning.
_SMALL = frozenset(
    {"a", "an", "at", "das", "de", "der", "die", "el", "il", "la", "las", "le", "les", "los", "of", "the"}
)

#: Letters that no accent makes of one in ASCII, as they are usually written there.
_WRITTEN = str.maketrans({"ß": "ss", "æ": "ae", "œ": "oe", "ø": "o", "ł": "l", "đ": "d", "þ": "th", "ð": "d"})


def code_for(name: str, taken: Collection[str]) -> str:
    """A code for a name that is none of those `taken`, in any case; nothing for a name without letters and digits."""
    used = {code.casefold() for code in taken}
    words = _words(name)
    if not words:
        return ""
    telling = [word for word in words if word not in _SMALL] or words
    first, rest = telling[0], telling[1:]
    initials = "".join(word[0] for word in telling)
    candidates = [first[:LENGTH], first[: LENGTH - 1] + rest[0][0] if rest else "", initials, first[: LENGTH + 2]]
    for candidate in candidates:
        if len(candidate) >= 2 and candidate not in used:
            return candidate.upper()
    return next(code for number in count(2) if (code := f"{first[:LENGTH]}{number}".upper()).casefold() not in used)


def _words(name: str) -> list[str]:
    plain = unicodedata.normalize("NFKD", name.casefold().translate(_WRITTEN))
    letters = "".join(letter for letter in plain if not unicodedata.combining(letter))
    return re.findall(r"[a-z0-9]+", letters.replace("'", "").replace("’", ""))
