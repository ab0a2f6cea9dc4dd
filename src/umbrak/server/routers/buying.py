"""What to buy for plans."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import Query, Response

from umbrak.server.bodies.buying import ArrivalBody, DecisionBody, PurchaseBody
from umbrak.server.deps import Db, Now, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.buying.ordering import (
    NewPurchase,
    PurchaseView,
    close_purchase,
    decide,
    place_purchase,
    see_purchases,
    take_in,
)
from umbrak.services.buying.paper import buying_pdf
from umbrak.services.buying.wanted import BuyingView, buying_table, see_buying

router = api_router(prefix="/buying", tags=["buying"])
Plans = Annotated[list[UUID], Query(max_length=1000, description="plans; all that lack something where none is named")]


@router.get("", responses=describe(401, 422))
@while_unchanged
def see(engine: Db, _: Person, plan: Plans = []) -> BuyingView:  # noqa: B006
    """What the plans lack: what the Shelf gives, what to buy of which offer, what is left over."""
    return see_buying(engine, plan)


@router.get("/file", responses={**describe(401, 422), 200: {"content": {"text/csv": {}}}}, response_class=Response)
def table(engine: Db, _: Person, plan: Plans = []) -> Response:  # noqa: B006
    """What to buy, as CSV."""
    headers = {"Content-Disposition": 'attachment; filename="to-buy.csv"'}
    return Response(buying_table(see_buying(engine, plan)), media_type="text/csv; charset=utf-8", headers=headers)


@router.get(
    "/paper", responses={**describe(401, 422), 200: {"content": {"application/pdf": {}}}}, response_class=Response
)
def on_paper(engine: Db, _: Person, now: Now, plan: Plans = []) -> Response:  # noqa: B006
    """What to buy, with what is nearly right and what is wrong, as PDF."""
    headers = {"Content-Disposition": 'inline; filename="to-buy.pdf"'}
    return Response(buying_pdf(engine, plan, now), media_type="application/pdf", headers=headers)


@router.get("/orders", responses=describe(401, 422))
def orders(
    engine: Db, _: Person, closed: Annotated[bool, Query(description="those that are done too")] = False
) -> list[PurchaseView]:
    """What was ordered, and what came of it."""
    return see_purchases(engine, closed)


@router.post("/orders", status_code=201, responses=describe(401, 403, 422))
def order(body: PurchaseBody, engine: Db, account: Person) -> PurchaseView:
    """Keep what was ordered of one supplier for plans."""
    return place_purchase(engine, account, NewPurchase(**{**body.model_dump(), "plans": tuple(body.plans)}))


@router.post("/orders/{order_id}/arrivals", status_code=201, responses=describe(401, 403, 404, 422))
def arrived(order_id: UUID, body: ArrivalBody, engine: Db, account: Person) -> PurchaseView:
    """Read in a module that came."""
    spd = body.spd.value() if body.spd else None
    return take_in(engine, account, order_id, label=body.label, serial=body.serial, place=body.place, spd=spd)


@router.post("/orders/{order_id}/arrivals/{arrival_id}", responses=describe(401, 403, 404, 422))
def decided(order_id: UUID, arrival_id: UUID, body: DecisionBody, engine: Db, account: Person) -> PurchaseView:
    """Keep a module that is not as ordered, or send it back."""
    return decide(engine, account, order_id, arrival_id, keep=body.keep, reference=body.reference, place=body.place)


@router.delete("/orders/{order_id}", status_code=204, responses=describe(401, 403, 404, 422))
def close(order_id: UUID, engine: Db, account: Person) -> None:
    """Wait for nothing more of an order."""
    close_purchase(engine, account, order_id)
