"""A certificate that an installation makes for itself, where nobody gives it one (RFC 5280)."""

from __future__ import annotations

import ipaddress
import os
import socket
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

FILE = "certificate.pem"

#: For how long it is good, and how long before its end a new one is made.
GOOD_FOR, BEFORE = timedelta(days=397), timedelta(days=30)


def made_here(folder: Path, names: Iterable[str]) -> Path:
    """The certificate of a data folder with its key, made when there is none that is good for these names."""
    path = folder / FILE
    wanted = {name for name in names if name not in ("0.0.0.0", "::")} | {"localhost", socket.gethostname()}  # noqa: S104
    if path.is_file() and _good(path.read_bytes(), wanted):
        return path
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Octaplan")])
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(hours=1))
        .not_valid_after(now + GOOD_FOR)
        .add_extension(x509.SubjectAlternativeName([_general(one) for one in sorted(wanted)]), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    spare = path.with_name(f"{FILE}.next")
    with open(os.open(spare, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(private + certificate.public_bytes(serialization.Encoding.PEM))
    os.replace(spare, path)
    return path


def _general(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(name))
    except ValueError:
        return x509.DNSName(name)


def _good(content: bytes, wanted: set[str]) -> bool:
    try:
        certificate = x509.load_pem_x509_certificate(content)
        names = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except ValueError:
        return False
    known = {str(name.value) for name in names}
    return wanted <= known and certificate.not_valid_after_utc - datetime.now(UTC) > BEFORE
