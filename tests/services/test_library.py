"""The library and a sheet's text while it is written: what it comes to, what it would change, and taking it over on machines."""

from __future__ import annotations

import io
import zipfile
from dataclasses import replace
from importlib.resources import files

import pytest
from sqlalchemy import Engine

from tests.services.test_runs import OFFICIAL, begin
from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.faults import InputError
from umbrak.formats.sheet.answers import Answer, NewSource
from umbrak.services.errors import NotAllowed, NotFound, Refused, Stale
from umbrak.services.evidence.moved import export_library, import_library
from umbrak.services.machines.drafted import take_everywhere, try_text
from umbrak.services.sheets.collection import compare_sheets, compare_text, list_library, retire_sheet, see_sheet_page
from umbrak.services.sheets.doubts import accept_doubt, settle_doubt
from umbrak.services.sheets.drafts import (
    answer_draft,
    begin_draft,
    begin_from_text,
    keep_draft,
    leave_draft,
    news_of_draft,
    see_draft,
    together,
    write_draft,
)
from umbrak.services.sheets.library import add_sheet, list_sheets, load_sheet
from umbrak.services.sheets.seen import see_text
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

    with pytest.raises(InputError):
        try_text(engine, text.replace("form: DIMM", "form: DUMM"))
    same = try_text(engine, text + "# a remark alone changes nothing\n")
    assert (same.kept_as, same.changes, same.behind) == (row.hash, (), 0)

    # Its machine's memory is of DDR5: under a sheet of DDR4 nothing in it fits.
    other = text.replace("generation: DDR5", "generation: DDR4").replace("rails_v: [1.1]", "rails_v: [1.2]")
    tried = try_text(engine, other)
    assert (tried.revision, tried.machines, tried.tried_on, tried.behind) == (2, 1, 1, 1)
    assert {c.verdict for c in tried.changes} == {"no-go"} and {c.machine for c in tried.changes} == {"hall-03"}
    # Another id is another model: no machine is under it.
    copy = try_text(engine, text.replace("id: halvard-r24", "id: halvard-r25"))
    assert (copy.revision, copy.machines) == (1, 0)

    kept = add_sheet(engine, technician, text.replace("title: Halvard R24", "title: Halvard R24, corrected"))
    taken = take_everywhere(engine, technician, "halvard-r24")
    assert (taken.taken, taken.refused) == (("hall-03",), {})
    assert take_everywhere(engine, technician, "halvard-r24").taken == ()
    page = see_sheet_page(engine, kept.sheet.hash)
    assert [r.revision for r in page.revisions] == [2, 1] and page.uses.machines == 1
    with pytest.raises(NotFound):
        take_everywhere(engine, technician, "nothing")


def _sheet(engine: Engine, name: str) -> tuple[str, SheetHash]:
    row = next(line.sheet for line in list_library(engine) if line.sheet.sheet_id == name)
    return see_sheet_page(engine, row.hash).text, row.hash


def test_two_write_one_draft_and_nothing_is_lost(engine: Engine, technician: Account, lead: Account) -> None:
    text, hash_ = _sheet(engine, "halvard-r24")
    mine = begin_draft(engine, technician, hash_)
    theirs = begin_draft(engine, lead, hash_)
    assert (mine.id, mine.version, mine.text, mine.base_revision) == (theirs.id, 1, text, 1)
    assert news_of_draft(engine, technician, mine.id).here == (lead.shown_as,)

    # Both answer, from the same version: each its own question.
    answer_draft(engine, lead, mine.id, 1, "bays", Answer("told", {"rows": 1, "columns": 8}))
    after = answer_draft(
        engine, technician, mine.id, 1, "memory.form", Answer("told", "SO-DIMM", clause="6.1, table 2")
    )
    assert (after.version, after.by) == (3, technician.shown_as)
    assert 'clause: "6.1, table 2"' in after.text and "bays: {rows: 1, columns: 8}" in after.text
    assert sum(a != b for a, b in zip(text.split("\n"), after.text.split("\n"), strict=False)) < 70
    # The same question, from before the other's answer: both sides are told, nothing is written.
    with pytest.raises(Stale) as stale:
        answer_draft(engine, lead, mine.id, 1, "memory.form", Answer("told", "other"))
    assert stale.value.theirs.version == 3 and stale.value.yours["value"] == "other"
    # Text written against an older version is put together with what came after it, or refused whole.
    older = text.replace("cools_min: 10", "cools_min: 15")
    assert "cools_min: 15" in write_draft(engine, lead, mine.id, 1, older).text
    with pytest.raises(Stale):
        write_draft(engine, lead, mine.id, 1, text.replace("form: DIMM", "form: other"))
    # Taken back: what was before is written against what came of it.
    back = write_draft(engine, technician, mine.id, 3, after.text.replace("form: SO-DIMM", "form: DIMM"))
    assert "form: DIMM" in back.text and "cools_min: 15" in back.text

    with pytest.raises(Stale):
        keep_draft(engine, technician, mine.id, 3, "")
    kept = keep_draft(engine, technician, mine.id, back.version, "bays counted at hall-03")
    page = see_sheet_page(engine, kept.sheet.hash)
    assert (page.revisions[0].by, page.revisions[0].why) == (technician.shown_as, "bays counted at hall-03")
    assert page.draft is None and page.revisions[1].by is None
    with pytest.raises(NotFound):
        see_draft(engine, technician, mine.id)


