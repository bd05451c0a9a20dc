"""A stand-in's backup: what it keeps over a restart, sealed with a passphrase of its own, and put back."""

from __future__ import annotations

import base64
import json
import secrets

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from octaplan.core.config.grammar import Told
from octaplan.core.config.sayings import NotUnderstood
from octaplan.lab.standin.box import Refused, StandIn
from octaplan.lab.standin.state import BoxState

_MAGIC = b"octaplan stand-in backup 1\n"


def _key(box: StandIn, salt: bytes) -> bytes:
    """Of the backup passphrase, or else of the administrator's password (RFC 7914)."""
    passphrase = box.running.secrets.get("backup") or box.running.secrets.get(box.log_in_slot) or ""
    return Scrypt(salt=salt, length=32, n=1 << 12, r=8, p=1).derive(passphrase.encode())


def sealed(box: StandIn) -> bytes:
    """The backup of what it keeps."""
    state = box.saved
    told = {
        "type": box.kind.key,
        "lines": [[one.text, list(one.values)] for one in state.settings.all()],
        "shown": state.settings.lines(),
        "data": state.data,
        "secrets": state.secrets,
        "leftovers": state.leftovers,
        "off": sorted(state.services_off),
    }
    salt, nonce = secrets.token_bytes(16), secrets.token_bytes(12)
    body = AESGCM(_key(box, salt)).encrypt(nonce, json.dumps(told).encode(), _MAGIC)
    return _MAGIC + base64.b64encode(salt + nonce + body) + b"\n"


def opened(box: StandIn, content: bytes) -> BoxState:
    """The state of a backup. Raises `Refused`."""
    if not content.startswith(_MAGIC):
        raise Refused("this is no backup of such a box")
    raw = base64.b64decode(content.removeprefix(_MAGIC))
    try:
        told = json.loads(AESGCM(_key(box, raw[:16])).decrypt(raw[16:28], raw[28:], _MAGIC))
    except InvalidTag:
        raise Refused("the passphrase of this backup is another one") from None
    if told["type"] != box.kind.key:
        raise Refused("this is a backup of another type")
    state = BoxState(box.grammar, told["leftovers"])
    above: list[Told] = []
    for line in told["shown"]:
        try:
            _, above = state.settings.say(line, above)
        except NotUnderstood:
            raise Refused("this backup is of another level of firmware") from None
    for one, (text, values) in zip(state.settings.all(), told["lines"], strict=False):
        one.text, one.values = text, tuple(values)
    state.data, state.secrets, state.services_off = told["data"], told["secrets"], set(told["off"])
    return state
