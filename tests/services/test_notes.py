"""Field notes: trials noted, what each does to a belief, files in and out."""

from __future__ import annotations

import io
import json
from datetime import UTC, date, datetime
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import Engine, text

from tests.formats.test_reports import xlsx
from tests.services.test_taking_in import key_of
from umbrak.core.evidence.table import NUMBERS, USUAL, DoubtKind
from umbrak.core.memory.label import decode_label
from umbrak.formats.spreadsheet import read_table
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.evidence.ceiling import see_ceiling
from umbrak.services.evidence.exhibits import Subject, attach, link, remove, see_exhibit
from umbrak.services.evidence.tables import COLUMNS, export_trials, take_trials
from umbrak.services.evidence.trials import (
    NewTrial,
    add_trial,
    list_trials,
    withdraw_trial,
)
from umbrak.services.people.settings import see_evidence, set_evidence
from umbrak.store.accounts import Account, find_credentials

TODAY = datetime.now(UTC).date()
#: What a trial loses of its weight if midnight passes while a test runs.
A_DAY = 2e-3
PART = decode_label("32GB 2Rx8 PC5-4800B-SB0 P/N: ZX5S-32").module


def noted(**more: Any) -> NewTrial:
    return NewTrial(**{"sheet_id": "fjell-n2", "outcome": "fine", "who": "own-proof", "tried_on": TODAY, "processor": "corrin-tarn", "module": PART, "total_gib": 40, "soak_days": 30, **more})  # fmt: skip


def test_a_trial_changes_what_a_machine_is_believed_to_take(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "gauge-01")

    def believed() -> dict[str, tuple[float, int]]:
        return {b.words: (b.works, len(b.contributions)) for b in see_ceiling(engine, machine).rests_on}

    before = believed()
    assert {"Fjell N2 runs 40 GB", "ZX5S-32 runs on Fjell N2"} <= set(before)
    key = add_trial(engine, technician, noted(source="quay-07", firmware="3.1"))
    after = believed()
    for words in ("Fjell N2 runs 40 GB", "ZX5S-32 runs on Fjell N2"):
        assert after[words][0] > before[words][0] and after[words][1] == before[words][1] + 1
    shown = [s for s in see_ceiling(engine, machine).shown if s.gib == 40 and s.tried_on == TODAY]
    assert [(s.outcome.value, s.elsewhere) for s in shown] == [("fine", "")]
    line = next(t for t in list_trials(engine) if t.id == key)
    assert (line.part, line.source) == ("ZX5S-32", "quay-07")
    assert {m.kind for m in line.moved} == {DoubtKind.REACH, DoubtKind.PART}
    assert all(m.weight > 0.3 and m.after > m.before for m in line.moved), line.moved
    withdraw_trial(engine, technician, key)
    assert believed() == {words: (pytest.approx(p, abs=A_DAY), count) for words, (p, count) in before.items()}
    with pytest.raises(NotFound):
        withdraw_trial(engine, technician, key)


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"sheet_id": "nothing"}, "model"),
        ({"processor": "nothing"}, "processor"),
        ({"module": None, "total_gib": None}, "module"),
        ({"tried_on": date(2199, 1, 1)}, "date"),
    ],
)
def test_a_trial_of_nothing_is_refused(engine: Engine, technician: Account, wrong: dict[str, Any], field: str) -> None:
    with pytest.raises(Refused) as refused:
        add_trial(engine, technician, noted(**wrong))
    assert refused.value.field == field


def test_a_file_goes_out_and_comes_back_the_same(engine: Engine, technician: Account) -> None:
    add_trial(engine, technician, noted(note="=1+1, and “quotes”"))
    out = export_trials(engine).encode()
    before = [
        (t.sheet_id, t.part, t.total_gib, t.outcome, t.who, t.tried_on, t.soak_days, t.note)
        for t in list_trials(engine)
    ]
    assert read_table(out).columns == COLUMNS and b"'=1+1" in out  # no spreadsheet takes a note for a formula
    for t in list_trials(engine):
        withdraw_trial(engine, technician, t.id)
    preview = take_trials(engine, technician, out, keep=False)
    assert (preview.good, preview.errors, preview.kept, list_trials(engine)) == (len(before), (), False, [])
    assert take_trials(engine, technician, out, keep=True).kept
    after = [
        (t.sheet_id, t.part, t.total_gib, t.outcome, t.who, t.tried_on, t.soak_days, t.note)
        for t in list_trials(engine)
    ]
    assert sorted(after, key=str) == sorted(before, key=str)


def test_a_wrong_row_keeps_the_whole_file_out(engine: Engine, technician: Account) -> None:
    count = len(list_trials(engine))
    rows = [
        ["Model", "Module", "Outcome", "Who", "Date", "Total GB"],
        ["Fjell N2", "16GB 1Rx8 PC5-4800B-SA0", "fine", "named", "2026-01-31", 24],
        ["Fjell N2", None, "splendid", "named", "2026-01-31", 24],
        ["Fjell N9", None, "fine", "named", "2026-01-31", 24],
        ["Fjell N2", None, "fine", "somebody", "2026-01-31", 24],
        ["Fjell N2", None, "fine", "named", "yesterday", 24],
        ["Fjell N2", None, "fine", "named", "2026-01-31", "much"],
        ["Fjell N2", None, "fine", "named", "2026-01-31", "-4"],
        ["Fjell N2", "spoon", "splendid", "named", "1850-01-01", "NaN"],
    ]
    found = take_trials(engine, technician, xlsx(rows), keep=True)
    assert (found.good, found.kept, len(list_trials(engine))) == (1, False, count)
    assert [(e.row, e.column) for e in found.errors] == [
        (3, "outcome"),
        (4, "model"),
        (5, "who"),
        (6, "date"),
        (7, "total gb"),
        (8, "total gb"),
        (9, "outcome"),
        (9, "date"),
        (9, "module"),
        (9, "total gb"),
    ]
    with pytest.raises(Refused, match="no column “who”"):
        take_trials(engine, technician, b"model,outcome,date\n", keep=True)


