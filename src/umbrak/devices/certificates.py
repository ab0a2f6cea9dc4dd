"""How a service's certificate is known before any secret is sent: by an authority, or itself by its fingerprint."""

from __future__ import annotations

import hashlib
import socket
import ssl
from datetime import UTC, datetime
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives.asymmetric.rsa import RSAPublicKey

from umbrak.devices.networks import DeviceError

#: An RSA key below this can be taken apart by anybody who cares to: a fingerprint of its certificate proves nothing. [bit]
LEAST_KEY = 1024
#: What is asked of keys today (NIST SP 800-57 part 1, table 2: 112 bit). [bit]
_LONG_KEY = 2048


def fingerprint_of(certificate: bytes) -> str:
    """SHA-256 of a certificate in DER, in hex."""
    return hashlib.sha256(certificate).hexdigest()


def by_authority(authority: str) -> ssl.SSLContext:
    """A context that trusts what an authority signed, for the name that it stands for. Raises DeviceError."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    try:
        context.load_verify_locations(cadata=authority)
    except (ssl.SSLError, ValueError) as error:
        raise DeviceError("certificate", "The authority's certificate is no PEM certificate.") from error
    return context


def by_fingerprint(
    fingerprint: str | None, host: str, address: str, port: int, seconds: float
) -> tuple[ssl.SSLContext, list[str]]:
    """A context that trusts one certificate for itself, whatever name stands in it and however old it is: management
    controllers make their own, once. Its key must still be one that only its owner has.

    Returns
        (context, what is weak about the certificate, in words)

    Raises
        DeviceError   with the fingerprint found, where none is known yet or another one is
    """
    # The certificate is had by itself first: no secret is sent before it is known.
    look = _any_certificate()
    try:
        with (
            socket.create_connection((address, port), seconds) as plain,
            look.wrap_socket(plain, server_hostname=host) as secured,
        ):
            certificate = secured.getpeercert(binary_form=True) or b""
    except (OSError, ValueError) as error:
        raise DeviceError("unreachable", f"{host} port {port} cannot be reached by TLS: {error}.") from error
    found = fingerprint_of(certificate)
    wanted = (fingerprint or "").replace(":", "").lower()
    if not wanted:
        raise DeviceError(
            "certificate-unknown",
            f"The certificate of {host} is not known here. Its SHA-256 is {found}: compare it at the machine, then trust it.",
            found,
        )
    if found != wanted:
        raise DeviceError(
            "certificate", f"{host} shows another certificate than the one that is trusted: SHA-256 {found}.", found
        )
    context = _any_certificate()
    context.sslsocket_class = _pinned(wanted)
    return context, weak_points(certificate, host)


def _any_certificate() -> ssl.SSLContext:
    """A context that asks for a certificate and judges nothing of it."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    # Level 1 lets keys of 1024 bits through the handshake; the protocol stays TLS 1.2 or newer.
    context.set_ciphers("DEFAULT:@SECLEVEL=1")
    return context


def _pinned(wanted: str) -> type[ssl.SSLSocket]:
    class Pinned(ssl.SSLSocket):
        """Ends the handshake of every connection on another certificate, so before anything is sent over it."""

        def do_handshake(self, block: bool = False) -> None:
            super().do_handshake(block)
            found = fingerprint_of(self.getpeercert(binary_form=True) or b"")
            if found != wanted:
                raise ssl.SSLCertVerificationError(f"another certificate than the one that is trusted: SHA-256 {found}")

    return Pinned


def weak_points(certificate: bytes, host: str) -> list[str]:
    """What is weak about a certificate that is trusted for itself. Raises DeviceError where that proves nothing."""
    try:
        known = x509.load_der_x509_certificate(certificate)
        key: Any = known.public_key()
    except Exception:  # whatever a certificate holds: what cannot be read is told, and its fingerprint is right
        return ["its certificate cannot be read; it is known by its fingerprint alone"]
    words = []
    if known.not_valid_after_utc < datetime.now(UTC):
        words.append(
            f"its certificate ended on {known.not_valid_after_utc:%Y-%m-%d}; it is known by its fingerprint alone"
        )
    if isinstance(key, RSAPublicKey) and key.key_size < LEAST_KEY:
        raise DeviceError(
            "certificate",
            f"The key of {host} has {key.key_size} bits: anybody could be it. Give it a certificate of {_LONG_KEY} bits or more.",
            fingerprint_of(certificate),
        )
    if isinstance(key, RSAPublicKey) and key.key_size < _LONG_KEY:
        words.append(f"its key has {key.key_size} bits, short for today; renew its certificate when you can")
    return words
