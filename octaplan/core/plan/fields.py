"""What is said of each field of a plan, once: how it is read, written, labelled, explained, asked for and compared.

Readers of tables and screens, columns and notes of workbooks, sentences of revisions, questions of the
intake and the labels of pages (`make api` writes them down) all follow from these entries.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum
from typing import Any, NamedTuple

from octaplan.core.plan.device import Band, DeviceRole, Security
from octaplan.core.plan.site import MOST_PRIORITY, Attachment, Handoff, Method, Reach, SegmentRole
from octaplan.core.values.addresses import parse_address, parse_mac, parse_mask, parse_network
from octaplan.core.values.dhcpoptions import read_dhcp_options
from octaplan.core.values.readers import (
    Reader,
    choice,
    lease_text,
    read_address_and_mask,
    read_addresses,
    read_country,
    read_date,
    read_domain,
    read_excluded,
    read_groups,
    read_host_name,
    read_ipv6,
    read_ipv6_network,
    read_kept,
    read_lease,
    read_macs,
    read_names,
    read_networks,
    read_resolvers,
    read_server,
    read_ssid,
    read_time_zone,
    read_vlan,
    read_yes,
    text_of,
    whole,
)


class Form(StrEnum):
    """How a value is written, in a cell or a field; empty when it is not known."""

    PLAIN = "plain"
    WORDS = "words"  # several, with spaces
    PARTS = "parts"  # several, with semicolons
    MASK = "mask"  # /29
    LEASE = "lease"  # 8h
    RUNS = "runs"  # printer 10.40.8.200-10.40.8.219
    OPTIONS = "options"  # 66 10.40.8.9


class Column(NamedTuple):
    """The column of an intake table.

    `read` is given where a cell says something else than the field alone holds; `repeats` where the same few values
    come again and again, so that what was read is worth remembering.
    """

    name: str = ""
    note: str = ""
    read: Reader | None = None
    repeats: bool = False


class PlanField(NamedTuple):
    """One field. `name` is its place in its member (`scope/lease`), `label` what pages call it.

    `said` is what sentences call it, the label in small letters when left out. `usual` is the value that an empty cell
    stands for, `none` how it is written that there are none of several. A field that is not `typed` has no input of its
    own.
    """

    name: str
    label: str
    read: Reader
    said: str = ""
    form: Form = Form.PLAIN
    needed: bool = False
    usual: str = ""
    none: str = ""
    choices: Mapping[str, str] = {}
    hint: str = ""
    column: Column | None = None
    typed: bool = True

    @property
    def words(self) -> str:
        """What sentences call it."""
        initial = self.label[:1] if self.label[1:2].isupper() else self.label[:1].lower()
        return self.said or initial + self.label[1:]

    @property
    def empty(self) -> Any:
        """What the plan holds when nothing is known."""
        if self.form in (Form.WORDS, Form.PARTS, Form.RUNS) and not self.none:
            return []
        return {} if self.form is Form.OPTIONS else None

    def value_in(self, member: Any) -> Any:
        """The field's value in a part of a plan."""
        for part in self.name.split("/"):
            member = getattr(member, part)
        return member

    def write(self, value: Any) -> str:
        """A value as the cell of a table says it, so that it reads back."""
        if value is None or str(value) == self.usual:
            return ""
        match self.form:
            case Form.WORDS:
                return " ".join(map(str, value))
            case Form.PARTS:
                return "; ".join(getattr(one, "typed", str(one)) for one in value) or self.none
            case Form.LEASE:
                return lease_text(value)
            case Form.RUNS:
                return "; ".join(f"{keep.kind} {keep.run.typed}" for keep in value)
            case Form.OPTIONS:
                return "; ".join(f"{number} {text}" for number, text in value.items())
        return str(value)


def _network(cell: str) -> Any:
    return parse_network(cell)[0]


def _networks(cell: str) -> list[Any]:
    return [network for _, network, _ in read_networks(cell)]


def _ipv6_mask(cell: str) -> int:
    return parse_mask(cell, 6)


def _kind(kind: Iterable[StrEnum]) -> dict[str, str]:
    return {str(value): str(value) for value in kind}


