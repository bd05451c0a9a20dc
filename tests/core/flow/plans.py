"""Plans made at random for the walk: any of their parts may be missing or wrong."""

from __future__ import annotations

from random import Random
from typing import Any

from octaplan.core.plan.site import SitePlan

ROLES = ("office", "voice", "guest", "servers", "management", "cameras", "other", "isolated")
SERVICES = ("any", "any", "tcp/443", "udp/53, tcp/53", "ping", "tcp/8000-8010", "tcp")


def made(random: Random) -> SitePlan:
    """A plan with one to three boxes that route, one or two circuits, and two to five segments."""
    chance = random.random
    segments = {f"seg{n}": _segment(random, n) for n in range(random.randint(2, 5))}
    if chance() < 0.5:
        segments["link"] = {
            "label": "Link",
            "role": "transit",
            "subnet": "10.9.0.0/29",
            "gateway": None,
            "vrf": random.choice(["main", "main", "main", "mgmt"]),
        }
    circuits = {f"line{n}": _circuit(random, n) for n in range(random.randint(1, 2))}
    hosts = {f"host{n}": _host(random, n, segments) for n in range(random.randint(0, 4))}
    devices: dict[str, Any] = {}
    for number, role in enumerate(_roles(random)):
        devices[f"box{number}"] = _device(random, number, role, segments, circuits, hosts, devices)
    _cables(random, devices)
    later = Random(repr((circuits, devices)))  # what is drawn after stays as it was
    _further(later, circuits, devices)
    _scopes(later, segments, hosts, devices)
    return SitePlan.model_validate(
        {
            "schema": "octaplan.site-plan/2",
            "customer": "FERN",
            "site": "DOCK",
            "circuits": circuits,
            "segments": segments,
            "hosts": hosts,
            "devices": devices,
        }
    )


def _further(random: Random, circuits: dict[str, Any], devices: dict[str, Any]) -> None:
    """Some publications and translations at a further address of their circuit, or one that is not of it."""
    for device in devices.values():
        for one in [*device.get("publications", {}).values(), *device.get("translations", {}).values()]:
            line = circuits[one["circuit"]]
            if line["handoff"] != "static" or random.random() > 0.25:
                continue
            head, _, last = line["address"].rpartition(".")
            blocks = [block.rpartition(".")[0] + "." + str(int(block.rpartition(".")[2].partition("/")[0]) + 5)
                      for block in line["routed_blocks"]]  # fmt: skip
            one["address"] = random.choice([f"{head}.{int(last) + 3}", *blocks, "198.51.100.250"])


def _scopes(random: Random, segments: dict[str, Any], hosts: dict[str, Any], devices: dict[str, Any]) -> None:
    """Who gives leases: the edge, some box or host by its address, nobody; and who passes requests on to whom."""
    known = [address for one in devices.values() for address in one.get("addresses", {}).values()]
    known += [one["address"] for one in hosts.values()] + [one["gateway"] for one in segments.values()]
    servers = [one for one in known if one is not None]
    for segment in segments.values():
        if random.random() < 0.4:
            head, _, last = segment["subnet"].partition("/")[0].rpartition(".")
            server = random.choice(["edge", "none", *servers[:6]])
            segment["scope"] = {
                "first": f"{head}.{int(last) + 8}",
                "last": f"{head}.{int(last) + 10}",
                "server": server,
            }
    for device in devices.values():
        if device["role"] != "switch" and servers and random.random() < 0.4:
            device["relays"] = {random.choice(list(segments)): random.choice(servers)}
        if random.random() < 0.2:
            device["forwarders"] = ["192.0.2.53"]


def _roles(random: Random) -> list[str]:
    roles = ["edge"]
    roles += ["inner-router"] * random.choice([0, 0, 1, 1, 2])
    return roles + ["switch"] * random.choice([0, 1, 1])


def _segment(random: Random, n: int) -> dict[str, Any]:
    third = n if random.random() < 0.95 else 0
    public = random.random() < 0.08
    subnet = f"198.51.100.{16 * n}/28" if public else f"10.1.{third}.0/24"
    first = subnet.rpartition(".")[0] + "." + str(int(subnet.rpartition(".")[2].partition("/")[0]) + 1)
    return {
        "label": f"S{n}",
        "role": random.choice(ROLES),
        "vlan": 10 + n,
        "subnet": subnet,
        "gateway": None if random.random() < 0.05 else first,
        "vrf": random.choice(["main"] * 8 + ["mgmt"]),
    }


def _circuit(random: Random, n: int) -> dict[str, Any]:
    handoff = random.choice(["static", "static", "static", "dhcp"])
    base = {"label": f"C{n}", "handoff": handoff, "priority": n + 1}
    if handoff == "dhcp":
        return base
    net = f"203.0.113.{64 * n}" if random.random() < 0.9 else f"192.168.{n}.0"
    head, last = net.rpartition(".")[0], 64 * n if net.startswith("203") else 0
    gateway = None if random.random() < 0.05 else f"{head}.{last + 1}"
    blocks = [f"198.51.100.{16 * n}/28"] if random.random() < 0.4 else []
    return {**base, "address": f"{head}.{last + 2}", "prefix": 28, "gateway": gateway, "routed_blocks": blocks}


def _host(random: Random, n: int, segments: dict[str, Any]) -> dict[str, Any]:
    key = random.choice(list(segments))
    head, _, last = segments[key]["subnet"].partition("/")[0].rpartition(".")
    return {"segment": key, "name": f"h{n}", "address": f"{head}.{int(last) + 4 + n}"}


