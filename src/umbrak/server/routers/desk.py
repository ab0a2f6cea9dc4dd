"""What wants somebody now."""

from __future__ import annotations

from datetime import timedelta
from typing import Annotated

from fastapi import Path, Query, Response
from pydantic import BaseModel

from umbrak.formats.quantities import Day
from umbrak.server.deps import Db, Human, Now, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.desk.calendar import end_feed, has_feed, new_feed, see_feed
from umbrak.services.desk.report import manager_pdf
from umbrak.services.desk.view import DeskCounts, DeskView, see_counts, see_desk

router = api_router(prefix="/desk", tags=["desk"])


class Feed(BaseModel):
    """The calendar of what comes, at a secret address."""

    #: Whether there is one.
    kept: bool
    #: The address's path, told when it is made and never again.
    path: str | None


@router.get("", responses=describe(401))
@while_unchanged
def see(engine: Db, account: Person, now: Now) -> DeskView:
    """What wants somebody now, each with where it is dealt with; this week's windows; trouble predicted and met."""
    return see_desk(engine, account, now)


@router.get("/counts", responses=describe(401))
@while_unchanged
def counts(engine: Db, account: Person, now: Now) -> DeskCounts:
    """How many things want somebody, by the place where they are dealt with."""
    return see_counts(engine, account, now)


@router.get(
    "/report", responses={**describe(401, 422), 200: {"content": {"application/pdf": {}}}}, response_class=Response
)
def report(
    engine: Db,
    _: Person,
    now: Now,
    since: Annotated[Day | None, Query(description="first day; 90 days before the last where it is not said")] = None,
    until: Annotated[Day | None, Query(description="last day; today where it is not said")] = None,
) -> Response:
    """One page for a manager: done, gained, spent, saved, trouble met against trouble predicted."""
    last = until or now.date()
    raw = manager_pdf(engine, since or last - timedelta(days=90), last, now)
    headers = {"Content-Disposition": 'inline; filename="memory.pdf"'}
    return Response(raw, media_type="application/pdf", headers=headers)


@router.get("/feed", responses=describe(401))
def feed(engine: Db, account: Human) -> Feed:
    """Whether you have a calendar of what comes."""
    return Feed(kept=has_feed(engine, account), path=None)


@router.post("/feed", status_code=201, responses=describe(401))
def make_feed(engine: Db, account: Human) -> Feed:
    """A new secret address for your calendar; the one before leads nowhere any more."""
    return Feed(kept=True, path=f"/api/desk/feeds/{new_feed(engine, account)}.ics")


@router.delete("/feed", status_code=204, responses=describe(401))
def drop_feed(engine: Db, account: Human) -> None:
    """Let your calendar's address lead nowhere."""
    end_feed(engine, account)


@router.get(
    "/feeds/{token}.ics",
    responses={**describe(404, 422), 200: {"content": {"text/calendar": {}}}},
    response_class=Response,
)
def calendar(token: Annotated[str, Path(max_length=100)], engine: Db, now: Now) -> Response:
    """What comes, for whoever knows the address: windows, waves of rounds, deliveries and returns."""
    headers = {"Cache-Control": "private, no-store"}
    return Response(see_feed(engine, token, now), media_type="text/calendar; charset=utf-8", headers=headers)