SITE_FIELDS = (
    PlanField("name", "Name", text_of(200), column=Column(note="what people call it")),
    PlanField("street", "Street", text_of(200), column=Column()),
    PlanField("time_zone", "Time zone", read_time_zone, column=Column(note="IANA name, such as `Europe/Paris`")),
    PlanField("ship_date", "Ship date", read_date, column=Column(note="ISO, such as `2027-03-04`", repeats=True)),
    PlanField("contact", "Contact", text_of(200), column=Column()),
    PlanField("technician", "Technician", text_of(200), column=Column()),
    PlanField(
        "reach_groups",
        "Reach groups",
        read_groups,
        form=Form.PARTS,
        none="-",
        column=Column(
            "reach_group", "empty: a group named after the customer; `-`: none; several with `;`", read_groups
        ),
    ),
    PlanField(
        "delegated_prefix",
        "IPv6 prefix",
        read_ipv6_network,
        column=Column(note="the site's IPv6 prefix, such as `2001:db8:40::/48`"),
    ),
)

CIRCUIT_FIELDS = (
    PlanField("label", "Name", text_of(80), needed=True),
    PlanField(
        "handoff",
        "Hand-off",
        choice(Handoff),
        choices={"static": "fixed address", "pppoe": "PPPoE", "dhcp": "DHCP"},
        column=Column(note="`static`, `pppoe` or `dhcp`", repeats=True),
    ),
    PlanField(
        "address",
        "Own address",
        parse_address,
        said="address",
        column=Column(note="the site's own address; a mask may follow, `203.0.113.18/29`", read=str.strip),
    ),
    PlanField(
        "prefix",
        "Mask",
        parse_mask,
        form=Form.MASK,
        column=Column(note="`29`, `/29` or `255.255.255.248`", read=str.strip),
    ),
    PlanField(
        "gateway",
        "Provider's gateway",
        parse_address,
        said="gateway",
        column=Column(note="the provider's"),
    ),
    PlanField(
        "resolvers",
        "Resolvers",
        read_addresses,
        form=Form.WORDS,
        column=Column("dns", "resolvers, several with space or `;`"),
    ),
    PlanField(
        "vlan",
        "VLAN tag",
        read_vlan,
        column=Column(note="the tag that the provider expects, 1–4094", repeats=True),
    ),
    PlanField(
        "routed_blocks",
        "Routed blocks",
        _networks,
        form=Form.PARTS,
        column=Column("routed_block", "subnets, several with `;`", read_networks),
    ),
    PlanField(
        "pppoe_user",
        "PPPoE user",
        text_of(200),
        column=Column(),
    ),
    PlanField(
        "provider",
        "Provider",
        text_of(200),
        column=Column(),
    ),
    PlanField(
        "reference",
        "Reference",
        text_of(200),
        column=Column(),
    ),
    PlanField("fault_number", "Fault number", text_of(60), column=Column(note="rung when the line is down")),
    PlanField(
        "priority",
        "Used first, second, … (1 is first)",
        whole(0, MOST_PRIORITY, "Priority"),
        said="priority",
        column=Column(note="1 is used first", repeats=True),
    ),
    PlanField(
        "vrf",
        "VRF",
        text_of(80),
        needed=True,
        usual="main",
        column=Column(note="routing table that it is in (empty: `main`)"),
    ),
    PlanField(
        "address6",
        "Own IPv6 address",
        read_ipv6,
        said="IPv6 address",
        column=Column(
            note="the site's own IPv6 address beside an IPv4 one; a mask may follow, `2001:db8:9::2/64`",
            read=read_address_and_mask,
        ),
    ),
    PlanField("prefix6", "IPv6 mask", _ipv6_mask, form=Form.MASK, column=Column(note="`64` or `/64`")),
    PlanField(
        "gateway6",
        "Provider's IPv6 gateway",
        read_ipv6,
        said="IPv6 gateway",
        column=Column(note="the provider's; it may be link-local, `fe80::1`"),
    ),
    PlanField(
        "modem_subnet",
        "Inside subnet of the modem that stays in front",
        _network,
        said="modem's inside",
        column=Column(
            note="inside subnet of the provider's modem, or of a box that stays in front of the edge",
            read=parse_network,
        ),
    ),
    PlanField(
        "mtu",
        "MTU",
        whole(576, 9216, "MTU"),
        column=Column(note="the largest packet that the line takes, in bytes, such as `1492`", repeats=True),
    ),
    PlanField("uses", "Use of addresses", text_of(200), typed=False),
)

