"""The judged cases of tests/cases: layouts on the demo's machines whose verdicts were worked out by hand."""

from __future__ import annotations

import re
from fnmatch import fnmatchcase
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
import yaml

from tests.core.sheets import judge
from umbrak.core.platform.machine import Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.documents import MachineDoc
from umbrak.formats.sheet.reading import read_sheet

CASES = [c for p in sorted((Path(__file__).parents[1] / "cases").glob("*.yaml")) for c in yaml.safe_load(p.read_text())]
SHEETS = {
    r.sheet.id: r.sheet
    for r in (read_sheet(p.read_text("utf-8")) for p in files("umbrak.demo").joinpath("sheets").iterdir())
}


def spread(sheet: Sheet, patterns: dict[str, Any], but: list[str]) -> dict[str, Any]:
    """Slot patterns to slots; a later pattern overrules."""
    slots: dict[str, Any] = {}
    for pattern, occupant in patterns.items():
        matched = [s for s in sheet.slots if fnmatchcase(s, pattern) and not any(fnmatchcase(s, b) for b in but)]
        assert matched, f"{pattern} matches no slot"
        slots |= dict.fromkeys(matched, occupant)
    return slots


def expected(sheet: Sheet, lines: list[str]) -> list[tuple[str, str, tuple[str, ...]]]:
    """ "code severity [slot patterns]" as findings, in no order."""
    found = []
    for line in lines:
        code, severity, patterns = re.fullmatch(r"(\S+) (\S+) \[(.*)\]", line).groups()  # type: ignore[union-attr]
        wanted = [p.strip() for p in patterns.split(", ") if p]
        found.append((code, severity, tuple(s for s in sheet.slots if any(fnmatchcase(s, p) for p in wanted))))
    return sorted(found)


@pytest.mark.parametrize("case", CASES, ids=[f"{c['sheet']}: {c['name']}" for c in CASES])
def test_judged_case(case: dict[str, Any]) -> None:
    sheet, wanted, but = SHEETS[case["sheet"]], case["expect"], case.get("skip_slots", [])
    machine = MachineDoc(**case["machine"]).value() if "machine" in case else Machine()
    before = spread(sheet, case["before"], but) if "before" in case else None
    e = judge(sheet, spread(sheet, case["slots"], but), machine, before=before)
    assert sorted({(f.code, f.severity.value, f.slots) for f in e.findings}) == expected(sheet, wanted["findings"])
    assert e.verdict == wanted["verdict"]
    for name in ("installed_gib", "data_rate_mts", "evenness"):
        if name in wanted:
            assert getattr(e, name) == wanted[name], name
    if "rails" in wanted:
        assert [r.volts for r in e.rails] == wanted["rails"]
    if "bound_by" in wanted:
        assert sorted({b.by for b in e.bound_by}) == sorted(wanted["bound_by"])
    for socket, members in wanted.get("sockets", {}).items():
        (found,) = [s for s in e.sockets if s.id == socket]
        for name, value in members.items():
            if name == "regions":
                assert [[r.ways, r.gib] for r in found.regions] == value
            else:
                assert getattr(found, name) == pytest.approx(value, abs=5e-4), f"{socket} {name}"