def test_what_is_told_twice_of_one_source_counts_once(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "gauge-01")

    def believed() -> dict[str, float]:
        return {b.words: b.works for b in see_ceiling(engine, machine).rests_on}

    add_trial(engine, technician, noted(who="hearsay", source="a thread", soak_days=0))
    once = believed()
    key = add_trial(engine, technician, noted(who="hearsay", source="A Thread ", soak_days=0))
    assert believed() == pytest.approx(once, abs=A_DAY)
    assert {m.weight for t in list_trials(engine) if t.id == key for m in t.moved} == {0.0}
    add_trial(engine, technician, noted(who="hearsay", source="another", soak_days=0))
    assert believed()["Fjell N2 runs 40 GB"] > once["Fjell N2 runs 40 GB"]


def test_reach_falls_along_the_axis_and_passes_what_is_told(engine: Engine, technician: Account) -> None:
    """The curve of Ceiling: never rising, within its range, and at what was tried just what is told there."""
    view = see_ceiling(engine, key_of(engine, "gauge-01"))
    gibs = [r.gib for r in view.reach]
    assert gibs == sorted(set(gibs)) and {t.gib for t in view.shown} <= set(gibs)
    assert all(
        a.works >= b.works - 1e-9 and a.prior >= b.prior for a, b in zip(view.reach, view.reach[1:], strict=False)
    )
    assert all(0 <= r.low <= r.works + 1e-9 and r.works <= r.high + 1e-9 for r in view.reach)
    works = {r.gib: r.works for r in view.reach}
    assert all(works[t.gib] == pytest.approx(t.works) for t in view.shown)


def test_what_doubts_start_from_may_be_set(engine: Engine, technician: Account) -> None:
    """A lead's: from then on every doubt starts there, and what is set is marked; what ships comes back."""
    with engine.connect() as db:
        known = find_credentials(db, "lead")
    assert known
    machine, lead, usual = key_of(engine, "gauge-01"), known.account, see_evidence(engine)
    assert [n.name for n in usual] == list(NUMBERS) and not any(n.set_here for n in usual)

    def believed() -> tuple[float, str]:
        (part,) = [b for b in see_ceiling(engine, machine).rests_on if b.kind is DoubtKind.PART]
        return part.prior, part.starts

    before = believed()
    with pytest.raises(NotAllowed):
        set_evidence(engine, technician, {"part.unlisted": 0.5})
    changed = set_evidence(engine, lead, {"part.unlisted": 0.5, "untold": USUAL["untold"]})
    assert [n.name for n in changed if n.set_here] == ["part.unlisted"]
    assert believed() == (0.5, "a part on no list: 0.5") != before
    for wrong in ({"part.unlisted": 0.0}, {"part.unlisted": 1.5}, {"no such": 1.0}):
        with pytest.raises(Refused):
            set_evidence(engine, lead, wrong)
    assert set_evidence(engine, lead, {}) == usual and believed() == before


def test_numbers_set_for_the_older_model_leave_what_still_means_the_same(engine: Engine, technician: Account) -> None:
    old = {"priors": {"part": [1, 0, 0, 0]}, "half_life_days": 100.0, "full_soak_days": 14, "unsoaked": 0.5}
    with engine.begin() as db:
        db.execute(
            text("INSERT INTO setting (name, document) VALUES ('evidence', CAST(:v AS jsonb))"),
            {"v": json.dumps(old)},
        )
    assert {n.name: n.value for n in see_evidence(engine) if n.set_here} == {"half_life_days": 100.0}


def test_what_is_behind_a_trial_is_attached_or_linked(engine: Engine, technician: Account) -> None:
    """A picture is written anew, a PDF kept as it is, a page linked; nothing else, and of nothing that is not there."""
    key = add_trial(engine, technician, noted())
    to = Subject(trial_id=key)
    attach(engine, technician, to, "label.png", picture())
    attach(engine, technician, to, "guide.pdf", b"%PDF-1.7 guide")
    link(engine, technician, to, "", "https://threads.example/memory/12")
    (line,) = [t for t in list_trials(engine) if t.id == key]
    assert [(x.name, x.link != "", x.is_picture) for x in line.exhibits] == [
        ("label.png", False, True),
        ("guide.pdf", False, False),
        ("threads.example", True, False),
    ]
    raw, kind, _ = see_exhibit(engine, line.exhibits[0].id)
    assert kind == "image/jpeg" and raw.startswith(b"\xff\xd8")
    assert see_exhibit(engine, line.exhibits[1].id)[0] == b"%PDF-1.7 guide"
    with pytest.raises(NotFound):
        see_exhibit(engine, line.exhibits[2].id)  # it is elsewhere
    for wrong in (b"<html>", b"", b"\x89PNG broken"):
        with pytest.raises(Refused):
            attach(engine, technician, to, "x", wrong)
    for address in ("javascript:alert(1)", "threads.example/12", "https://", "ftp://a.example/x"):
        with pytest.raises(Refused):
            link(engine, technician, to, "", address)
    with pytest.raises(NotFound):
        link(engine, technician, Subject(trial_id=technician.id), "", "https://a.example")
    with pytest.raises(Refused):
        link(engine, technician, Subject(), "", "https://a.example")
    remove(engine, technician, line.exhibits[0].id)
    assert [len(t.exhibits) for t in list_trials(engine) if t.id == key] == [2]


def picture() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (40, 30), "white").save(out, "PNG")
    return out.getvalue()
