"""The certificate that a stand-in makes for itself, so that a browser warns as it would (RFC 5280)."""

from __future__ import annotations

import ssl
import tempfile
from datetime import UTC, datetime, timedelta

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


def server_context(name: str) -> ssl.SSLContext:
    """TLS for a server that nobody vouches for."""
    key = ec.generate_private_key(ec.SECP256R1())
    own = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name[:64])])
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(own)
        .issuer_name(own)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=3_650))
        .sign(key, hashes.SHA256())
    )
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    with tempfile.NamedTemporaryFile() as file:
        file.write(private + certificate.public_bytes(serialization.Encoding.PEM))
        file.flush()
        context.load_cert_chain(file.name)
    return context
