"""The questions of the intake: what must be known before a site can be planned, whom one asks, and what is open.

Which questions apply follows from the answers. An answer whose value is a field of the plan stands there; the others
stand in the plan's answers. Who answered what, when and in which words stands beside both.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from enum import StrEnum
from typing import Any, NamedTuple

from octaplan.core.plan.fields import FIELDS
from octaplan.core.plan.site import Answer, Circuit, Handoff, SitePlan

#: What people write when there is no such thing.
NONE = "none"
_NONES = frozenset({"none", "no", "nothing", "-", "–", "n/a", "not needed", "no such thing"})


class Whom(StrEnum):
    """Who is asked."""

    PROVIDER = "provider"
    CUSTOMER = "customer"
    OFFICE = "office"


class State(StrEnum):
    """How far a question is. `departed`: the plan says something else than what was confirmed."""

    OPEN = "open"
    GIVEN = "given"
    CONFIRMED = "confirmed"
    DEPARTED = "departed"


class Question(NamedTuple):
    """One question about a site, or about one of its circuits. `planned` is what answers it in the plan, when nobody
    has said anything: a phone system that is a host there."""

    name: str
    whom: Whom
    asked: str
    called: str = ""
    field: str = ""
    each: bool = False
    needed: bool = False
    optional: bool = False
    choices: tuple[str, ...] = ()
    applies: Callable[[Asked], bool] = lambda asked: True
    planned: Callable[[SitePlan], str] = lambda plan: ""

    @property
    def short(self) -> str:
        """What it is about in a word or two: for a value of the plan what sentences call that."""
        return self.called or FIELDS["circuits" if self.each else "site"][self.field].words


class Asked(NamedTuple):
    """A plan, and the circuit that a question is about."""

    plan: SitePlan
    key: str = ""

    @property
    def circuit(self) -> Circuit:
        return self.plan.circuits[self.key]

    def answered(self, name: str) -> str:
        """What was answered to another question, in small letters; empty while it is open."""
        answer = self.plan.answers.get(answer_key(name, self.key))
        return answer.text.casefold() if answer else ""

    def there(self, name: str) -> bool:
        """Whether another question was answered with something that is there."""
        said = self.answered(name) or BY_NAME[name].planned(self.plan)
        return said not in ("", NONE)


class Standing(NamedTuple):
    """One question as it stands at a site. `value` is what the plan says; `answer` who said so, where that is known.

    `path` is the place in the plan where the value is kept.
    """

    key: str
    question: Question
    circuit: str
    path: str
    state: State
    value: str
    answer: Answer | None


def answer_key(name: str, circuit: str = "") -> str:
    """The key of an answer in a plan: `contact`, or `vlan.k3f9q` for a question about a circuit."""
    return f"{name}.{circuit}" if circuit else name


def _handed(*handoffs: Handoff) -> Callable[[Asked], bool]:
    return lambda asked: asked.circuit.handoff in handoffs


_LINE = (Handoff.STATIC, Handoff.PPPOE, Handoff.DHCP)


def _second(asked: Asked) -> bool:
    return asked.circuit.address6 is not None or asked.circuit.gateway6 is not None


def _phone_system(plan: SitePlan) -> str:
    """The address of a phone system that is planned."""
    named = (h for h in plan.hosts.values() if "phone system" in f"{h.kind or ''} {h.name}".casefold())
    return next((str(host.address) for host in named if host.address is not None), "")


#: All questions, in the order one asks them.
QUESTIONS: tuple[Question, ...] = (
    Question(
        "lines",
        Whom.CUSTOMER,
        "Which lines to the internet does the site have, and from whom?",
        "lines",
        applies=lambda asked: not asked.plan.circuits,
    ),
    Question("provider", Whom.CUSTOMER, "Who is the provider of the line?", field="provider", each=True),
    Question(
        "handoff",
        Whom.PROVIDER,
        "How is the internet handed off: a fixed address, PPPoE or DHCP?",
        field="handoff",
        each=True,
        needed=True,
        choices=tuple(Handoff),
    ),
    Question(
        "address",
        Whom.PROVIDER,
        "Which address is the site's own?",
        field="address",
        each=True,
        needed=True,
        applies=_handed(Handoff.STATIC),
    ),
    Question(
        "prefix",
        Whom.PROVIDER,
        "Which mask goes with it?",
        field="prefix",
        each=True,
        needed=True,
        applies=_handed(Handoff.STATIC),
    ),
    Question(
        "gateway",
        Whom.PROVIDER,
        "Which address is the provider's gateway?",
        field="gateway",
        each=True,
        needed=True,
        applies=_handed(Handoff.STATIC),
    ),
    Question(
        "resolvers",
        Whom.PROVIDER,
        "Which resolvers are to be used?",
        field="resolvers",
        each=True,
        needed=True,
        applies=_handed(Handoff.STATIC),
        optional=True,
    ),
    Question(
        "address6",
        Whom.PROVIDER,
        "Which IPv6 address is the site's own?",
        field="address6",
        each=True,
        needed=True,
        applies=_second,
    ),
    Question(
        "prefix6",
        Whom.PROVIDER,
        "Which IPv6 mask goes with it?",
        field="prefix6",
        each=True,
        needed=True,
        applies=_second,
    ),
    Question(
        "gateway6",
        Whom.PROVIDER,
        "Which IPv6 address is the provider's gateway?",
        field="gateway6",
        each=True,
        needed=True,
        applies=_second,
    ),
    Question(
        "pppoe_user",
        Whom.PROVIDER,
        "Which PPPoE user name does the line sign in with?",
        field="pppoe_user",
        each=True,
        needed=True,
        applies=_handed(Handoff.PPPOE),
    ),
    Question(
        "pppoe_password",
        Whom.PROVIDER,
        "Which PPPoE password? It goes into the safe, never into the plan",
        "PPPoE password",
        each=True,
        applies=_handed(Handoff.PPPOE),
    ),
    Question(
        "vlan",
        Whom.PROVIDER,
        "Does the line need a VLAN tag, and which?",
        field="vlan",
        each=True,
        optional=True,
        applies=_handed(*_LINE),
    ),
    Question(
        "routed_blocks",
        Whom.PROVIDER,
        "Is an extra block routed to the site?",
        "extra routed block",
        "routed_blocks",
        each=True,
        optional=True,
        applies=_handed(Handoff.STATIC, Handoff.PPPOE),
    ),
    Question(
        "modem_subnet",
        Whom.PROVIDER,
        "Does a modem of the provider stay in front, and which subnet does it have inside?",
        field="modem_subnet",
        each=True,
        optional=True,
        applies=_handed(*_LINE),
    ),
    Question(
        "bridge",
        Whom.PROVIDER,
        "Can that modem be bridged?",
        "bridged",
        each=True,
        choices=("yes", "no"),
        applies=lambda asked: asked.circuit.modem_subnet is not None,
    ),
    Question("speed", Whom.PROVIDER, "How fast is the line, down and up?", "speed", each=True, applies=_handed(*_LINE)),
    Question("reference", Whom.PROVIDER, "Under which reference is the circuit known?", field="reference", each=True),
    Question(
        "support",
        Whom.PROVIDER,
        "Which number is rung when the line is down?",
        "support number",
        "fault_number",
        each=True,
    ),
    Question("replaces", Whom.CUSTOMER, "Is a box replaced, and which?", "replaced box", optional=True, choices=()),
    Question(
        "survive",
        Whom.CUSTOMER,
        "Which addresses of the old box must survive?",
        "addresses that survive",
        optional=True,
        applies=lambda asked: asked.there("replaces"),
    ),
    Question(
        "dns_server",
        Whom.CUSTOMER,
        "Is there an own DNS or directory server, and at which address?",
        "own DNS server",
        optional=True,
    ),
    Question(
        "dns_domain",
        Whom.CUSTOMER,
        "Which domain does that server answer for?",
        "inside domain",
        applies=lambda asked: asked.there("dns_server"),
    ),
    Question(
        "dhcp_server",
        Whom.CUSTOMER,
        "Does an own server do DHCP, and at which address?",
        "own DHCP server",
        optional=True,
    ),
    Question(
        "phone_system",
        Whom.CUSTOMER,
        "Is there a phone system, and at which address?",
        "phone system",
        optional=True,
        planned=_phone_system,
    ),
    Question(
        "phone_provisioning",
        Whom.CUSTOMER,
        "From which address do the phones fetch their settings?",
        "phone provisioning",
        optional=True,
        applies=lambda asked: asked.there("phone_system"),
    ),
    Question("remote_access", Whom.CUSTOMER, "Who needs remote access, and to what?", "remote access", optional=True),
    Question("place", Whom.CUSTOMER, "Where will the box stand?", "place of the box"),
    Question("contact", Whom.CUSTOMER, "Who is the contact at the site?", field="contact"),
    Question("hours", Whom.CUSTOMER, "When is the site open?", "opening hours"),
    Question(
        "time_zone",
        Whom.OFFICE,
        "Which time zone is the site in? That of its place, never the bench's",
        field="time_zone",
    ),
    Question("licences", Whom.OFFICE, "Which licences are there, and are they activated?", "licences", optional=True),
    Question("ship_date", Whom.OFFICE, "When does it ship?", field="ship_date"),
    Question("technician", Whom.OFFICE, "Who stages it?", field="technician"),
)

#: Fields whose values older plans keep as answers alone.
ONCE_ANSWERS = frozenset({"fault_number"})

BY_NAME = {question.name: question for question in QUESTIONS}

#: Held in the safe, so that its answer never is in a plan.
IN_THE_SAFE = "pppoe_password"


def fault_number(plan: SitePlan, circuit: str) -> str:
    """The number that is rung when a circuit is down; empty: not known."""
    answer = plan.answers.get(answer_key("support", circuit))
    return plan.circuits[circuit].fault_number or (answer.text if answer else "")


def is_none(text: str) -> bool:
    """Whether an answer says that there is no such thing."""
    return text.strip().casefold().rstrip(".") in _NONES


def standing(plan: SitePlan, safe: Callable[[str], bool] | None = None) -> list[Standing]:
    """Every question that applies to a site, in the order one asks: those of each circuit stand together.

    `safe` tells whether the safe holds a secret at a path; without it such a question counts as open.
    """
    return list(_standing(plan, safe))


def _standing(plan: SitePlan, safe: Callable[[str], bool] | None) -> Iterator[Standing]:
    for key in plan.circuits:
        for question in QUESTIONS:
            if question.each and question.applies(Asked(plan, key)):
                yield _stands(plan, question, key, safe)
    for question in QUESTIONS:
        if not question.each and question.applies(Asked(plan)):
            yield _stands(plan, question, "", safe)


def _stands(plan: SitePlan, question: Question, circuit: str, safe: Callable[[str], bool] | None) -> Standing:
    key = answer_key(question.name, circuit)
    answer = plan.answers.get(key)
    if question.name == IN_THE_SAFE:
        path = f"/safe/circuits/{circuit}/pppoe"
        kept = safe is not None and safe(f"circuits/{circuit}/pppoe")
        state = State.GIVEN if kept else State.OPEN
        return Standing(key, question, circuit, path, state, "in the safe" if kept else "", None)
    if question.field:
        path = f"/circuits/{circuit}/{question.field}" if circuit else f"/{question.field}"
        value = value_text(getattr(plan.circuits[circuit] if circuit else plan, question.field))
        if not value and answer is not None and (answer.text == NONE or question.field in ONCE_ANSWERS):
            value = answer.text
    else:
        path = f"/answers/{key}"
        value = answer.text if answer else question.planned(plan)
        if question.name == "survive" and plan.survivors:
            value = ", ".join(survivor.value for survivor in plan.survivors.values())
    if answer is not None and answer.confirmed:
        return Standing(
            key, question, circuit, path, State.CONFIRMED if value == answer.text else State.DEPARTED, value, answer
        )
    return Standing(key, question, circuit, path, State.GIVEN if value else State.OPEN, value, answer)


def value_text(value: Any) -> str:
    """A value of a plan as an answer says it."""
    if value is None:
        return ""
    if isinstance(value, list):
        return " ".join(map(str, value))
    return str(value)


def owed(plan: SitePlan, key: str) -> list[str]:
    """What the provider of a circuit still has to answer before the site can be planned, in short words."""
    return [
        question.short if question.name != "handoff" else "how it is handed off"
        for question in QUESTIONS
        if question.each
        and question.needed
        and question.applies(Asked(plan, key))
        and _stands(plan, question, key, None).state is State.OPEN
    ]


def left_open(standings: Iterable[Standing]) -> dict[Whom, list[Standing]]:
    """The questions that are open, by whom to ask."""
    by_whom: dict[Whom, list[Standing]] = {whom: [] for whom in Whom}
    for one in standings:
        if one.state is State.OPEN:
            by_whom[one.question.whom].append(one)
    return by_whom
