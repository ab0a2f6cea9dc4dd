"""Asking a machine over the network: its management controller by Redfish, an appliance by SNMP.

What it answers is taken in like a file: nothing of what is known changes until somebody has seen the difference.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime
from typing import Literal
from uuid import UUID

from sqlalchemy import Engine

from umbrak.devices import redfish, snmp
from umbrak.devices.networks import DeviceError
from umbrak.formats.kept import ServiceFacts
from umbrak.formats.snmp import write_snmp
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.accounts import Role, need
from umbrak.services.reach import Outside
from umbrak.services.surveys.intake import Intake, keep_intake
from umbrak.store import machine_services as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.machine_services import ServiceRow
from umbrak.store.machines import find_machine

ServiceKind = Literal["redfish", "snmp"]


@dataclass(frozen=True, slots=True)
class Access:
    """Where a machine's service is and how to be let in.

    Redfish: user and password; its certificate is vouched for by `authority` (PEM) or is the one of `fingerprint`.
    SNMP: `community` for v2c, or `user`, `password` (by the hash `authentication`) and `privacy_password` (AES) for v3.
    """

    address: str
    user: str = ""
    authority: str = ""
    fingerprint: str = ""
    authentication: str = "SHA"
    password: str = field(default="", repr=False)
    community: str = field(default="", repr=False)
    privacy_password: str = field(default="", repr=False)


_SECRETS = ("password", "community", "privacy_password")


@dataclass(frozen=True, slots=True)
class ServiceView:
    """A machine's service without its secrets."""

    kind: str
    address: str
    user: str
    fingerprint: str
    authentication: str
    has_authority: bool
    asked_at: datetime | None
    #: What went wrong when it was asked last; "" = it answered, or was never asked.
    trouble: str
    #: Since when its locator light is on by us, and why it could not be switched off.
    light_since: datetime | None
    light_trouble: str


def service_views(rows: Sequence[ServiceRow]) -> tuple[ServiceView, ...]:
    return tuple(
        ServiceView(
            kind=r.kind,
            address=r.address,
            user=r.facts.user,
            fingerprint=r.facts.fingerprint,
            authentication=r.facts.authentication,
            has_authority=bool(r.facts.authority),
            asked_at=r.asked_at,
            trouble=r.trouble,
            light_since=r.light_since,
            light_trouble=r.light_trouble,
        )
        for r in rows
    )


@dataclass(frozen=True, slots=True)
class Answer:
    """What a machine answered, as a file that can be kept and read again."""

    source_name: str
    raw: bytes
    #: (where, what was odd) of the asking.
    notes: tuple[tuple[str, str], ...]


def _nothing(_: int) -> None:
    pass


def _check_passphrases(kind: ServiceKind, access: Access) -> None:
    """Raises Refused for passphrases that SNMPv3 cannot be asked with."""
    if kind != "snmp" or not access.user:
        return
    for name in ("password", "privacy_password"):
        if 0 < len(getattr(access, name)) < snmp.LEAST_PASSPHRASE:
            raise Refused(name, f"A passphrase of SNMPv3 has at least {snmp.LEAST_PASSPHRASE} characters (RFC 3414).")
    if access.privacy_password and not access.password:
        raise Refused("password", "SNMPv3 has no privacy without authentication: give that passphrase too.")


def ask(outside: Outside, kind: ServiceKind, access: Access, told: Callable[[int], None] = _nothing) -> Answer:
    """Ask. Raises DeviceError, which says what to do; Refused for what no machine can be asked with."""
    _check_passphrases(kind, access)
    if kind == "redfish":
        found = redfish.collect(_controller(access), outside.networks, told=told)
        return Answer(f"Redfish at {access.address}", found.as_bytes(), found.notes)
    agent = snmp.Agent(
        address=access.address,
        community=access.community or None,
        user=access.user or None,
        auth_password=access.password or None,
        privacy_password=access.privacy_password or None,
        authentication=access.authentication,
    )
    told_by = snmp.ask(agent, outside.networks)
    return Answer(f"SNMP at {access.address}", write_snmp(told_by.values), told_by.notes)


