"""Round files: read, solved, and refused with the line that is wrong."""

from __future__ import annotations

from datetime import date
from importlib.resources import files
from pathlib import Path

import pytest
import yaml

from umbrak.cli.words import rounds_words
from umbrak.formats.faults import InputError
from umbrak.formats.rounds import read_round, solve_file

HELD = "16GB 1Rx4 PC4-2666V-RC2 P/N T16"
TODAY = date(2026, 12, 1)
ROUND = """
as_of: 2026-12-01
waves:
  - {day: 2026-12-03, hours: 5}
  - {day: 2026-12-10, hours: 6}
machines:
  - {name: one, case: full.yaml, need_gib: 175, group: g}
  - {name: two, case: half.yaml, need_gib: 105, group: g}
  - {name: three, case: half.yaml, need_gib: 105, weighs: 1}
  - {name: four, case: half.yaml}
  - {name: five, case: half.yaml, need_gib: 20}
candidates:
  - {part: T32, module: 32GB 2Rx4 PC4-2666V-RB2, price: 66, lead_days: 1}
  - {part: T31, module: 33GB 2Rx4 PC4-2666V-RB2, price: 1, lead_days: 1}
hour: 50
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    sheet = files("umbrak.demo").joinpath("sheets/tarrow-q4.yaml").read_text("utf-8")
    (tmp_path / "q4.yaml").write_text(sheet, "utf-8")
    first = ["A2", "B2", "C1", "D1"]
    for name, slots in (("full", [*first, "A1", "B1", "C2", "D2"]), ("half", first)):
        machine = {"processors": {"CPU": "corvane-lynn"}, "os_bits": 64}
        case = {"sheet": "q4.yaml", "machine": machine, "slots": dict.fromkeys(slots, HELD)}
        (tmp_path / f"{name}.yaml").write_text(yaml.safe_dump(case), "utf-8")
    return tmp_path


def test_a_round_file_is_solved_and_told(folder: Path) -> None:
    told = solve_file(read_round(ROUND, folder, TODAY), 20.0)
    by_name = {m["name"]: m for m in told["machines"]}
    assert told["ended"] == "proved" and by_name["one"]["served"]["day"] == "2026-12-03"
    # What comes out of the first serves the second, a week later; nothing of the sort is bought.
    two = [(p["from"], p["donor"], p["count"]) for p in told["passed"] if p["to"] == "two"]
    assert two == [("pulled", "one", 4)] and by_name["two"]["served"]["slots"].keys() > {"A2", "A1"}
    assert [(b["part"], b["kits"]) for b in told["buy"]] == [("T32", 4)] and told["spent"] == 264.0
    assert by_name["three"]["served"] is None and by_name["three"]["why"].endswith("leaving it weighs 1")
    assert by_name["four"]["why"] == "nobody said what it needs" and by_name["five"]["why"] == "it has what it needs"
    words = rounds_words(told)
    assert told["left_out"][0].startswith("T31 is told against itself") and "left out: T31 is told" in words
    assert (
        "two: 2026-12-10, 63.6127 to 127.421 GB" in words and "(4 of one)" in words and "buy 4 of T32, 264.00" in words
    )


@pytest.mark.parametrize(
    ("wrong", "right", "line", "says"),
    [
        ("hours: 5", "hrs: 5", 4, "did you mean hours"),
        ("2026-12-10", "2026-12-03", 5, "a wave on 2026-12-03 already"),
        ("day: 2026-12-03", "day: 2026-11-03", 4, "2026-11-03 is over by 2026-12-01"),
        ("full.yaml", "none.yaml", 7, "none.yaml: No such file"),
        ("full.yaml", "q4.yaml", 7, "q4.yaml: "),
        ("name: two", "name: one", 8, "there is a one already"),
        ("need_gib: 175,", "closed: [2026-12-04],", 7, "no wave on 2026-12-04"),
        ("need_gib: 175,", "pin: {out: true, day: 2026-12-03},", 7, "not both"),
    ],
)
def test_what_is_wrong_in_a_round_file_is_said_with_its_line(
    folder: Path, wrong: str, right: str, line: int, says: str
) -> None:
    with pytest.raises(InputError) as refused:
        read_round(ROUND.replace(wrong, right, 1), folder, TODAY)
    assert any(says in f.message and f.line == line for f in refused.value.faults), refused.value.faults


def test_what_is_no_round_is_refused(folder: Path) -> None:
    with pytest.raises(InputError, match="one block of fields"):
        read_round("- a\n- b\n", folder, TODAY)


def test_what_nobody_looked_for_is_not_told_to_be_impossible(folder: Path) -> None:
    asked = read_round(ROUND, folder, TODAY)
    told = {m["name"]: m["why"] for m in solve_file(asked, 20.0, stopped=lambda: True)["machines"]}
    assert "stopped before" in told["one"] and told["five"] == "it has what it needs"
    beyond = read_round(ROUND.replace("need_gib: 175", "need_gib: 4000"), folder, TODAY)
    told = {m["name"]: m["why"] for m in solve_file(beyond, 20.0)["machines"]}
    assert told["one"] == "no way to 4000 GB from what is at hand"
