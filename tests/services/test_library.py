"""The library and a sheet's text while it is written: what it comes to, what it would change, and taking it over on machines."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from umbrak.services.errors import NotFound
from umbrak.services.machines.drafted import take_everywhere, try_text
from umbrak.services.sheets.collection import list_library, see_sheet_page
from umbrak.services.sheets.library import add_sheet
from umbrak.store.accounts import Account


def test_every_sheet_stands_in_the_library_with_what_stands_on_it(engine: Engine, technician: Account) -> None:
    lines = {line.sheet.sheet_id: line for line in list_library(engine)}
    r24 = lines["halvard-r24"]
    assert (r24.uses.machines, r24.facts.open, sum(g.slots for g in r24.glyph)) == (1, 0, 24)
    assert "HR-24B" in r24.models and r24.uses.plans >= 1
    assert lines["soldered-plus-one"].sheet.archetype and lines["soldered-plus-one"].facts.open > 5
    page = see_sheet_page(engine, r24.sheet.hash)
    assert "id: halvard-r24" in page.text and [r.hash for r in page.revisions] == [r24.sheet.hash]
    with pytest.raises(NotFound):
        see_sheet_page(engine, "nothing")  # type: ignore[arg-type]


def test_a_text_is_tried_kept_and_taken_over_everywhere(engine: Engine, technician: Account) -> None:
    row = next(line.sheet for line in list_library(engine) if line.sheet.sheet_id == "halvard-r24")
    text = see_sheet_page(engine, row.hash).text

    broken = try_text(engine, text.replace("form: DIMM", "form: DUMM"))
    assert [(e.line is not None, e.path) for e in broken.errors] == [(True, "memory.form")] and broken.board is None
    same = try_text(engine, text + "# a remark alone changes nothing\n")
    assert (same.kept_as, same.changes, same.behind) == (row.hash, (), 0)

    # Its machine's memory is of DDR5: under a sheet of DDR4 nothing in it fits.
    other = text.replace("generation: DDR5", "generation: DDR4").replace("rails_v: [1.1]", "rails_v: [1.2]")
    tried = try_text(engine, other)
    assert not tried.errors and (tried.revision, tried.machines, tried.tried_on, tried.behind) == (2, 1, 1, 1)
    assert {c.verdict for c in tried.changes} == {"no-go"} and {c.machine for c in tried.changes} == {"hall-03"}
    # Another id is another model: no machine is under it.
    copy = try_text(engine, text.replace("id: halvard-r24", "id: halvard-r25"))
    assert (copy.id, copy.revision, copy.machines) == ("halvard-r25", 1, 0)

    kept = add_sheet(engine, technician, text.replace("title: Halvard R24", "title: Halvard R24, corrected"))
    taken = take_everywhere(engine, technician, "halvard-r24")
    assert (taken.taken, taken.refused) == (("hall-03",), {})
    assert take_everywhere(engine, technician, "halvard-r24").taken == ()
    page = see_sheet_page(engine, kept.sheet.hash)
    assert [r.revision for r in page.revisions] == [2, 1] and page.uses.machines == 1
    with pytest.raises(NotFound):
        take_everywhere(engine, technician, "nothing")
