"""What a machine showed, kept and laid beside what it shows after its upgrade."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import Engine

from tests.services.test_runs import key_of, prove, replacing
from umbrak.core.plan.symptoms import Symptoms
from umbrak.services.bench.ending import SignOff, sign_off
from umbrak.services.errors import NotFound, Refused
from umbrak.services.routes.symptoms import add_symptoms, drop_symptoms, see_symptoms
from umbrak.store.accounts import Account

FULL = {"used_gib": 60.0, "swapped_gib": 12.0, "pages": True, "cache_gib": 0.0, "refused": 2, "refused_gib": 8.0}


def test_what_was_seen_before_is_laid_beside_what_is_seen_since(
    engine: Engine, technician: Account, lead: Account
) -> None:
    key, earlier = key_of(engine, "hall-02"), datetime.now(UTC)
    with pytest.raises(Refused, match="at least one figure"):
        add_symptoms(engine, technician, key, Symptoms(pages=True), earlier)
    add_symptoms(engine, technician, key, Symptoms(used_gib=1.0), earlier - timedelta(days=9))
    view = add_symptoms(engine, technician, key, Symptoms(**FULL), earlier - timedelta(days=2))  # type: ignore[arg-type]
    assert view.need and (view.need.floor, view.need.enough) == (88.0, 88.0)
    assert len(view.seen) == 2 and view.helped is None

    bench = replacing(engine, technician, lead)
    # Seen while it is worked on: neither of the one machine nor of the other.
    add_symptoms(engine, technician, key, Symptoms(swapped_gib=99.0), bench.now + timedelta(minutes=1))
    prove(bench, lead)
    sign_off(engine, technician, bench.id, SignOff("fine", "", "", {}), bench.now)
    ended = bench.now
    view = see_symptoms(engine, key)
    assert view.changed_at == ended and view.helped is not None and view.helped.helped is None
    after = {"used_gib": 61.0, "swapped_gib": 0.0, "pages": False, "refused": 0, "cache_gib": 0.0}
    view = add_symptoms(engine, technician, key, Symptoms(**after), ended + timedelta(days=1))  # type: ignore[arg-type]
    assert view.helped and view.helped.helped is True
    assert {f.what: (f.before, f.after) for f in view.helped.figures}["in swap"] == (12.0, 0.0)
    view = drop_symptoms(engine, technician, key, view.seen[0].id)
    assert view.helped and view.helped.helped is None
    with pytest.raises(NotFound):
        drop_symptoms(engine, technician, key_of(engine, "hall-03"), view.seen[0].id)
