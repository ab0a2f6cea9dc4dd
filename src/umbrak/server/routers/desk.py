"""What wants somebody now."""

from __future__ import annotations

from fastapi import APIRouter

from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.services.desk.view import DeskView, see_desk

router = APIRouter(prefix="/desk", tags=["desk"])


@router.get("", responses=describe(401))
def see(engine: Db, account: Person) -> DeskView:
    """What wants somebody now, each with where it is dealt with; this week's windows; trouble predicted and met."""
    return see_desk(engine, account)
