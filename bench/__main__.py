"""Prints every figure with its baseline and their ratio, and compares the ratios with those kept in bench/kept.json.

python -m bench            measure and compare
python -m bench --keep     measure and keep the ratios
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from umbrak.core.cures import cures
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.targets import targets
from umbrak.formats.sheet.reading import sheet_from_data

ROOT = Path(__file__).resolve().parents[1]
KEPT = Path(__file__).parent / "kept.json"
#: A ratio this much above the kept one is called out: machines differ, ratios less.
NOISE = 1.5


def timed(work: Callable[[], object], baseline: Callable[[], object], runs: int) -> tuple[float, float]:
    """Median time of one run of each, taken in turn: a machine's speed shifts within seconds. [ms]"""
    took: tuple[list[float], list[float]] = ([], [])
    for each in (work, baseline):
        each()
    for _ in range(runs):
        for each, times in zip((work, baseline), took, strict=True):
            began = time.perf_counter()
            each()
            times.append((time.perf_counter() - began) * 1000)
    return statistics.median(took[0]), statistics.median(took[1])


def command(*args: str, given: str = "") -> Callable[[], object]:
    return lambda: subprocess.run(args, input=given, capture_output=True, text=True, cwd=ROOT, check=True)


def big_sheet() -> Sheet:
    return sheet_from_data(big_sheet_data())


def big_sheet_data() -> dict[str, object]:
    """Four sockets of eight channels of three: 96 slots."""
    sockets = [f"P{n}" for n in (1, 2, 3, 4)]
    channels = {c: [f"{c}{i}" for i in (1, 2, 3)] for c in "ABCDEFGH"}
    sets = [[f"{c}{i}" for c in "ABCDEFGH"] for i in (1, 2, 3)]
    rows = [{"dpc": n, "rate_mts": r} for n, r in ((1, 4800), (2, 4400), (3, 4000))]
    guide = {"title": "Guide", "kind": "machine-maker"}
    order = {
        "fill": sets,
        "other_counts": "slower",
        "otherwise": "slower",
        "alike_in_set": ["capacity_gib"],
        "larger_first": True,
    }
    return {
        "umbrak-sheet": 1, "id": "big", "title": "Big", "class": "server", "sources": {"guide": guide}, "rate_alike": "machine",
        "processors": {"p": {"rates_mts": [4000, 4400, 4800], "rate_table": rows, "faster_modules": "slowed", "limits": [{"scope": "channel", "capacity_gib": 256, "hard": True}, {"scope": "die", "die_gbit": 32}]}},
        "sockets": {s: {"processors": ["p"]} for s in sockets},
        "memory": {"generation": "DDR5", "form": "DIMM", "rails_v": [1.1], "accepts": [{"buffering": "registered", "ecc": True}], "never_together": "none", "package_ranks_per_channel": 8},
        "repeat": {"over": sockets, "channels": channels, "population": [order]},
        "limits": [{"scope": "machine", "capacity_gib": 8192, "official": True}],
    }  # fmt: skip


def measure() -> dict[str, tuple[float, float]]:
    """Name -> (figure, baseline). [ms]"""
    sheet, machine = big_sheet(), Machine()
    module, odd = decode_label("32GB 2Rx8 PC5-4800B-RA0").module, decode_label("16GB 1Rx8 PC5-4400B-RC0").module
    full = Layout(dict.fromkeys(sheet.slots, module))
    ten = Layout({**full, "P1.A1": odd, "P2.B2": odd, "P3.C3": odd, "P4.D1": odd})
    half = Layout({s: module for s in sheet.slots if not s.endswith("3")})
    judged = evaluate(sheet, machine, ten)
    case = f"sheet: {ROOT}/src/umbrak/demo/sheets/halvard-r24.yaml\nslots: {{CPU1.A1: 32GB 2Rx8 PC5-4800B-RA0}}\n"
    python = command(sys.executable, "-c", "pass")

    def sorting() -> object:
        return sorted({str(i): (i, i % 7) for i in range(2_000)}.items(), key=lambda x: x[1])

    return {
        "umbrak label, start to answer": timed(command("./umbrak", "label", "16GB 2Rx8 PC4-2400T-RE1-11"), python, 9),
        "umbrak check, start to answer": timed(command("./umbrak", "check", given=case), python, 9),
        "umbrak sheet lint, start to answer": timed(command("./umbrak", "sheet", "lint", "src/umbrak/demo/sheets/halvard-r24.yaml"), python, 9),
        "evaluate, 96 slots full, clean": timed(lambda: evaluate(sheet, machine, full), sorting, 50),
        "evaluate, 96 slots full, with findings": timed(lambda: evaluate(sheet, machine, ten), sorting, 50),
        "cures, 96 slots full, with findings": timed(lambda: cures(sheet, machine, ten, judged), sorting, 9),
        "targets, 96 slots, two thirds full": timed(lambda: targets(sheet, machine, half, module), sorting, 5),
    }  # fmt: skip


def main() -> None:
    kept = json.loads(KEPT.read_text()) if KEPT.exists() else {}
    ratios = {}
    for name, (figure, baseline) in measure().items():
        ratios[name] = round(figure / baseline, 2)
        before = kept.get(name)
        change = (
            "" if before is None else f"  kept {before:.2f}" + ("  SLOWER" if ratios[name] > before * NOISE else "")
        )
        print(f"{name:42} {figure:9.2f} ms  baseline {baseline:7.2f} ms  ratio {ratios[name]:8.2f}{change}")
    if "--keep" in sys.argv:
        KEPT.write_text(json.dumps(ratios, indent=1) + "\n")


if __name__ == "__main__":
    main()