SEGMENT_FIELDS = (
    PlanField("label", "Name", text_of(80), needed=True),
    PlanField(
        "role",
        "Role",
        choice(SegmentRole),
        needed=True,
        choices=_kind(SegmentRole),
        column=Column(
            note="`office`, `voice`, `guest`, `cameras`, `servers`, `management`, `wireless`, "
            "`transit`, `isolated` or `other` (empty: `other`)",
            repeats=True,
        ),
    ),
    PlanField("vlan", "VLAN", read_vlan, column=Column(note="1–4094", repeats=True)),
    PlanField(
        "vrf",
        "VRF",
        text_of(80),
        needed=True,
        usual="main",
        column=Column(note="routing table (empty: `main`)"),
    ),
    PlanField(
        "reach",
        "Reach",
        choice(Reach),
        choices={"group": "group: other sites reach it", "local": "local: nobody else does"},
        column=Column(note="`group` or `local` (empty: `local` for guests, `group` for all others)", repeats=True),
    ),
    PlanField(
        "subnet",
        "Subnet",
        _network,
        hint="10.40.8.0/24 or next /24",
        column=Column(note="`10.40.8.0/24` or `10.40.8.0 255.255.255.0`", read=parse_network),
    ),
    PlanField("gateway", "Gateway", parse_address, hint="first, last or .1", column=Column()),
    PlanField("scope/first", "Range start", parse_address, column=Column("dhcp_first"), typed=False),
    PlanField("scope/last", "Range end", parse_address, column=Column("dhcp_last", read=parse_address), typed=False),
    PlanField(
        "scope/excluded",
        "Excluded from the range",
        read_excluded,
        said="excluded",
        form=Form.PARTS,
        column=Column("dhcp_excluded", "`10.40.8.50; 10.40.8.60-10.40.8.69`", read_excluded),
    ),
    PlanField(
        "scope/server",
        "DHCP served by",
        read_server,
        said="DHCP server",
        usual="edge",
        column=Column("dhcp_server", "empty: the edge; `none`; or the address of another server"),
    ),
    PlanField(
        "scope/lease",
        "Lease",
        read_lease,
        form=Form.LEASE,
        column=Column("lease", "`8h`, `1d`, or seconds", repeats=True),
    ),
    PlanField(
        "resolvers",
        "Resolvers handed out",
        read_resolvers,
        said="resolvers",
        form=Form.WORDS,
        column=Column("dns", "`gateway` and addresses, several with space or `;`"),
    ),
    PlanField("domain", "Domain", read_domain, column=Column()),
    PlanField("expected_hosts", "Expected hosts", whole(0, 1 << 32, "Number of hosts"), column=Column(repeats=True)),
    PlanField(
        "subnet6",
        "IPv6 subnet",
        read_ipv6_network,
        hint="next, or a number",
        column=Column(
            note="an IPv6 subnet beside an IPv4 one, or the number of a /64 in the site's prefix, in "
            "hexadecimal as it stands in the address: `20` in `2001:db8:40::/48` is "
            "`2001:db8:40:20::/64`",
            read=str.strip,
        ),
    ),
    PlanField("gateway6", "IPv6 gateway", read_ipv6, column=Column()),
    PlanField(
        "kept",
        "Addresses kept for a kind of host",
        read_kept,
        said="kept runs",
        form=Form.RUNS,
        hint="printer .200-.219",
        column=Column(
            note="runs kept for kinds of hosts: `printer 10.40.8.200-10.40.8.219; camera 10.40.8.220 + 20`",
            read=read_kept,
        ),
    ),
    PlanField(
        "scope/options",
        "Further DHCP options",
        read_dhcp_options,
        said="DHCP options",
        form=Form.OPTIONS,
        column=Column("options", "DHCP options by number (RFC 2132): `66 10.40.8.9; 42 192.0.2.123`"),
    ),
)

