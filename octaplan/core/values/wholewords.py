"""Finding what somebody wrote in a text, as whole words: without a regular expression made of it."""

from __future__ import annotations

from collections.abc import Iterator


def whole_words(text: str, words: str, joins: str = "_-") -> Iterator[int]:
    """Where words stand in a text with no letter, digit or one of `joins` right before or behind them.

    >>> [*whole_words("dock-edge dock", "dock")]
    [10]
    """
    at = text.find(words) if words else -1
    while at >= 0:
        end = at + len(words)
        if not (at and _joined(text[at - 1], joins)) and not (end < len(text) and _joined(text[end], joins)):
            yield at
        at = text.find(words, at + 1)


def _joined(character: str, joins: str) -> bool:
    return character.isalnum() or character in joins
