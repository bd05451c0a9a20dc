"""A stand-in's RESTCONF (RFC 8040): data of the YANG modules of the neutral form, and operations of octaplan-box."""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
from typing import Any

from fastapi import APIRouter, Depends, FastAPI, Request, Response
from fastapi.security import HTTPBasic, HTTPBasicCredentials
from starlette.requests import ClientDisconnect

from octaplan.core.plan.hardware import Takes, Verb
from octaplan.lab.standin.backups import opened, sealed
from octaplan.lab.standin.box import Refused, StandIn
from octaplan.lab.standin.state import Data

MEDIA = "application/yang-data+json"
ROOT = "/restconf"
#: So much is taken in at once.
MOST_BYTES = 4 << 20

#: What an operation asks for, and the member of its input that says more.
_OPERATIONS = {
    "apply": (Verb.APPLY, "confirm-within"),
    "confirm": (Verb.CONFIRM, ""),
    "save": (Verb.SAVE, ""),
    "restart": (Verb.RESTART, ""),
    "firmware": (Verb.FIRMWARE, "level"),
    "switch-off": (Verb.OFF, "service"),
    "remove": (Verb.REMOVE, "what"),
}

_basic = HTTPBasic(auto_error=False)


class Denied(Exception):
    """An answer that is an error (RFC 8040, 7.1): HTTP status, error tag, words."""

    def __init__(self, status: int, tag: str, words: str) -> None:
        super().__init__(words)
        self.status, self.tag = status, tag


def denied(_: Request, error: Exception) -> Response:
    """An error as RESTCONF tells it."""
    assert isinstance(error, Denied)  # noqa: S101  (it is registered for these alone)
    told = {"error-type": "application", "error-tag": error.tag, "error-message": str(error)}
    headers = {"WWW-Authenticate": 'Basic realm="box"'} if error.status == 401 else {}
    body = json.dumps({"ietf-restconf:errors": {"error": [told]}})
    return Response(body, error.status, headers, MEDIA)


def _yang(content: Any, status: int = 200, **headers: str) -> Response:
    return Response(json.dumps(content), status, headers, MEDIA)


def add_restconf(app: FastAPI, box: StandIn) -> None:
    """Let an application answer RESTCONF for a box."""
    app.add_exception_handler(Denied, denied)

    async def let_in(credentials: HTTPBasicCredentials | None = Depends(_basic)) -> None:  # noqa: B008
        if credentials is None:
            raise Denied(401, "access-denied", "user and password are wanted")
        try:
            box.check_log_in(credentials.username, credentials.password)
        except Refused as refused:
            raise Denied(401, "access-denied", str(refused)) from None

    @app.get("/.well-known/host-meta")
    async def host_meta() -> Response:
        link = f'<XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0"><Link rel="restconf" href="{ROOT}"/></XRD>'
        return Response(link, media_type="application/xrd+xml")

    router = APIRouter(prefix=ROOT, dependencies=[Depends(let_in)])

    @router.get("")
    async def root() -> Response:
        resource = {"data": {}, "operations": {}, "yang-library-version": "2019-01-04"}
        return _yang({"ietf-restconf:restconf": resource})

    @router.get("/data")
    async def data() -> Response:
        return _yang({"ietf-restconf:data": box.running.data}, ETag=_tag(box.running.data))

    @router.get("/data/{module}")
    async def module(module: str) -> Response:
        if module not in box.running.data:
            raise Denied(404, "invalid-value", f"{module} holds nothing")
        return _yang({module: box.running.data[module]})

    @router.patch("/data")
    async def patch(request: Request) -> Response:
        told = await _body(box, request, "ietf-restconf:data")
        _known_tag(box, request)
        box.merge(told)
        return Response(status_code=204)

    @router.put("/data")
    async def put(request: Request) -> Response:
        told = await _body(box, request, "ietf-restconf:data")
        _known_tag(box, request)
        box.replace(told)
        return Response(status_code=204)

    @router.post("/operations/{name}")
    async def operation(name: str, request: Request) -> Response:
        told = await _body(box, request, "octaplan-box:input", needed=False)
        try:
            found = _do(box, name.removeprefix("octaplan-box:"), told)
        except Refused as refused:
            raise Denied(400, "operation-failed", str(refused)) from None
        return Response(status_code=204) if found is None else _yang({"octaplan-box:output": found})

    app.include_router(router)


def _tag(data: Data) -> str:
    return f'"{hashlib.blake2b(json.dumps(data, sort_keys=True).encode(), digest_size=8).hexdigest()}"'


def _known_tag(box: StandIn, request: Request) -> None:
    """Refuse what was made for other data than it holds (RFC 8040, 3.4.1)."""
    wanted = request.headers.get("if-match")
    if wanted is not None and wanted != _tag(box.running.data):
        raise Denied(412, "operation-failed", "the data is no longer what it was")


async def _body(box: StandIn, request: Request, name: str, *, needed: bool = True) -> Data:
    try:
        raw = await request.body()
    except ClientDisconnect:
        raise Denied(400, "malformed-message", "the request was cut off") from None
    if not raw and not needed:
        return {}
    if len(raw) > MOST_BYTES:
        raise Denied(413, "too-big", f"more than {MOST_BYTES >> 20} MB")
    try:
        told = json.loads(raw)[name]
    except (ValueError, KeyError, TypeError):
        raise Denied(400, "malformed-message", f"this is not JSON with {name}") from None
    if not isinstance(told, dict):
        raise Denied(400, "malformed-message", f"{name} is no object")
    if box.must_choose and "operations/octaplan-box:set-secret" not in request.url.path:
        raise Denied(403, "access-denied", f"choose the {box.log_in_slot} password first")
    return told


def _do(box: StandIn, name: str, told: Data) -> Data | None:
    """Do an operation. Raises `Refused`, `Denied`."""
    if name == "about":
        printed = box.printed
        lights = [f"{light}: {shown}" for light, shown in box.lights().items()]
        return {"serial": printed.serial, "mac": printed.mac, "firmware": box.firmware, "light": lights}
    if name == "show":
        return {"text": "\n".join(box.show())}
    if name == "backup":
        return {"content": base64.b64encode(sealed(box)).decode()}
    if name == "set-secret":
        box.set_secret(str(told.get("slot", "")), str(told.get("value", "")))
    elif name in _OPERATIONS:
        verb, member = _OPERATIONS[name]
        if name == "apply" and box.kind.takes is Takes.COMMIT:
            verb = Verb.COMMIT
        box.perform(verb, str(told.get(member, "")))
    elif name == "put-back":
        try:
            content = base64.b64decode(str(told.get("content", "")), validate=True)
        except binascii.Error:
            raise Refused("this is no backup") from None
        box.saved = opened(box, content)
        box.restart()
    else:
        raise Denied(404, "unknown-element", f"there is no {name[:80]} here")
    return None
