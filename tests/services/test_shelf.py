"""The Shelf: what is on hand and reserved, offers, tables in and out; and the routes made of them."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from functools import partial
from typing import Any

import pytest
from sqlalchemy import Engine

from tests.formats.test_reports import xlsx
from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.routes.problem import Wishes
from umbrak.services.errors import NotFound, Refused, Stale
from umbrak.services.evidence.trials import NewTrial
from umbrak.services.machines.making import NewMachine
from umbrak.services.machines.page import see_machine
from umbrak.services.plans.editing import discard_plan, edit_plan, start_plan
from umbrak.services.routes.finding import find_routes
from umbrak.services.shelf.changing import NewOffer, NewStock, add_offer, add_stock, change_stock, withdraw_offer
from umbrak.services.shelf.tables import OFFER_COLUMNS, STOCK_COLUMNS, export_table, take_table
from umbrak.services.shelf.view import see_shelf
from umbrak.store.accounts import Account

R16 = decode_label("16GB 1Rx8 PC5-4800B-RC0").module


def line(engine: Engine, part: str) -> Any:
    (found,) = [s for s in see_shelf(engine).stock if s.part == part]
    return found


def test_what_a_plan_puts_in_is_reserved_from_the_shelf(engine: Engine, technician: Account) -> None:
    """Two plans want five of four: the older one has them; discarded, undone or of another kind they are free."""
    shelf = line(engine, "HLV5R-16")
    assert (shelf.count, shelf.free, shelf.reserved) == (4, 4, ())
    first, other = key_of(engine, "hall-03"), key_of(engine, "hall-04")
    plan = start_plan(engine, technician, first, "three")
    goal = Layout(dict.fromkeys(["CPU2.A2", "CPU2.B2", "CPU2.C2"], shelf.module))
    plan = edit_plan(engine, technician, plan.id, plan.version, goal, ())
    second = start_plan(
        engine, technician, other, "two", wanted=Layout({"CPU0.A": shelf.module, "CPU0.B": shelf.module})
    )
    shelf = line(engine, "HLV5R-16")
    assert shelf.free == 0
    assert [(r.machine, r.plan, r.count) for r in shelf.reserved] == [("hall-03", "three", 3), ("hall-04", "two", 1)]
    discard_plan(engine, technician, plan.id, plan.version, True)
    assert [(r.plan, r.count) for r in line(engine, "HLV5R-16").reserved] == [("two", 2)]
    edit_plan(engine, technician, second.id, second.version, Layout({"CPU0.A": R16}), ())
    assert [(r.plan, r.count) for r in line(engine, "HLV5R-16").reserved] == [("two", 1)]


def test_a_part_that_came_with_other_chips_is_told(engine: Engine, technician: Account) -> None:
    """The trials of ZX5S-32 had 2 ranks of x8: one that came with 1 rank of x4 is not what they speak for."""
    for label in ("32GB 1Rx4 PC5-4800B-SC0", "32GB 2Rx8 PC5-4800B-SB0"):
        add_stock(engine, technician, NewStock(module=decode_label(label).module, part="ZX5S-32", place=label))
    told = {s.place[5:9]: s.unlike_tried for s in see_shelf(engine).stock if s.part == "ZX5S-32"}
    assert told["2Rx8"] == () and "x4 devices instead of 8" in told["1Rx4"]


def test_modules_come_change_and_go(engine: Engine, technician: Account) -> None:
    add_stock(
        engine, technician, NewStock(module=Module(), count=2, state="pulled", part="QD5R-64", place="box c")
    )  # known by its offer
    added = line(engine, "QD5R-64")
    assert (added.words, added.state, added.place) == ("64 GB 2Rx4 DDR5-5600 registered", "pulled", "box c")
    change_stock(engine, technician, added.id, added.version, {"state": "suspect", "count": 1})
    with pytest.raises(Stale):
        change_stock(engine, technician, added.id, added.version, {"count": 5})
    change_stock(engine, technician, added.id, added.version + 1, {"count": 0})
    assert not [s for s in see_shelf(engine).stock if s.part == "QD5R-64"]
    with pytest.raises(NotFound):
        change_stock(engine, technician, added.id, 2, {"count": 1})
    for wrong, field in (
        (NewStock(module=Module(), part="who knows"), "module"),
        (NewStock(module=replace(R16, serial="S1"), count=2), "count"),
    ):
        with pytest.raises(Refused) as error:
            add_stock(engine, technician, wrong)
        assert error.value.field == field


@pytest.mark.parametrize(
    ("typed", "stock", "offers"),
    [
        ("HLV5R-16", ["HLV5R-16"], ["HLV5R-16"]),
        ("S/N 4471 16GB 1Rx8 PC5-4800B-RC0 P/N HLV5R-16", ["HLV5R-16"], ["HLV5R-16"]),  # scanned off the module
        ("16GB 1Rx8 PC5-4800B-R", ["HLV5R-16", "QD5R-16"], ["HLV5R-16", "QD5R-16"]),
        ("drawer", ["ZX4E-8"], []),
        ("tarn", [], ["QD5S-64", "TM4R-16", "TM4R-32", "ZX3S-8", "ZX4E-16", "ZX5R-64K4"]),
        ("nothing like it", [], []),
    ],
)
def test_what_is_typed_or_scanned_finds_the_part(
    engine: Engine, technician: Account, typed: str, stock: list[str], offers: list[str]
) -> None:
    found = see_shelf(engine, typed)
    assert ([s.part for s in found.stock], [o.part for o in found.offers]) == (stock, offers)


def test_an_offer_has_a_price_a_gigabyte_and_a_newer_one_takes_its_place(engine: Engine, technician: Account) -> None:
    def offers() -> list[tuple[str, Decimal, Decimal | None]]:
        return [(o.supplier, o.price, o.per_gb) for o in see_shelf(engine, "QD5U-24K2").offers]

    assert offers() == [("Merrow Supply", Decimal(134), Decimal("2.792"))]
    add_offer(
        engine,
        technician,
        NewOffer(part="QD5U-24K2", module=Module(), supplier="Merrow Supply", price=Decimal("150.5"), kit=2),
    )
    assert offers() == [("Merrow Supply", Decimal("150.5"), Decimal("3.135"))]
    withdraw_offer(engine, technician, see_shelf(engine, "QD5U-24K2").offers[0].id)
    assert offers() == []
    with pytest.raises(Refused, match="How large X1 is"):
        add_offer(engine, technician, NewOffer(part="X1", module=Module(), supplier="", price=Decimal(1)))


STOCK = [
    ["module", "count", "part", "state", "where"],
    ["16GB 1Rx8 PC5-4800B-RC0", "3", "AA-16", "pulled", "box"],
    ["", "2", "QD5R-64", "To return", ""],
]
OFFERS = [
    ["part", "supplier", "price", "module", "kit", "listed", "currency"],
    ["AA-16K4", "Merrow Supply", "1.240,50", "16GB 1Rx8 PC5-4800B-RC0", "4", "no", "eur"],
]


@pytest.mark.parametrize("way", ["csv", "xlsx"])
def test_tables_are_seen_before_they_are_kept(engine: Engine, technician: Account, way: str) -> None:
    def file(rows: list[list[str]]) -> bytes:
        return xlsx(rows) if way == "xlsx" else "\n".join(";".join(r) for r in rows).encode()

    before = see_shelf(engine)
    seen = take_table(engine, technician, "stock", file(STOCK), keep=False)
    assert [(x.row, x.part, x.detail) for x in seen.lines] == [(2, "AA-16", "3 pulled"), (3, "QD5R-64", "2 to-return")]
    assert see_shelf(engine) == before
    assert take_table(engine, technician, "stock", file(STOCK), keep=True).kept
    assert line(engine, "AA-16").count == 3
    assert take_table(engine, technician, "offers", file(OFFERS), keep=True).kept
    (offer,) = see_shelf(engine, "AA-16K4").offers
    assert (offer.price, offer.kit, offer.listed) == (Decimal("1240.5"), 4, False)
    # A kit that its label alone tells is no single module at the price of all.
    pair = [OFFERS[0], ["AA-K2", "Merrow Supply", "100", "32GB (2x16GB) DDR5-4800 RDIMM", "", "no", "eur"]]
    assert take_table(engine, technician, "offers", file(pair), keep=True).kept
    (offer,) = see_shelf(engine, "AA-K2").offers
    assert (offer.kit, offer.per_gb) == (2, Decimal("3.125"))
    # What is rated by a profile of its maker's comes in, and it is said how it was read.
    fast = [OFFERS[0], ["AA-P1", "Merrow Supply", "50", "16GB DDR5-6000 UDIMM 1.35V", "", "no", "eur"]]
    taken = take_table(engine, technician, "offers", file(fast), keep=True)
    assert taken.kept and "1.35 V is above DDR5's 1.1 V" in taken.lines[0].detail
    (offer,) = see_shelf(engine, "AA-P1").offers
    assert (offer.module.rate_mts, offer.module.rails_v) == (None, (1.1,))


@pytest.mark.parametrize(
    ("kind", "row", "column"),
    [
        ("stock", {"module": "spoon", "count": "1"}, "module"),
        ("stock", {"module": "16GB 1Rx8 PC5-4800B-RC0", "count": "some"}, "count"),
        ("stock", {"module": "16GB 1Rx8 PC5-4800B-RC0", "count": "1", "state": "lost"}, "state"),
        ("stock", {"module": "16GB 1Rx8 PC5-4800B-RC0 (dead)", "count": "1"}, "module"),
        ("stock", {"module": "32GB (2x16GB) DDR5-4800 RDIMM", "count": "1"}, "module"),
        ("offers", {"part": "A-1", "supplier": "x", "price": "9", "module": "32GB (2x16GB) DDR5-4800 RDIMM", "kit": "4"}, "kit"),
        ("offers", {"part": "QD5R-64", "supplier": "x", "price": "cheap"}, "price"),
        ("offers", {"part": "QD5R-64", "supplier": "x", "price": "9", "currency": "NOK"}, "currency"),
        ("offers", {"part": "who knows", "supplier": "x", "price": "9"}, "module"),
        ("offers", {"part": "QD5R-64", "supplier": "x", "price": "9", "date": "soon"}, "date"),
        # What no form takes no file takes either.
        *(("offers", {"part": "QD5R-64", "supplier": "x", "price": p}, "price") for p in ("NaN", "1e30", "-4", "1_0", "1,234", "1.2.3", "inf", "99999999999", "0.0001")),
        *(("offers", {"part": "QD5R-64", "supplier": "x", "price": "9", c: v}, c) for c, v in (("price", "\xa3 9"), ("price", "9 NOK"), ("lead days", "soon"), ("lead days", "9999 weeks"), ("stock", "some"), ("kit", "99999999999999"), ("kit", "1_0"), ("kit", "0"), ("stock", "-3"), ("stock", "1,234"), ("lead days", "-1"), ("date", "1850-01-01"), ("supplier", "n" * 500))),
        *(("stock", {"module": "16GB 1Rx8 PC5-4800B-RC0", "count": c}, "count") for c in ("99999999999999", "-3", "0", "NaN", "1_0", "1,234", "2.5")),
        *(("stock", {"module": "16GB 1Rx8 PC5-4800B-RC0", "count": "1", c: "n" * 500}, c) for c in ("part", "where", "serial")),
    ],
)  # fmt: skip
def test_a_wrong_row_keeps_all_out(
    engine: Engine, technician: Account, kind: str, row: dict[str, str], column: str
) -> None:
    good = STOCK if kind == "stock" else OFFERS
    lines = [";".join(row), ";".join(row.values())]
    taken = take_table(engine, technician, kind, "\n".join(lines).encode(), keep=True)
    assert not taken.kept and [(e.row, e.column) for e in taken.errors] == [(2, column)]
    other = f"{good[0][0]}x,b\n1,2\n".encode()
    seen = take_table(engine, technician, kind, other, keep=False)
    assert seen.missing[0] in good[0] and set(seen.columns.values()) == {"left out"} and not seen.lines
    with pytest.raises(Refused, match="no column"):
        take_table(engine, technician, kind, other, keep=True)


def test_a_suppliers_own_headings_are_said_once(engine: Engine, technician: Account) -> None:
    theirs = b"Haus;MPN;Bezeichnung;Preis;Module;Lieferzeit\nNord;SP-9;8GB 2Rx4 PC3-10600R;1.049,50 \xe2\x82\xac;burnt;bald\n"
    seen = take_table(engine, technician, "offers", theirs, keep=False)
    assert (seen.missing, seen.columns["mpn"]) == (("price",), "part")
    told = {"Haus": "supplier", "Preis": "price", "bezeichnung": "module", "module": "left out"}
    taken = take_table(engine, technician, "offers", theirs, keep=True, told=told)
    (line,) = taken.lines
    assert (taken.kept, line.part, line.detail) == (True, "SP-9", "1049.50 EUR")
    offer = next(o for o in see_shelf(engine).offers if o.part == "SP-9")
    assert (offer.supplier, offer.module.capacity_gib, offer.lead_days) == ("Nord", 8, None)
    # A fault names the column as the file has it.
    wrong = take_table(engine, technician, "offers", theirs, keep=True, told={**told, "lieferzeit": "lead days"})
    assert [(e.column, wrong.kept) for e in wrong.errors] == [("lieferzeit", False)]
    soon = theirs.replace(b"bald", b"1-2 Wochen")
    taken = take_table(engine, technician, "offers", soon, keep=False, told={**told, "lieferzeit": "lead days"})
    assert [x.detail for x in taken.lines] == ["1049.50 EUR, 14 days"]
    for said, why in (
        ({"Preiss": "price"}, "no column"),
        ({"preis": "cost"}, "nothing that"),
        ({"preis": "price", "haus": "price"}, "Two columns"),
    ):
        with pytest.raises(Refused, match=why):
            take_table(engine, technician, "offers", theirs, keep=False, told=said)


@pytest.mark.parametrize(
    ("file", "above", "details"),
    [
        ("Part No.;Description;Qty available;Unit price (net);Vendor;Lead time\nQD5R-64;;12 pcs;89,90 €;Bolt;3-5 days", 0, ["89.90 EUR, 12 there, 5 days"]),
        ("P/N,Price (EUR),Availability\nQD5R-64,\"310,-\",in stock", 0, ["310 EUR"]),
        ("part\tprice in €\tlead time\nQD5R-64\t310.–\tin stock", 0, ["310 EUR"]),
        # Who offers it, and when, stands above.
        ("Our offer 4711, of 30 November\nBolt & Sons, Harbour Road\n\npart;price;seller\nQD5R-64;89,90;Bolt", 2, ["89.90 EUR"]),
        ("Vendor;Bolt;;\nValid until;2026-12-31;;\nSKU;Net price;Store;Kit\nQD5R-64;9;Bolt;2", 2, ["9 EUR for 2"]),
        # What is meant by a price, or is another money, is asked or refused.
        ("part;price per 10\nQD5R-64;9", 0, None),
        ("part;price (old)\nQD5R-64;9", 0, None),
        ("part;price (usd)\nQD5R-64;9", 0, "prices here are in EUR, not USD"),
        ("part;price $\nQD5R-64;9", 0, "prices here are in EUR, not USD"),
        ("part;price (usd);currency\nQD5R-64;9;EUR", 0, ["9 EUR"]),
    ],
)  # fmt: skip
def test_a_suppliers_table_is_read_as_suppliers_write_it(
    engine: Engine, technician: Account, file: str, above: int, details: list[str] | str | None
) -> None:
    seen = take_table(engine, technician, "offers", file.encode(), keep=False)
    assert seen.above == above
    if details is None:
        assert seen.missing == ("price",)
    elif isinstance(details, str):
        assert [(e.row, e.message) for e in seen.errors] == [(2, details)]
    else:
        assert ([x.detail for x in seen.lines], seen.errors) == (details, ())
        assert seen.lines[0].row == len(file.splitlines())


def test_all_faults_of_a_row_are_told(engine: Engine, technician: Account) -> None:
    file = b"Part;Supplier;Price;Kit;Stock;Listed\nA-1;x;dear;none;-3;maybe\nA-2;x;9;1;;yes\n"
    taken = take_table(engine, technician, "offers", file, keep=True)
    assert [(e.row, e.column) for e in taken.errors] == [
        (2, "price"),
        (2, "kit"),
        (2, "stock"),
        (2, "listed"),
        (3, "module"),
    ]


@pytest.mark.parametrize(
    ("make", "wrong"),
    [
        *((partial(NewOffer, part="A", module=R16), {"price": p}) for p in (Decimal("NaN"), Decimal("1e30"), Decimal(-1), Decimal("0.0001"))),
        *((partial(NewOffer, part="A", module=R16, price=Decimal(1)), w) for w in ({"kit": 10**14}, {"kit": 0}, {"stock": -3}, {"stock": 10**14}, {"lead_days": -1}, {"supplier": "n" * 500})),
        *((partial(NewStock, module=R16), w) for w in ({"count": 10**14}, {"count": 0}, {"state": "lost"}, {"part": "n" * 500}, {"odd": 1})),
        *((partial(NewTrial, sheet_id="x", outcome="fine", who="named", tried_on=date(2026, 1, 1)), w) for w in ({"soak_days": float("nan")}, {"soak_days": -1.0}, {"total_gib": -4.0}, {"total_gib": float("inf")}, {"outcome": "splendid"}, {"tried_on": date(1850, 1, 1)})),
        *((partial(NewMachine, name="m", sheet_hash="x"), w) for w in ({"name": "n" * 500}, {"name": " "}, {"place": "p" * 500}, {"keeper": "a\0b"}, {"warranty_end": date(1850, 1, 1)})),
    ],
)  # fmt: skip
def test_a_value_that_cannot_exist_cannot_be_made(make: Any, wrong: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=next(iter(wrong))):
        make(**wrong)


@pytest.mark.parametrize(("kind", "columns"), [("stock", STOCK_COLUMNS), ("offers", OFFER_COLUMNS)])
def test_a_table_written_is_read_back(engine: Engine, technician: Account, kind: str, columns: tuple[str, ...]) -> None:
    text = export_table(engine, kind)
    assert text.splitlines()[0] == ",".join(columns)
    taken = take_table(engine, technician, kind, text.encode(), keep=False)
    assert taken.errors == () and len(taken.lines) == len(text.splitlines()) - 1


# -- routes -----------------------------------------------------------------------------------------------


def test_routes_of_a_machine_use_the_shelf_before_they_buy(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "hall-03")
    found = find_routes(engine, machine, Wishes(usable_gib=500), 20)
    assert found.proved and found.on_shelf == 2
    cheapest = found.routes[0]
    # Of what lies there for nothing the new ones first: those that were pulled fail early more often.
    assert cheapest.cost == 0
    assert [(b.part, b.origin, b.count) for b in cheapest.buy] == [("HLV5R-16", "shelf", 4), ("QD5R-16", "shelf", 2)]
    official = next(r for r in found.routes if "in-warranty" in r.names)
    assert [(b.part, b.origin, b.count) for b in official.buy] == [("HLV5R-16", "shelf", 4), ("HLV5R-16", "offer", 2)]
    lacking = [b.words for b in official.beliefs if b.lacks_word]
    assert (official.cost, lacking) == (296, [])
    against = cheapest.break_even
    assert against is not None and found.routes[against.against] == official and against.saving == 296
    assert (
        against.expected_loss == pytest.approx(cheapest.expected_loss - official.expected_loss, abs=0.02)
        and cheapest.expected_loss > 0
    )
    total = sum(loss.probability * loss.cost for loss in cheapest.losses)
    assert total == pytest.approx(cheapest.expected_loss, abs=0.01)
    # What another machine's plan has reserved is not to be had; what this one's has, is.
    # Layouts are told as what they change, modules once.
    fitted = dict(see_machine(engine, machine).slots)
    assert {s: found.modules[at] for s, at in found.fitted.items() if at is not None} == fitted
    assert set(official.changes) == {f"CPU2.{c}2" for c in "ABCDEF"} and len(found.modules) < 24
    goal = {**fitted, **{s: found.modules[at] for s, at in official.changes.items() if at is not None}}
    assert official.modules == len(goal) == 24
    start_plan(engine, technician, machine, "own", wanted=Layout(goal))
    again = find_routes(engine, machine, Wishes(usable_gib=500), 20)
    assert [r.cost for r in again.routes] == [r.cost for r in found.routes]
    held = line(engine, "QD5R-16").module
    start_plan(
        engine, technician, key_of(engine, "hall-04"), "away", wanted=Layout({f"CPU0.{c}": held for c in "ABCDE"})
    )
    left = find_routes(engine, machine, Wishes(usable_gib=500), 20).routes
    assert max(b.count for r in left for b in r.buy if (b.part, b.origin) == ("QD5R-16", "shelf")) == 1


def test_failed_modules_are_no_material(engine: Engine, technician: Account) -> None:
    found = find_routes(engine, key_of(engine, "hall-02"), Wishes(usable_gib=700), 20)
    assert found.routes
    for route in found.routes:
        assert [(a.do, a.target) for a in route.actions if a.source == "CPU2.11"] == [("take-out", None)]


def test_where_there_is_no_route_it_says_which_wish_stands_in_the_way(engine: Engine, technician: Account) -> None:
    found = find_routes(engine, key_of(engine, "hall-03"), Wishes(usable_gib=700, budget=Decimal(100)), 20)
    assert not found.routes and set(found.relax) == {("usable_gib",), ("budget",)}
