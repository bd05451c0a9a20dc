"""What is typed into the box, in the order in which one thing builds on the other."""

from __future__ import annotations

from octaplan.core.plan.device import DeviceRole, PortMode, Service
from octaplan.core.stage.bench import Situation
from octaplan.core.stage.entries import (
    Value,
    access_value,
    identity_values,
    inside_values,
    internet_values,
    port_values,
    route_value,
    rule_values,
    told,
    wireless_values,
)
from octaplan.core.stage.firstcontact import born_joined
from octaplan.core.stage.settings import Inside
from octaplan.core.stage.writer import Writer


def identity(writer: Writer) -> None:
    """Host name and domain before anything that is made of them, such as keys and certificates."""
    writer.group = "Who it is"
    writer.bench.type_in("name")
    writer.step(
        "identity",
        "Host name, time zone, time",
        "The time zone is that of the site, not of the bench.",
        [*identity_values(writer.settings.identity)],
    )


def kept_back(writer: Writer) -> str:
    """The port that the laptop is in, while what is done to it takes effect at once: it is set up last."""
    bench = writer.bench
    return bench.port if bench.at_once and not bench.on_console else ""


def ports(writer: Writer) -> None:
    """VLANs, then what each port carries: before any address that sits on one."""
    writer.group = "Ports"
    bench, own = writer.bench, kept_back(writer)
    if not writer.device.routes_packets:
        vlans = [inside for inside in writer.settings.inside if inside.vlan is not None]
        if vlans and writer.device.role is DeviceRole.SWITCH:
            bench.type_in(*[f"vlan {inside.key}" for inside in vlans])
            values = [Value(inside.label, str(inside.vlan)) for inside in vlans]
            writer.step("vlans", "VLANs", "Make each of them, with its name: ports are put into them next.", values)
    names = [port.name for port in writer.settings.ports if port.name != own]
    values = [*port_values([port for port in writer.settings.ports if port.name != own])]
    if not names:
        return
    bench.type_in(*[f"port {name}" for name in names], needs=("name",))
    if values:
        later = f" Leave port {own}, where the laptop is: it has a step of its own later." if own else ""
        text = f"What each port carries; unused ones are switched off.{born_joined(writer)}{later}"
        writer.step("ports", "Ports", text, values)


def circuits(writer: Writer) -> None:
    """The circuits; their cables stay out until the box is protected."""
    writer.group = "Internet side"
    for side in writer.settings.internet:
        left = side.port in ("", kept_back(writer))
        writer.bench.type_in(f"line {side.key}", needs=() if left else (f"port {side.port}",))
        writer.step(
            f"circuit-{side.key}",
            f"{side.label} on port {side.port}",
            f"Switch port {side.port} on. Its cable stays out: it goes in at a step of its own, once the box is "
            "protected.",
            [*internet_values(side)],
        )


def staying(writer: Writer) -> str | None:
    """The segment that the laptop's own port will carry untagged, on a box that routes: it is set up last."""
    use = writer.device.ports.get(writer.bench.port)
    carries = use is not None and use.mode is not PortMode.UNUSED and use.segment in writer.plan.segments
    return use.segment if carries and use is not None and writer.device.routes_packets else None


def inside(writer: Writer) -> None:
    """An address and a scope for each segment, less the one through which the laptop has the box open."""
    writer.group = "Inside"
    bench = writer.bench
    last = staying(writer) if writer.device.routes_packets else bench.home
    for one in writer.settings.inside:
        if one.key == last and (bench.at_once or not writer.device.routes_packets):
            continue
        if writer.device.routes_packets or one.address is not None:
            segment(writer, one)
    if last is not None and not bench.at_once and not writer.device.routes_packets:
        segment(writer, by_key(writer, last))


def by_key(writer: Writer, key: str) -> Inside:
    """What is to be typed of a segment."""
    return next(one for one in writer.settings.inside if one.key == key)


