"""A client for SNMP v2c (RFC 1901) and v3 (RFC 3411 to 3418, user-based security): reads what an appliance tells of its
memory. It only ever gets; nothing is set."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from umbrak.devices.networks import DeviceError, Networks, split_address
from umbrak.formats.entities import COLUMNS, ENTITY
from umbrak.formats.snmp import AUTHENTICATIONS, HR_MEMORY_SIZE, HR_STORAGE, SYS_DESCR, SYS_NAME

#: Of everything [s].
_WHOLE = 30.0
#: Characters of a passphrase (RFC 3414, 11.2).
LEAST_PASSPHRASE = 8
#: Rows of the storage table that are looked at.
_MOST_ROWS = 400
#: Of the entities [s], and how many of them: an agent with more lists ports, not modules.
_ENTITIES, _MOST_ENTITIES = 15.0, 2000


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


@dataclass(frozen=True, slots=True)
class Told:
    #: Object -> value: the system's description, name, memory, and what it lists as physical entities.
    values: dict[str, int | str]
    #: (object, what could not be had of it).
    notes: tuple[tuple[str, str], ...] = ()


def ask(agent: Agent, networks: Networks, patience: float = 3.0) -> Told:
    """What an agent tells of its system's memory.

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


async def _ask(agent: Agent, host: str, address: str, port: int, patience: float) -> Told:
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

        async def entities() -> dict[str, int | str]:
            listed: dict[str, int | str] = {}
            for column in COLUMNS.values():
                top = hlapi.ObjectType(hlapi.ObjectIdentity(f"{ENTITY}.{column}"))
                pages = hlapi.bulk_walk_cmd(
                    engine, who, target, hlapi.ContextData(), 0, 25, top, lookupMib=False, lexicographicMode=False
                )
                async for failed, status, _, found in pages:
                    _check(host, failed, status)
                    listed |= _values(found)
                    if len(listed) > _MOST_ENTITIES * len(COLUMNS):
                        raise DeviceError("too-large", f"it lists more than {_MOST_ENTITIES} entities")
            return listed

        # Half a table would tell of modules without what they are: it is had whole, or not at all.
        try:
            return Told(values | await asyncio.wait_for(entities(), _ENTITIES))
        except (TimeoutError, DeviceError) as error:
            why = str(error) or f"they took more than {_ENTITIES:g} s"
            return Told(values, ((ENTITY, f"what it lists as physical entities is left out: {why}"),))
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