def test_a_draft_with_errors_stays_and_one_behind_is_not_kept(engine: Engine, technician: Account) -> None:
    text, hash_ = _sheet(engine, "pell-c5")
    draft = begin_draft(engine, technician, hash_)
    wrong = write_draft(engine, technician, draft.id, 1, text.replace("form: DIMM", "form: DUMM"))
    (said,) = wrong.seen.said
    assert (said.wrong, said.question, said.fault.line) == (True, "memory.form", 25) and wrong.seen.board is None
    assert wrong.seen.questions and wrong.seen.title == "Pell C5"
    with pytest.raises(InputError):
        keep_draft(engine, technician, draft.id, 2, "")
    torn = write_draft(engine, technician, draft.id, 2, text + "limits: [")
    assert torn.seen.questions is None and torn.seen.said[0].fault.line
    with pytest.raises(InputError):
        answer_draft(engine, technician, draft.id, 3, "bays", Answer("left"))
    # Somebody kept another revision meanwhile: this one would undo it unseen.
    whole = write_draft(engine, technician, draft.id, 3, text + "rate_cap_mts: 5000\n")
    add_sheet(engine, technician, text.replace("title: Pell C5", "title: Pell C5 second"))
    with pytest.raises(Refused):
        keep_draft(engine, technician, draft.id, whole.version, "")
    leave_draft(engine, technician, draft.id)
    assert {line.draft for line in list_library(engine) if line.sheet.sheet_id == "pell-c5"} == {None}


def test_a_sheet_that_the_library_lacks_begins_from_its_text(engine: Engine, technician: Account) -> None:
    text, hash_ = _sheet(engine, "tarrow-q4")
    with pytest.raises(Refused):
        begin_from_text(engine, technician, text)
    with pytest.raises(InputError):
        begin_from_text(engine, technician, "title: x")
    with pytest.raises(NotAllowed):
        begin_draft(engine, replace(technician, role="viewer"), hash_)
    new = begin_from_text(engine, technician, text.replace("id: tarrow-q4", "id: tarrow-q5"))
    with pytest.raises(Refused):
        begin_from_text(engine, technician, new.text)
    named = answer_draft(
        engine,
        technician,
        new.id,
        1,
        "memory.form",
        Answer("told", "DIMM", new_source=NewSource("Q5 manual", "machine-maker")),
    )
    assert "q5-manual" in named.text and "source: q5-manual" in named.text
    kept = keep_draft(engine, technician, new.id, named.version, "")
    assert (kept.sheet.sheet_id, kept.sheet.revision) == ("tarrow-q5", 1)


@pytest.mark.parametrize(
    ("then", "theirs", "yours", "whole"),
    [
        ("a\nb\nc\n", "a\nB\nc\n", "a\nb\nc\nd\n", "a\nB\nc\nd\n"),
        ("a\nb\n", "a\nX\n", "a\nY\n", None),
        ("a\nb\n", "a\nX\n", "a\nX\n", "a\nX\n"),
        ("a\nb", "a\nb", "", ""),
        (None, "a", "b", None),
    ],
)
def test_two_texts_become_one_or_neither(then: str | None, theirs: str, yours: str, whole: str | None) -> None:
    assert together(then=then, theirs=theirs, yours=yours) == whole


