"""How long the walk takes: a matrix, a draft with it, all sites, beside a plain walker: `make bench`."""

from __future__ import annotations

import gc
from collections import Counter
from random import Random
from typing import Any

from benchmarks.check import timed
from benchmarks.size import SMALLEST, sized
from octaplan.core.check.faults import judge_traffic
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.flow.matrix import Traffic
from octaplan.core.flow.network import INTERNET
from octaplan.core.flow.shape import shape_of
from octaplan.core.plan.organisation import UNDECIDED
from octaplan.core.plan.patch import applied, set_to
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import parse_network
from octaplan.core.values.services import describe
from tests.core.flow.plain import Packet, Plain

ROLES = ("office", "voice", "guest", "cameras", "servers", "management")


def site(number: int, segments: int, routers: int = 1, switches: int = 1) -> SitePlan:
    """A site whose segments are shared out among an edge and inner routers, each on a link of its own."""
    base = f"10.{number >> 8 & 127}.{number & 255}"
    holders = ["edge", *(f"router{n}" for n in range(routers))]
    made: dict[str, Any] = {}
    for n in range(segments):
        third = n % 250
        subnet = f"10.{(number + n // 250) & 127}.{third}.0/24" if segments > 8 else f"{base}.{32 * n}/27"
        first = subnet.rpartition("/")[0].rpartition(".")
        made[f"seg{n}"] = {
            "label": f"S{n}",
            "role": ROLES[n % len(ROLES)],
            "vlan": 10 + n,
            "subnet": subnet,
            "reach": "local",
            "gateway": f"{first[0]}.{int(first[2]) + 1}",
        }
    for n in range(routers):
        made[f"link{n}"] = {
            "label": f"Link {n}", "role": "transit", "subnet": f"172.16.{n}.0/30", "vlan": 900 + n, "reach": "local",
        }  # fmt: skip
    home = {key: holders[n % len(holders)] for n, key in enumerate(k for k in made if k.startswith("seg"))}
    devices = {name: _box(name, made, home, routers) for name in holders}
    for n in range(switches):
        devices[f"switch{n}"] = {
            "type": "any-type", "role": "switch", "name": f"switch{n}",
            "addresses": {"seg5" if segments > 5 else "seg0": _third(made["seg5" if segments > 5 else "seg0"], 3 + n)},
            "gateway": made["seg5" if segments > 5 else "seg0"]["gateway"],
            "access": {"accs": {"service": "https", "segment": "seg5" if segments > 5 else "seg0"}},
        }  # fmt: skip
    line = {"label": "Main", "handoff": "dhcp"}
    plan = {
        "schema": "octaplan.site-plan/2", "customer": f"C{number % 500}", "site": f"S{number}", "segments": made,
        "circuits": {"main": line}, "devices": devices, "time_zone": "Europe/London",
        "reach_groups": [],
    }  # fmt: skip
    return SitePlan.model_validate(plan)


def _third(segment: dict[str, Any], step: int) -> str:
    head, _, last = segment["gateway"].rpartition(".")
    return f"{head}.{int(last) + step}"


def _box(name: str, segments: dict[str, Any], home: dict[str, str], routers: int) -> dict[str, Any]:
    mine = [key for key, where in home.items() if where == name]
    edge = name == "edge"
    links = [f"link{n}" for n in range(routers)] if edge else [f"link{name.removeprefix('router')}"]
    ports: dict[str, Any] = {"in": {"mode": "trunk", "tagged": mine}}
    addresses, routes = {}, {}
    for link in links:
        number = link.removeprefix("link")
        far = f"router{number}" if edge else "edge"
        ports[f"l{number}"] = {"mode": "routed", "segment": link, "peer": far, "peer_port": f"l{number}"}
        addresses[link] = f"172.16.{number}.{1 if edge else 2}"
    if edge:
        ports["wan"] = {"mode": "circuit", "circuit": "main"}
        routes["def0"] = {"to": "0.0.0.0/0", "circuit": "main", "metric": 10}
        for key, where in home.items():
            if where != "edge":
                via = f"172.16.{where.removeprefix('router')}.2"
                routes[f"to{key}"] = {"to": segments[key]["subnet"], "via": via}
    else:
        routes["def0"] = {"to": "0.0.0.0/0", "via": f"172.16.{name.removeprefix('router')}.1"}
    inside = [key for key in segments if key.startswith("seg")]
    out = [key for key in inside if segments[key]["role"] not in ("cameras", "management")]
    asking = inside if edge else mine
    allows = {f"out{key}": {"source": key, "target": "internet"} for key in out if key in asking}
    allows |= {
        f"srv{one[3:]}to{other[3:]}": {"source": one, "target": other}
        for one in asking
        if segments[one]["role"] == "office"
        for other in inside
        if segments[other]["role"] == "servers"
    }
    allows |= {f"all{key}": {"source": key, "target": "all"} for key in asking if segments[key]["role"] == "management"}
    managers = [key for key in inside if segments[key]["role"] == "management"] or inside[:1]
    return {
        "type": "any-type", "role": "edge" if edge else "inner-router", "name": name, "ports": ports,
        "addresses": addresses, "routes": routes, "allows": allows, "filters": True,
        "translations": {f"nat{key}": {"segment": key, "circuit": "main"} for key in out + managers} if edge else {},
        "access": {f"acc{n}x": {"service": "https", "segment": key} for n, key in enumerate(managers[:8])},
        "time_servers": ["time.example"],
    }  # fmt: skip