HOST_FIELDS = (
    PlanField("name", "Name", text_of(80), needed=True),
    PlanField("kind", "Kind", text_of(200), column=Column(note="printer, camera, phone system, …")),
    PlanField("address", "Address", parse_address, column=Column()),
    PlanField("mac", "MAC", parse_mac, column=Column(note="in any usual notation")),
    PlanField(
        "method",
        "Method",
        choice(Method),
        needed=True,
        choices={"static": "static", "reserved": "reserved"},
        column=Column(
            note="`static`: typed into it (also when empty); `reserved`: reserved at the DHCP server", repeats=True
        ),
    ),
    PlanField("address6", "IPv6 address", read_ipv6, column=Column(note="an IPv6 address beside an IPv4 one")),
    PlanField(
        "attached",
        "Attached by",
        choice(Attachment),
        needed=True,
        usual="cable",
        choices={"cable": "cable", "powered-cable": "powered cable", "wifi": "Wi-Fi"},
        column=Column(note="`cable` (also when empty); `powered-cable`: power over Ethernet; `wifi`", repeats=True),
    ),
)

DEVICE_FIELDS = (
    PlanField("name", "Host name", read_host_name, said="name"),
    PlanField(
        "role",
        "Role",
        choice(DeviceRole),
        needed=True,
        choices={str(role): role.words for role in DeviceRole},
    ),
    PlanField("serial", "Serial number", text_of(200), said="serial"),
    PlanField("macs", "MACs", read_macs, form=Form.WORDS),
    PlanField("asset_tag", "Asset tag", text_of(200)),
    PlanField("location", "Location", text_of(200)),
    PlanField("contact", "Contact", text_of(200)),
    PlanField("domain", "Domain", read_domain),
    PlanField("time_zone", "Time zone", read_time_zone),
    PlanField("time_servers", "Time servers", read_names, form=Form.WORDS),
    PlanField("resolvers", "Resolvers, for itself", read_addresses, said="resolvers", form=Form.WORDS),
    PlanField("forwarders", "Resolvers, for its clients", read_addresses, said="forwarders", form=Form.WORDS),
    PlanField("banner", "Banner", text_of(1_000)),
    PlanField("firmware", "Firmware found", text_of(200), said="firmware"),
    PlanField("gateway", "Default gateway", parse_address),
    PlanField(
        "filters",
        "Lets through",
        read_yes,
        said="filtering",
        choices={"yes": "only what is allowed", "no": "everything"},
    ),
)

WIRELESS_FIELDS = (
    PlanField("name", "Name (SSID)", read_ssid, said="name", needed=True),
    PlanField(
        "security",
        "Security",
        choice(Security),
        needed=True,
        choices={
            "wpa3": "WPA3",
            "wpa2-wpa3": "WPA2 and WPA3",
            "wpa2": "WPA2 (AES)",
            "wpa2-tkip": "WPA2 with TKIP",
            "open": "open",
        },
    ),
    PlanField(
        "band",
        "Band",
        choice(Band),
        needed=True,
        choices={"2.4+5": "2.4 and 5 GHz", "5": "5 GHz", "2.4": "2.4 GHz", "6": "6 GHz"},
    ),
    PlanField(
        "hidden",
        "Shown",
        read_yes,
        said="hidden",
        needed=True,
        choices={"no": "shown to everybody", "yes": "hidden"},
    ),
    PlanField("client_limit", "Most clients", whole(1, 10_000, "Client limit"), said="client limit"),
    PlanField("country", "Country (two letters)", read_country, said="country"),
)

SLOT_FIELDS = (
    PlanField("name", "What it is", text_of(80), said="name", needed=True),
    PlanField("about", "What it is for", text_of(200), said="purpose"),
)

#: The fields of each kind of member, by the map of the plan that holds them; those of the site itself under "site".
FIELDS: Mapping[str, Mapping[str, PlanField]] = {
    kind: {field.name: field for field in fields}
    for kind, fields in {
        "site": SITE_FIELDS,
        "circuits": CIRCUIT_FIELDS,
        "segments": SEGMENT_FIELDS,
        "hosts": HOST_FIELDS,
        "devices": DEVICE_FIELDS,
        "wireless": WIRELESS_FIELDS,
        "slots": SLOT_FIELDS,
    }.items()
}


def described() -> dict[str, list[dict[str, Any]]]:
    """What pages have to know of the fields, as plain JSON values."""
    return {
        kind: [
            {
                "name": field.name,
                "label": field.label,
                "words": field.words,
                "form": str(field.form),
                "needed": field.needed,
                "hint": field.hint,
                "none": field.none,
                "choices": [[value, words] for value, words in field.choices.items()],
            }
            for field in fields.values()
            if field.typed
        ]
        for kind, fields in FIELDS.items()
    }
