"""A client for SNMP v2c (RFC 1901) and v3 (RFC 3411 to 3418, user-based security): reads what an appliance tells of its
memory. It only ever gets; nothing is set."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from umbrak.devices.networks import DeviceError, Networks, split_address
from umbrak.formats.snmp import AUTHENTICATIONS, HR_MEMORY_SIZE, HR_STORAGE, SYS_DESCR, SYS_NAME

#: Of everything [s].
_WHOLE = 30.0
#: Characters of a passphrase (RFC 3414, 11.2).
LEAST_PASSPHRASE = 8
#: Rows of the storage table that are looked at.
_MOST_ROWS = 400


@dataclass(frozen=True, slots=True)
class Agent:
    """Where an agent is and how it is asked: by community (v2c), or by user with SHA or SHA-2, and AES-128 (v3)."""

    address: str
    community: str | None = field(default=None, repr=False)
    user: str | None = None
    auth_password: str | None = field(default=None, repr=False)
    privacy_password: str | None = field(default=None, repr=False)
    #: One of `AUTHENTICATIONS`.
    authentication: str = "SHA"


def ask(agent: Agent, networks: Networks, patience: float = 3.0) -> dict[str, int | str]:
    """Object -> value of the system's description, name and memory.

    Parameters
        patience    how long an answer is waited for before the request is sent once more, and given up [s]

    Raises
        DeviceError
    """
    host, port, _ = split_address(agent.address, "snmp", 161)
    address = networks.address_of(host, port)
    try:
        # In a thread of its own: the caller's may have an event loop already.
        with ThreadPoolExecutor(max_workers=1) as apart:
            asking = asyncio.wait_for(_ask(agent, host, address, port, patience), _WHOLE)
            return apart.submit(asyncio.run, asking).result()
    except TimeoutError as error:
        raise DeviceError("too-slow", f"{host} took more than {_WHOLE:g} s in all.") from error
    except DeviceError:
        raise
    except Exception:
        # Whatever the library stumbles over. Its words are left out: they may hold a passphrase.
        raise DeviceError("refused", f"{host} cannot be asked with this user and these passphrases.") from None


async def _ask(agent: Agent, host: str, address: str, port: int, patience: float) -> dict[str, int | str]:
    # The library takes half a second to load: only who asks pays for it.
    from pysnmp.hlapi.v3arch import asyncio as hlapi

    if agent.user is not None:
        by = getattr(hlapi, f"USM_AUTH_{AUTHENTICATIONS[agent.authentication]}")
        auth = {"authKey": agent.auth_password, "authProtocol": by} if agent.auth_password else {}
        privacy = (
            {"privKey": agent.privacy_password, "privProtocol": hlapi.USM_PRIV_CFB128_AES}
            if agent.privacy_password
            else {}
        )
        who: Any = hlapi.UsmUserData(agent.user, **auth, **privacy)
    else:
        who = hlapi.CommunityData(agent.community or "", mpModel=1)
    transport = hlapi.Udp6TransportTarget if ":" in address else hlapi.UdpTransportTarget
    engine = hlapi.SnmpEngine()
    try:
        target = await transport.create((address, port), timeout=patience, retries=1)

        async def get(*oids: str) -> dict[str, int | str]:
            objects = [hlapi.ObjectType(hlapi.ObjectIdentity(oid)) for oid in oids]
            failed, status, _, found = await hlapi.get_cmd(
                engine, who, target, hlapi.ContextData(), *objects, lookupMib=False
            )
            _check(host, failed, status)
            return _values(found)

        values = await get(SYS_DESCR, SYS_NAME, HR_MEMORY_SIZE)
        rows = 0
        root = hlapi.ObjectType(hlapi.ObjectIdentity(HR_STORAGE))
        walk = hlapi.walk_cmd(engine, who, target, hlapi.ContextData(), root, lookupMib=False, lexicographicMode=False)
        async for failed, status, _, found in walk:
            _check(host, failed, status)
            values |= {k: v for k, v in _values(found).items() if k.startswith(f"{HR_STORAGE}.")}
            rows += 1
            if rows >= _MOST_ROWS:
                break
        return values
    finally:
        engine.close_dispatcher()


def _check(host: str, failed: Any, status: Any) -> None:
    if failed:
        words = str(failed)
        if "timeout" in words.lower() or "No SNMP response" in words:
            raise DeviceError(
                "unreachable",
                f"{host} does not answer by SNMP: check address and community (a wrong community is not answered).",
            )
        raise DeviceError("refused", f"{host} refuses: {words}. Check user and passwords.")
    if status:
        raise DeviceError("refused", f"{host} refuses: {status.prettyPrint()}.")


def _values(found: Any) -> dict[str, int | str]:
    """Object -> value; objects that the agent does not have are left out."""
    values: dict[str, int | str] = {}
    for name, value in found:
        kind = type(value).__name__
        if kind in ("NoSuchObject", "NoSuchInstance", "EndOfMibView", "Null"):
            continue
        oid = str(name)
        if kind in ("Integer", "Integer32", "Gauge32", "Unsigned32", "Counter32", "Counter64", "TimeTicks"):
            values[oid] = int(value)
        elif kind == "ObjectIdentifier":
            values[oid] = f".{value}"
        else:
            values[oid] = bytes(value).decode("utf-8", "replace")[:1000]
    return values
