"""Where outgoing connections may lead."""

from __future__ import annotations

import socket
from collections.abc import Callable
from dataclasses import dataclass
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network
from urllib.parse import urlsplit


class DeviceError(Exception):
    """A machine that could not be asked: what happened and what to do, in words for the person who asked.

    Attributes
        code      not-allowed, unknown-host, unreachable, certificate, certificate-unknown, refused, too-slow,
                  too-large, redirected, wrong-type, paging, not-found, stopped
        detail    what a program may need: of `certificate-unknown` the certificate's fingerprint
    """

    def __init__(self, code: str, message: str, detail: str | None = None) -> None:
        super().__init__(message)
        self.code, self.detail = code, detail


#: Name, port -> addresses.
Resolve = Callable[[str, int], list[str]]


def _resolve(host: str, port: int) -> list[str]:
    found = socket.getaddrinfo(host, port, proto=socket.IPPROTO_TCP)
    return list(dict.fromkeys(str(x[4][0]) for x in found))


def split_address(address: str, scheme: str, usual_port: int) -> tuple[str, int, str]:
    """(host, port, host with port as given) of an address with or without its scheme. Raises DeviceError."""
    try:
        split = urlsplit(address if "//" in address else f"{scheme}://{address}")
        host, port = split.hostname, split.port or usual_port
    except ValueError as error:
        raise DeviceError("unknown-host", f"“{address}” is no address: {error}.") from error
    if not host or split.scheme != scheme:
        raise DeviceError("unknown-host", f"“{address}” is no address that begins with {scheme}://.")
    return host, port, split.netloc.rpartition("@")[2]


@dataclass(frozen=True, slots=True)
class Networks:
    """The networks that may be reached; none at all unless the operator lists some."""

    allowed: tuple[IPv4Network | IPv6Network, ...] = ()
    resolve: Resolve = _resolve

    @classmethod
    def parse(cls, text: str) -> Networks:
        """Of a list such as "10.4.0.0/16, 127.0.0.1". Raises ValueError naming what is no network."""
        return cls(tuple(ip_network(part.strip()) for part in text.split(",") if part.strip()))

    def address_of(self, host: str, port: int) -> str:
        """The address to connect to: looked up once, so that a name cannot mean one thing when it is checked and another
        when it is used.

        Raises
            DeviceError   no such host, or one of its addresses is not allowed
        """
        try:
            addresses = self.resolve(host, port)
        except (OSError, ValueError) as error:
            raise DeviceError("unknown-host", f"There is no host {host}.") from error
        for address in addresses:
            one = ip_address(address.split("%")[0])
            if not any(one.version == n.version and one in n for n in self.allowed):
                listed = ", ".join(map(str, self.allowed)) or "none"
                which = host if host == address else f"{host} is {address}, which"
                raise DeviceError(
                    "not-allowed",
                    f"{which} is in none of the networks that may be reached ({listed}); UMBRAK_NETWORKS lists them.",
                )
        return addresses[0]
