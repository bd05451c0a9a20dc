"""A box by RESTCONF (RFC 8040), its certificate pinned at first contact."""

from __future__ import annotations

import asyncio
import base64
import contextlib
import json
import re
import ssl
from typing import Any

import httpx

from octaplan.core.plan.hardware import Verb
from octaplan.link.channel import (
    ANSWER,
    CONNECT,
    BoxRefused,
    Conversation,
    Door,
    NoAnswer,
    NotLetIn,
    OtherBox,
    Pins,
    Portion,
)

MEDIA = "application/yang-data+json"
#: A connection that was idle for so many seconds is not used again: the box may have closed it.
IDLE = 2.0
_OPERATIONS = {
    Verb.APPLY: ("apply", ""),
    Verb.COMMIT: ("apply", ""),
    Verb.CONFIRM: ("confirm", ""),
    Verb.SAVE: ("save", ""),
    Verb.RESTART: ("restart", ""),
    Verb.FIRMWARE: ("firmware", "level"),
    Verb.OFF: ("switch-off", "service"),
    Verb.REMOVE: ("remove", "what"),
}


async def restconf(place: Door, conversation: Conversation, pins: Pins) -> RestconfChannel:
    """A box by RESTCONF. Raises `NoAnswer`, `OtherBox`."""
    certificate = await _certificate(place)
    if pins.certificate and pins.certificate != certificate:
        raise OtherBox(
            f"The certificate of {place.title} is not the one that was met first: it is another box, or it was reset. "
            "Look at the cable; if it was reset, begin the run anew"
        )
    pins.certificate = certificate
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname = False  # the certificate itself is pinned, whatever name it has
    context.load_verify_locations(cadata=ssl.DER_cert_to_PEM_cert(certificate))
    context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    client = httpx.AsyncClient(
        base_url=f"https://{place.host}:{place.port}",
        verify=context,
        timeout=httpx.Timeout(ANSWER, connect=CONNECT),
        limits=httpx.Limits(keepalive_expiry=IDLE),
        trust_env=False,
        follow_redirects=False,
    )
    return RestconfChannel(client, place, conversation)


