"""What a box that runs open-source programs prints when it holds its plan: in the forms of those programs."""

from __future__ import annotations

from octaplan.core.config.neutral import interface_name
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.settings import BoxSettings, Inside, settings_of
from octaplan.core.values.addresses import Address
from octaplan.core.values.services import known_services


def _links(settings: BoxSettings) -> list[tuple[str, str, list[str], int | None]]:
    """Interface, label, addresses with prefix, VLAN."""
    found = []
    for side in settings.internet:
        own = [f"{side.address}/{side.prefix}"] if side.address is not None and not side.given else []
        own += [f"{side.address6}/{side.prefix6}"] if side.address6 is not None else []
        found.append((side.port or "wan", side.label, own, side.vlan))
    for inside in settings.inside:
        own = [f"{inside.address}/{inside.subnet.prefix}"] if inside.address is not None and inside.subnet else []
        own += [f"{inside.address6}/{inside.subnet6.prefix}"] if inside.address6 is not None and inside.subnet6 else []
        found.append((_name(inside), inside.label, own, inside.vlan))
    return found


def _name(inside: Inside) -> str:
    return f"eth1.{inside.vlan}" if inside.vlan else interface_name(inside)


def addresses(settings: BoxSettings) -> str:
    """As `ip address show` prints them."""
    told = [
        "1: lo: <LOOPBACK,UP,LOWER_UP> mtu 65536 qdisc noqueue state UNKNOWN group default qlen 1000",
        "    link/loopback 00:00:00:00:00:00 brd 00:00:00:00:00:00",
        "    inet 127.0.0.1/8 scope host lo",
        "       valid_lft forever preferred_lft forever",
    ]
    for place, (name, _, own, _) in enumerate(_links(settings), 2):
        parent = f"@{name.partition('.')[0]}" if "." in name else ""
        told.append(
            f"{place}: {name}{parent}: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc mq state UP group default"
        )
        told.append(f"    link/ether 02:00:5e:10:00:{place:02x} brd ff:ff:ff:ff:ff:ff")
        for one in own:
            four = "." in one
            brd = f" brd {_broadcast(one)}" if four else ""
            told.append(f"    inet{'' if four else '6'} {one}{brd} scope global {name}")
            told.append("       valid_lft forever preferred_lft forever")
    return "\n".join(told) + "\n"


def _broadcast(text: str) -> Address:
    plain, _, length = text.partition("/")
    value = sum(int(part) << shift for part, shift in zip(plain.split("."), (24, 16, 8, 0), strict=True))
    return Address(4, value | (1 << (32 - int(length))) - 1)


def routes(settings: BoxSettings) -> str:
    """As `ip route show` prints them."""
    told = []
    for route in settings.routes:
        to = "default" if route.to.prefix == 0 else str(route.to)
        if route.by is not None:
            told.append(f"{to} via {route.by} dev up0 proto static metric {route.metric}")
    for inside in settings.inside:
        if inside.address is not None and inside.subnet is not None:
            told.append(f"{inside.subnet} dev {_name(inside)} proto kernel scope link src {inside.address}")
    return "\n".join(told) + "\n"


def rules(settings: BoxSettings, plan: SitePlan) -> str:
    """As `nft list ruleset` prints them."""
    nets = {segment.label: segment.subnet for segment in plan.segments.values()}
    told = ["table inet filter {", "\tchain forward {", "\t\ttype filter hook forward priority filter; policy drop;",
            "\t\tct state established,related accept"]  # fmt: skip
    for allow in settings.allows:
        source = f"ip saddr {nets[allow.source]} " if nets.get(allow.source) else ""
        target = f"ip daddr {nets[allow.target]} " if nets.get(allow.target) else ""
        services = known_services(allow.service)
        for part in services.parts() if services else ():
            name, _, ports = part.partition("/")
            told.append(f"\t\t{source}{target}{f'{name} dport {ports} ' if ports else ''}accept")
    for access in settings.access:
        told += [f"\t\tip saddr {one} tcp dport 22 accept" for one in access.networks]
    told += ["\t}", "}", "table ip nat {", "\tchain prerouting {", "\t\ttype nat hook prerouting priority dstnat;"]
    for shown in settings.publications:
        services = known_services(shown.service)
        for part in services.parts() if services else ():
            name, _, ports = part.partition("/")
            port = f":{shown.port}" if shown.port else ""
            told.append(
                f"\t\tip daddr {shown.outside} {f'{name} dport {ports} ' if ports else ''}dnat to {shown.inside}{port}"
            )
            told += [f"\t\tip saddr {source} accept" for source in shown.sources]
    told += ["\t}", "\tchain postrouting {", "\t\ttype nat hook postrouting priority srcnat;"]
    for one in settings.translations:
        out = f"snat to {one.address}" if one.address else "masquerade"
        told.append(f'\t\tip saddr {nets.get(one.segment)} oifname "up0" {out}')
    return "\n".join([*told, "\t}", "}"]) + "\n"


def _identity(settings: BoxSettings) -> list[str]:
    one = settings.identity
    told = [f" Static hostname: {one.host_name}", f"       Time zone: {one.time_zone} (BST, +0100)"]
    told += [f"        Location: {one.location}"] if one.location else []
    told += [f"         Contact: {one.contact}"] if one.contact else []
    told += [f"          Banner: {one.banner}"] if one.banner else []
    return [
        *told,
        *(f"NTP={server}" for server in one.time_servers),
        *([f"Domains={one.domain}"] if one.domain else []),
    ]


