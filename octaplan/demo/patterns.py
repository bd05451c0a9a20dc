"""The pattern of the demo, and what the demo's providers and customers have answered so far."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta

from octaplan.core.plan.patch import applied
from octaplan.core.plan.questions import BY_NAME, answer_key
from octaplan.core.plan.site import PATTERNS, SitePlan
from octaplan.core.propose.answering import GivenAnswer, take
from octaplan.store.records import Records

BY = "Sabine Oake"

NAME = "Shop with tills"


def _segment(label: str, role: str, vlan: int, subnet: str, **more: object) -> dict[str, object]:
    head = subnet.partition("/")[0].rpartition(".")
    gateway = f"{head[0]}.{int(head[2]) + 1}"
    return {"label": label, "role": role, "vlan": vlan, "subnet": subnet, "gateway": gateway, **more}


def _range(first: str, last: str, lease: int = 28_800, **options: str) -> dict[str, object]:
    return {
        "first": first,
        "last": last,
        "lease": lease,
        "options": {n.removeprefix("o"): t for n, t in options.items()},
    }


#: Segments of a shop in one /23, drawn on example addresses.
SEGMENTS = {
    "offc0": _segment(
        "Office", "office", 10, "10.128.0.128/26", resolvers=["gateway"], expected_hosts=20,
        scope=_range("10.128.0.150", "10.128.0.190"), kept=[{"kind": "printer", "run": "10.128.0.140-10.128.0.145"}],
    ),
    "voic0": _segment(
        "Voice", "voice", 20, "10.128.0.192/27", resolvers=["gateway"], expected_hosts=10,
        scope=_range("10.128.0.200", "10.128.0.222", 86_400, o66="10.128.0.194"),
    ),
    "till0": _segment(
        "Tills", "other", 25, "10.128.0.224/28", resolvers=["gateway"],
        scope={"server": "none"}, kept=[{"kind": "till", "run": "10.128.0.228-10.128.0.238"}],
    ),
    "gues0": _segment(
        "Guest", "guest", 40, "10.128.0.0/25", resolvers=["192.0.2.53", "192.0.2.54"], expected_hosts=80,
        scope=_range("10.128.0.10", "10.128.0.126", 3_600),
    ),
    "came0": _segment(
        "Cameras", "cameras", 30, "10.128.1.0/27", reach="local",
        scope={"server": "none"}, kept=[{"kind": "camera", "run": "10.128.1.4-10.128.1.30"}],
    ),
    "mana0": _segment(
        "Management", "management", 99, "10.128.0.240/28", resolvers=["gateway"],
        scope={"server": "none"},
    ),
}  # fmt: skip

HOSTS = {
    "swit0": ("mana0", "switch 1", "switch", "10.128.0.242"),
    "phon0": ("voic0", "phone system", "phone system", "10.128.0.194"),
    "prin1": ("offc0", "printer 1", "printer", "10.128.0.140"),
    "prin2": ("offc0", "printer 2", "printer", "10.128.0.141"),
    "prin3": ("offc0", "printer 3", "printer", "10.128.0.142"),
    "till1": ("till0", "till 1", "till", "10.128.0.228"),
    "till2": ("till0", "till 2", "till", "10.128.0.229"),
}


def pattern() -> SitePlan:
    """The demo's pattern."""
    hosts = {k: dict(zip(("segment", "name", "kind", "address"), host, strict=True)) for k, host in HOSTS.items()}
    return SitePlan.model_validate(
        {
            "schema": "octaplan.site-plan/2",
            "customer": PATTERNS,
            "site": "shop-with-tills",
            "name": NAME,
            "reach_groups": [],
            "segments": SEGMENTS,
            "hosts": hosts,
        }
    )


def load(records: Records) -> None:
    """Put the pattern into the demo's records, and make its first version."""
    made = pattern()
    records.patterns.plans.save_all([made], BY, "Made")
    records.patterns.publish(made.site, 1, "as the first shops were built", BY)


#: What has been answered, by site: who told it, whether it is confirmed, and the answers, each with the words of it.
ANSWERED = {
    "fern/dock": [
        ("Northlight Fibre, e-mail", True, {"gateway": ("203.0.113.49", "Gateway is 203.0.113.49"),
                                            "vlan": ("none", "untagged")}),
        ("Ada Fennimore, phone", False, {"place": ("cabinet behind the tills", ""), "replaces": ("none", ""),
                                         "hours": ("Mon–Sat 8–18", "")}),
    ],
    "paws/heron": [
        ("Gannet Broadband, phone", True, {"vlan": ("none", ""), "routed_blocks": ("none", ""),
                                           "modem_subnet": ("none", "the line ends at a media converter"),
                                           "speed": ("300 down, 100 up", ""), "support": ("01632 960 171", "")}),
        ("Dr Wren Abbot, phone", True, {"replaces": ("none", "a new branch"), "dns_server": ("none", ""),
                                        "dhcp_server": ("none", ""), "remote_access": ("none", ""),
                                        "phone_provisioning": ("none", "the phones are set by hand"),
                                        "place": ("comms cupboard by the back door", ""),
                                        "hours": ("Mon–Sat 8–19", "")}),
        ("Ines Aldering", True, {"licences": ("none", "")}),
    ],
    "libr/canal": [
        ("Northlight Fibre, e-mail", True, {"vlan": ("none", ""), "routed_blocks": ("none", ""),
                                            "modem_subnet": ("none", ""), "speed": ("100 down, 40 up", ""),
                                            "support": ("01632 960 163", "")}),
        ("Odile Marsh, e-mail", True, {"replaces": ("none", ""), "dns_server": ("none", ""),
                                       "dhcp_server": ("none", ""), "phone_provisioning": ("none", ""),
                                       "remote_access": ("none", ""),
                                       "place": ("office behind the desk", ""), "hours": ("Tue–Sat 9–18", "")}),
        ("Ines Aldering", True, {"licences": ("none", "")}),
    ],
    "libr/weir": [("Odile Marsh, e-mail", True, {"dns_server": ("none", "we have no server here"),
                                                 "phone_system": ("none", "")})],
}  # fmt: skip


def answered(plan: SitePlan, today: date) -> SitePlan:
    """A plan of the demo with what has been answered so far."""
    at = datetime.combine(today - timedelta(days=2), time(10, 30), UTC)
    for source, confirmed, answers in ANSWERED.get(plan.key, []):
        first = next(iter(plan.circuits), "")
        given = [
            GivenAnswer(answer_key(name, first if BY_NAME[name].each else ""), text, words)
            for name, (text, words) in answers.items()
        ]
        plan = applied(plan, take(plan, given, BY, at, source=source, confirmed=confirmed).operations)
    return plan
