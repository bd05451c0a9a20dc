"""What may be pasted at the bench, good and bad: kind, expected value, outcome, recorded value (or none, when it is
refused), and the text.

Counts and answers are made from a small grammar of words, order, case and language, so that they are shapes of our own;
what people type by hand stands as it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from typing import NamedTuple

GATEWAY = "203.0.113.17"
OTHER = "203.0.113.18"
SIX = "2001:db8:61::1"
RANGE = "10.61.4.60–10.61.4.199"
SERVER = "10.61.4.1"
NAME = "www.example"

#: What was sent, what came and what was lost, by language.
COUNTED = (("sent", "received", "lost"), ("transmitted", "returned", "missing"), ("probes", "answered", "unanswered"),
           ("gesendet", "empfangen", "verloren"), ("envoyés", "reçus", "perdus"), ("enviados", "recibidos", "perdidos"),
           ("inviati", "ricevuti", "persi"))  # fmt: skip
#: How a number stands with its word.
PAIRS = ("{n} {word}", "{word}: {n}", "{word}={n}", "{word} {n}")
BETWEEN = (", ", "; ", "\n")
CASES = (str.lower, str.title, str.upper)

#: How many were sent and came, and what that is.
COUNTS = ((4, 4, "good"), (5, 4, "good"), (4, 2, "odd"), (10, 7, "odd"), (3, 0, "bad"), (2, 3, "bad"))

#: One reply, and one that did not come.
REPLIED = (
    "answer from {who} after 3 ms",
    "Reply by {who} in 0.4 ms",
    "Antwort von {who}: 12 ms",
    "{n}. réponse de {who}, 7 ms",
)
SILENT = ("probe {n} timed out", "{n}: no answer", "Keine Antwort auf {n}", "sans réponse ({n})")
ELSEWHERE = ("{who} says: unreachable", "from {who}: hops exceeded after {n}", "{n} filtered, says {who}")


class Output(NamedTuple):
    kind: str
    expect: str
    outcome: str
    value: str
    text: str


def counted() -> Iterator[Output]:
    """Counts of replies in every order, case and language."""
    for words, pair, between, case in product(COUNTED, PAIRS, BETWEEN, CASES):
        for sent, came, outcome in COUNTS:
            said = {words[0]: sent, words[1]: came}
            if came <= sent:
                said[words[2]] = sent - came
            text = between.join(pair.format(n=n, word=case(word)) for word, n in said.items())
            yield Output("ping", GATEWAY, outcome, f"{came} of {sent} replies", text)
    for words, pair in product(COUNTED, PAIRS[1:]):
        text = f"to {GATEWAY} " + ", ".join(pair.format(n=n, word=word) for word, n in ((words[1], 3), (words[0], 4)))
        yield Output("ping", GATEWAY, "good", "3 of 4 replies", text)
        yield Output("ping", OTHER, "bad", "3 of 4 replies", text)


def fractions() -> Iterator[Output]:
    """Counts as one number among another."""
    for shape, (sent, came, outcome) in product(
        ("{}/{}", "{} of {}", "{} out of {}", "{} von {}", "{} sur {}", "{} / {} came"), COUNTS[:5]
    ):
        for frame in ("{}", "{} replies", "to the gateway: {}", "{} (each 1/2/4 ms)"):
            yield Output("ping", "", outcome, f"{came} of {sent} replies", frame.format(shape.format(came, sent)))


def line_by_line() -> Iterator[Output]:
    """What was stopped before it was counted, or has each reply before its count."""
    for replied, silent, elsewhere in product(REPLIED, SILENT, ELSEWHERE):

        def lines(*which: str, who: str = GATEWAY) -> str:
            return "\n".join(shape.format(n=n, who=who) for n, shape in enumerate(which, 1))

        yield Output("ping", GATEWAY, "good", "3 of 3 replies", lines(replied, replied, replied))
        yield Output("ping", SIX, "good", "2 of 2 replies", lines(replied, replied, who=SIX))
        yield Output("ping", GATEWAY, "good", "2 of 3 replies", lines(silent, replied, replied))
        yield Output("ping", GATEWAY, "odd", "1 of 2 replies", lines(replied, silent))
        yield Output("ping", GATEWAY, "bad", "0 of 2 replies", lines(silent, silent))
        yield Output("ping", OTHER, "bad", "2 of 2 replies", lines(replied, replied))
        falsely = lines(elsewhere, elsewhere, who="10.61.4.9") + "\n2 sent, 2 received"
        yield Output("ping", "", "bad", "0 of 2 replies", falsely)
        yield Output("ping", GATEWAY, "good", "2 of 2 replies", f"{lines(replied, replied)}\n2 sent, 2 received")
        yield Output(
            "ping",
            GATEWAY,
            "bad",
            "2 of 2 replies",
            f"{lines(replied, replied, replied)} (a duplicate)\n2 sent, 2 received",
        )


def typed() -> Iterator[Output]:
    """What people write by hand."""
    for text in ("unknown host dns.example", "the name was not found", "cannot resolve dns.example", "host is not known here",
                 "could not find dns.example", "Failed to resolve it"):  # fmt: skip
        yield Output("ping", "", "bad", "no name", text)
    for text in ("0/0", "0 transmitted, 0 received", "works", "time 0.4 ms", "fine"):
        yield Output("ping", GATEWAY, "refused", "", text)
    for text in ("network is unreachable", "no route", "general failure"):
        yield Output("ping", "", "bad", "0 of 1 replies", text)
    for text, passes, silent in (("it answers", "good", "bad"), ("timed out", "bad", "good"), ("no answer", "bad", "good"),
                                 ("connection refused", "bad", "good"), ("4/5", "good", "bad"), ("0/5", "bad", "good"),
                                 ("port filtered", "bad", "good"), ("reached", "good", "bad")):  # fmt: skip
        yield Output("passes", "", passes, text, text)
        yield Output("silent", "", silent, text, text)


def lookups() -> Iterator[Output]:
    """Answers of name servers, with and without the server that was asked."""
    heads = (
        "",
        f"asked {SERVER}#53\n",
        f"Resolver: {SERVER}\n",
        f"server box.example\n  at {SERVER}\n\n",
        f"via resolver {SERVER} port 53: ",
    )
    answers = ("{name} is {to}", "{name} -> {to}", "{name} 300 {to}", "name: {name}\naddress: {to}", "{to}")
    for head, answer, to in product(heads, answers, ("192.0.2.7", "2001:db8::7")):
        text = head + answer.format(name=NAME, to=to)
        yield Output("lookup", "", "good", to, text)
        yield Output("lookup", to, "good", to, text)
        yield Output("lookup", "198.51.100.7", "bad", to, text)
    failures = ("NXDOMAIN", "status SERVFAIL", "REFUSED", "timed out", "could not find it", "no such name: not found", "answers: 0",
                "0 answers", "no server could be reached: unreachable", "the query failed", "no response")  # fmt: skip
    for head, failure, case in product(heads, failures, (str, str.upper)):
        yield Output("lookup", "", "bad", "not found", f"{head}{NAME}: {case(failure)}")
    for head in heads[1:]:
        yield Output("lookup", "", "bad", "no answer", head)
    yield Output("lookup", "", "good", "found", "ok")
    yield Output("lookup", "", "refused", "", "fine, I think")


def leases() -> Iterator[Output]:
    """The laptop's address, alone and among others."""
    shapes = ("{own}", "{own}/24", "address {own}, mask 255.255.255.0, gateway 10.61.4.100", "own={own} broadcast=10.61.4.199",
              "port e1: up, {own}/24 brd 10.61.4.199\nport lo: 127.0.0.1/8", "leased {own} by dhcp server 10.61.4.100",
              "IPv4 {own}\nsubnet mask: 255.255.255.0\ndns servers: 10.61.4.99\nfe80::40:8ff:fe00:1")  # fmt: skip
    for shape, case in product(shapes, (str, str.upper, str.title)):
        for own, outcome in (("10.61.4.60", "good"), ("10.61.4.199", "good"), ("10.61.4.200", "bad"), ("192.168.1.77", "bad"),
                             ("169.254.83.107", "bad")):  # fmt: skip
            yield Output("lease", RANGE, outcome, own, case(shape.format(own=own)))
    for text in ("none", "looking for a server at 255.255.255.255", "lo 127.0.0.1/8", "gateway: 10.61.4.100"):
        yield Output("lease", RANGE, "refused", "", text)


