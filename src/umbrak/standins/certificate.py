"""Certificates as management controllers come with."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec, rsa
from cryptography.x509.oid import NameOID


def make_certificate(
    folder: Path, named: str | None = None, rsa_bits: int | None = None, days: int = 365
) -> tuple[Path, Path]:
    """A certificate that vouches for itself, as controllers come with: for loopback, or for one DNS name alone.

    Parameters
        rsa_bits   of an RSA key, as old ones have; None = one on a curve
        days       how long it is good from now; below 0 it has ended

    Returns
        (certificate, key), PEM
    """
    key = rsa.generate_private_key(65537, rsa_bits) if rsa_bits else ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    loopback = [x509.DNSName("localhost"), x509.IPAddress(ip_address("127.0.0.1"))]
    names = x509.SubjectAlternativeName([x509.DNSName(named)] if named else loopback)
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now + timedelta(days=min(days, 0) - 1))
        .not_valid_after(now + timedelta(days=days))
        .add_extension(names, critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, hashes.SHA256())
    )
    certificate_file, key_file = folder / "controller.pem", folder / "controller.key"
    certificate_file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    key_file.touch(mode=0o600)
    key_file.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return certificate_file, key_file
