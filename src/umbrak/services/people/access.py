"""By what an account is asked for: its sessions, which can be looked at and ended, and its tokens for scripts."""

from __future__ import annotations

import secrets
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine

from umbrak.services.errors import NotFound, NotSignedIn, Refused
from umbrak.services.people.accounts import Role, need, token_hash
from umbrak.store import accounts as store
from umbrak.store import tokens
from umbrak.store.accounts import Account, SessionRow
from umbrak.store.engine import at_once
from umbrak.store.history import HistoryLine, access_lines, record
from umbrak.store.tokens import TokenRow

#: By which a token is known for one, in a file or a log where it should not be.
PREFIX = "umbrak_"
MOST_DAYS, MOST_TOKENS = 400, 50


@dataclass(frozen=True, slots=True)
class SessionView:
    id: UUID
    created_at: datetime
    used_at: datetime
    expires_at: datetime
    #: Where it was begun from, and by which browser, as that says itself.
    address: str
    agent: str
    #: Whether it is the one that asks.
    is_this: bool


@dataclass(frozen=True, slots=True)
class NewToken:
    """A token, shown this once: only its hash is kept."""

    token: str
    kept: TokenRow


def list_sessions(engine: Engine, account: Account, token: str | None) -> list[SessionView]:
    """One's own sessions, the one used last first."""
    with engine.connect() as db:
        rows = store.sessions_of(db, account.id)
    return [_session(r, token) for r in rows]


def _session(r: SessionRow, token: str | None) -> SessionView:
    return SessionView(
        id=r.id, created_at=r.created_at, used_at=r.used_at, expires_at=r.expires_at, address=r.address, agent=r.agent,
        is_this=bool(token) and r.token_hash == token_hash(token or ""),
    )  # fmt: skip


def end_sessions(engine: Engine, account: Account, token: str | None, key: UUID | None) -> None:
    """End one of one's own sessions, or all but the one that asks. Raises NotFound."""
    with engine.begin() as db:
        ended = store.end_sessions(db, account.id, key, token_hash(token or ""))
        if key is not None and not ended:
            raise NotFound("session")
        if ended:
            record(db, "sessions ended", account.id, count=ended)


def list_tokens(engine: Engine, account: Account) -> list[TokenRow]:
    with engine.connect() as db:
        return tokens.tokens_of(db, account.id)


def new_token(engine: Engine, account: Account, name: str, role: str, days: int) -> NewToken:
    """A token for a script. Raises Refused for a role that is more than one's own, a name without letters, too many."""
    if role not in Role.__members__:
        raise Refused("role", f"A role is one of {', '.join(Role.__members__)}.")
    need(account, Role[role])
    if not name.strip():
        raise Refused("name", "Say what it is for: whoever finds it in use a year on wants to know.")
    if not 1 <= days <= MOST_DAYS:
        raise Refused("days", f"A token ends after 1 to {MOST_DAYS} days.")
    token = PREFIX + secrets.token_urlsafe(32)
    with engine.begin() as db:
        if len(tokens.tokens_of(db, account.id)) >= MOST_TOKENS:
            raise Refused("name", f"{MOST_TOKENS} tokens are kept at most: end those that nobody uses.")
        ends = datetime.now(UTC) + timedelta(days=days)
        kept = tokens.add_token(db, account.id, name.strip(), role=role, token_hash=token_hash(token), expires_at=ends)
        record(db, "token made", account.id, name=kept.name, role=role, until=ends.date().isoformat())
    return NewToken(token, kept)


def end_token(engine: Engine, account: Account, key: UUID) -> None:
    """Raises NotFound."""
    with engine.begin() as db:
        name = tokens.end_token(db, account.id, key)
        if name is None:
            raise NotFound("token")
        record(db, "token ended", account.id, name=name)


def by_token(engine: Engine, token: str) -> Account:
    """The account of a script's token, with no more than the lesser of both roles. Raises NotSignedIn."""
    hashed = token_hash(token)
    with at_once(engine) as db:
        found = tokens.find_token(db, hashed)
    if found is None:
        raise NotSignedIn("This token is not known, or has ended.")
    account, role, recent = found
    if not recent:
        with engine.begin() as db:
            tokens.note_use(db, hashed)
    return replace(account, role=min(Role[role], Role[account.role]).name)


def access_events(engine: Engine, by: Account, before: int | None = None) -> list[HistoryLine]:
    """Who came in, was kept out, and what changed about who may: for leads. Raises NotAllowed."""
    need(by, Role.lead)
    with engine.connect() as db:
        return access_lines(db, before)
