"""The Shelf: modules on hand, offers, tables of both; what an installation reckons money with."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import File, Form, Path, Query, Response, UploadFile

from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.server.bodies.base import Meant, meant_by
from umbrak.server.bodies.buying import MoneyBody, OfferBody, StockBody, StockChange
from umbrak.server.deps import Db, Person, Searched
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.unchanged import while_unchanged
from umbrak.services.people.settings import MoneySettings, see_money, set_money
from umbrak.services.shelf.changing import NewOffer, NewStock, add_offer, add_stock, change_stock, withdraw_offer
from umbrak.services.shelf.labels import shelf_labels
from umbrak.services.shelf.tables import TakenTable, export_table, take_table
from umbrak.services.shelf.trail import Trail, see_trails
from umbrak.services.shelf.view import ShelfView, see_shelf

router = api_router(prefix="/shelf", tags=["shelf"])
_PDF: dict[str, Any] = {"content": {"application/pdf": {}}}
TableKind = Annotated[Literal["stock", "offers"], Query(description="modules on hand, or offers")]


@router.get("", responses=describe(401, 404, 422))
@while_unchanged
def see(
    engine: Db,
    _: Person,
    q: Annotated[Searched, Query(description="a part, a label as scanned, or words")] = "",
    machine_id: Annotated[UUID | None, Query(description="only what this machine's slots take")] = None,
) -> ShelfView:
    """What is on hand and on offer."""
    return see_shelf(engine, q, machine_id)


@router.get("/labels", responses={**describe(401, 404, 422), 200: _PDF}, response_class=Response)
def labels(
    engine: Db,
    _: Person,
    stock: Annotated[list[UUID], Query(max_length=1000, description="lines; all of them where none is named")] = [],  # noqa: B006
) -> Response:
    """Labels to stick on what is on hand, one a module, as PDF."""
    headers = {"Content-Disposition": 'inline; filename="labels.pdf"'}
    return Response(shelf_labels(engine, stock), media_type="application/pdf", headers=headers)


@router.get("/modules/{serial}", responses=describe(401, 404, 422))
def module(serial: Annotated[str, Path(max_length=400)], engine: Db, _: Person) -> tuple[Trail, ...]:
    """Where a module is, where it was, what was seen of it: by its serial number, or a scanned code that has it."""
    return see_trails(engine, serial)


@router.post("/stock", status_code=201, responses=describe(401, 403, 422))
def put_on(body: StockBody, engine: Db, account: Person) -> ShelfView:
    """Put modules on the shelf."""
    return add_stock(engine, account, NewStock(**{**body.model_dump(), "module": body.module.value()}))


@router.patch("/stock/{stock_id}", responses=describe(401, 403, 404, 409, 422))
def change(stock_id: UUID, body: StockChange, engine: Db, account: Person) -> ShelfView:
    """Change count, state, place or note; a count of 0 takes the line off."""
    changes = body.model_dump(exclude={"version"}, exclude_none=True)
    return change_stock(engine, account, stock_id, body.version, changes)


@router.post("/offers", status_code=201, responses=describe(401, 403, 422))
def offer(body: OfferBody, engine: Db, account: Person) -> ShelfView:
    """Keep an offer; it takes the place of the supplier's older one for the same part and kit."""
    return add_offer(engine, account, NewOffer(**{**body.model_dump(), "module": body.module.value()}))


@router.delete("/offers/{offer_id}", responses=describe(401, 403, 404, 422))
def withdraw(offer_id: UUID, engine: Db, account: Person) -> ShelfView:
    """Take an offer away."""
    return withdraw_offer(engine, account, offer_id)


@router.get("/file", responses={**describe(401, 422), 200: {"content": {"text/csv": {}}}}, response_class=Response)
def export(engine: Db, _: Person, kind: TableKind) -> Response:
    """The modules on hand, or the offers, as CSV."""
    headers = {"Content-Disposition": f'attachment; filename="{kind}.csv"'}
    return Response(export_table(engine, kind), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/file", responses=describe(400, 401, 403, 422), max_body_size=MAX_FORM_BYTES)
def take(
    engine: Db,
    account: Person,
    kind: TableKind,
    file: Annotated[
        UploadFile,
        File(description="CSV or XLSX; its first row, or the one below what stands above the table, names the columns"),
    ],
    keep: Annotated[bool, Form(description="keep them; a wrong row keeps all of them out")] = False,
    meant: Meant = (),
) -> TakenTable:
    """Modules or offers from a table: what each row was understood as, and what is wrong in it."""
    return take_table(engine, account, kind, file.file.read(MAX_BYTES + 1), keep, meant_by(meant))


@router.get("/money", responses=describe(401))
def money(engine: Db, _: Person) -> MoneySettings:
    """The currency of prices, and what hours, returns and lost data cost."""
    return see_money(engine)


@router.put("/money", responses=describe(401, 403, 422))
def reckon(body: MoneyBody, engine: Db, account: Person) -> MoneySettings:
    """Set what money is reckoned with."""
    return set_money(engine, account, MoneySettings(**body.model_dump()))