def leases_by_line(settings: BoxSettings) -> str:
    """As a file of a small DHCP and name server has them, a setting a line."""
    told = [f"server={one}" for one in settings.identity.forwarders]
    for inside in settings.inside:
        scope = inside.serves
        if inside.relay is not None:
            told.append(f"dhcp-relay={inside.address or '0.0.0.0'},{inside.relay}")
        if scope is None or scope.span is None:
            continue
        tag = inside.key
        told.append(
            f"dhcp-range=set:{tag},{scope.span.first},{scope.span.last},{f'{inside.subnet.mask},' if inside.subnet else ''}{scope.lease or 3600}s"
        )
        told.append(f"dhcp-option=tag:{tag},3,{scope.router}")
        resolvers = [str(inside.address if one == "gateway" else one) for one in scope.resolvers]
        told.append(f"dhcp-option=tag:{tag},6,{','.join(resolvers)}")
        told += [f"dhcp-option=tag:{tag},15,{scope.domain}"] if scope.domain else []
        told += [f"dhcp-option=tag:{tag},{number},{text}" for number, text in scope.options.items()]
        told += [f"# left out: {span.first} - {span.last}" for span in scope.excluded]
        told += [f"dhcp-host={host.mac},{host.address},{host.name}" for host in scope.reserved]
    return "\n".join(told) + "\n"


def leases_in_blocks(settings: BoxSettings) -> str:
    """As a file of a DHCP server with blocks has them."""
    told = ["authoritative;"]
    for inside in settings.inside:
        scope, net = inside.serves, inside.subnet
        if inside.relay is not None:
            told.append(f"# relay: requests of {inside.label} to {inside.relay}")
        if scope is None or scope.span is None:
            continue
        told.append(f"subnet {net.first} netmask {net.mask} {{" if net else "pool {")
        told.append(f"  range {scope.span.first} {scope.span.last};")
        told += [f"  # range without {span.first} to {span.last}" for span in scope.excluded]
        told.append(f"  option routers {scope.router};")
        resolvers = [str(inside.address if one == "gateway" else one) for one in scope.resolvers]
        told += [f"  option domain-name-servers {', '.join(resolvers)};"] if resolvers else []
        told += [f'  option domain-name "{scope.domain}";'] if scope.domain else []
        told += [f"  option option-{number} {text};" for number, text in scope.options.items()]
        told += [f"  default-lease-time {scope.lease};"] if scope.lease else []
        for host in scope.reserved:
            told.append(f"  host {host.name} {{ hardware ethernet {host.mac}; fixed-address {host.address}; }}")
        told.append("}")
    return "\n".join(told) + "\n"


def network_in_yaml(settings: BoxSettings) -> str:
    """As YAML for a network renderer has them."""
    told = ["network:", "  version: 2", "  ethernets:"]
    tagged = []
    for name, _, own, vlan in _links(settings):
        if "." in name and vlan:
            tagged.append((name, own, vlan))
            continue
        told += [f"    {name}:", f"      addresses: [{', '.join(own)}]"]
        side = next((one for one in settings.internet if one.port == name), None)
        if side is not None and side.vlan:
            told.append(f"      vlan: {side.vlan}")
    told.append("  vlans:")
    for name, own, vlan in tagged:
        told += [
            f"    {name}:",
            f"      id: {vlan}",
            "      link: eth1",
            "      addresses:",
            *(f"      - {one}" for one in own),
        ]
    told.append("  routes-of-all:")
    for route in settings.routes:
        if route.by is not None:
            told += [
                f"  - to: {'default' if route.to.prefix == 0 else route.to}",
                f"    via: {route.by}",
                f"    metric: {route.metric}",
            ]
    resolvers = [
        *settings.identity.resolvers,
        *(r for side in settings.internet if not side.given for r in side.resolvers),
    ]
    told += ["  nameservers:", f"    addresses: [{', '.join(map(str, dict.fromkeys(resolvers)))}]"]
    told += [f"  gateway: {settings.identity.gateway}"] if settings.identity.gateway else []
    return "\n".join(told) + "\n"


def name_servers(settings: BoxSettings) -> str:
    resolvers = [
        *settings.identity.resolvers,
        *(r for side in settings.internet if not side.given for r in side.resolvers),
    ]
    told = [f"nameserver {one}" for one in dict.fromkeys(resolvers)]
    return (
        "\n".join(told + ([f"default via {settings.identity.gateway} dev eth1"] if settings.identity.gateway else []))
        + "\n"
    )


def first_form(plan: SitePlan, key: str) -> str:
    """Status commands: addresses, routes, rules, and a DHCP server's lines."""
    settings = settings_of(plan, key)
    users = [f"ppp user {side.pppoe_user}" for side in settings.internet if side.pppoe_user]
    air = [f"ssid {wifi.name} vlan {wifi.vlan}" for wifi in settings.wireless]
    return "\n".join([*_identity(settings), *users, *air, ""]) + addresses(settings) + routes(settings) + name_servers(settings) + rules(settings, plan) + leases_by_line(settings)  # fmt: skip


def second_form(plan: SitePlan, key: str) -> str:
    """Files: YAML of the network, rules, and a DHCP server's blocks."""
    settings = settings_of(plan, key)
    users = [f"ppp user {side.pppoe_user}" for side in settings.internet if side.pppoe_user]
    air = [f"ssid {wifi.name} vlan {wifi.vlan}" for wifi in settings.wireless]
    forwarders = [f"forwarders {{ {one}; }};" for one in settings.identity.forwarders]
    return (
        "\n".join([*_identity(settings), *users, *air, *forwarders, ""])
        + network_in_yaml(settings)
        + rules(settings, plan)
        + leases_in_blocks(settings)
    )
