"""Secrets: made to a hardware's rules, judged, and spelled out so that nobody misreads them.

SecretError           a secret cannot be made or taken as asked; the message never quotes it
"""

from __future__ import annotations

import math
import re
import secrets
from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from octaplan.core.plan.hardware import CONFUSABLE, SlotRule
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.errors import RefusedError, TypedError
from octaplan.core.values.wordlist import WORDS

#: Generated secrets carry at least so many bits, where the slot's rules leave room for them.
BITS_WANTED = 72

#: The same for words, which somebody has to type on a telephone.
BITS_OF_WORDS = 60

#: By how many characters a generated secret is longer than the least that the box permits.
LONGER = 4

#: zxcvbn's score from which a typed secret counts as strong; 4 is the best.
STRONG = 3

LONGEST_TYPED = 256

#: zxcvbn's time grows with the square of the length: a longer secret is at least as strong as its beginning.
_JUDGED = 72


class SecretError(RefusedError):
    """A secret that cannot be made or taken as asked."""


class Strength(NamedTuple):
    """How hard a secret is to guess: zxcvbn's score 0 to 4, and what makes it easy, in words. `recognised` says that
    something in it was recognised: a word, a date, a run; a short one can be weak without."""

    score: int
    advice: str
    recognised: bool = False

    @property
    def weak(self) -> bool:
        return self.score < STRONG


def make(rule: SlotRule, *, words: bool = False, choose: Callable[[str], str] = secrets.choice) -> str:
    """A new random secret that obeys a slot's rules, of characters that cannot be confused where possible.

    `words` asks for words with hyphens, a capital and a digit; rules that words cannot meet get characters
    instead. Raises `SecretError` when no secret can obey the rules.
    """
    if words and not rule.digits_only:
        made = _of_words(rule)
        if made is not None:
            return made
    classes = {name: _clear(characters) for name, characters in rule.characters().items()}
    used = [name for name in classes if classes[name] and (name in rule.needed or name != "symbol")]
    pool = "".join(classes[name] for name in used)
    for name in rule.needed:
        if not classes.get(name):
            raise SecretError(f"The slot needs a {name} and forbids them all: mend its rules on Hardware")
    if len(set(pool)) < 2:
        raise SecretError("The slot forbids nearly every character: mend its rules on Hardware")
    length = min(rule.longest, max(rule.shortest + LONGER, math.ceil(BITS_WANTED / math.log2(len(pool)))))
    while True:
        made = "".join(choose(pool) for _ in range(length))
        if all(any(c in classes[name] for c in made) for name in rule.needed) and not _stutters(made):
            return made


def _clear(characters: str) -> str:
    """The characters without those that are easily confused; all of them when none would be left."""
    return "".join(c for c in characters if c not in CONFUSABLE) or characters


def _stutters(made: str) -> bool:
    return any(a == b == c for a, b, c in zip(made, made[1:], made[2:], strict=False))


def _of_words(rule: SlotRule) -> str | None:
    """Words with hyphens that reach the wanted bits within the rules, or nothing."""
    if "-" in rule.forbidden:
        return None
    count = math.ceil((BITS_OF_WORDS - 4) / math.log2(len(WORDS)))
    for _ in range(200):
        chosen = [secrets.choice(WORDS) for _ in range(count)]
        place = secrets.randbelow(count)
        chosen[place] = chosen[place].capitalize()
        made = "-".join(chosen) + secrets.choice("34679")
        if rule.shortest <= len(made) <= rule.longest and not problems(rule, made):
            return made
    return None


def problems(rule: SlotRule, secret: str) -> list[str]:
    """What a slot's rules hold against a secret, in words that do not quote it."""
    found = []
    if not secret:
        return ["it is empty"]
    if len(secret) < rule.shortest:
        found.append(f"it has {len(secret)} characters, and the box wants at least {rule.shortest}")
    if len(secret) > rule.longest:
        found.append(f"it has {len(secret)} characters, and the box takes at most {rule.longest}")
    classes = rule.characters()
    names = {"lower": "small letter", "upper": "capital letter", "digit": "digit", "symbol": "symbol"}
    for name in rule.needed:
        if not any(c in classes[name] for c in secret):
            found.append(f"it lacks a {names[name]}")
    wrong = list(dict.fromkeys(c for c in secret if c in rule.forbidden))
    if wrong:
        named = ", ".join("a space" if c == " " else _SYMBOLS.get(c, c) for c in wrong)
        found.append(f"it holds what the box does not take: {named}")
    if rule.digits_only and not secret.isdigit():
        found.append("only digits are taken here")
    if not secret.isprintable() or secret != secret.strip():
        found.append("it holds a space at an end, or a character that cannot be typed")
    return found


def guessable(plan: SitePlan, *further: str | None) -> list[str]:
    """The words that whoever knows a site would try first: of its codes and names, its street, its people."""
    told = [plan.customer, plan.site, plan.name, plan.street, plan.contact, plan.technician, *further]
    told += [segment.label for segment in plan.segments.values()]
    told += [wifi.name for wifi in plan.wireless.values()]
    told += [circuit.provider for circuit in plan.circuits.values()]
    words = re.findall(r"\w+", " ".join(text for text in told if text).casefold())
    return list(dict.fromkeys(word for word in words if len(word) > 2 or word.isdigit()))