def _controller(access: Access) -> redfish.Service:
    return redfish.Service(
        access.address, access.user, access.password, access.authority or None, access.fingerprint or None
    )


def _access(outside: Outside, row: ServiceRow) -> Access:
    return Access(row.address, **asdict(row.facts), **outside.vault.unseal(row.sealed))


def ask_once(engine: Engine, account: Account, outside: Outside, kind: ServiceKind, access: Access) -> Intake:
    """Ask a machine that is not kept yet. Raises DeviceError, or InputError where the answer tells nothing."""
    need(account, Role.technician)
    answer = ask(outside, kind, access)
    with engine.begin() as db:
        return keep_intake(db, account.id, answer.source_name, answer.raw, answer.notes)


def keep_service(
    engine: Engine, account: Account, outside: Outside, machine_id: UUID, kind: ServiceKind, access: Access
) -> None:
    """Keep how a machine is asked; secrets that are left empty stay as they were, and so does the authority unless its
    certificate itself is trusted instead. Raises NotFound, Refused."""
    need(account, Role.technician)
    if not access.address.strip():
        raise Refused("address", "Give the address of the service.")
    _check_passphrases(kind, access)
    given = asdict(access)
    with engine.begin() as db:
        if find_machine(db, machine_id, lock=True) is None:
            raise NotFound("machine")
        before = store.find_service(db, machine_id, kind)
        kept = outside.vault.unseal(before.sealed) if before and not any(given[s] for s in _SECRETS) else {}
        # A kept secret goes to the address it was given for: whoever changes that must know it.
        if kept and before and before.address != access.address.strip():
            raise Refused("password", "The address is another one: enter the password for it.")
        secrets = {s: given[s] or kept.get(s, "") for s in _SECRETS}
        earlier = before.facts.authority if before and not access.fingerprint else ""
        authority = access.authority or earlier
        facts = ServiceFacts(
            user=access.user.strip(),
            authority=authority,
            fingerprint=access.fingerprint,
            authentication=access.authentication,
        )
        store.keep_service(db, machine_id, kind, access.address.strip(), facts, outside.vault.seal(secrets))
        record(db, "service kept", account.id, machine_id, kind=kind, address=access.address.strip())


def drop_service(engine: Engine, account: Account, machine_id: UUID, kind: ServiceKind) -> None:
    """Forget how a machine is asked. Raises NotFound; Refused while its light is on by us, which nobody could end then."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = store.find_service(db, machine_id, kind)
        if row and row.light_since:
            raise Refused("light", "Its locator light is on by us: switch it off at the bench first.")
        if not store.drop_service(db, machine_id, kind):
            raise NotFound("service")
        record(db, "service forgotten", account.id, machine_id, kind=kind)


def ask_machine(
    engine: Engine,
    account: Account,
    outside: Outside,
    machine_id: UUID,
    kind: ServiceKind,
    told: Callable[[int], None] = _nothing,
) -> Intake:
    """Ask a kept machine by its kept service; what came of it is noted. Raises NotFound, DeviceError, InputError."""
    need(account, Role.technician)
    with engine.connect() as db:
        row = store.find_service(db, machine_id, kind)
    if row is None:
        raise NotFound("service")
    try:
        answer = ask(outside, kind, _access(outside, row), told)
    except DeviceError as error:
        with engine.begin() as db:
            store.note_asked(db, machine_id, kind, str(error))
        raise
    with engine.begin() as db:
        intake = keep_intake(db, account.id, answer.source_name, answer.raw, answer.notes)
        store.note_asked(db, machine_id, kind, "")
    return intake


def set_light(outside: Outside, row: ServiceRow, on: bool) -> bool:
    """Switch a machine's locator light by its kept controller.

    Returns
        whether it was on before

    Raises
        DeviceError
    """
    return redfish.set_light(_controller(_access(outside, row)), outside.networks, on)
