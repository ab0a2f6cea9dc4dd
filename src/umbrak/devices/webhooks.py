"""Tells an address what happened: one signed POST, into networks that the operator lists.

Headers and signature are those of the open Standard Webhooks specification: HMAC-SHA256 of "id.timestamp.body" by the
shared secret, so that the receiver knows whom it is from, that it is whole, and that it is not an old one sent again.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import secrets
import ssl
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import httpx

from umbrak.devices.networks import DeviceError, Networks, split_address

#: Begins a secret, so that it is known for one where it should not be.
PREFIX = "whsec_"
_TIMEOUT = httpx.Timeout(10.0, connect=5.0)


@dataclass(frozen=True, slots=True)
class Message:
    """What is told once; sent again it has the same id."""

    id: str
    kind: str
    at: datetime
    data: dict[str, Any] = field(repr=False)


def new_secret() -> str:
    return PREFIX + base64.b64encode(secrets.token_bytes(32)).decode()


def check_address(address: str, networks: Networks) -> None:
    """Raises DeviceError: no address, in the clear beyond this machine, or in no listed network."""
    _target(address, networks)


def _target(address: str, networks: Networks) -> tuple[str, str, str]:
    """(URL by the address that was looked up, Host header, name in the certificate)"""
    scheme = "http" if address.startswith("http://") else "https"
    host, port, named = split_address(address, scheme, 80 if scheme == "http" else 443)
    at = networks.address_of(host, port)
    if scheme == "http" and not at.startswith("127.") and at != "::1":
        raise DeviceError("not-allowed", "What happens is told over TLS: give an address that begins with https://.")
    netloc = f"[{at}]:{port}" if ":" in at else f"{at}:{port}"
    path = address.split("://", 1)[-1].partition("/")[2]
    return f"{scheme}://{netloc}/{path}", named, host


def signature(secret: str, message_id: str, timestamp: int, body: bytes) -> str:
    key = base64.b64decode(secret.removeprefix(PREFIX))
    signed = b".".join((message_id.encode(), str(timestamp).encode(), body))
    return "v1," + base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()


def tell(address: str, secret: str, message: Message, networks: Networks, now: datetime) -> None:
    """Raises DeviceError unless the receiver answers with success (2xx)."""
    url, named, host = _target(address, networks)
    body = json.dumps(
        {"type": message.kind, "timestamp": message.at.isoformat(), "data": message.data}, ensure_ascii=False
    ).encode()
    timestamp = int(now.timestamp())
    headers = {
        "Host": named,
        "Content-Type": "application/json",
        "User-Agent": "umbrak",
        "webhook-id": message.id,
        "webhook-timestamp": str(timestamp),
        "webhook-signature": signature(secret, message.id, timestamp, body),
    }
    transport = httpx.HTTPTransport(verify=ssl.create_default_context())
    try:
        with (
            httpx.Client(transport=transport, timeout=_TIMEOUT, follow_redirects=False, trust_env=False) as client,
            client.stream("POST", url, content=body, headers=headers, extensions={"sni_hostname": host}) as answer,
        ):
            status = answer.status_code  # what it says beside is not read
    except httpx.TimeoutException as error:
        raise DeviceError("too-slow", f"{host} did not answer within {_TIMEOUT.read:g} s.") from error
    except httpx.HTTPError as error:
        raise DeviceError("unreachable", f"{host} cannot be reached: {error}.") from error
    if not 200 <= status < 300:
        raise DeviceError("refused", f"{host} answered with {status}.")
