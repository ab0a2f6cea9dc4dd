"""Ceilings worked by hand, and what must hold of any."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.ceiling import CeilingKind, Ceilings, ceilings
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.statement import Source, SourceKind, Statement, Versions
from umbrak.demo.seed import Scenario

SCENARIO = Scenario.read()
PARTS = {m["name"]: SCENARIO.parts(m)[:2] for m in SCENARIO.machines}


def of(name: str, *stated: Statement, **machine: Any) -> Ceilings:
    sheet, unit = PARTS[name]
    return ceilings(sheet, replace(unit, **machine), stated)


def said(scope: str, gib: float, kind: str = "named", name: str = "s", **more: Any) -> Statement:
    return Statement(id=name, scope=scope, source=Source("somebody", SourceKind(kind)), capacity_gib=gib, **more)


def gibs(c: Ceilings) -> tuple[float | None, ...]:
    return tuple(x.gib for x in c.ceilings)


@pytest.mark.parametrize(
    ("found", "official", "processor", "physical", "why"),
    [
        # Two SO-DIMM slots, DDR3, dies of 4 Gbit at most (hard): 2 ranks of x8 are 8 GiB each.
        (of("radar-02"), 5, 12, 16, "guide; 12 a socket; 2 x 8"),
        (of("radar-02", firmware="7.4"), 9, 12, 16, "the release notes replace the guide"),
        (of("radar-02", firmware=None), 5, 12, 16, "version not known: the lower one, until it is"),
        # 8 GiB soldered in one channel, a slot in the other; 32 a channel binds before 64 a socket: 8 + 32.
        (of("gauge-01"), 24, 40, 8 + 128, "official 24; 8 soldered + min(32, 128)"),
        # The channel's figure times two passes a socket of 48: the socket binds.
        (of("gauge-01", said("socket", 36, "processor-maker")), 24, 36, 136, "socket under its channels"),
        (of("hall-03"), 1280, 2 * 896, 12 * 512, "12 channels of 8 chip selects: two modules of 4 ranks, 256 each"),
        (of("hall-02"), 3072, 3 * 1024, 3 * 1024, "hard by the processor; the fourth socket is bare"),
        (of("desk-03"), 54, 72, 3 * 96, "72 are said; 3 channels of three modules of 32, the largest that are made, hold more"),
        # A limit that somebody states here counts in its class, an official one at once.
        (of("store-01", said("slot", 4, official=True)), 8, 48, 64, "2 slots of 4"),
        (of("store-01", said("machine", 40, hard=True)), 12, 40, 40, "hard: in every class"),
    ],
)  # fmt: skip
def test_ceilings_by_hand(found: Ceilings, official: float, processor: float, physical: float, why: str) -> None:
    assert gibs(found) == (official, processor, physical), why


def test_what_binds_and_what_would_lift_it() -> None:
    found = of("gauge-01")
    assert [c.binding for c in found.ceilings] == [("first",), ("corrin-tarn-2",), ()]
    assert [(x.kind, x.gib, x.by, x.to) for x in found.lifts] == [(CeilingKind.OFFICIAL, 40, "firmware", "9.2")]
    unknown = of("gauge-01", firmware=None)
    assert unknown.ceilings[0].needs == ("machine.firmware",)
    # Two that bind alike: taking away either alone changes nothing, so neither is named alone.
    both = of("store-01", said("machine", 12, official=True))
    assert both.ceilings[0].gib == 12 and both.ceilings[0].binding == ()
    # Another processor raises what the processor is said to address.
    smaller = next(p for p in PARTS["hall-03"][0].processors.values() if p.limits[0].capacity_gib == 640)
    lifted = of("hall-03", processors={"CPU1": smaller.id, "CPU2": smaller.id})
    assert lifted.ceilings[1].gib == 1280
    assert ("processor", 1792, "processor") in [(x.kind.value, x.gib, x.by) for x in lifted.lifts]


def test_each_statement_is_told_once_with_what_it_comes_to() -> None:
    found = of(
        "hall-03", said("channel", 64, where="CPU1.A"), said("machine", 99, name="later", firmware=Versions("9"))
    )
    told = {x.statement.id: x for x in found.stated}
    assert (told["heliant-corrie-1"].total_gib, told["heliant-corrie-1"].places) == (1792, 2)
    assert (told["s"].total_gib, told["s"].origin) == (None, "here")
    assert (told["later"].holds, told["later"].why_not, told["later"].total_gib) == (False, "version", 99)
    assert [x.total_gib for x in found.stated if x.total_gib] == sorted(
        x.total_gib for x in found.stated if x.total_gib
    )


STATEMENTS = st.builds(
    said,
    st.sampled_from(["machine", "socket", "controller", "channel", "slot"]),
    st.sampled_from([1, 4, 8, 24, 100, 5000]),
    st.sampled_from([k.value for k in SourceKind]),
    name=st.sampled_from(["a", "b"]),
    official=st.booleans(),
    hard=st.booleans(),
)


@given(st.sampled_from(sorted(PARTS)), STATEMENTS)
def test_a_statement_more_never_raises_a_ceiling(name: str, statement: Statement) -> None:
    before, after = of(name), of(name, statement)
    for old, new in zip(before.ceilings, after.ceilings, strict=True):
        assert old.gib is None or (new.gib is not None and new.gib <= old.gib)
    physical = after.ceilings[2].gib
    assert physical is not None and all(c.gib is None or c.gib <= physical for c in after.ceilings)


@given(st.sampled_from(sorted(PARTS)), st.sampled_from([4, 8, 16, 32, 64]), st.integers(1, 8))
def test_a_layout_over_the_official_ceiling_is_told_so(name: str, gib: int, count: int) -> None:
    sheet, machine = PARTS[name]
    module = replace(decode_label("8GB").module, capacity_gib=gib)
    layout = Layout(dict.fromkeys(list(sheet.slots)[:count], module))
    judged = evaluate(sheet, machine, layout)
    official = ceilings(sheet, machine).ceilings[0].gib
    if official is not None and judged.installed_gib > official:
        assert any(u.used > u.limit for u in judged.limits) or {f.code for f in judged.findings} & {
            "limit.firmware",
            "order.no-processor",
            "fit.slot-unknown",
        }


def test_any_machine_has_ceilings() -> None:
    for sheet, _ in PARTS.values():
        assert ceilings(sheet, Machine()).ceilings[2].gib is not None
