"""What lowers trouble and which experiment tells most: by hand, and what must hold of any."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.evidence.belief import Belief, Trial, believe
from umbrak.core.evidence.claims import Claim
from umbrak.core.evidence.levers import Act, LeverKind, experiments, levers_of
from umbrak.core.evidence.table import ClaimKind, Outcome
from umbrak.core.evidence.trouble import Costs, Trouble, trouble_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.statement import SourceKind

TODAY = date(2026, 3, 1)
KIND = replace(decode_label("32GB 2Rx8 PC5-4800B-SB0").module, part="ZZ-32")
OTHER = replace(decode_label("32GB 1Rx4 PC5-4800B-SC0").module, part="OK-32")
COSTS = Costs(hour=60, downtime_hour=100, returned=30, data=1000, backup_tiers=1)


def belief(kind: ClaimKind, *trials: Trial) -> Belief:
    about = KIND if kind in (ClaimKind.PART, ClaimKind.DENSITY, ClaimKind.MIXED_KITS) else None
    return believe(Claim(kind, kind.value, "s", (), None if about else 64, about), trials, TODAY)


def of(*beliefs: Belief) -> Trouble:
    return trouble_of(beliefs, COSTS)


def trial(outcome: Outcome, module: object = OTHER) -> Trial:
    return Trial("t", "s", outcome, SourceKind.OWN_PROOF, TODAY, None, "OK-32", None, module, 32, 30)  # type: ignore[arg-type]


def test_levers_by_hand() -> None:
    """A part with no trial, P(not seen) = P(unstable) = P(quirks) = 1/15: not seen 2 h + 1 h down + a return = 250;
    unstable 4 h + 3 h down + a return + a tenth of the data = 670, less likely by the worse; quirks 60."""
    trouble = of(belief(ClaimKind.PART))
    p = 0.2 / 3
    assert trouble.expected_loss == pytest.approx(p * (250 + 670 + 60))
    found = {x.kind: x for x in levers_of(trouble, COSTS, comes=4, goes=2, trials=(), today=TODAY)}
    assert set(found) == {LeverKind.STAGING, LeverKind.SOAK, LeverKind.BACKUP, LeverKind.KEEP_OLD}
    assert found[LeverKind.BACKUP].expected_loss == pytest.approx(p * (250 + 580 + 60))
    assert found[LeverKind.SOAK].expected_loss == pytest.approx(p * (180 + (240 + 90 + 30 + 10) + 60))
    assert found[LeverKind.STAGING].expected_loss == pytest.approx(p * (120 + 50 + 7.5 + 240 + 150 + 7.5 + 50 + 60))
    assert found[LeverKind.KEEP_OLD].expected_loss == pytest.approx(p * (180 + 460 + 60))
    alone = {x.kind for x in levers_of(trouble, COSTS, comes=1, goes=0, trials=(), today=TODAY)}
    assert alone == {LeverKind.SOAK, LeverKind.BACKUP}
    assert levers_of(of(), COSTS, 4, 2, (), TODAY) == ()


def test_one_kit_and_a_known_kind() -> None:
    part, mixed = belief(ClaimKind.PART), belief(ClaimKind.MIXED_KITS)
    found = levers_of(of(part, mixed), COSTS, 4, 0, (trial(Outcome.FINE),), TODAY)
    one_kit = next(x for x in found if x.kind is LeverKind.ONE_KIT)
    assert one_kit.trouble == pytest.approx(0.2)
    known = next(x for x in found if x.kind is LeverKind.KNOWN_KIND)
    after = believe(Claim(ClaimKind.PART, "", "s", (), None, OTHER), [trial(Outcome.FINE)], TODAY).mean()
    assert known.about == "OK-32" and known.trouble == pytest.approx(1 - after * mixed.mean())
    failed = levers_of(of(part), COSTS, 4, 0, (trial(Outcome.UNSTABLE),), TODAY)
    assert LeverKind.KNOWN_KIND not in {x.kind for x in failed}


def test_the_cheapest_experiment_by_hand() -> None:
    """80 against 200 with a loss of 980/15 = 65: bought as it is. One bought first is wrong with 0.2 * 0.9: then 200,
    else 80 and a tenth of the doubt."""
    trouble = of(belief(ClaimKind.PART))
    found = experiments(trouble, 80, 200, COSTS, 20, ())
    assert all(e.act is not Act.BORROW for e in found)
    one = {e.act: e for e in found}.get(Act.BUY_ONE)
    doubt = 0.2 * 0.1 / (0.8 + 0.2 * 0.1)
    decided = 0.82 * (80 + trouble.expected_loss * doubt / 0.2) + 0.18 * 200
    assert one is not None and one.worth == pytest.approx(80 + trouble.expected_loss - decided)
    assert one.cost == pytest.approx(1.5 * 60 + 2 + 30)
    assert [e.gain for e in found] == sorted((e.gain for e in found), reverse=True)
    assert any(e.act is Act.BORROW for e in experiments(trouble, 80, 200, COSTS, 20, (KIND,)))


@given(st.floats(0, 500), st.floats(0, 1000), st.lists(st.sampled_from(list(ClaimKind)), max_size=3))
def test_knowing_more_is_never_worth_less_than_nothing(cost: float, fallback: float, kinds: list[ClaimKind]) -> None:
    """And where the choice is clear beyond any answer, it is worth nothing."""
    trouble = of(*(belief(k) for k in kinds))
    found = experiments(trouble, cost, fallback, COSTS, 20, ())
    assert all(e.worth > 0 for e in found)
    if fallback <= cost:
        assert found == ()
