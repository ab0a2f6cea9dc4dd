"""Where the server listens. Looked at before the server is loaded: what is wrong with it is said at once."""

from __future__ import annotations

import os
import ssl
from dataclasses import dataclass
from ipaddress import ip_address, ip_network
from pathlib import Path

from umbrak.cli.trouble import Trouble


@dataclass(frozen=True, slots=True)
class Listening:
    """Where the server listens, and by what others reach it."""

    port: int | None = None
    host: str = "127.0.0.1"
    tls_cert: Path | None = None
    tls_key: Path | None = None

    @property
    def is_loopback(self) -> bool:
        return ip_address(self.host).is_loopback


def check_listening(at: Listening) -> None:
    """Raises Trouble: beyond loopback nobody is served in the clear, nor by a proxy that nobody named; certificates and
    proxies can be read."""
    try:
        ip_address(at.host)
    except ValueError as error:
        raise Trouble(f"--host {at.host}: give an address of this machine, such as 10.4.0.2, 0.0.0.0 or ::") from error
    if not at.is_loopback and not at.tls_cert and not named_proxies():
        raise Trouble(
            f"--host {at.host} would serve passwords in the clear: give --tls-cert and --tls-key, or name the proxy "
            "with TLS before it in UMBRAK_PROXIES"
        )
    _check_certificate(at.tls_cert, at.tls_key)
    named_proxies()


def _check_certificate(tls_cert: Path | None, tls_key: Path | None) -> None:
    if tls_key and not tls_cert:
        raise Trouble("--tls-key is of no use without --tls-cert")
    if tls_cert:
        try:
            ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(tls_cert, tls_key)
        except (OSError, ValueError) as error:
            files = " and ".join(str(f) for f in (tls_cert, tls_key) if f)
            raise Trouble(f"{files} cannot be used as certificate and key: {error}") from error


def named_proxies() -> list[str]:
    """UMBRAK_PROXIES: addresses or networks of the proxies that stand before this server."""
    given = [p.strip() for p in os.environ.get("UMBRAK_PROXIES", "").split(",") if p.strip()]
    for proxy in given:
        try:
            ip_network(proxy)
        except ValueError as error:
            raise Trouble(f"UMBRAK_PROXIES: {error}; write addresses such as 127.0.0.1, with commas between") from error
    return given