async def _certificate(place: Door) -> bytes:
    """The certificate that a server shows (DER)."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    try:
        async with asyncio.timeout(CONNECT):
            _, writer = await asyncio.open_connection(place.host, place.port, ssl=context)
        shown = writer.get_extra_info("ssl_object").getpeercert(binary_form=True)
        writer.close()
    except (OSError, TimeoutError):
        raise NoAnswer(f"{place.title} gives no answer by HTTPS") from None
    return bytes(shown)


class RestconfChannel:
    """A box that speaks RESTCONF."""

    way = "restconf"

    def __init__(self, client: httpx.AsyncClient, place: Door, conversation: Conversation) -> None:
        self._client, self._place, self._conversation = client, place, conversation
        self._root = ""
        self.patience = ANSWER

    async def _ask(self, method: str, path: str, body: Any = None, seconds: float | None = None) -> Any:
        """Ask; what came back as JSON, or nothing. Raises `BoxRefused`, `NotLetIn`, `NoAnswer`."""
        told = json.dumps(body, indent=1) if body is not None else None
        self._conversation.note(f"{method} {path}" + (f"\n{told}" if told else ""), sent=True)
        try:
            back = await self._client.request(
                method,
                path,
                content=told,
                headers={"Content-Type": MEDIA, "Accept": MEDIA},
                timeout=seconds or self.patience,
            )
        except httpx.HTTPError:
            raise NoAnswer(f"{self._place.title} has stopped answering") from None
        self._conversation.note(f"{back.status_code} {back.text}".strip()[:20_000], sent=False)
        if back.status_code == 401:
            raise NotLetIn(f"{self._place.title} does not let one in: {_words(back)}")
        if back.is_error:
            raise BoxRefused(f"{self._place.title} says: {_words(back)}")
        return back.json() if back.content and MEDIA in back.headers.get("content-type", "") else None

    async def _operation(
        self, name: str, given: dict[str, Any] | None = None, seconds: float | None = None
    ) -> dict[str, Any]:
        body = {"octaplan-box:input": given} if given else None
        found = await self._ask("POST", f"{self._root}/operations/octaplan-box:{name}", body, seconds)
        return dict((found or {}).get("octaplan-box:output", {}))

    async def log_in(self, user: str, password: str) -> None:
        self._client.auth = httpx.BasicAuth(user, password)
        try:
            meta = await self._client.get("/.well-known/host-meta")
        except httpx.HTTPError:
            raise NoAnswer(f"{self._place.title} has stopped answering") from None
        met = re.search(r"rel=['\"]restconf['\"][^>]*href=['\"]([^'\"]+)", meta.text)  # RFC 8040, 3.1
        if met is None:
            raise BoxRefused(
                f"{self._place.title} does not speak RESTCONF: it is a box of another type, or switched off"
            )
        self._root = met[1]
        await self._ask("GET", self._root)

    async def set_secret(self, slot: str, value: str) -> None:
        await self._operation("set-secret", {"slot": slot, "value": value})

    async def tell(self, portion: Portion) -> None:
        for slot, value in portion.secrets.items():
            await self.set_secret(slot, value)
        if portion.data:
            await self._ask("PATCH", f"{self._root}/data", {"ietf-restconf:data": portion.data})

    async def holds(self, portion: Portion) -> list[str]:
        found = await self._ask("GET", f"{self._root}/data") or {}
        return [*_lacking(portion.data, found.get("ietf-restconf:data", {}), "")]

    async def do(self, verb: Verb, about: str = "") -> None:
        name, member = _OPERATIONS[verb]
        given = {"confirm-within": int(about)} if name == "apply" and about else {member: about} if member else {}
        leaves = verb in (Verb.RESTART, Verb.FIRMWARE)
        with contextlib.suppress(NoAnswer) if leaves else contextlib.nullcontext():
            await self._operation(name, given, 1.0 if leaves else None)

    async def firmware(self) -> str:
        return str((await self._operation("about")).get("firmware", ""))

    async def lights(self) -> dict[str, str]:
        told = (await self._operation("about")).get("light", [])
        return dict(one.partition(": ")[::2] for one in told)

    async def show(self) -> str:
        text = str((await self._operation("show")).get("text", ""))
        data = (await self._ask("GET", f"{self._root}/data") or {}).get("ietf-restconf:data", {})
        return "\n".join([text, json.dumps(data, indent=1) if data else ""]).strip()

    async def backup(self) -> bytes:
        return base64.b64decode((await self._operation("backup")).get("content", ""))

    async def put_back(self, content: bytes) -> None:
        with contextlib.suppress(NoAnswer):  # it restarts at once
            await self._operation("put-back", {"content": base64.b64encode(content).decode()})

    async def close(self) -> None:
        await self._client.aclose()


def _words(back: httpx.Response) -> str:
    try:
        errors = back.json()["ietf-restconf:errors"]["error"]
        return "; ".join(str(one.get("error-message", one.get("error-tag", ""))) for one in errors)[:300]
    except (ValueError, KeyError, TypeError):
        return f"{back.status_code} {back.reason_phrase}"


def _lacking(wanted: Any, held: Any, where: str) -> list[str]:
    """What of some data is not in other data, as paths; lists of entries are held by key."""
    if isinstance(wanted, dict):
        if not isinstance(held, dict):
            return [where]
        return [one for name, value in wanted.items() for one in _lacking(value, held.get(name), f"{where}/{name}")]
    if isinstance(wanted, list) and all(isinstance(one, dict) for one in wanted):
        found = []
        for entry in wanted:
            name = next((key for key in ("id", "name", "index", "destination-prefix", "number") if key in entry), "")
            same = next((one for one in held or [] if name and one.get(name) == entry[name]), None)
            same = same if name else (entry if entry in (held or []) else None)
            found += (
                [f"{where}={entry.get(name)}"] if same is None else _lacking(entry, same, f"{where}={entry.get(name)}")
            )
        return found
    return [] if wanted == held else [where]
