"""Answers read into a plan: each into its field, with who said so beside it; a confirmed one is never overwritten
in silence."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.patch import Operation, applied, set_to
from octaplan.core.plan.questions import (
    BY_NAME,
    IN_THE_SAFE,
    NONE,
    Asked,
    Question,
    Standing,
    is_none,
    standing,
)
from octaplan.core.plan.site import Answer, SitePlan, Survivor, new_id
from octaplan.core.propose.typed import understand
from octaplan.core.values.addresses import parse_address, parse_network
from octaplan.core.values.errors import OctaplanError, RefusedError, TypedError

LONGEST_ANSWER = 1_000


class GivenAnswer(NamedTuple):
    """One answer as it came: the key of its question, and what was said. Empty text takes an answer back."""

    key: str
    text: str
    words: str = ""


class Contradiction(NamedTuple):
    """An answer that says something else than what was confirmed."""

    key: str
    short: str
    confirmed: str
    by: str
    at: datetime
    given: str


class Taken(NamedTuple):
    """The change that answers come to, as a JSON Patch, and what stands against it."""

    operations: list[Operation]
    contradictions: list[Contradiction]


class AnswerError(RefusedError):
    """An answer that cannot be read; `key` is that of its question."""

    def __init__(self, key: str, problem: str) -> None:
        super().__init__(problem)
        self.key = key


def take(
    plan: SitePlan,
    answers: Sequence[GivenAnswer],
    by: str,
    at: datetime,
    *,
    source: str = "",
    confirmed: bool = False,
    portfolio: Portfolio | None = None,
) -> Taken:
    """The change that answers make to a plan, one after the other. Raises `AnswerError`."""
    draft, operations, against = plan, list[Operation](), list[Contradiction]()
    for given in answers:
        question, circuit = question_of(draft, given.key)
        try:
            fresh = _operations(draft, question, circuit, given, portfolio)
            after = applied(draft, fresh)
        except AnswerError:
            raise
        except OctaplanError as error:
            raise AnswerError(given.key, f"{question.short}: {str(error).splitlines()[0]}") from None
        for one in _changed(draft, after, given.key, circuit):
            old = draft.answers.get(one.key)
            if old is not None and old.confirmed and old.text != one.value:
                source_of_old = old.source or old.by
                against.append(
                    Contradiction(one.key, one.question.short, old.text, source_of_old, old.at, one.value or "nothing")
                )
            if one.value:
                words = given.words.strip()[:2_000]
                fresh = [operation for operation in fresh if operation["path"] != f"/answers/{one.key}"]
                answer = Answer(
                    text=one.value, source=source or None, words=words or None, by=by, at=at, confirmed=confirmed
                )
                fresh.append(set_to(f"/answers/{one.key}", answer.model_dump(mode="json")))
            elif one.key in after.answers:
                fresh.append({"op": "remove", "path": f"/answers/{one.key}"})
        draft = applied(draft, fresh)
        operations += fresh
    return Taken(operations, against)


def question_of(plan: SitePlan, key: str) -> tuple[Question, str]:
    """The question behind a key, and the circuit it is about. Raises `AnswerError`."""
    name, _, circuit = key.partition(".")
    question = BY_NAME.get(name)
    if question is None or question.each != bool(circuit):
        raise AnswerError(key, f"There is no question {key[:60]!r}: its key has been changed")
    if circuit and circuit not in plan.circuits:
        raise AnswerError(key, f"The circuit that {question.short} is asked about is not there any more")
    return question, circuit


def _changed(before: SitePlan, after: SitePlan, key: str, circuit: str) -> list[Standing]:
    """The question that was answered, and others of its circuit that the same answer settled (a mask, say)."""
    old = {one.key: one.value for one in standing(before)}
    return [
        one
        for one in standing(after)
        if one.key == key
        or (circuit and one.circuit == circuit and one.question.field and old.get(one.key) != one.value)
    ]


def _operations(
    plan: SitePlan, question: Question, circuit: str, given: GivenAnswer, portfolio: Portfolio | None
) -> list[Operation]:
    text = given.text.strip()
    if question.name == IN_THE_SAFE:
        raise AnswerError(given.key, "A password goes into the safe and nowhere else: put it in on Credentials")
    if len(text) > LONGEST_ANSWER:
        raise AnswerError(
            given.key, f"{question.short}: {len(text):,} characters are too many, at most {LONGEST_ANSWER:,}"
        )
    if not question.applies(Asked(plan, circuit)):
        raise AnswerError(given.key, f"{question.short} is not asked here: other answers say that there is none")
    gone: list[Operation] = [{"op": "remove", "path": f"/answers/{given.key}"}] if given.key in plan.answers else []
    if is_none(text):
        if not question.optional:
            raise AnswerError(given.key, f"{question.short} is needed: it cannot be none")
        text = NONE
    if question.choices and text and not question.field:
        text = _chosen(question, text)
    path = _path(question, circuit)
    if question.field:
        operations = understand(plan, path, "" if text == NONE else text, portfolio).operations
        return operations + ([noted(given.key, NONE)] if text == NONE else gone)
    marked = _survivors(plan, text) if question.name == "survive" else []
    return marked + ([noted(given.key, text)] if text else gone)


def noted(key: str, text: str) -> Operation:
    """An answer for the moment, so that what follows from it is known; who gave it is written after."""
    return set_to(f"/answers/{key}", {"text": text, "by": "-", "at": "2000-01-01T00:00:00Z"})


def _path(question: Question, circuit: str) -> str:
    return f"/circuits/{circuit}/{question.field}" if circuit else f"/{question.field}"


def _chosen(question: Question, text: str) -> str:
    for choice in question.choices:
        if text.casefold() == choice:
            return choice
    raise TypedError(f"{text[:40]!r} is no answer to it: one of {', '.join(question.choices)}")


def _survivors(plan: SitePlan, text: str) -> list[Operation]:
    """Each address of a list as a value that must survive."""
    if not text or text == NONE:
        return []
    taken = dict.fromkeys(plan.survivors)
    there = {survivor.value for survivor in plan.survivors.values()}
    operations = []
    for part in text.replace(",", " ").replace(";", " ").split():
        try:
            value = str(parse_address(part))
        except OctaplanError:
            value = str(parse_network(part)[0])
        if value not in there:
            key = new_id(value, taken)
            taken[key] = None
            there.add(value)
            survivor = Survivor(what="address", value=value)
            operations.append(set_to(f"/survivors/{key}", survivor.model_dump(mode="json")))
    return operations
