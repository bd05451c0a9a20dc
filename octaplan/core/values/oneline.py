"""Characters that end a line, begin a command at a terminal, or turn the direction of writing: none belongs in what
is told to a box, or shown as one line."""

from __future__ import annotations

import unicodedata

#: Marks that turn the direction of writing, or hide where a text ends (Unicode, UAX 9), and separators of lines.
_DIRECTION = frozenset("\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069\u2028\u2029")


def odd_character(text: str, but: str = "") -> str:
    """What the first character is that does not belong in a line, in words; nothing when there is none. Those of `but`
    do.

    >>> odd_character("Ada\\nuser evil")
    'a line end'
    """
    if text.isascii() and text.isprintable():
        return ""
    for character in text:
        if character in but:
            continue
        if character in "\n\r\v\f\x85\u2028\u2029":
            return "a line end"
        if character == "\t":
            return "a tab"
        if unicodedata.category(character) == "Cc":
            return f"a control character (U+{ord(character):04X})"
        if character in _DIRECTION:
            return f"a mark that turns the direction of writing (U+{ord(character):04X})"
    return ""
