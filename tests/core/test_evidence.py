"""Beliefs against closed forms, trouble and break-even by hand, and what must hold of any evidence."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from math import prod
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from umbrak.core.evaluate import evaluate
from umbrak.core.evidence.belief import Belief, Trial, believe, beta_interval, likeness_of, unlike
from umbrak.core.evidence.claims import Claim, claims_of
from umbrak.core.evidence.table import USUAL, ClaimKind, Outcome
from umbrak.core.evidence.trouble import Costs, break_even, trouble_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.statement import SourceKind
from umbrak.demo.seed import Scenario

TODAY = date(2026, 11, 23)
PART = decode_label("32GB 2Rx8 PC5-4800B-SB0 P/N: ZX5S-32").module
OVER = Claim(ClaimKind.OVER_OFFICIAL, "x runs 40 GB", "fjell-n2", ("corrin-tarn",), 40)
FITS = Claim(ClaimKind.PART, "ZX5S-32 runs on x", "fjell-n2", ("corrin-tarn",), None, PART)


def trial(**more: Any) -> Trial:
    usual = {
        "id": "t", "sheet": "fjell-n2", "outcome": Outcome.FINE, "who": SourceKind.OWN_PROOF, "date": TODAY, "processor": "corrin-tarn",
        "part": "ZX5S-32", "module": PART, "total_gib": 40, "soak_days": 14,
    }  # fmt: skip
    return Trial(**{**usual, **more})


@pytest.mark.parametrize(
    ("claim", "given", "likeness"),
    [
        (OVER, {}, 1.0),
        (OVER, {"total_gib": 64}, 1.0),  # what ran 64 runs 40
        (OVER, {"total_gib": 32}, 0.0),  # that 32 runs says nothing of 40
        (OVER, {"total_gib": 32, "outcome": Outcome.NOT_SEEN}, 1.0),  # where 32 is not seen, 40 is not
        (OVER, {"total_gib": 64, "outcome": Outcome.UNSTABLE}, 0.0),
        (OVER, {"total_gib": 32, "outcome": Outcome.QUIRKS}, 1.0),  # what is odd at 32 is odd at 40
        (OVER, {"sheet": "other"}, 0.3),
        (OVER, {"sheet": "other", "processor": "another"}, 0.0),
        (OVER, {"total_gib": None}, 0.0),
        (FITS, {}, 1.0),
        (FITS, {"revision": "B"}, 0.6),  # the same number may carry other chips
        (FITS, {"part": "QQ-1"}, 0.6),  # like organisation
        (FITS, {"part": "QQ-1", "sheet": "other"}, 0.3),
        (FITS, {"part": "QQ-1", "module": decode_label("16GB 1Rx8 PC5-4800B-SA0").module}, 0.0),
        (FITS, {"part": None, "module": None}, 0.0),
        (Claim(ClaimKind.MIXED_MAKERS, "x", "fjell-n2", (), None, PART), {}, 0.0),
    ],
)  # fmt: skip
def test_how_far_a_trial_speaks_of_a_claim(claim: Claim, given: dict[str, Any], likeness: float) -> None:
    assert likeness_of(claim, trial(**given)) == likeness


@pytest.mark.parametrize(
    ("given", "weight"),
    [
        ({}, 1.0),
        ({"who": SourceKind.NAMED}, 0.7),
        ({"who": SourceKind.HEARSAY, "soak_days": 0}, 0.3 * 0.5),
        ({"soak_days": 7}, 0.75),
        ({"soak_days": 900}, 1.0),
        ({"soak_days": 0, "outcome": Outcome.UNSTABLE}, 1.0),
        ({"date": TODAY - timedelta(days=1095)}, 0.5),
        ({"date": TODAY - timedelta(days=2190), "who": SourceKind.MODULE_MAKER}, 0.8 / 4),
        ({"date": TODAY + timedelta(days=5)}, 1.0),
    ],
)  # fmt: skip
def test_what_a_trial_weighs(given: dict[str, Any], weight: float) -> None:
    (c,) = believe(FITS, [trial(**given)], TODAY).contributions
    assert c.weight == pytest.approx(weight)


def test_the_posterior_is_the_closed_form() -> None:
    trials = [trial(id=str(i)) for i in range(3)] + [trial(id="bad", outcome=Outcome.UNSTABLE, who=SourceKind.NAMED)]
    belief = believe(OVER, [t for t in trials if t.id != "bad"], TODAY)
    # Prior 1.2 fine, 0.4 quirks, 0.3 not seen, 0.1 unstable; three whole trials: 4.2 of 5.
    assert belief.mean() == pytest.approx(4.2 / 5.0)
    assert belief.interval() == pytest.approx(stats.beta(4.2, 0.8).interval(0.9))
    worse = believe(FITS, trials, TODAY)
    assert dict(worse.counts) == pytest.approx({"fine": 5.4, "quirks": 0.2, "not-seen": 0.2, "unstable": 0.9})
    assert worse.mean(Outcome.UNSTABLE) == pytest.approx(0.9 / 6.7)
    assert worse.second_moment() == pytest.approx(stats.beta(5.4, 1.3).moment(2))
    # With no trial at all the prior is told for what it is.
    assert believe(OVER, [], TODAY).is_prior and not belief.is_prior


def test_trouble_and_break_even_by_hand() -> None:
    one, two = believe(OVER, [trial()], TODAY), believe(FITS, [trial()], TODAY)
    p, q = 2.2 / 3.0, 3.4 / 4.0
    both = trouble_of([one, two], Costs(hour=50, downtime_hour=20, returned=30, data=10_000, backup_tiers=2))
    assert both.probability == pytest.approx(1 - p * q)
    assert both.low < both.probability < both.high
    alone = trouble_of([one])
    assert (alone.low, alone.high) == pytest.approx(
        (1 - stats.beta(2.2, 0.8).ppf(0.95), 1 - stats.beta(2.2, 0.8).ppf(0.05))
    )
    # The worst of both decides: not seen by either; else unstable by either; else quirks by either.
    not_seen = 1 - (1 - 0.3 / 3) * (1 - 0.2 / 4)
    unstable = (1 - 0.3 / 3) * (1 - 0.2 / 4) - (1 - 0.4 / 3) * (1 - 0.4 / 4)
    quirks = (1 - 0.4 / 3) * (1 - 0.4 / 4) - p * q
    assert {t.outcome.value: t.probability for t in both.terms} == pytest.approx(
        {"not-seen": not_seen, "unstable": unstable, "quirks": quirks}
    )
    # Hours at 50, without the machine at 20, a return 30; of 10 000 two tiers of backup leave 100.
    costs = {"not-seen": 2 * 50 + 20 + 30, "unstable": 4 * 50 + 3 * 20 + 30 + 100, "quirks": 50}
    assert {t.outcome.value: t.cost for t in both.terms} == costs
    loss = not_seen * 150 + unstable * 390 + quirks * 50
    assert both.expected_loss == pytest.approx(loss)
    found = break_even(120, both)
    assert found.worth_it == (loss < 120) and found.trouble == pytest.approx(120 / (loss / both.probability))
    assert break_even(10, trouble_of([])).trouble is None and trouble_of([]).probability == 0


def test_what_a_layout_rests_on() -> None:
    scenario = Scenario.read()
    given = next(m for m in scenario.machines if m["name"] == "gauge-01")
    sheet, machine, layout = scenario.parts(given)
    claims = claims_of(sheet, machine, layout, evaluate(sheet, machine, layout))
    assert {(c.kind, c.total_gib, c.module and c.module.part) for c in claims} >= {
        (ClaimKind.OVER_OFFICIAL, 40, None),
        (ClaimKind.PART, None, "ZX5S-32"),
    }
    assert claims_of(sheet, machine, Layout(), evaluate(sheet, machine, Layout())) == ()
    assert len({c.subject for c in claims}) == len(claims)


TRIALS = st.lists(
    st.builds(
        trial,
        id=st.text("abc", max_size=3),
        outcome=st.sampled_from(Outcome),
        who=st.sampled_from(SourceKind),
        date=st.dates(date(2015, 1, 1), date(2027, 1, 1)),
        soak_days=st.floats(0, 400),
        total_gib=st.sampled_from([None, 8, 40, 64]),
        sheet=st.sampled_from(["fjell-n2", "other"]),
    ),
    max_size=6,
)


@given(TRIALS, st.sampled_from([OVER, FITS]))
def test_any_evidence_gives_a_belief_and_its_order_does_not_matter(trials: list[Trial], claim: Claim) -> None:
    belief = believe(claim, trials, TODAY)
    assert believe(claim, trials[::-1], TODAY).counts == pytest.approx(dict(belief.counts))
    assert sum(belief.mean(o) for o in Outcome) == pytest.approx(1)
    low, high = belief.interval()
    assert 0 <= low <= high <= 1
    assert belief.total == pytest.approx(
        sum(USUAL.priors[claim.kind].counts().values()) + sum(c.weight for c in belief.contributions)
    )


@given(TRIALS, st.sampled_from([OVER, FITS]))
def test_a_trial_that_went_well_never_lowers_a_belief(trials: list[Trial], claim: Claim) -> None:
    before = believe(claim, trials, TODAY)
    assert believe(claim, [*trials, trial(id="z")], TODAY).mean() >= before.mean()
    assert believe(claim, [*trials, trial(id="z", outcome=Outcome.NOT_SEEN)], TODAY).mean() <= before.mean()


@given(st.lists(TRIALS, min_size=1, max_size=3))
def test_trouble_of_several_claims(many: list[list[Trial]]) -> None:
    beliefs: list[Belief] = [believe(OVER if i % 2 else FITS, t, TODAY) for i, t in enumerate(many)]
    found = trouble_of(beliefs)
    assert found.probability == pytest.approx(1 - prod(b.mean() for b in beliefs))
    assert sum(t.probability for t in found.terms) == pytest.approx(found.probability)
    assert 0 <= found.low <= found.high <= 1 and all(t.probability >= -1e-12 for t in found.terms)


def test_intervals_at_the_edges() -> None:
    assert beta_interval(0, 1) == (0, 0) and beta_interval(1, 0) == (1, 1)


def test_a_part_that_carries_other_chips_is_another_module() -> None:
    """On delivery its label tells other ranks than what was tried: the trial of that part no longer speaks for it."""
    tried = replace(decode_label("32GB 2Rx8 PC5-4800B-SB0").module, part="ZX")
    came = replace(decode_label("32GB 1Rx4 PC5-4800B-SC0").module, part="ZX")
    told = replace(tried, package_ranks=None, logical_ranks=None, device_width=None, die_gbit=None)
    trial = Trial("t", "s", Outcome.FINE, SourceKind.OWN_PROOF, date(2026, 1, 1), None, "ZX", None, tried, 32, 30)
    assert unlike(tried, came) == ("1 package ranks instead of 2", "x4 devices instead of 8")
    assert unlike(tried, told) == unlike(None, came) == ()
    for module, likeness in ((tried, 1.0), (told, 1.0), (came, 0.0)):
        assert likeness_of(Claim(ClaimKind.PART, "", "s", (), None, module), trial) == likeness