def test_fills_of_a_sheet_and_one_that_it_forbids() -> None:
    seen = see_text(files("umbrak.demo").joinpath("sheets/fjell-n4.yaml").read_text("utf-8"))
    assert [(f.modules, f.verdict.value, f.question) for f in seen.fills] == [
        (1, "go", "population"),
        (2, "go", None),
    ]
    assert seen.forbidden and seen.forbidden.slots == ("S2",) and seen.forbidden.question == "population"
    assert {s.question for s in see_text("umbrak-sheet: 1\ntitle: 7\n").said} >= {"title", "class"}
    assert see_text("- x").questions is None and see_text("a: [").said[0].fault.line == 2


def test_all_sheets_go_out_and_come_in_again_as_they_are(engine: Engine, technician: Account) -> None:
    archive = export_library(engine)
    models = [line for line in list_library(engine) if not line.sheet.archetype]
    again = import_library(engine, technician, "library.zip", archive, [line.sheet.sheet_id for line in models], True)
    assert {s.coming for s in again.sheets} == {"same"} and len(again.sheets) == len(models) >= 8
    assert (again.trials, again.trial_faults, [s for s in again.sheets if s.kept]) == (0, (), [])
    assert [line.sheet for line in list_library(engine) if not line.sheet.archetype] == [m.sheet for m in models]
    # One alone, word for word.
    text, hash_ = _sheet(engine, "halvard-r24")
    with zipfile.ZipFile(io.BytesIO(export_library(engine, hash_))) as one:
        assert {n: one.read(n).decode() for n in one.namelist()} == {"halvard-r24.yaml": text}


def test_what_comes_in_is_never_silently_a_revision(engine: Engine, technician: Account) -> None:
    text, hash_ = _sheet(engine, "halvard-r24")
    other = text.replace("cools_min: 10", "cools_min: 25").replace('clause: "6.1"', 'clause: "6.9"', 1)
    look = import_library(engine, technician, "r24.yaml", other.encode(), [], False)
    (one,) = look.sheets
    assert (one.coming, one.kept) == ("different", False) and _sheet(engine, "halvard-r24")[1] == hash_
    assert {("access", False), ("memory.form", True)} <= {(c.key, c.source_only) for c in one.changes}
    kept = import_library(engine, technician, "r24.yaml", other.encode(), ["halvard-r24"], False)
    assert kept.sheets[0].kept
    page = see_sheet_page(engine, _sheet(engine, "halvard-r24")[1])
    assert (page.revisions[0].revision, page.revisions[0].why, page.revisions[0].by) == (
        2,
        "from r24.yaml",
        technician.shown_as,
    )
    # What it was before comes as an older one, and stays out even where somebody asks for it.
    old = import_library(engine, technician, "r24.yaml", text.encode(), ["halvard-r24"], False)
    assert (old.sheets[0].coming, old.sheets[0].kept) == ("older", False)
    # New, wrong, shipped and a torn archive.
    torn = _zip(
        {
            "a.yaml": text.replace("id: halvard-r24", "id: r99"),
            "b.yaml": "umbrak-sheet: 1\ntitle: 7\n",
            "c.yaml": see_sheet_page(engine, _sheet(engine, "soldered-plus-one")[1]).text,
        }
    )
    mixed = import_library(engine, technician, "x.zip", torn, ["r99", "soldered-plus-one"], False)
    assert [(s.coming, s.kept) for s in mixed.sheets] == [("new", True), ("wrong", False), ("shipped", False)]
    assert any("line 2" in f for f in mixed.sheets[1].faults)
    for raw, why in (
        (b"PK\x03\x04torn", "no archive"),
        (_zip({"readme.txt": "x"}), "no sheet in it"),
        (_zip({"a.yaml": text, "b.yaml": text}), "two sheets"),
    ):
        with pytest.raises((InputError, Refused)) as raised:
            import_library(engine, technician, "x.zip", raw, [], False)
        assert why in str(raised.value)


