"""What each column of the intake tables holds, in words: for the documentation and the notes of a workbook."""

from __future__ import annotations

#: By table and column, as Markdown; empty where the name says it all.
NOTES: dict[str, dict[str, str]] = {
    "sites": {
        "customer": "code of the customer, without a slash",
        "site": "code of the site, unique within the customer",
        "name": "what people call it",
        "street": "",
        "time_zone": "IANA name, such as `Europe/Paris`",
        "ship_date": "ISO, such as `2027-03-04`",
        "contact": "",
        "technician": "",
        "reach_group": "empty: a group named after the customer; `-`: none; several with `;`",
        "delegated_prefix": "the site's IPv6 prefix, such as `2001:db8:40::/48`",
    },
    "circuits": {
        "customer": "",
        "site": "",
        "circuit": "label, unique at the site",
        "handoff": "`static`, `pppoe` or `dhcp`",
        "address": "the site's own address; a mask may follow, `203.0.113.18/29`",
        "prefix": "`29`, `/29` or `255.255.255.248`",
        "gateway": "the provider's",
        "dns": "resolvers, several with space or `;`",
        "vlan": "the tag that the provider expects, 1–4094",
        "routed_block": "subnets, several with `;`",
        "pppoe_user": "",
        "pppoe_password": "goes into the safe and nowhere else: not into the plan, a report or an exported table",
        "provider": "",
        "reference": "",
        "priority": "1 is used first",
        "address6": "the site's own IPv6 address beside an IPv4 one; a mask may follow, `2001:db8:9::2/64`",
        "prefix6": "`64` or `/64`",
        "gateway6": "the provider's; it may be link-local, `fe80::1`",
        "modem_subnet": "inside subnet of the provider's modem, or of a box that stays in front of the edge",
    },
    "segments": {
        "customer": "",
        "site": "",
        "segment": "label, unique at the site",
        "role": (
            "`office`, `voice`, `guest`, `cameras`, `servers`, `management`, `wireless`, "
            "`transit`, `isolated` or `other` (empty: `other`)"
        ),
        "vlan": "1–4094",
        "vrf": "routing table (empty: `main`)",
        "reach": "`group` or `local` (empty: `local` for guests, `group` for all others)",
        "subnet": "`10.40.8.0/24` or `10.40.8.0 255.255.255.0`",
        "gateway": "",
        "dhcp_first": "",
        "dhcp_last": "",
        "dhcp_count": "instead of `dhcp_last`: how many addresses",
        "dhcp_excluded": "`10.40.8.50; 10.40.8.60-10.40.8.69`",
        "dhcp_server": "empty: the edge; `none`; or the address of another server",
        "lease": "`8h`, `1d`, or seconds",
        "dns": "`gateway` and addresses, several with space or `;`",
        "domain": "",
        "expected_hosts": "",
        "subnet6": (
            "an IPv6 subnet beside an IPv4 one, or the number of a /64 in the site's prefix, in "
            "hexadecimal as it stands in the address: `20` in `2001:db8:40::/48` is "
            "`2001:db8:40:20::/64`"
        ),
        "gateway6": "",
        "kept": "runs kept for kinds of hosts: `printer 10.40.8.200-10.40.8.219; camera 10.40.8.220 + 20`",
        "options": "DHCP options by number (RFC 2132): `66 10.40.8.9; 42 192.0.2.123`",
    },
    "hosts": {
        "customer": "",
        "site": "",
        "segment": "label of a segment of the site",
        "name": "unique in the segment",
        "kind": "printer, camera, phone system, …",
        "address": "",
        "mac": "in any usual notation",
        "method": "`static`: typed into it (also when empty); `reserved`: reserved at the DHCP server",
        "address6": "an IPv6 address beside an IPv4 one",
    },
}
