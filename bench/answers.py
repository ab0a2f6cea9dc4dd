"""The answers of `check`, `routes` and `run-sheet` over all judged cases, one line each, to lay two states of the code side by side.

    python -m bench.answers FILE

A run of one state of the code is compared with another's by `diff`; what is a matter of the clock is left out. A case with a
layout before it is asked about as the way from that to its slots, any other as the way from empty slots. Its routes are asked
for with its own modules and three of the machine's kind as offers; those that are not proved within the time are left out,
since how far a search came is the machine's matter.
"""

from __future__ import annotations

import json
import sys
from datetime import date
from fnmatch import fnmatchcase
from importlib.resources import files
from pathlib import Path
from typing import Any

import yaml

from umbrak.core.memory.module import Module
from umbrak.formats.case import check_case, read_case, routes_case, run_sheet_case
from umbrak.formats.documents import ModuleDoc, module_from, module_json
from umbrak.formats.sheet.reading import read_sheets, shipped_sheets

CASES = Path(__file__).parents[1] / "tests" / "cases"
#: After this a search is not waited for. [s]
SECONDS = 6.0


def sheets() -> dict[str, Any]:
    """Sheet id -> its data, of the demo, the archetypes and the cases' own."""
    texts = [p.read_text("utf-8") for p in files("umbrak.demo").joinpath("sheets").iterdir()]
    texts += [p.read_text("utf-8") for p in sorted((CASES / "sheets").glob("*.yaml"))]
    found = {r.sheet.id: r for t in texts for r in read_sheets(t)} | shipped_sheets()
    return {name: (r.data, r.sheet) for name, r in found.items()}


def documents() -> list[tuple[str, dict[str, Any]]]:
    """(name, case document) of every judged case."""
    known, found = sheets(), []
    for path in sorted(CASES.glob("*.yaml")):
        for case in yaml.safe_load(path.read_text("utf-8")):
            data, sheet = known[case["sheet"]]
            but = case.get("skip_slots", [])

            def spread(patterns: dict[str, Any], slots: Any = sheet.slots, but: list[str] = but) -> dict[str, Any]:
                told: dict[str, Any] = {}
                for pattern, occupant in patterns.items():
                    told |= {
                        s: occupant
                        for s in slots
                        if fnmatchcase(s, pattern) and not any(fnmatchcase(s, b) for b in but)
                    }
                return told

            goal = spread(case["slots"])
            document = {
                "as_of": "2026-03-01",
                "sheet": data,
                "slots": spread(case.get("before", {})),
                "goal": goal,
                "machine": case.get("machine", {}),
                "statements": case.get("statements", []),
                "candidates": _candidates(goal),
                "wishes": {"usable_gib": round(0.6 * sum(m.capacity_gib or 0 for m in _modules(goal)), 1)},
            }
            found.append((f"{case['sheet']}: {case['name']}", document))
    return found


def _modules(goal: dict[str, Any]) -> list[Module]:
    told = [m for m in goal.values() if m not in (None, "unknown")]
    return [module_from(m if isinstance(m, str) else ModuleDoc(**m)) for m in told]


def _candidates(goal: dict[str, Any]) -> list[dict[str, Any]]:
    """The case's modules as offers, the dearer the larger."""
    kinds = list(dict.fromkeys(m for m in _modules(goal) if m.capacity_gib))
    offers = []
    for i, module in enumerate(kinds[:4]):
        told = {k: v for k, v in module_json(module).items() if k != "failed"}
        offers.append({"part": module.part or f"part-{i}", "module": told, "price": round(3 * module.capacity_gib + i, 2), "stock": 8})  # fmt: skip
    return offers


def answers(name: str, document: dict[str, Any]) -> list[str]:
    """One line for each question asked of the case."""
    lines = []

    def say(question: str, told: Any) -> None:
        lines.append(json.dumps([name, question, told], sort_keys=True, ensure_ascii=False))

    text = json.dumps(document, default=str)
    case = read_case(text, Path())
    say("check", check_case(case))
    say("run-sheet", run_sheet_case(case))
    found = routes_case(case, date(2026, 3, 1), SECONDS)
    if found.get("proved"):
        say("routes", {k: v for k, v in found.items() if k != "seconds"})
    return lines


def main() -> None:
    out = Path(sys.argv[1])
    with out.open("w", encoding="utf-8") as file:
        for name, document in documents():
            for line in answers(name, document):
                file.write(line + "\n")


if __name__ == "__main__":
    main()
