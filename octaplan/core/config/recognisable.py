"""The planned values of a box that any text could show, and what words around them may say that they are."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from octaplan.core.config.tokens import Token
from octaplan.core.config.view import BoxView, Leaf
from octaplan.core.plan.boxes import addresses_in
from octaplan.core.values.addresses import Address, Mac, Network, Span
from octaplan.core.values.services import known_services

#: By name in the view: what words around a value may say that it is; nothing said is always allowed.
_ROLES: dict[str, tuple[str, ...]] = {
    "box.resolvers": ("dns",),
    "box.forwarders": ("dns",),
    "box.time_servers": ("time", "dns"),
    "box.gateway": ("gateway", "network"),
    "circuits.address": ("own", "rule", "network"),
    "circuits.gateway": ("gateway", "network"),
    "circuits.resolvers": ("dns",),
    "circuits.address6": ("own", "rule", "network"),
    "circuits.gateway6": ("gateway", "network"),
    "segments.address": ("own", "network", "rule", "reserved", "range"),
    "segments.address6": ("own", "network", "rule", "reserved", "range"),
    "segments.relay": ("relay", "dns", "reserved"),
    "segments.scope.first": ("range",),
    "segments.scope.last": ("range",),
    "segments.scope.excluded": ("range", "reserved"),
    "segments.scope.router": ("gateway",),
    "segments.scope.resolvers": ("dns",),
    "segments.scope.reserved.address": ("reserved", "range", "own", "rule"),
    "routes.by": ("gateway", "network"),
    "publications.outside": ("rule", "own", "network"),
    "publications.inside": ("rule", "own", "network"),
    "translations.address": ("rule", "own", "network"),
}

#: What a word must have said before a value in the wrong place is one.
STRICT = frozenset({"dns", "time", "gateway", "range", "relay"})

_TEXTS = ("box.name", "box.domain", "box.location", "box.contact", "box.banner", "circuits.pppoe_user",
          "segments.scope.domain", "wireless.name", "segments.scope.reserved.name")  # fmt: skip

MASKS = ("segments.subnet", "segments.subnet6", "circuits.prefix", "circuits.prefix6")
SERVICES = ("publications.service", "allows.service")
VLANS = ("segments.vlan", "circuits.vlan", "wireless.vlan")


class Recognisable(NamedTuple):
    """A planned value that can be recognised by its shape. `roles` are what words around it may say that it is."""

    leaf: Leaf
    value: object
    roles: frozenset[str]
    within: Network | None = None


def fits(one: Recognisable, token: Token) -> bool:
    """Whether words around a value leave it to be what is planned."""
    if token.role not in STRICT:
        return True
    return token.role in one.roles or not one.roles


def recognisable(view: BoxView) -> Iterator[Recognisable]:
    """The planned values that any text could show, by their shapes. A default route by a circuit is made with it."""
    routes = view.device.routes.items()
    made = {f"/devices/{view.key}/routes/{key}/to" for key, one in routes if one.default and one.via is None}
    for leaf in view.planned:
        value, roles = leaf.value, frozenset(_ROLES.get(leaf.name, ()))
        if leaf.secret or (leaf.name == "routes.to" and leaf.path in made):
            continue
        if leaf.name == "box.time_servers" and addresses_in(str(value)):
            value = addresses_in(str(value))[0]
        if leaf.name in MASKS:
            yield Recognisable(leaf, leaf.path, roles, _net_of(view, leaf))
        elif isinstance(value, Span):
            yield Recognisable(leaf, value.first, roles)
            if value.size > 1:
                yield Recognisable(leaf, value.last, roles)
        elif isinstance(value, Address | Network | Mac) or leaf.name in VLANS:
            yield Recognisable(leaf, value, roles)
        elif leaf.name == "box.time_zone" or leaf.name in _TEXTS or leaf.name == "box.time_servers":
            yield Recognisable(leaf, str(value), roles)
        elif leaf.name == "segments.scope.options.text":
            for address in addresses_in(str(value)):
                yield Recognisable(leaf, address, roles)
        elif leaf.name == "segments.scope.lease":
            yield Recognisable(leaf, value, roles)
        elif leaf.name in SERVICES and "/" in str(value):
            services = known_services(str(value))
            for part in services.parts() if services is not None else ():
                if part.partition("/")[2]:
                    yield Recognisable(leaf, part, roles)


def _net_of(view: BoxView, leaf: Leaf) -> Network | None:
    if isinstance(leaf.value, Network):
        return leaf.value
    circuit = view.plan.circuits.get(leaf.path.split("/")[2])
    if circuit is None:
        return None
    return circuit.subnet if leaf.name == "circuits.prefix" else circuit.subnet6
