"""Qualified lists into the sheets they name: what is previewed, kept, and waits."""

from __future__ import annotations

import io
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import openpyxl
import pytest
from sqlalchemy import Engine

from umbrak.core.platform.statement import SourceKind
from umbrak.formats.faults import InputError
from umbrak.formats.sheet.qualified import with_lines
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.evidence.lists import AboutList, end_waiting, take_list, waiting_models
from umbrak.services.parts.view import see_label, see_part
from umbrak.services.sheets.collection import list_library, see_sheet_page
from umbrak.services.sheets.drafts import begin_draft, see_draft
from umbrak.services.sheets.library import add_sheet
from umbrak.store.accounts import Account

ABOUT = AboutList("Halvard memory list 7", SourceKind.MACHINE_MAKER, date(2026, 10, 1))
TABLE = b"""Part number;Capacity (GB);System;Vendor;Remarks;Qualified
HLQ5R-16X;16;Halvard R24;Halvard;;
QD5R-32;32 GB;HR-24B ; Quell ;from firmware 2.4 on;2026-09-01
QD5R-32;32;Halvard R99;Quell;;
FJM4T-8*;8;fjell-n4;Fjellheim;;
""".replace(b";", b",")


def text_of(engine: Engine, sheet_id: str) -> str:
    row = next(line.sheet for line in list_library(engine) if line.sheet.sheet_id == sheet_id)
    return see_sheet_page(engine, row.hash).text


def test_a_list_is_seen_then_kept_and_waits_for_what_nobody_knows(engine: Engine, technician: Account) -> None:
    before = text_of(engine, "halvard-r24")
    seen = take_list(engine, technician, TABLE, ABOUT, keep=False)
    r24 = next(s for s in seen.sheets if s.sheet_id == "halvard-r24")
    # One model under two of its names, another under its id; what is listed already is no news.
    assert (r24.added, [s.there for s in seen.sheets if s.sheet_id == "fjell-n4"]) == (
        ("HLQ5R-16X", "QD5R-32"),
        [("FJM4T-8*",)],
    )
    assert [(u.model, u.lines) for u in seen.unknown] == [("Halvard R99", 1)] and "Halvard R24" in seen.unknown[0].near
    assert {c.ask for c in r24.changes} >= {"listed"} and not seen.kept and text_of(engine, "halvard-r24") == before

    kept = take_list(engine, technician, TABLE, ABOUT, keep=True)
    after = text_of(engine, "halvard-r24")
    assert kept.kept and set(before.splitlines()) <= set(after.splitlines())
    assert "note: from firmware 2.4 on" in after and "2026-09-01" in after and "maker: Quell" in after
    # A maker's word beside the other model is told where the sheet left it open, and the model's own file says why it changed.
    assert "FJM4T-8*" in text_of(engine, "fjell-n4")
    assert see_part(engine, "HLQ5R-16X").listed[0].model == "Halvard R24"
    assert see_label(engine, "hlq5r-16x")[0].module.capacity_gib == 16
    # Again it brings nothing, and nothing waits twice.
    again = take_list(engine, technician, TABLE, ABOUT, keep=True)
    assert all(s.added == () for s in again.sheets) and text_of(engine, "halvard-r24") == after
    assert [(w.model, w.parts, w.sheet_hash) for w in waiting_models(engine)] == [("Halvard R99", ("QD5R-32",), None)]

    # A sheet of that model comes: then its lines find it. Other lines are forgotten when somebody says so.
    add_sheet(engine, technician, after.replace("id: halvard-r24", "id: halvard-r99").replace("title: Halvard R24", "title: Halvard R99").replace("HR-24B", "HR-99"))  # fmt: skip
    waits = waiting_models(engine)[0]
    assert waits.sheet_title == "Halvard R99" and waits.sheet_hash
    into = end_waiting(engine, technician, "Halvard R99", waits.sheet_hash)
    assert into and into.there == ("QD5R-32",) and waiting_models(engine) == []
    with pytest.raises(NotFound):
        end_waiting(engine, technician, "Halvard R99", None)


def test_a_draft_gets_the_lines_and_loses_nothing(engine: Engine, technician: Account) -> None:
    row = next(line.sheet for line in list_library(engine) if line.sheet.sheet_id == "halvard-r24")
    draft = begin_draft(engine, technician, row.hash)
    taken = take_list(engine, technician, TABLE, ABOUT, keep=True)
    assert next(s.draft_by for s in taken.sheets if s.sheet_id == "halvard-r24") == technician.shown_as
    assert "HLQ5R-16X" in see_draft(engine, technician, draft.id).text
    assert text_of(engine, "halvard-r24") == draft.text  # its keeper keeps it


def test_what_is_wrong_in_a_list_is_said_and_nothing_of_it_is_lost(engine: Engine, technician: Account) -> None:
    def seen(table: bytes, about: AboutList = ABOUT) -> list[tuple[int, str]]:
        return [(e.row, e.column) for e in take_list(engine, technician, table, about, keep=True).errors]

    assert seen(b"part,model,size\n,Halvard R24,16\nX-100,,16\nX-100,Halvard R24,much\n") == [(2, "part"), (3, "model"), (4, "size")]  # fmt: skip
    with pytest.raises(Refused, match="no column “model”"):
        seen(b"part,size\nX-100,16\n")
    with pytest.raises(InputError):
        seen(b"\x00\x01")
    for about, field in (
        (replace(ABOUT, title=" "), "title"),
        (replace(ABOUT, dated=datetime.now(UTC).date() + timedelta(days=2)), "dated"),
    ):
        with pytest.raises(Refused) as refused:
            seen(TABLE, about)
        assert refused.value.field == field
    with pytest.raises(NotAllowed):
        take_list(engine, replace(technician, role="viewer"), TABLE, ABOUT, keep=False)
    # Of two sizes one is a mistake: it is not written, and its line waits until somebody has looked.
    odd = take_list(engine, technician, b"part,model,size\nFJM4T-8*,Fjell N4,16\n", ABOUT, keep=True)
    assert "of 16 GB on the list, and of 8 GB in the sheet" in odd.sheets[0].fault
    waits = waiting_models(engine)[0]
    assert waits.parts == ("FJM4T-8*",) and waits.sheet_title == "Fjell N4"
    with pytest.raises(Refused):
        end_waiting(engine, technician, "Fjell N4", waits.sheet_hash)
    assert waiting_models(engine) == [waits]
    assert end_waiting(engine, technician, "Fjell N4", None) is None and waiting_models(engine) == []


def test_a_workbook_is_a_list_too_and_only_its_lines_change(engine: Engine, technician: Account) -> None:
    book = openpyxl.Workbook()
    for row in (("P/N", "Models", "Size"), ("HLQ5R-64", "Halvard R24; Nobody 7", 64)):
        book.active.append(row)  # type: ignore[union-attr]
    out = io.BytesIO()
    book.save(out)
    taken = take_list(engine, technician, out.getvalue(), ABOUT, keep=False)
    assert (taken.sheets[0].added, taken.unknown[0].model) == (("HLQ5R-64",), "Nobody 7")
    with pytest.raises(InputError):
        with_lines("listed: open\n", [])
