"""Rounds: many machines upgraded together."""

from __future__ import annotations

from uuid import UUID

from fastapi import Request

from umbrak.server.bodies.base import OfVersion
from umbrak.server.bodies.buying import NewRoundBody, RoundBody
from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.rounds.changing import (
    accept_round,
    ask_otherwise,
    close_round,
    make_round,
    search_round,
    stop_search,
)
from umbrak.services.rounds.view import RoundBrief, RoundView, list_rounds, see_round

router = api_router(prefix="/rounds", tags=["rounds"])


@router.get("", responses=describe(401))
def all_(engine: Db, _: Person) -> list[RoundBrief]:
    """The newest first."""
    return list_rounds(engine)


@router.post("", status_code=201, responses=describe(401, 403, 422))
def make(body: NewRoundBody, engine: Db, account: Person) -> RoundView:
    """Begin a round."""
    return make_round(engine, account, body.name, body.asked)


@router.get("/{round_id}", responses=describe(401, 404, 422))
def see(round_id: UUID, engine: Db, _: Person) -> RoundView:
    """A round, what is proposed for it, how its plans stand, and what changed since."""
    return see_round(engine, round_id)


@router.put("/{round_id}", responses=describe(401, 403, 404, 409, 422))
def ask(round_id: UUID, body: RoundBody, engine: Db, account: Person) -> RoundView:
    """Ask otherwise: machines, waves, money, pins."""
    return ask_otherwise(engine, account, round_id, body.version, body.asked)


@router.post("/{round_id}/search", responses=describe(401, 403, 404, 422))
def search(round_id: UUID, request: Request, engine: Db, account: Person) -> RoundView:
    """Have the best sought in the background."""
    request.app.state.queue.put(search_round(engine, account, round_id))
    return see_round(engine, round_id)


@router.post("/{round_id}/stop", responses=describe(401, 403, 404, 422))
def stop(round_id: UUID, engine: Db, account: Person) -> RoundView:
    """End the search with the best so far."""
    stop_search(engine, account, round_id)
    return see_round(engine, round_id)


@router.post("/{round_id}/acceptance", responses=describe(401, 403, 404, 409, 422))
def accept(round_id: UUID, body: OfVersion, engine: Db, account: Person) -> RoundView:
    """Make plans of what is proposed, each for its wave."""
    return accept_round(engine, account, round_id, body.version)


@router.delete("/{round_id}", status_code=204, responses=describe(401, 403, 404, 422))
def close(round_id: UUID, engine: Db, account: Person) -> None:
    """It is done; its plans stay."""
    close_round(engine, account, round_id)
