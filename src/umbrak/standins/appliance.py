"""A simulated appliance: an SNMP agent for v2c and v3 with the system group and HOST-RESOURCES-MIB's memory."""

from __future__ import annotations

import asyncio
import bisect
import time
from collections.abc import Callable
from functools import partial
from typing import Any

from pysnmp.carrier.asyncio.dgram import udp
from pysnmp.entity import config, engine
from pysnmp.entity.rfc3413 import cmdrsp, context
from pysnmp.proto import rfc1902, rfc1905
from pysnmp.smi import instrum

from umbrak.formats.entities import COLUMNS, ENTITY
from umbrak.formats.snmp import AUTHENTICATIONS, HR_MEMORY_SIZE, HR_STORAGE, HR_STORAGE_RAM
from umbrak.standins.spec import Spec, module_of

Oid = tuple[int, ...]


def _oid(dotted: str) -> Oid:
    return tuple(int(part) for part in dotted.split("."))


def _same(value: Any) -> Any:
    return value


def objects_of(spec: Spec) -> dict[Oid, Callable[[], Any]]:
    """Object -> what gives its value now."""
    began = time.monotonic()
    kb = min(int(spec["usable_gib"] * (1 << 20)), (1 << 31) - 1)
    description = f"{spec['maker']} {spec['model']} storage, system {spec.get('firmware') or 'unknown'}"
    fixed: dict[str, Any] = {
        "1.3.6.1.2.1.1.1.0": rfc1902.OctetString(description.encode()),
        "1.3.6.1.2.1.1.2.0": rfc1902.ObjectIdentifier("0.0"),
        "1.3.6.1.2.1.1.4.0": rfc1902.OctetString(b""),
        "1.3.6.1.2.1.1.5.0": rfc1902.OctetString(spec["name"].encode()),
        "1.3.6.1.2.1.1.6.0": rfc1902.OctetString(b""),
        "1.3.6.1.2.1.1.7.0": rfc1902.Integer32(76),
        HR_MEMORY_SIZE: rfc1902.Integer32(kb),
        f"{HR_STORAGE}.1.1": rfc1902.Integer32(1),
        f"{HR_STORAGE}.2.1": rfc1902.ObjectIdentifier(HR_STORAGE_RAM),
        f"{HR_STORAGE}.3.1": rfc1902.OctetString(b"Physical memory"),
        f"{HR_STORAGE}.4.1": rfc1902.Integer32(1024),
        f"{HR_STORAGE}.5.1": rfc1902.Integer32(kb),
        f"{HR_STORAGE}.6.1": rfc1902.Integer32(kb // 3),
    }
    fixed |= _entities(spec) if spec.get("entities") else {}
    objects: dict[Oid, Callable[[], Any]] = {_oid(name): partial(_same, value) for name, value in fixed.items()}
    objects[_oid("1.3.6.1.2.1.1.3.0")] = lambda: rfc1902.TimeTicks(int((time.monotonic() - began) * 100))
    return objects


def _entities(spec: Spec) -> dict[str, Any]:
    """Its slots as containers, its modules in them (RFC 6933)."""
    found: dict[str, Any] = {}

    def entity(index: int, kind: int, within: int, **said: str) -> None:
        found[f"{ENTITY}.4.{index}"] = rfc1902.Integer32(within)
        found[f"{ENTITY}.5.{index}"] = rfc1902.Integer32(kind)
        for name, words in said.items():
            found[f"{ENTITY}.{COLUMNS[f'entPhysical{name}']}.{index}"] = rfc1902.OctetString(words.encode())

    entity(1, 3, 0, Descr=f"{spec['maker']} {spec['model']}", Name="chassis")
    for number, slot in enumerate(spec["slots"].values(), 1):
        entity(10 * number, 5, 1, Descr="DIMM slot", Name=slot["locator"])
        if module := module_of(slot["module"]):
            words = module.short()
            told = {"SerialNum": module.serial or "", "MfgName": module.maker or "", "ModelName": module.part or ""}
            entity(
                10 * number + 1, 9, 10 * number, Descr=words if "DIMM" in words else f"{words} DIMM", Name="", **told
            )
    return found


class _Objects(instrum.AbstractMibInstrumController):  # type: ignore[misc]
    """Answers get and get-next from a table of objects."""

    def __init__(self, objects: dict[Oid, Callable[[], Any]]) -> None:
        self.objects, self.names = objects, sorted(objects)

    def read_variables(self, *varBinds: Any, **_: Any) -> list[Any]:
        found = []
        for name, _value in varBinds:
            give = self.objects.get(tuple(name))
            found.append((name, give() if give else rfc1905.noSuchInstance))
        return found

    def read_next_variables(self, *varBinds: Any, **_: Any) -> list[Any]:
        found = []
        for name, _value in varBinds:
            i = bisect.bisect_right(self.names, tuple(name))
            if i == len(self.names):
                found.append((name, rfc1905.endOfMibView))
            else:
                found.append((rfc1902.ObjectName(self.names[i]), self.objects[self.names[i]]()))
        return found


async def serve_appliance(spec: Spec, port: int, ready: Callable[[int], None]) -> None:
    """Answer on loopback until cancelled; `ready` is told the port.

    v2c with the spec's community; v3 with its user: SHA, or the hash that its spec names, and AES-128, both passphrases its password.
    """
    agent = engine.SnmpEngine()
    transport = udp.UdpTransport()
    config.add_transport(agent, udp.DOMAIN_NAME, transport.open_server_mode(("127.0.0.1", port)))
    config.add_v1_system(agent, "readers", spec["community"])
    by = getattr(config, f"USM_AUTH_{AUTHENTICATIONS[spec.get('authentication', 'SHA')]}")
    config.add_v3_user(agent, spec["user"], by, spec["password"], config.USM_PRIV_CFB128_AES, spec["password"])
    config.add_vacm_user(agent, 2, "readers", "noAuthNoPriv", (1, 3, 6, 1, 2, 1))
    config.add_vacm_user(agent, 3, spec["user"], "authPriv", (1, 3, 6, 1, 2, 1))
    answering = context.SnmpContext(agent)
    answering.unregister_context_name(b"")
    answering.register_context_name(b"", _Objects(objects_of(spec)))
    for responder in (cmdrsp.GetCommandResponder, cmdrsp.NextCommandResponder, cmdrsp.BulkCommandResponder):
        responder(agent, answering)
    agent.transport_dispatcher.job_started(1)
    while transport.transport is None:  # the endpoint is made by a task of its own
        await asyncio.sleep(0.01)
    ready(transport.transport.get_extra_info("sockname")[1])
    try:
        await asyncio.Event().wait()
    finally:
        agent.close_dispatcher()
