"""One's own sessions, second factor, and tokens for scripts."""

from __future__ import annotations

from uuid import UUID

from umbrak.server.bodies.people import FactorCode, TokenBody
from umbrak.server.deps import Db, Human, Out, Token
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.people.access import (
    NewToken,
    SessionView,
    end_sessions,
    end_token,
    list_sessions,
    list_tokens,
    new_token,
)
from umbrak.services.people.factor import FactorBegun, FactorView, begin_factor, confirm_factor, drop_factor, see_factor
from umbrak.store.tokens import TokenRow

router = api_router(tags=["access"])


@router.get("/sessions", responses=describe(401, 403))
def sessions(engine: Db, account: Human, token: Token) -> list[SessionView]:
    """Where one is signed in."""
    return list_sessions(engine, account, token)


@router.delete("/sessions", status_code=204, responses=describe(401, 403))
def end_others(engine: Db, account: Human, token: Token) -> None:
    """Sign out everywhere else."""
    end_sessions(engine, account, token, None)


@router.delete("/sessions/{session_id}", status_code=204, responses=describe(401, 403, 404, 422))
def end_one(session_id: UUID, engine: Db, account: Human, token: Token) -> None:
    """End one of one's own sessions."""
    end_sessions(engine, account, token, session_id)


@router.get("/second-factor", responses=describe(401, 403))
def factor(engine: Db, account: Human) -> FactorView:
    """Whether one's own sign-in asks for a code."""
    return see_factor(engine, account)


@router.post("/second-factor", status_code=201, responses=describe(401, 403, 422))
def new_factor(engine: Db, outside: Out, account: Human) -> FactorBegun:
    """A secret for an authenticator; sign-in asks for its codes once one of them was shown."""
    return begin_factor(engine, outside.vault, account)


@router.put("/second-factor", responses=describe(401, 403, 422))
def first_code(body: FactorCode, engine: Db, outside: Out, account: Human) -> list[str]:
    """Show a first code: from now on sign-in asks for one. The answer is ten codes for when the authenticator is lost."""
    return confirm_factor(engine, outside.vault, account, body.code)


@router.post("/second-factor/removal", status_code=204, responses=describe(401, 403, 404, 422))
def no_factor(body: FactorCode, engine: Db, outside: Out, account: Human) -> None:
    """Take it away, by a code of it."""
    drop_factor(engine, outside.vault, account, body.code)


@router.get("/tokens", responses=describe(401, 403))
def tokens(engine: Db, account: Human) -> list[TokenRow]:
    """One's own tokens, without what they are."""
    return list_tokens(engine, account)


@router.post("/tokens", status_code=201, responses=describe(401, 403, 422))
def add(body: TokenBody, engine: Db, account: Human) -> NewToken:
    """A token for a script, which says so by `Authorization: Bearer`; it is shown this once."""
    return new_token(engine, account, body.name, body.role, body.days)


@router.delete("/tokens/{token_id}", status_code=204, responses=describe(401, 403, 404, 422))
def end(token_id: UUID, engine: Db, account: Human) -> None:
    """End a token at once."""
    end_token(engine, account, token_id)
