"""Devices: who manages them, licences, firmware and Wi-Fi."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from octaplan.core.check.findings import Hit, Severity, rule
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.boxes import (
    named,
)
from octaplan.core.plan.device import Security, Service

LICENCE_MARGIN = timedelta(days=30)


@rule("access-telnet", Severity.STOP, "device", "access")
def access_telnet(view: View) -> Iterator[Hit]:
    """Managed by Telnet

    Telnet sends the password in clear.
    """
    yield from _managed_by(view, Service.TELNET, "Telnet, which sends the password in clear: use SSH instead")


@rule("access-plain-http", Severity.WARN, "device", "access")
def access_plain_http(view: View) -> Iterator[Hit]:
    """Managed by plain HTTP

    Plain HTTP sends the password in clear.
    """
    yield from _managed_by(view, Service.HTTP, "plain HTTP, which sends the password in clear: use HTTPS instead")


def _managed_by(view: View, service: Service, words: str) -> Iterator[Hit]:
    for box in view.boxes:
        for key, access in box.device.access.items():
            if access.service is service:
                yield Hit(box.subject(service, f"/access/{key}"), f"{named(box.device)} is managed by {words}.")


@rule("access-open", Severity.STOP, "device", "access")
def access_open(view: View) -> Iterator[Hit]:
    """Management open to the internet

    The box can be managed from any address of the internet.
    """
    for box in view.boxes:
        for key, access in box.device.access.items():
            if any(network.prefix == 0 for network in access.networks):
                yield Hit(
                    box.subject(access.service, f"/access/{key}"),
                    f"{named(box.device)} can be managed by {access.service} from any address: name the networks "
                    "that you manage it from.",
                )


@rule("access-name-needed", Severity.STOP, "device", "domain")
def access_name_needed(view: View) -> Iterator[Hit]:
    """SSH without a full name

    SSH is wanted, the hardware type says that its SSH needs a full name, and host name or domain is missing.
    """
    for box in view.boxes:
        if box.type is None or not box.type.ssh_needs_full_name:
            continue
        wanted = any(access.service is Service.SSH for access in box.device.access.values())
        if wanted and not (box.device.name and (box.device.domain or "." in box.device.name)):
            missing = "domain" if box.device.name else "host name"
            yield Hit(
                box.subject(),
                f"{named(box.device)} is to be managed by SSH and has no {missing}: a {box.type.title} leaves SSH off "
                "until it has a full name. Give it one.",
            )


@rule("access-missing", Severity.WARN, "device", "access")
def access_missing(view: View) -> Iterator[Hit]:
    """Nobody may manage the box

    The plan permits management of the box from nowhere: once it is set up, only its console opens it.
    """
    for box in view.boxes:
        if box.device.staged and not box.device.access:
            yield Hit(box.subject(), f"{named(box.device)} can be managed from nowhere: permit it from one segment.")


@rule("licence-missing", Severity.WARN, "device", "licences")
def licence_missing(view: View) -> Iterator[Hit]:
    """Licence not recorded

    The hardware type needs a licence, and none is recorded for this box.
    """
    for box in view.boxes:
        for name, purpose in box.type.licences.items() if box.type else ():
            if name not in box.device.licences:
                yield Hit(
                    box.subject(name, f"/licences/{name}"),
                    f"{named(box.device)} needs the licence {name} for {purpose}: record it, or order it.",
                )


@rule("licence-ends", Severity.WARN, "device", "licences")
def licence_ends(view: View) -> Iterator[Hit]:
    """Licence about to end

    A licence ends before, or within 30 days of, the day the site ships.
    """
    for box in view.boxes:
        ship = box.plan.ship_date
        for name, licence in box.device.licences.items():
            if ship is not None and licence.ends is not None and licence.ends <= ship + LICENCE_MARGIN:
                yield Hit(
                    box.subject(f"{name} {licence.ends}", f"/licences/{name}"),
                    f"The licence {name} of {named(box.device)} ends on {licence.ends}, and the site ships on "
                    f"{ship}: renew it.",
                )


@rule("firmware-old", Severity.WARN, "device", "firmware")
def firmware_old(view: View) -> Iterator[Hit]:
    """Firmware below the wanted level

    The level found on the box is older than the one that its hardware type wants.
    """
    for box in view.boxes:
        found, wanted = box.device.firmware, box.type.firmware.wanted if box.type else None
        if found and wanted and _level(found) < _level(wanted):
            yield Hit(
                box.subject(found),
                f"{named(box.device)} has firmware {found}, and {wanted} is wanted: update it.",
            )


def _level(text: str) -> list[tuple[int, str]]:
    """A version as something that sorts: numbers by value, words by letters."""
    parts = text.replace("-", ".").replace("_", ".").split(".")
    return [(int(part), "") if part.isascii() and part.isdigit() and len(part) < 12 else (-1, part) for part in parts]


@rule("wifi-open", Severity.STOP, "wireless", "security")
def wifi_open(view: View) -> Iterator[Hit]:
    """Wi-Fi without encryption

    Everything on the air can be read by everybody.
    """
    for plan in view.plans_with("wireless"):
        for key, wifi in plan.wireless.items():
            if wifi.security is Security.OPEN:
                yield Hit(
                    Subject(plan.customer, plan.site, wifi.name, f"/wireless/{key}", str(wifi.security)),
                    f"The Wi-Fi {wifi.name} is open: choose WPA3, or WPA2 with WPA3 for older telephones.",
                )


@rule("wifi-legacy", Severity.WARN, "wireless", "security")
def wifi_legacy(view: View) -> Iterator[Hit]:
    """Wi-Fi with outdated encryption

    WPA2 with TKIP has been broken; current devices refuse it or fall back to low speed.
    """
    for plan in view.plans_with("wireless"):
        for key, wifi in plan.wireless.items():
            if wifi.security is Security.WPA2_TKIP:
                yield Hit(
                    Subject(plan.customer, plan.site, wifi.name, f"/wireless/{key}", str(wifi.security)),
                    f"The Wi-Fi {wifi.name} uses WPA2 with TKIP, which has been broken: choose WPA2 (AES) or WPA3.",
                )


@rule("wifi-nowhere", Severity.STOP, "wireless", "segment")
def wifi_nowhere(view: View) -> Iterator[Hit]:
    """Wi-Fi that leads nowhere

    The Wi-Fi network belongs to no segment, or to one that has been removed.
    """
    for plan in view.plans_with("wireless"):
        for key, wifi in plan.wireless.items():
            if (wifi.segment or "") not in plan.segments:
                yield Hit(
                    Subject(plan.customer, plan.site, wifi.name, f"/wireless/{key}", ""),
                    f"The Wi-Fi {wifi.name} belongs to no segment: choose one.",
                )
