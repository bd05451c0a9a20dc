"""Lists of open questions, for one provider, one customer or the own office across many sites; and answers that come
back, in the list's own text, in letters, or in its table, matched to the questions they answer."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from octaplan.core.plan.questions import BY_NAME, IN_THE_SAFE, State, Whom, answer_key, standing
from octaplan.core.plan.site import SitePlan, site_key
from octaplan.core.propose.fragment import LONGEST_LETTER, read_fragment
from octaplan.core.values.errors import OctaplanError, TypedError

#: The columns of the table of a list.
ASKED_COLUMNS = ("customer", "site", "name", "circuit", "reference", "key", "question", "answer")

LONGEST_LIST = 1_000_000

SAFE_ONLY = "A password is not read here: put it into the safe on Credentials"
UNKNOWN_PROVIDER = "provider not known yet"
OWN_OFFICE = "own office"


class Open(NamedTuple):
    """One open question of a list. `circuit` is the label of the circuit it is about."""

    customer: str
    site: str
    name: str
    circuit: str
    reference: str
    key: str
    short: str
    asked: str


class ListedQuestions(NamedTuple):
    """Everything that is open with one of those who are asked."""

    whom: Whom
    who: str
    questions: list[Open]


class Came(NamedTuple):
    """One answer that came back: for which site and question, and what about it has to be looked at first."""

    customer: str
    site: str
    key: str
    text: str
    doubt: str = ""
    problem: str = ""


def lists(
    plans: Iterable[SitePlan],
    customers: Mapping[str, str],
    safe: Callable[[str, str], bool] | None = None,
    whom: Whom | None = None,
    who: str = "",
    customer: str = "",
) -> list[ListedQuestions]:
    """What is open, by whom to ask: providers by name, customers by name, the own office last.

    `customers` are names by code; `safe` tells whether the safe holds a secret of a site; `whom`, `who` and `customer`
    narrow it down.
    """
    found: dict[tuple[Whom, str], list[Open]] = {}
    for plan in plans:
        if customer and plan.customer.casefold() != customer.casefold():
            continue
        key = plan.key
        held = None if safe is None else lambda path, key=key: safe(key, path)
        for one in standing(plan, held):
            question = one.question
            if one.state is not State.OPEN or (whom is not None and question.whom is not whom):
                continue
            circuit = plan.circuits.get(one.circuit)
            asked = {
                Whom.PROVIDER: (circuit.provider if circuit else "") or UNKNOWN_PROVIDER,
                Whom.CUSTOMER: customers.get(plan.customer, plan.customer),
                Whom.OFFICE: OWN_OFFICE,
            }[question.whom]
            if who and asked.casefold() != who.casefold():
                continue
            found.setdefault((question.whom, asked), []).append(
                Open(
                    plan.customer,
                    plan.site,
                    plan.name or plan.site,
                    circuit.label if circuit else "",
                    (circuit.reference if circuit else "") or "",
                    one.key,
                    question.short,
                    question.asked,
                )
            )
    order = list(Whom)
    return [
        ListedQuestions(kind, name, questions)
        for (kind, name), questions in sorted(found.items(), key=lambda item: (order.index(item[0][0]), item[0][1]))
    ]


def as_text(listed: ListedQuestions) -> str:
    """A list to send as it is: answers are written behind the colons, and it is read back as it comes."""
    lines = [
        f"Open questions for {listed.who}",
        'Please write each answer behind its colon; "none" where there is no such thing.',
    ]
    head = ""
    for one in listed.questions:
        if one.key.split(".")[0] == IN_THE_SAFE:
            continue
        title = _head(one)
        if title != head:
            lines += ["", title]
            head = title
        lines.append(f"  {one.short}: ")
    return "\n".join(lines) + "\n"


def _head(one: Open) -> str:
    reference = f", reference {one.reference}" if one.reference else ""
    return f"{one.name} ({one.customer}/{one.site})" + (f", circuit {one.circuit}{reference}" if one.circuit else "")


def as_rows(listed: Iterable[ListedQuestions]) -> list[list[str]]:
    """The rows of a table of lists, in the order of `ASKED_COLUMNS`; the last cell is for the answer."""
    return [
        [one.customer, one.site, one.name, one.circuit, one.reference, one.key, one.asked, ""]
        for part in listed
        for one in part.questions
        if one.key.split(".")[0] != IN_THE_SAFE
    ]


# --- Coming back -----------------------------------------------------------------------------------------

_HEAD = re.compile(r"\(\s*([^/()\n]{1,40})/([^()\n]{1,40}?)\s*\)(?:\s*,\s*circuit\s+([^,\n]+))?", re.IGNORECASE)
_QUOTED = re.compile(r"^[>|\s]+", re.MULTILINE)


def sites_named_in(plans: Mapping[str, SitePlan], text: str) -> dict[str, SitePlan]:
    """The plans, of many, of the sites that a list names in its headings. Raises `TypedError`: it is too long."""
    keys = {site_key(head[1].strip(), head[2].strip()) for head in _HEAD.finditer(_plain_list(text))}
    return {key: plans[key] for key in keys if key in plans}


def _plain_list(text: str) -> str:
    if len(text) > LONGEST_LIST:
        raise TypedError(f"It is {len(text):,} characters long: at most {LONGEST_LIST:,} are read")
    return _QUOTED.sub("", text)


def read_text(plans: Mapping[str, SitePlan], text: str) -> list[Came]:
    """Answers in a list that came back as text, or in letters below its headings. Raises `TypedError`: too long, or no
    heading of a site is in it."""
    plain = _plain_list(text)
    heads = list(_HEAD.finditer(plain))
    if not heads:
        raise TypedError(
            "No site is named in it: keep the headings of the list, such as Dockside (FERN/DOCK), circuit Main"
        )
    came: list[Came] = []
    for place, head in enumerate(heads):
        end = heads[place + 1].start() if place + 1 < len(heads) else len(plain)
        body = plain[head.end() : end].partition("\n")[2]
        if place + 1 < len(heads):
            body = body.rpartition("\n")[0]  # what stands before the next heading's bracket is that site's name
        customer, site = head[1].strip(), head[2].strip()
        plan = plans.get(site_key(customer, site))
        if plan is None:
            came.append(Came(customer, site, "", "", "", f"There is no site {customer}/{site}: has its code changed?"))
            continue
        came += _under(plan, (head[3] or "").strip(), body)
    return twice(came)


def _under(plan: SitePlan, label: str, body: str) -> Iterator[Came]:
    """The answers below one heading."""
    ids = [key for key, circuit in plan.circuits.items() if circuit.label.casefold() == label.casefold()]
    if label and not ids:
        yield Came(plan.customer, plan.site, "", "", "", f"There is no circuit {label}: has it been renamed?")
        return
    if len(ids) > 1:
        problem = (
            f"There are {len(ids)} circuits called {label} at {plan.customer}/{plan.site}: rename one of them first"
        )
        yield Came(plan.customer, plan.site, "", "", "", problem)
        return
    circuit = ids[0] if ids else next(iter(plan.circuits), "") if len(plan.circuits) == 1 else ""
    asked = {_plain(one.question.short): one for one in standing(plan) if one.circuit in ("", circuit)}
    asked |= {_plain(one.question.short): one for one in standing(plan) if one.circuit and one.circuit == circuit}
    rest: list[str] = []
    seen: set[str] = set()
    for line in body.splitlines():
        short, colon, answer = line.partition(":")
        name = _plain(short)
        question = next((q for q in BY_NAME.values() if _plain(q.short) == name), None) if colon else None
        if question is None:
            rest.append(line)
        elif answer.strip():
            key = answer_key(question.name, circuit if question.each else "")
            seen.add(question.name)
            if question.name == IN_THE_SAFE:
                yield Came(plan.customer, plan.site, key, "", "", SAFE_ONLY)
            elif name not in asked and not question.each:
                yield Came(plan.customer, plan.site, key, answer.strip(), "", "It is not asked at this site")
            else:
                yield Came(plan.customer, plan.site, key, answer.strip())
    letter = "\n".join(rest).strip()
    if circuit and any(character.isdigit() for character in letter) and len(letter) <= LONGEST_LETTER:
        try:
            found = read_fragment(plan, circuit, letter).found
        except OctaplanError:
            return
        by_field = {question.field or question.name: question.name for question in BY_NAME.values() if question.each}
        for one in found:
            name = by_field.get(one.field, "")
            if name and name not in seen:
                yield Came(
                    plan.customer,
                    plan.site,
                    answer_key(name, circuit),
                    one.text,
                    "read from a letter",
                    one.problem,
                )


def _plain(text: str) -> str:
    return " ".join(text.casefold().strip(" \t-*•").split())


def read_rows(plans: Mapping[str, SitePlan], rows: Sequence[Mapping[str, str]]) -> list[Came]:
    """Answers in the rows of a table that came back; each a mapping of `COLUMNS`. Rows without an answer are none."""
    came = []
    for number, row in enumerate(rows, 2):
        answer = row.get("answer", "").strip()
        if not answer:
            continue
        customer, site, key = (row.get(name, "").strip() for name in ("customer", "site", "key"))
        plan = plans.get(site_key(customer, site))
        if plan is None:
            problem = f"Row {number}: there is no site {customer}/{site}: has its code been changed?"
            came.append(Came(customer, site, key, answer, "", problem))
            continue
        name, _, circuit = key.partition(".")
        question = BY_NAME.get(name)
        if name == IN_THE_SAFE:
            came.append(Came(plan.customer, plan.site, key, "", "", f"Row {number}: {SAFE_ONLY}"))
            continue
        asked = row.get("question", "").strip()
        if question is None or (circuit and circuit not in plan.circuits):
            problem = f"Row {number}: its key {key or 'is empty and'} names no question here: it has been changed"
            came.append(Came(plan.customer, plan.site, key, answer, "", problem))
            continue
        if asked and _plain(asked) not in (_plain(question.asked), _plain(question.short)):
            problem = (
                f"Row {number}: its key is that of {question.short!r}, and its question reads {asked[:60]!r}: one of "
                "them has been changed"
            )
            came.append(Came(plan.customer, plan.site, key, answer, "", problem))
            continue
        named = row.get("name", "").strip()
        doubt = ""
        if named and named != (plan.name or plan.site):
            doubt = f"Row {number} calls the site {named}, and here it is {plan.name or plan.site}"
        came.append(Came(plan.customer, plan.site, key, answer, doubt))
    return twice(came)


def twice(came: Sequence[Came]) -> list[Came]:
    """The same answers, those marked that stand beside another one for the same question."""
    told: dict[tuple[str, str, str], list[str]] = {}
    for one in came:
        if one.key and not one.problem:
            told.setdefault((one.customer.casefold(), one.site.casefold(), one.key), []).append(one.text)
    marked = []
    for one in came:
        texts = told.get((one.customer.casefold(), one.site.casefold(), one.key), [])
        others = [text for text in dict.fromkeys(texts) if text != one.text]
        if others and not one.problem:
            one = one._replace(doubt=f"It is answered twice, also with {', '.join(others[:3])}")
        marked.append(one)
    return list(dict.fromkeys(marked))