def _zip(files_: dict[str, str]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in files_.items():
            archive.writestr(name, text)
    return out.getvalue()


def test_a_retired_sheet_is_offered_no_more_and_stays_readable(engine: Engine, technician: Account) -> None:
    _, hash_ = _sheet(engine, "halvard-r24")
    retire_sheet(engine, technician, "halvard-r24", True, "no spares any more")
    line = next(x for x in list_library(engine) if x.sheet.sheet_id == "halvard-r24")
    assert line.retired and (line.retired.by, line.retired.why) == (technician.shown_as, "no spares any more")
    assert "halvard-r24" not in {s.sheet_id for s in list_sheets(engine)}
    assert see_sheet_page(engine, hash_).retired and take_everywhere(engine, technician, "halvard-r24").refused == {}
    retire_sheet(engine, technician, "halvard-r24", False, "")
    assert "halvard-r24" in {s.sheet_id for s in list_sheets(engine)}
    for sheet_id, error in (("soldered-plus-one", Refused), ("nothing", NotFound)):
        with pytest.raises(error):
            retire_sheet(engine, technician, sheet_id, True, "")


def test_revisions_are_compared_clause_by_clause(engine: Engine, technician: Account) -> None:
    text, hash_ = _sheet(engine, "halvard-r24")
    changed = text.replace("faster_modules: slowed", "faster_modules: {untold: guide 6.2}").replace(
        "# once per socket", "# as the guide has it"
    )
    (one,) = compare_text(engine, hash_, changed)
    assert (one.key, one.about) == ("processors.heliant-corrie.faster_modules", "Heliant Corrie")
    assert one.was and one.now and (one.was.value, one.now.state, one.now.words) == ("slowed", "untold", "guide 6.2")
    kept = add_sheet(engine, technician, changed)
    assert [c.key for c in compare_sheets(engine, hash_, kept.sheet.hash)] == [one.key]
    assert compare_sheets(engine, hash_, hash_) == ()
    with pytest.raises(NotFound):
        compare_text(engine, "nothing", text)  # type: ignore[arg-type]


def test_doubts_are_joined_accepted_into_the_next_revision_or_refused(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    step = next(s for s in bench.run.steps if s.slots and len(s.slots) == 1)
    bench.enter("doubt", step=step.key, text="a seal broke", seal=True)
    bench.enter("doubt", step=step.key, text="the seal is gone", seal=True)
    bench.enter("doubt", step=step.key, text="it hums", bays=[])
    text, hash_ = _sheet(engine, "halvard-r24")
    sealed, hums = see_sheet_page(engine, hash_).doubts
    assert ([s.by for s in sealed.seen], sealed.question, sealed.accepted) == (
        [technician.shown_as] * 2,
        "access",
        False,
    )
    assert sealed.seen[0].machine and [c.key for c in sealed.changes] == ["access"]
    assert (hums.changes, hums.question) == ((), "")
    with pytest.raises(Refused):
        accept_doubt(engine, technician, hums.id)
    draft = see_draft(engine, technician, accept_doubt(engine, technician, sealed.id))
    assert draft.text != text and [c.key for c in compare_text(engine, hash_, draft.text)] == ["access"]
    assert [d.accepted for d in see_sheet_page(engine, hash_).doubts] == [True, False]
    # Left, it is open again; kept, it is settled.
    leave_draft(engine, technician, draft.id)
    assert [d.accepted for d in see_sheet_page(engine, hash_).doubts] == [False, False]
    draft = see_draft(engine, technician, accept_doubt(engine, technician, sealed.id))
    kept = keep_draft(engine, technician, draft.id, draft.version, "seen at the bench")
    assert [d.words for d in see_sheet_page(engine, kept.sheet.hash).doubts] == ["it hums"]
    settle_doubt(engine, technician, hums.id, "it always does")
    assert see_sheet_page(engine, kept.sheet.hash).doubts == ()
    for gone in (accept_doubt, settle_doubt):
        with pytest.raises(NotFound):
            gone(engine, technician, hums.id)


def test_another_name_at_one_slot_of_a_repeated_block_is_told_of_that_slot_alone(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    step = next(s for s in bench.run.steps if s.slots and len(s.slots) == 1)
    bench.enter("doubt", step=step.key, text="the board says J7", printed="J7")
    _, hash_ = _sheet(engine, "halvard-r24")
    (doubt,) = see_sheet_page(engine, hash_).doubts
    assert doubt.question == "slots.printed" and len(doubt.changes) == 1
    draft = see_draft(engine, technician, accept_doubt(engine, technician, doubt.id))
    kept = keep_draft(engine, technician, draft.id, draft.version, "seen at the bench")
    with engine.connect() as db:
        before, after = load_sheet(db, hash_).slots, load_sheet(db, kept.sheet.hash).slots
    assert {s: x.printed for s, x in after.items() if x != before[s]} == {step.slots[0]: "J7"}