def segment(writer: Writer, one: Inside, before: Situation | None = None, mend: str = "", port: str = "") -> None:
    """One segment: its interface, its address, its scope. `port` is the laptop's own, set up in the same step."""
    bench, routes = writer.bench, writer.device.routes_packets
    own = kept_back(writer) if not port else ""
    places = [f"port {place.port}" for place in one.places if place.port not in (own, bench.port)] if routes else []
    if not routes and one.vlan is not None and writer.device.role is DeviceRole.SWITCH:
        places = [f"vlan {one.key}"]
    begun = before or bench.now()
    scope = [f"scope {one.key}"] if one.serves is not None else []
    bench.type_in(*([f"port {port}"] if port else []), f"interface {one.key}", *scope, needs=tuple(places))
    native = not routes and bench.native and one.key == bench.home and one.vlan is not None
    values = [*inside_values(one, edge=routes, native=native)]
    if port:
        settings = next(each for each in writer.settings.ports if each.name == port)
        values = [*port_values([settings]), *values]
    if not routes and one.address is not None and one.key == bench.home:
        title = f"Its own address, in {one.label}"
    else:
        title = f"{one.label}: address and range" if scope else f"{one.label}: address"
    lost = begun.reaches and not bench.reaches and not bench.on_console
    said = writer.farewell(begun) if lost else "Menu names differ; the values do not."
    writer.step(
        f"segment-{one.key}",
        title,
        said,
        [*values, *([writer.way_back()] if lost else [])],
        before=begun,
        mend=mend if lost else "",
    )


def routes(writer: Writer) -> None:
    """Static routes, less the default routes that the hand-offs have made already."""
    on_box = {side.label for side in writer.settings.internet}
    left = [one for one in writer.settings.routes if not (one.to.prefix == 0 and one.circuit in on_box)]
    if left:
        writer.group = "Inside"
        writer.bench.type_in("routes")
        writer.step(
            "routes",
            "Routes",
            "The default route is what an hour is lost over when it is forgotten, and routes back right after it.",
            [*map(route_value, left)],
        )


def rules(writer: Writer) -> None:
    """What is let through and what is not, before anything is plugged in that it protects from."""
    writer.group = "Rules and access"
    blocked = writer.kind.factory.blocked
    values = [*rule_values(writer.settings, blocked=blocked)] if writer.device.routes_packets else []
    writer.bench.type_in("rules")
    if values:
        state = (
            "This box blocks everything that is not allowed, and its own services too."
            if blocked
            else "This box lets everything through that is not closed."
        )
        writer.step(
            "rules",
            "Translation and rules",
            f"A segment gets out only with both: its translation and its allow rule. {state}",
            values,
        )
    wireless(writer)
    access(writer)


def wireless(writer: Writer) -> None:
    """The country before the radio, since it restarts many a box; then each network."""
    countries = list(dict.fromkeys(wifi.country for wifi in writer.settings.wireless if wifi.country))
    if countries:
        writer.bench.type_in("country")
        values = [Value("Country", " ".join(countries))]
        writer.step(
            "country", "Country of the radio", "It decides the permitted channels; the radio comes after it.", values
        )
    for wifi in writer.settings.wireless:
        writer.bench.type_in(f"wifi {wifi.key}", needs=("country",) if wifi.country else ())
        writer.step(
            f"wifi-{wifi.key}",
            f"Wi-Fi {wifi.name}",
            "Switch its radio on. The key is asked for by everybody on site: it is in the safe.",
            [*wireless_values(wifi)],
        )


def access(writer: Writer) -> None:
    """The services that are planned switched on, from where they are permitted; nothing is taken away yet."""
    bench = writer.bench
    planned = writer.services()
    if not planned:
        bench.type_in("access")
        return
    values: list[Value] = []
    for service in planned:
        if str(service) not in bench.own_services():
            values.append(told(f"Switch {service.upper()} on", _switching_on(service)))
    values += map(access_value, writer.settings.access)
    values += [Value(slot.label.capitalize(), "", slot.path) for slot in writer.sealing() if writer.writes(slot)]
    bench.type_in("access", *[f"service {service}" for service in planned], needs=("name",))
    writer.step(
        "access",
        "Management access",
        "Permit what is planned, beside what is there: the rest is taken away at a step of its own, when the laptop "
        "needs it no more.",
        values,
    )


def _switching_on(service: Service) -> str:
    return {
        Service.HTTPS: "with a certificate that it makes itself, now that it has its name",
        Service.SSH: "make its host keys first: they need host name and domain",
    }.get(service, "it is off out of the carton")


def clear_away(writer: Writer) -> None:
    """What is not planned taken away: services, access, what the box came with."""
    bench = writer.bench
    wanted = {str(service) for service in writer.services()}
    off = sorted(bench.own_services() - wanted) if wanted else []
    values = [told("Switch off", service.upper()) for service in off]
    if writer.settings.access:
        values.append(told("Permit management", "only as it was permitted above, from nowhere else"))
    values += [told("Remove", leftover) for leftover in writer.kind.leftovers]
    if not values:
        return
    bench.clear()
    why = "The laptop needs none of it any more." if bench.at_once else "It goes when the changes take effect."
    writer.step("clear-away", "Take away what is not planned", why, values)