def portfolio_of(count: int) -> list[SitePlan]:
    """Sites as a provider has them: most alike but for their addresses, one in ten with a fixed host that only it has,
    one in twenty with something forgotten."""
    random, made = Random(1), []
    for n in range(count):
        plan = site(n, 6 + n % 3, routers=n % 2, switches=1 + n // 2 % 2)
        if n % 10 == 0:
            key = random.choice(list(plan.segments))
            subnet = parse_network(str(plan.segments[key].subnet))[0]
            address = str(subnet.first.plus(random.randint(0, subnet.size - 3) if subnet.size > 4 else 1))
            plan = applied(plan, [set_to("/hosts/own1", {"name": "own", "segment": key, "address": address})])
        if n % 20 == 5:
            part = random.choice(("routes", "translations", "allows"))
            key = random.choice(list(getattr(plan.devices["edge"], part)))
            plan = applied(plan, [{"op": "remove", "path": f"/devices/edge/{part}/{key}"}])
        made.append(plan)
    return made


def matrix(plan: SitePlan) -> int:
    """All cells of a plan, from nothing."""
    return sum(cell.agrees for cell in Traffic(plan).cells())


def packet_by_packet(plan: SitePlan) -> int:
    """The same cells by a plain walker: one packet for each pair of classes, of one run of services only."""
    traffic = Traffic(plan)
    plain, passed = Plain(plan, {f: str(n) for f, n in traffic.net.elsewhere.items()}), 0
    for source in traffic.rows:
        for target in traffic.columns:
            for pair in traffic.pairs(source, target) if source not in (target, INTERNET) else ():
                for first, _ in traffic.net.atoms.spans[:1]:
                    protocol, port = describe(first)
                    packet = Packet(str(pair.source.point), str(pair.target.point), protocol, port)
                    passed += plain.passes(("segment", source), None, packet)
    return passed


def main() -> None:
    small, large = site(1, 6, routers=1, switches=1), site(2, 40, routers=4, switches=3)
    print("\n| the walk | time | packet by packet | ratio |")
    print("| --- | ---: | ---: | ---: |")
    count = sized(10_000, 40)
    sizes = (("6 segments, 3 boxes", small, 20), ("40 segments, 8 boxes", large, 5))
    for name, plan, repeat in sizes[:1] if SMALLEST else sizes:
        ours, _ = timed(lambda p=plan: matrix(p), repeat)  # type: ignore[misc]
        theirs, _ = timed(lambda p=plan: packet_by_packet(p), 1)  # type: ignore[misc]
        cells = f"matrix of {name}, {len(Traffic(plan).cells())} cells"
        print(f"| {cells} | {ours:.1f} ms | {theirs:.0f} ms | {theirs / ours:.0f}× |")
    many = portfolio_of(count)
    some = min(500, count)
    alone, _ = timed(lambda: [judge_traffic(plan, UNDECIDED) for plan in many[:some]], 1)
    shapes = Counter(shape_of(plan, UNDECIDED) for plan in many)
    held, portfolio = timed(lambda: Portfolio(many), 1)
    gc.disable()  # as `octaplan check` does
    first, found = timed(portfolio.check_all, 1)
    again, _ = timed(portfolio.check_all, 1)
    gc.enable()
    checked = f"checked {first / 1000:.1f} s, again {again / 1000:.2f} s"
    print(f"\n{count:,} sites with boxes: held in {held / 1000:.1f} s, {checked}")
    once = sum(1 for number in shapes.values() if number == 1)
    print(f"{len(found):,} findings, {len(shapes):,} shapes, {once:,} of them of one site only")
    print(f"The traffic of one site by itself: {alone / some:.2f} ms, of all one after the other "
          f"{alone / some * count / 1000:.1f} s")  # fmt: skip
    spent = []
    for n in range(min(200, count)):
        changed = applied(
            many[n], [set_to("/segments/seg1/gateway", str(many[n].segments["seg1"].subnet.first.plus(2 + n % 20)))]
        )  # type: ignore[union-attr]
        one, _ = timed(lambda c=changed: portfolio.check(c), 1)  # type: ignore[misc]
        spent.append(one)
    spent.sort()
    middle, most = spent[len(spent) // 2], spent[int(len(spent) * 0.95)]
    print(f"A draft of one site against them: {middle:.1f} ms, 95 % within {most:.1f} ms")


if __name__ == "__main__":
    main()
