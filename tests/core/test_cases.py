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
from umbrak.core.evaluate import Evaluation
from umbrak.core.platform.machine import Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.rules import CATALOGUE
from umbrak.formats.documents import MachineDoc, StatementDoc
from umbrak.formats.sheet.reading import read_sheet, read_sheets, shipped_sheets

CASES = [c for p in sorted((Path(__file__).parents[1] / "cases").glob("*.yaml")) for c in yaml.safe_load(p.read_text())]
SHEETS = {
    r.sheet.id: r.sheet
    for r in (
        *(read_sheet(p.read_text("utf-8")) for p in files("umbrak.demo").joinpath("sheets").iterdir()),
        *shipped_sheets().values(),
        *read_sheets((Path(__file__).parents[1] / "cases" / "sheets" / "skua.yaml").read_text("utf-8")),
    )
}


def spread(sheet: Sheet, patterns: dict[str, Any], but: list[str]) -> dict[str, Any]:
    """Slot patterns to slots; a later pattern overrules; "=X" is X although the sheet lacks it."""
    slots: dict[str, Any] = {}
    for pattern, occupant in patterns.items():
        if pattern.startswith("="):
            slots[pattern[1:]] = occupant
            continue
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
        slots = [s for s in sheet.slots if any(fnmatchcase(s, p) for p in wanted)]
        found.append((code, severity, (*slots, *(p[1:] for p in wanted if p.startswith("=")))))
    return sorted(found)


def evaluated(case: dict[str, Any], without_rules: set[str] | None = None) -> Evaluation:
    sheet, but = SHEETS[case["sheet"]], case.get("skip_slots", [])
    machine = MachineDoc(**case["machine"]).value() if "machine" in case else Machine()
    before = spread(sheet, case["before"], but) if "before" in case else None
    stated = tuple(StatementDoc(**s).value(f"stated-{i}") for i, s in enumerate(case.get("statements", [])))
    slots = spread(sheet, case["slots"], but)
    return judge(sheet, slots, machine, stated, before=before, without_rules=without_rules or set())


def findings(e: Evaluation) -> list[tuple[str, str, tuple[str, ...]]]:
    return sorted({(f.code, f.severity.value, f.slots) for f in e.findings})


@pytest.mark.parametrize("case", CASES, ids=[f"{c['sheet']}: {c['name']}" for c in CASES])
def test_judged_case(case: dict[str, Any]) -> None:
    sheet, wanted = SHEETS[case["sheet"]], case["expect"]
    e = evaluated(case)
    assert findings(e) == expected(sheet, wanted["findings"])
    assert e.verdict == wanted["verdict"]
    assert e.at_worst == wanted.get("at_worst", e.at_worst)
    if "usable_gib" in wanted:
        assert e.usable_gib == pytest.approx(wanted["usable_gib"], abs=5e-4)
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


def test_the_cases_cover_every_code_both_ways_and_every_sheet() -> None:
    assert len(CASES) >= 100
    assert {c["sheet"] for c in CASES} == set(SHEETS)
    fired, held = set(), set()
    for case in CASES:
        e = evaluated(case)
        fired |= {f.code for f in e.findings}
        held |= set(e.held)
    assert set(CATALOGUE) - fired == set()
    # Facing is told of every module in such a slot: it can only be silent where no such slot is filled.
    assert set(CATALOGUE) - held == {"fit.facing"}


@pytest.mark.parametrize("code", CATALOGUE)
def test_without_the_rule_some_case_fails(code: str) -> None:
    concerned = [c for c in CASES if any(line.startswith(f"{code} ") for line in c["expect"]["findings"])]
    sheet = SHEETS[concerned[0]["sheet"]]
    assert findings(evaluated(concerned[0], {code})) != expected(sheet, concerned[0]["expect"]["findings"])
