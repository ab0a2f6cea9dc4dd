"""Field notes: trials noted, what each does to a belief, files in and out."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

import pytest
from sqlalchemy import Engine

from tests.formats.test_reports import xlsx
from tests.services.test_taking_in import key_of
from umbrak.core.evidence.table import ClaimKind
from umbrak.core.memory.label import decode_label
from umbrak.formats.spreadsheet import read_table
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.evidence.ceiling import see_ceiling
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
        return {b.words: (b.mean, len(b.contributions)) for b in see_ceiling(engine, machine).rests_on}

    before = believed()
    assert set(before) == {"Fjell N2 runs 40 GB, over its official total", "ZX5S-32 runs on Fjell N2"}
    key = add_trial(engine, technician, noted())
    after = believed()
    for words, (mean, count) in before.items():
        assert after[words][0] > mean and after[words][1] == count + 1
    shown = [s for s in see_ceiling(engine, machine).shown if s.gib == 40 and s.tried_on == TODAY]
    assert [(s.outcome.value, s.elsewhere) for s in shown] == [("fine", "")]
    line = next(t for t in list_trials(engine) if t.id == key)
    assert (line.part, line.weight) == ("ZX5S-32", pytest.approx(1, abs=A_DAY)) and line.after > line.before
    withdraw_trial(engine, technician, key)
    assert believed() == {words: (pytest.approx(mean, abs=A_DAY), count) for words, (mean, count) in before.items()}
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


def test_where_beliefs_start_may_be_set(engine: Engine, technician: Account) -> None:
    """A lead's: from then on every belief starts there, and says so; what ships comes back with its reasoning."""
    with engine.connect() as db:
        known = find_credentials(db, "lead")
    assert known
    machine, lead, usual = key_of(engine, "gauge-01"), known.account, see_evidence(engine)
    priors = {p.kind: (p.fine, p.quirks, p.not_seen, p.unstable) for p in usual.priors}

    def believed() -> tuple[float, str]:
        (part,) = [b for b in see_ceiling(engine, machine).rests_on if b.kind is ClaimKind.PART]
        return part.mean, part.because

    before = believed()
    rest = (usual.half_life_days, usual.full_soak_days, usual.unsoaked)
    with pytest.raises(NotAllowed):
        set_evidence(engine, technician, priors, *rest)
    changed = set_evidence(engine, lead, {**priors, ClaimKind.PART: (0.1, 0, 20, 0)}, *rest)
    assert [p.kind for p in changed.priors if p.set_here] == [ClaimKind.PART]
    assert believed()[0] < before[0] and believed()[1] == "set by this installation"
    with pytest.raises(Refused, match="starts from some count"):
        set_evidence(engine, lead, {ClaimKind.PART: (0, 0, 0, 0)}, *rest)
    assert set_evidence(engine, lead, priors, *rest) == usual and believed() == before
    shorter = set_evidence(engine, lead, priors, 1, *rest[1:])
    assert shorter.half_life_days == 1 and believed()[0] != before[0]