def _device(
    random: Random, number: int, role: str, segments: Any, circuits: Any, hosts: Any, before: dict[str, Any]
) -> dict[str, Any]:
    chance = random.random
    carried = [key for key in segments if chance() < (0.75 if role != "edge" or number else 0.8)]
    ports: dict[str, Any] = {}
    for place, key in enumerate(carried[: random.randint(0, 2)]):
        ports[f"p{place}"] = {"mode": "access", "segment": key, "enabled": chance() < 0.97}
        inside = [h for h, one in hosts.items() if one["segment"] == key]
        if inside and chance() < 0.4:
            ports[f"p{place}"]["host"] = random.choice(inside if chance() < 0.9 else list(hosts))
    if carried:
        plain = random.choice([None, carried[0]])
        ports["up"] = {"mode": "trunk", "segment": plain, "tagged": [k for k in carried if k != plain]}
    device: dict[str, Any] = {"type": "any-type", "role": role, "name": f"box{number}", "ports": ports}
    if role == "switch":
        if carried:
            key = random.choice(carried)
            head = segments[key]["subnet"].rpartition(".")[0]
            last = int(segments[key]["subnet"].partition("/")[0].rpartition(".")[2])
            device["addresses"] = {key: f"{head}.{last + 3}"}
            device["gateway"] = random.choice([None, segments[key]["gateway"]])
        device["access"] = _access(random, segments)
        return device
    if role == "edge":
        for place, key in enumerate(circuits):
            if chance() < 0.95:
                ports[f"w{place}"] = {"mode": "circuit", "circuit": key}
    addresses = {}
    for key in carried:
        subnet = segments[key]["subnet"].partition("/")[0]
        if key == "link" or chance() < 0.4:
            mine = f"{subnet.rpartition('.')[0]}.{int(subnet.rpartition('.')[2]) + 2 + 8 * number * (key != 'link') + number}"
            addresses[key] = random.choice([mine, mine, segments[key]["gateway"] or mine])
    device |= {"addresses": addresses, "routes": _routes(random, role, segments, circuits, before)}
    device["filters"] = random.choice([None, None, None, True, False])
    names = [*segments, *hosts, "internet", "other-sites", "all"]
    device["allows"] = {
        f"rule{n}": {
            "source": random.choice(names),
            "target": random.choice(["all", "internet", *names]),
            "service": random.choice(SERVICES),
        }
        for n in range(random.randint(0, 8))
    }
    device["translations"] = {
        f"nat{key}{line}": {"segment": key, "circuit": line, "address": None}
        for key in segments
        for line in circuits
        if chance() < 0.75
    }
    if hosts and role == "edge":
        device["publications"] = {f"pub{n}": _publication(random, hosts, circuits) for n in range(random.randint(0, 2))}
    device["access"] = _access(random, segments)
    device["forwarders"] = random.choice([[], ["192.0.2.53"]])
    return device


def _routes(random: Random, role: str, segments: Any, circuits: Any, before: Any) -> dict[str, Any]:
    routes: dict[str, Any] = {}
    if role == "edge":
        for place, key in enumerate(circuits):
            if random.random() < 0.92:
                metric = 10 * (place + 1) if random.random() < 0.9 else 10
                routes[f"def{place}"] = {"to": "0.0.0.0/0", "circuit": key, "metric": metric}
    elif random.random() < 0.85:
        via = random.choice(["10.9.0.2", "10.9.0.2", "10.9.0.3", "10.1.0.1", "10.1.1.1"])
        routes["def0"] = {"to": "0.0.0.0/0", "via": via}
    for n in range(random.randint(0, 3)):
        to = random.choice(
            [s["subnet"] for s in segments.values()] + ["198.51.100.0/24", "10.1.0.0/16", "10.1.1.128/25"]
        )
        via = random.choice(["10.9.0.2", "10.9.0.3", "10.9.0.4", "10.1.0.2", "10.1.1.11"])
        routes[f"rt{n}x"] = {"to": to, "via": via, "metric": random.choice([1, 1, 5])}
    return routes


def _publication(random: Random, hosts: Any, circuits: Any) -> dict[str, Any]:
    line = random.choice(list(circuits))
    service, port = random.choice([("tcp/443", None), ("tcp/443", 8001), ("any", None), ("tcp/8000-8004", 8006)])
    return {
        "circuit": line,
        "service": service,
        "port": port,
        "host": random.choice(list(hosts)),
        "sources": random.choice([[], [], ["192.0.2.0/24"]]),
    }


def _access(random: Random, segments: Any) -> dict[str, Any]:
    found: dict[str, Any] = {"acc0": {"service": "https", "segment": random.choice(list(segments))}}
    if random.random() < 0.3:
        found["acc1"] = {"service": "ssh", "networks": ["192.0.2.0/25"]}
    return found


def _cables(random: Random, devices: dict[str, Any]) -> None:
    """Uplinks into each other, or nowhere; some cables end at a port that carries something else."""
    ups = [key for key, device in devices.items() if "up" in device["ports"]]
    if len(ups) < 2 or random.random() < 0.15:
        return
    hub = ups[-1]
    for number, key in enumerate(ups[:-1]):
        if random.random() < 0.1:
            continue
        port = f"d{number}"
        there = dict(devices[key]["ports"]["up"])
        if random.random() < 0.15 and there["tagged"]:
            there["tagged"] = there["tagged"][1:]
        own = [s for s in [there["segment"], *there["tagged"]] if s]
        devices[hub]["ports"][port] = {"mode": "trunk", "segment": there["segment"], "tagged": there["tagged"]}
        if own:
            devices[hub]["ports"][port] |= {"peer": key, "peer_port": "up"}
            devices[key]["ports"]["up"] |= {"peer": hub, "peer_port": port}