OTHERS = (
    Output("firmware", "4.8.2", "good", "4.8.2", "4.8.2"),
    Output("firmware", "4.8.2", "good", "Version v4.8.2 (build 7)", "Version v4.8.2 (build 7)"),
    *(Output("firmware", "4.8.2", "odd", other, other)
      for other in ("14.8.21", "4.8.21", "14.8.2", "4.8.2.1", "4.8.2-rc1", "2.4.8.2")),
    Output("light", "steady green", "good", "Steady green", "Steady green"),
    Output("light", "steady green", "bad", "not green", "not green"),
    Output("light", "steady green", "bad", "no light", "no light"),
    Output("light", "off", "good", "off", "off"),
    Output("light", "", "odd", "blinking amber", "blinking amber"),
    Output("yes", "", "good", "it works", "it works"),
    Output("yes", "", "bad", "it doesn't open", "it doesn't open"),
    Output("yes", "", "bad", "not ok", "not ok"),
    Output("yes", "", "bad", "connection refused", "connection refused"),
    Output("text", "BW5-20932", "good", "BW5-20932", "S/N: bw5-20932"),
    Output("text", "BW5-20932", "bad", "BW5-209321", "BW5-209321"),
    Output("mac", "", "good", "02:40:08:aa:bb:cc", "MAC: 02-40-08-AA-BB-CC"),
    Output("mac", "02:40:08:aa:bb:cc", "bad", "02:40:08:aa:bb:cd", "0240.08aa.bbcd"),
)  # fmt: skip

OUTPUTS = [*counted(), *fractions(), *line_by_line(), *typed(), *lookups(), *leases(), *OTHERS]
