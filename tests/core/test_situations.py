"""Forty situations with the trouble that a practitioner would accept, written down before the figures were seen."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

import pytest

from tests.core.sheets import SMALL, TWIN, layout, merged
from umbrak.core.evaluate import evaluate_in, question
from umbrak.core.evidence.belief import believe
from umbrak.core.evidence.board import board_of
from umbrak.core.evidence.doubts import resting_of
from umbrak.core.evidence.table import Outcome
from umbrak.core.evidence.trial import Held, Trial
from umbrak.core.evidence.trouble import Trouble, range_of, trouble_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.statement import SourceKind
from umbrak.formats.sheet.reading import sheet_from_data

TODAY = date(2026, 11, 28)
FW = "2.1"

#: One socket, two channels of two registered DDR4 slots; everything told, and no limits.
PLAIN: dict[str, Any] = merged(
    {**SMALL, "id": "plain", "title": "Plain"},
    {
        "processors": {
            "p": {"rates_mts": [2400, 2666], "rate_table": [{"rate_mts": 2666}], "faster_modules": "slowed"}
        },
        "memory": {k: v for k, v in TWIN["memory"].items() if k != "source"},
    },
)


def made(text: str, part: str, **more: Any) -> Any:
    return {**_members(text), "part": part, "maker": "Aldermoor", **more}


def _members(text: str) -> dict[str, Any]:
    m = decode_label(text).module
    names = ("generation", "form", "buffering", "ecc", "capacity_gib", "package_ranks", "logical_ranks", "device_width", "die_gbit", "rate_mts")  # fmt: skip
    return {n: v for n in names if (v := getattr(m, n)) is not None} | {"rails_v": [1.2]}


S16 = made("16GB 1Rx4 PC4-2666V-RC2", "S16")
S32 = made("32GB 2Rx4 PC4-2666V-RB2", "S32")
OTHER32 = {**S32, "part": "T32", "maker": "Brisk"}
KIT32 = {**S32, "part": "U32"}
DENSE = {**made("32GB 1Rx4 PC4-2666V-RC2", "D32"), "die_gbit": 16}
TWO32, FOUR32 = {"A1": S32, "B1": S32}, {"A1": S32, "B1": S32, "A2": S32, "B2": S32}


def states(gib: float, kind: str = "official", scope: str = "machine", **more: Any) -> dict[str, Any]:
    source = {"official": "guide", "processor": "cpu", "named": "friend", "tables": "report"}[kind]
    return {"scope": scope, "capacity_gib": gib, "official": kind == "official", "source": source, **more}


def board(*limits: dict[str, Any], **more: Any) -> dict[str, Any]:
    sources = {"friend": {"title": "A friend", "kind": "named"}, "report": {"title": "Its tables", "kind": "survey"}}
    return merged(PLAIN, {"limits": [*limits] or "none", "sources": sources, **more})


PROCESSOR, OFFICIAL = board(states(32, "processor")), board(states(32))
LISTED = board(states(64), listed=[{"part": "S32", "source": "guide"}])
DIES = board(states(64), {"scope": "die", "die_gbit": 8, "source": "cpu"})
TIGHTENED = board(
    {**states(64), "id": "old", "firmware": {"until": "2.0"}}, {**states(32), "id": "new", "firmware": {"from": "2.0"}}
)
CLAIMED = board(states(128, "tables"))
SLOTS = board(states(16, scope="slot"))


def ran(who: str = "own-proof", total: float | None = 64, slots: Any = S32, days: float = 30, **more: Any) -> Trial:
    (module,) = (m for m in layout({"A1": slots}).values())
    usual: dict[str, Any] = {
        "id": f"{who} {total}", "sheet": "plain", "outcome": Outcome.FINE, "who": SourceKind(who), "date": TODAY, "processor": "p",
        "part": slots["part"], "module": module, "total_gib": total, "soak_days": days,
    }  # fmt: skip
    return Trial(**{**usual, **more})


def failed(who: str = "own-proof", how: str = "not-seen", **more: Any) -> Trial:
    return ran(who, days=0, outcome=Outcome(how), id=f"{who} {how}", **more)


def threads(n: int, **more: Any) -> list[Trial]:
    return [ran("hearsay", id=f"h{i}", source=f"thread {i}", **more) for i in range(n)]


def trouble(
    data: dict[str, Any], then: dict[str, Any], now: dict[str, Any] | None = None, trials: list[Trial] | None = None
) -> Trouble:
    sheet, machine = sheet_from_data(data), Machine(dict.fromkeys(data["sockets"], "p"), firmware=FW)
    before = layout(now) if now else Layout()
    ctx = question(sheet, machine, layout(then), (), before)
    resting, known = resting_of(ctx, evaluate_in(ctx), before), board_of(sheet, machine)
    given = trials or []
    found = trouble_of([believe(known, d, given, TODAY) for d in resting.doubts], comes=resting.comes)
    spread = range_of(known, resting, given, TODAY)
    assert spread.low - 1e-12 <= found.probability <= spread.high + 1e-12
    return found


@pytest.mark.parametrize(
    ("what", "low", "high", "found"),
    [
        ("nothing known at twice the processor's figure", 45, 60, lambda: trouble(PROCESSOR, TWO32)),
        ("own proof of that part and total, 30 days", 0, 3, lambda: trouble(PROCESSOR, TWO32, trials=[ran()])),
        ("one hearsay of it", 30, 45, lambda: trouble(PROCESSOR, TWO32, trials=[ran("hearsay", days=0)])),
        ("one hearsay of more", 30, 45, lambda: trouble(PROCESSOR, TWO32, trials=[ran("hearsay", 128, days=0)])),
        ("three named", 0, 6, lambda: trouble(PROCESSOR, TWO32, trials=[ran("named", id=n, source=n) for n in "abc"])),
        ("ten threads", 6, 15, lambda: trouble(PROCESSOR, TWO32, trials=threads(10))),
        ("ten in one thread", 28, 45, lambda: trouble(PROCESSOR, TWO32, trials=[replace(t, source="one") for t in threads(10)])),
        ("twice of what runs", 28, 40, lambda: trouble(PROCESSOR, FOUR32, TWO32)),
        ("twice of what ran elsewhere", 28, 40, lambda: trouble(PROCESSOR, FOUR32, trials=[ran()])),
        ("half as much again as what ran", 12, 24, lambda: trouble(PROCESSOR, TWO32, trials=[ran(total=48)])),
        ("a smaller total ran", 40, 60, lambda: trouble(PROCESSOR, TWO32, trials=[ran(total=32)])),
        ("the total ran with quirks, own", 0, 8, lambda: trouble(PROCESSOR, TWO32, trials=[ran(outcome=Outcome.QUIRKS)])),
        ("the total ran with quirks, named", 0, 8, lambda: trouble(PROCESSOR, TWO32, trials=[ran("named", outcome=Outcome.QUIRKS)])),
        ("the total ran in smaller modules", 40, 60, lambda: trouble(PROCESSOR, TWO32, trials=[ran(slots=S16)])),
        ("run here, never let run", 0, 5, lambda: trouble(PROCESSOR, TWO32, trials=[ran(days=0)])),
        ("named, on another board of the processor", 25, 45, lambda: trouble(PROCESSOR, TWO32, trials=[ran("named", sheet="other")])),
        ("not seen here", 85, 99, lambda: trouble(PROCESSOR, TWO32, trials=[failed()])),
        ("not seen by somebody named", 70, 92, lambda: trouble(PROCESSOR, TWO32, trials=[failed("named")])),
        ("unstable by somebody named", 58, 80, lambda: trouble(PROCESSOR, TWO32, trials=[failed("named", "unstable")])),
        ("hearsay that it is not seen", 52, 70, lambda: trouble(PROCESSOR, TWO32, trials=[failed("hearsay")])),
        ("hearsay for and against", 38, 60, lambda: trouble(PROCESSOR, TWO32, trials=[ran("hearsay", days=0), failed("hearsay")])),
        ("ran here, and hearsay against", 0, 6, lambda: trouble(PROCESSOR, TWO32, trials=[ran(), failed("hearsay")])),
        ("failed elsewhere with the processor", 48, 72, lambda: trouble(PROCESSOR, TWO32, trials=[failed("named", sheet="other")])),
        ("nothing known at twice the official total", 8, 20, lambda: trouble(OFFICIAL, TWO32)),
        ("half over the official total", 7, 16, lambda: trouble(OFFICIAL, {"A1": S16, "B1": S16, "A2": S16})),
        ("four times the official total", 14, 30, lambda: trouble(OFFICIAL, FOUR32)),
        ("twice what somebody named states", 18, 28, lambda: trouble(board(states(32, "named")), TWO32)),
        ("unlisted within official, two modules", 3, 6, lambda: trouble(board(states(64)), TWO32)),
        ("listed within official", 0, 2, lambda: trouble(LISTED, TWO32)),
        ("its like runs there", 0, 3, lambda: trouble(board(states(64)), TWO32, trials=[ran(slots=KIT32)])),
        ("the part ran there six years ago", 0, 4, lambda: trouble(board(states(64)), TWO32, trials=[ran(date=date(2020, 11, 28))])),
        ("two makers", 8, 13, lambda: trouble(board(states(64)), {"A1": S32, "B1": OTHER32})),
        ("two kits of one maker", 6, 11, lambda: trouble(board(states(64)), {"A1": S32, "B1": KIT32})),
        ("two makers that ran together there", 0, 4, lambda: trouble(board(states(64)), {"A1": S32, "B1": OTHER32}, trials=[ran(held=Held(makers=frozenset({"Aldermoor", "Brisk"})))])),
        ("one more of each of two makers that run there now", 0, 3, lambda: trouble(board(states(128)), {"A1": S32, "B1": OTHER32, "A2": S32, "B2": OTHER32}, {"A1": S32, "B1": OTHER32})),
        ("another kit of one of two makers that run there now", 4, 8, lambda: trouble(board(states(128)), {"A1": S32, "B1": OTHER32, "A2": KIT32}, {"A1": S32, "B1": OTHER32})),
        ("a third maker beside two that run there now", 7, 12, lambda: trouble(board(states(128)), {"A1": S32, "B1": OTHER32, "A2": {**S32, "part": "V32", "maker": "Corvane"}}, {"A1": S32, "B1": OTHER32})),
        ("what nobody told the maker of beside two that run there now", 7, 12, lambda: trouble(board(states(128)), {"A1": S32, "B1": OTHER32, "A2": {**S32, "part": "V32", "maker": None}}, {"A1": S32, "B1": OTHER32})),
        ("two makers that were unstable there", 20, 45, lambda: trouble(board(states(64)), {"A1": S32, "B1": OTHER32}, trials=[failed(how="unstable", held=Held(makers=frozenset({"Aldermoor", "Brisk"})))])),
        ("dies twice as dense as the processor's maker states", 45, 60, lambda: trouble(DIES, {"A1": DENSE, "B1": DENSE})),
        ("such dies run there", 0, 4, lambda: trouble(DIES, {"A1": DENSE, "B1": DENSE}, trials=[ran(slots=DENSE)])),
        ("dies and total at twice", 70, 85, lambda: trouble(board(states(32, "processor"), {"scope": "die", "die_gbit": 8, "source": "cpu"}), {"A1": DENSE, "B1": DENSE})),
        ("a figure that a release tightened", 40, 55, lambda: trouble(TIGHTENED, TWO32)),
        ("it ran with who knows which version", 12, 45, lambda: trouble(TIGHTENED, TWO32, trials=[ran()])),
        ("it ran with this version", 0, 3, lambda: trouble(TIGHTENED, TWO32, trials=[ran(held=Held(firmware=FW))])),
        ("a slot's official figure at twice", 8, 20, lambda: trouble(SLOTS, TWO32)),
        ("a slot's and the total's, of one source", 8, 20, lambda: trouble(board(states(32), states(16, scope="slot")), TWO32)),
        ("a socket's official figure by half", 7, 18, lambda: trouble(board(states(32, scope="socket")), {"A1": S32, "B1": S16})),
        ("nobody states any limit", 10, 20, lambda: trouble(merged(PLAIN, {"limits": None}), TWO32)),
        ("nobody states any limit, at twice of what runs", 22, 34, lambda: trouble(merged(PLAIN, {"limits": None}), FOUR32, TWO32)),
        ("its own tables claim as much, at twice of what runs", 12, 22, lambda: trouble(CLAIMED, FOUR32, TWO32)),
        ("its own tables claim half of it", 22, 34, lambda: trouble(merged(CLAIMED, {"limits": [states(64, "tables")]}), FOUR32, TWO32)),
        ("its own tables claim as much, nothing ran", 10, 20, lambda: trouble(CLAIMED, FOUR32)),
        ("nothing new comes in", 0, 0, lambda: trouble(PROCESSOR, TWO32, TWO32)),
    ],
)  # fmt: skip
def test_trouble_is_what_a_practitioner_would_accept(what: str, low: float, high: float, found: Any) -> None:
    percent = 100 * found().probability
    assert low <= percent <= high, f"{what}: {percent:.1f} %"


def test_a_figure_that_several_repeat_counts_once() -> None:
    once, twice = board(states(32)), board(states(32), {**states(32), "id": "again"})
    assert trouble(once, TWO32).probability == trouble(twice, TWO32).probability


def test_what_is_displayed_oddly_is_no_trouble() -> None:
    odd, fine = (trouble(PROCESSOR, TWO32, trials=[ran(outcome=o)]) for o in (Outcome.QUIRKS, Outcome.FINE))
    assert odd.probability == fine.probability and odd.quirks > 0.3 > fine.quirks
