"""A second factor at sign-in: codes by the clock from an authenticator (RFC 6238), and codes for when that is lost."""

from __future__ import annotations

import base64
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID

import pyotp
from sqlalchemy import Connection, Engine

from umbrak.services.errors import NotFound, NotSignedIn, Refused
from umbrak.services.people.accounts import Role, need, token_hash
from umbrak.services.reach import Vault
from umbrak.store import factors as store
from umbrak.store.accounts import Account, find_account
from umbrak.store.history import record

#: Codes for when the authenticator is lost.
CODES = 10
#: Steps of 30 s that the two clocks may be apart.
_APART = 1


class CodeWantedError(NotSignedIn):
    """Name and password match, and the account has an authenticator whose code was not given."""


@dataclass(frozen=True, slots=True)
class FactorView:
    """Whether the account's sign-in asks for a code, and how many recovery codes are left."""

    on: bool
    codes: int


@dataclass(frozen=True, slots=True)
class FactorBegun:
    """What an authenticator has to be told, shown this once."""

    #: Base 32, as typed by hand.
    secret: str
    #: The same as authenticators read it from a picture.
    uri: str
    #: That picture: SVG.
    picture: str


def see_factor(engine: Engine, account: Account) -> FactorView:
    with engine.connect() as db:
        return _view(db, account.id)


def _view(db: Connection, key: UUID) -> FactorView:
    row = store.find_factor(db, key)
    return FactorView(bool(row and row.confirmed_at), row.codes if row else 0)


def begin_factor(engine: Engine, vault: Vault, account: Account) -> FactorBegun:
    """A new secret for an authenticator; nothing is asked for until `confirm_factor` has seen a code of it. Raises Refused
    where one is in use."""
    secret = pyotp.random_base32()
    with engine.begin() as db:
        if _view(db, account.id).on:
            raise Refused("code", "A second factor is in use already: take it away first.")
        store.begin_factor(db, account.id, vault.seal({"totp": secret}))
    uri = pyotp.TOTP(secret).provisioning_uri(name=account.name, issuer_name="Umbrak")
    return FactorBegun(secret, uri, _picture(uri))


def _picture(uri: str) -> str:
    import segno

    return segno.make(uri, error="m").svg_inline(scale=4, border=4, light="#fff")


def confirm_factor(engine: Engine, vault: Vault, account: Account, code: str) -> list[str]:
    """From now on sign-in asks for codes. The recovery codes are told this once. Raises Refused for a wrong code."""
    codes = [_new_code() for _ in range(CODES)]
    with engine.begin() as db:
        row = store.find_factor(db, account.id)
        if row is None or row.confirmed_at is not None:
            raise Refused("code", "Begin anew: there is no authenticator that waits for its first code.")
        if not _is_now(db, vault, account.id, row.sealed, code):
            raise Refused("code", _CLOCKS)
        store.confirm_factor(db, account.id, [token_hash(_plain(c)) for c in codes])
        record(db, "second factor on", account.id, name=account.name)
    return codes


_CLOCKS = (
    "This is not the code of now. Codes go by the clock: see that the authenticator's is right, and take the next one."
)


def drop_factor(engine: Engine, vault: Vault, account: Account, code: str) -> None:
    """Nothing but the password is asked for any more. Raises Refused for a wrong code."""
    with engine.begin() as db:
        row = store.find_factor(db, account.id)
        if row is None or row.confirmed_at is None:
            raise NotFound("second factor")
        if not _is_good(db, vault, account.id, row.sealed, code):
            raise Refused("code", _CLOCKS)
        store.drop_factor(db, account.id)
        record(db, "second factor off", account.id, name=account.name)


def reset_factor(engine: Engine, by: Account, key: UUID) -> None:
    """A lead takes the second factor of somebody who has lost it. Raises NotFound."""
    need(by, Role.lead)
    with engine.begin() as db:
        whose = find_account(db, key)
        if whose is None or not store.drop_factor(db, key):
            raise NotFound("second factor")
        record(db, "second factor off", by.id, name=whose.name)


def check_factor(engine: Engine, vault: Vault, account: Account, code: str | None) -> None:
    """Raises CodeWantedError where the account has an authenticator and no code came, NotSignedIn where it is a wrong one."""
    with engine.connect() as db:
        row = store.find_factor(db, account.id)
    if row is None or row.confirmed_at is None:
        return
    if not code:
        raise CodeWantedError("Give the code that your authenticator shows now, or one of your recovery codes.")
    with engine.begin() as db:
        if not _is_good(db, vault, account.id, row.sealed, code):
            raise NotSignedIn(_CLOCKS)


def _is_good(db: Connection, vault: Vault, key: UUID, sealed: bytes, code: str) -> bool:
    if _is_now(db, vault, key, sealed, code):
        return True
    if not store.use_code(db, key, token_hash(_plain(code))):
        return False
    record(db, "recovery code used", key, left=_view(db, key).codes)
    return True


def _is_now(db: Connection, vault: Vault, key: UUID, sealed: bytes, code: str) -> bool:
    """Whether it is a code of about now that was not taken before."""
    given = "".join(code.split())
    totp = pyotp.TOTP(vault.unseal(sealed)["totp"])
    now = totp.timecode(datetime.now(UTC))
    steps = range(now - _APART, now + _APART + 1)
    found = [s for s in steps if secrets.compare_digest(totp.generate_otp(s).encode(), given.encode())]
    return bool(found) and store.take_step(db, key, found[0])


def _new_code() -> str:
    letters = base64.b32encode(secrets.token_bytes(10)).decode()
    return "-".join(letters[i : i + 4] for i in range(0, len(letters), 4))


def _plain(code: str) -> str:
    return "".join(code.upper().replace("-", "").split())