def strength(secret: str, known: Iterable[str] = ()) -> Strength:
    """How hard a secret is to guess, by zxcvbn, and no harder than what is left of it without the `known` words (those
    that an attacker would try first), years, and runs of neighbouring digits or letters."""
    if not secret:
        return Strength(0, "")
    from zxcvbn import zxcvbn  # its word lists take a while to load

    words = list(known)
    judged = zxcvbn(secret[:_JUDGED], user_inputs=words)
    score, advice = judged["score"], "" if judged["score"] >= STRONG else _advice(judged["sequence"])
    rest, gone = _without_known(secret[:_JUDGED], words)
    if gone:
        left = zxcvbn(rest)["score"] if rest else 0
        if left < score:
            score, advice = left, advice if left >= STRONG else f"{gone} is tried early: let one be made"
    recognised = bool(gone) or any(part["pattern"] != "bruteforce" for part in judged["sequence"])
    return Strength(score, advice, recognised)


def _without_known(secret: str, words: list[str]) -> tuple[str, str]:
    """What is left of a secret without what is tried early, and what that was; empty when there was nothing."""
    rest, gone = secret.casefold(), ""
    for word in sorted((word.casefold() for word in words), key=len, reverse=True):
        if len(word) > 2 and word in rest:
            rest, gone = rest.replace(word, ""), "A word of this site, its customer or its street"
    if gone:  # what such words are usually dressed up with
        rest = re.sub(r"(?:19|20)\d\d", "", rest)
        rest = re.sub(r"(?<!\d)\d{1,4}(?!\d)", "", rest)
        rest = re.sub(r"[\W_]+", "", rest)
    for run in _RUNS:
        for size in range(len(run), 3, -1):
            for start in range(len(run) - size + 1):
                part = run[start : start + size]
                if part in rest:
                    rest, gone = rest.replace(part, ""), gone or "A run of neighbouring characters"
    return rest, gone


_RUNS = [run for text in ("0123456789", "abcdefghijklmnopqrstuvwxyz", "qwertyuiop") for run in (text, text[::-1])]


#: What makes a secret easy to guess, by the kind of its longest part that zxcvbn recognises.
_EASY = {
    "dictionary": "A word, a name or a much-used password is in it: let one be made",
    "spatial": "Neighbouring keys are tried early: let one be made",
    "repeat": "The same again adds little: make it longer in another way",
    "sequence": "Characters in their usual order are tried early: mix them",
    "regex": "A year is tried early: leave it out",
    "date": "A date is tried early: leave it out",
}


def _advice(parts: list[dict[str, Any]]) -> str:
    longest = max(parts, key=lambda part: len(part["token"]), default={"pattern": ""})
    return _EASY.get(longest["pattern"], "It is short: add more characters, or let one be made")


_LETTERS = """
Alfa Bravo Charlie Delta Echo Foxtrot Golf Hotel India Juliett Kilo Lima Mike November Oscar Papa Quebec Romeo Sierra
Tango Uniform Victor Whiskey Xray Yankee Zulu
"""
_DIGITS = "zero one two three four five six seven eight nine"
_SPOKEN = {word[0].lower(): word for word in _LETTERS.split()} | dict(zip("0123456789", _DIGITS.split(), strict=True))

_SYMBOLS = {
    "-": "hyphen", "_": "underscore", ".": "dot", ",": "comma", ":": "colon", ";": "semicolon", "/": "slash",
    "\\": "backslash", "!": "exclamation mark", "?": "question mark", "#": "hash", "$": "dollar", "%": "percent",
    "&": "ampersand", "*": "asterisk", "+": "plus", "=": "equals", "@": "at sign", "(": "open bracket",
    ")": "close bracket", "[": "open square bracket", "]": "close square bracket", "{": "open brace",
    "}": "close brace", "<": "less than", ">": "greater than", "^": "caret", "~": "tilde", "|": "bar", " ": "space",
    "'": "apostrophe", '"': "quotation mark", "`": "backtick",
}  # fmt: skip


def spoken(secret: str) -> list[str]:
    """A secret in the spelling alphabet of the ITU Radio Regulations, appendix 14: one entry a character."""
    return [_say(character) for character in secret]


def _say(character: str) -> str:
    word = _SPOKEN.get(character.lower())
    if word is None:
        return _SYMBOLS.get(character, f"the character {character}")
    if character.isdigit():
        return word
    return f"capital {word}" if character.isupper() else f"small {word.lower()}"


def read_password(cell: str) -> str:
    """A password as it was given; no message quotes it, and nothing caches it."""
    if len(cell) > LONGEST_TYPED:
        raise TypedError(f"It is {len(cell)} characters long: at most {LONGEST_TYPED} are kept")
    if not cell.isprintable():
        raise TypedError("It holds characters that cannot be printed: type it again")
    return cell
