"""All that is looked after, out as tables."""

from __future__ import annotations

import csv
import io
import json

import pytest
from openpyxl import load_workbook
from sqlalchemy import Engine

from tests.services.test_taking_in import key_of
from umbrak.services.machines.exports import COLUMNS, As, What, export
from umbrak.services.plans.editing import start_plan
from umbrak.store.accounts import Account


@pytest.mark.parametrize("what", list(What))
def test_every_table_is_the_same_in_every_form(engine: Engine, technician: Account, what: What) -> None:
    start_plan(engine, technician, key_of(engine, "hall-04"), "=1+1 plan")
    rows = list(csv.DictReader(io.StringIO(export(engine, what, As.CSV).decode())))
    told = json.loads(export(engine, what, As.JSON))[what.value]
    page = load_workbook(io.BytesIO(export(engine, what, As.XLSX)), read_only=True)[what.value]
    lines = list(page.iter_rows(values_only=True))
    assert len(rows) == len(told) == len(lines) - 1 > 0
    assert tuple(rows[0]) == COLUMNS[what] == lines[0] and all(tuple(t) == COLUMNS[what] for t in told)
    for row, values in zip(rows, told, strict=True):
        assert {c: "" if v is None else str(v) for c, v in values.items()} == {
            c: v.removeprefix("'") for c, v in row.items()
        }
    assert not any(v.startswith(("=", "+", "@")) for r in rows for v in r.values()), "no cell is a formula"


def test_what_is_exported_is_what_is_known(engine: Engine, technician: Account) -> None:
    def table(what: What) -> list[dict[str, str]]:
        return list(csv.DictReader(io.StringIO(export(engine, what, As.CSV).decode())))

    machines = {r["machine"]: r for r in table(What.MACHINES)}
    assert "radar-01" not in machines, "retired"
    assert (machines["hall-02"]["failed"], machines["hall-02"]["duty group"]) == ("1", "hall")
    assert machines["map-01"]["installed_gib"] == "128" and machines["desk-06"]["need_gib"] == ""
    slots = [r for r in table(What.SLOTS) if r["machine"] == "wave-01"]
    assert {r["state"] for r in slots} == {"filled", "unknown", "empty"} and len(slots) == 12
    assert all(not r["part"] for r in slots if r["state"] != "filled"), "of what nobody saw nothing is told"
    held = table(What.MODULES)
    fitted = [r for r in held if r["where"] == "map-01"]
    assert len(fitted) == 8 and {r["part"] for r in fitted} == {"TM4R-16"}
    assert {r["state"] for r in held} >= {"fitted", "failed", "new", "pulled", "suspect", "to-return"}
    plans = {r["plan"]: r for r in table(What.PLANS)}
    assert plans["Two more"]["puts_in"].count(":") == 2 and plans["Two more"]["takes_out"] == ""
    assert plans["Open it up"]["verdict"] == "at-risk"
