"""What to buy for plans."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response

from umbrak.server.deps import Db, Person
from umbrak.server.problems import describe
from umbrak.services.buying.wanted import BuyingView, buying_table, see_buying

router = APIRouter(prefix="/buying", tags=["buying"])
Plans = Annotated[list[UUID], Query(max_length=1000, description="plans; all that lack something where none is named")]


@router.get("", responses=describe(401, 422))
def see(engine: Db, _: Person, plan: Plans = []) -> BuyingView:  # noqa: B006
    """What the plans lack: what the Shelf gives, what to buy of which offer, what is left over."""
    return see_buying(engine, plan)


@router.get("/file", responses={**describe(401, 422), 200: {"content": {"text/csv": {}}}}, response_class=Response)
def table(engine: Db, _: Person, plan: Plans = []) -> Response:  # noqa: B006
    """What to buy, as CSV."""
    headers = {"Content-Disposition": 'attachment; filename="to-buy.csv"'}
    return Response(buying_table(see_buying(engine, plan)), media_type="text/csv; charset=utf-8", headers=headers)
