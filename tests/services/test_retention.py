"""For how long bulk is kept: nothing goes unless a lead says so, and then only the bulk, and it is told."""

from __future__ import annotations

import io
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import pytest
from PIL import Image
from sqlalchemy import Engine, text

from tests.formats.smbios_facts import Device, listing
from tests.services.test_runs import NOW, OFFICIAL, begin
from umbrak.services.bench.ending import back_out
from umbrak.services.bench.entering import add_log, add_photo, see_attachment
from umbrak.services.errors import NotAllowed, NotFound, Refused
from umbrak.services.machines.in_bulk import GivenFile, list_jobs, run_job, start_reading
from umbrak.services.people.access import access_events
from umbrak.services.people.retention import Removed, Retention, remove_old, see_retention, set_retention
from umbrak.services.reach import Outside
from umbrak.services.surveys.intake import read_as
from umbrak.store.accounts import Account


def test_bulk_goes_by_its_age_and_what_was_read_stays(engine: Engine, technician: Account, lead: Account) -> None:
    def age_all() -> None:
        """Everything so far is forty days old."""
        with engine.begin() as db:
            for table, column in (("intake", "created_at"), ("run", "ended_at"), ("job", "ended_at")):
                db.execute(text(f"UPDATE {table} SET {column} = now() - interval '40 days' WHERE {column} IS NOT NULL"))

    reports = [GivenFile(f"{n}.txt", listing([Device("A1")]).encode()) for n in ("old", "other")]
    run_job(engine, Outside(), start_reading(engine, technician, reports[:1], make=False))
    bench = begin(engine, technician, lead, OFFICIAL)
    raw, photo = io.BytesIO(), uuid4()
    Image.new("RGB", (30, 20), "red").save(raw, "JPEG")
    add_photo(engine, technician, bench.id, photo, bench.run.steps[0].key, raw.getvalue(), NOW, NOW)
    add_log(engine, technician, bench.id, uuid4(), "stick", b"Pass 1 complete, 0 errors\n", NOW)
    age_all()
    now = datetime.now(UTC)
    with pytest.raises(NotAllowed):
        set_retention(engine, technician, Retention(raw_reports=30))
    removed = remove_old(engine, now)
    assert removed and (removed.raw_reports, removed.attachments, removed.jobs) == (0, 0, 0), "nobody said so"

    set_retention(engine, lead, Retention(raw_reports=30, attachments=30, jobs=30))
    assert remove_old(engine, now) is None, "once a day"
    run_job(engine, Outside(), start_reading(engine, technician, reports[1:], make=False))
    later = now + timedelta(hours=21)
    removed = remove_old(engine, later)
    assert removed and removed.raw_reports >= 1 and (removed.attachments, removed.jobs) == (0, 1), (
        "its run is under way"
    )
    assert bench.run.remarks[0].is_photo
    with engine.connect() as db:
        kept = dict(
            db.execute(text("SELECT source_name, id FROM intake WHERE source_name IN ('old.txt', 'other.txt')")).all()
        )  # type: ignore[arg-type]
        assert db.execute(text("SELECT count(*) FROM intake WHERE document IS NULL")).scalar() == 0
    assert read_as(engine, technician, kept["other.txt"], "smbios-text").reading.slots
    with pytest.raises(Refused, match="removed by its age"):
        read_as(engine, technician, kept["old.txt"], "smbios-text")
    assert [j.title for j in list_jobs(engine)] == ["Read 1 file"]

    back_out(engine, technician, bench.id, "enough", NOW)
    age_all()
    removed = remove_old(engine, later + timedelta(hours=21))
    assert removed and removed.attachments == 2
    (remark,) = bench.run.remarks
    assert (remark.is_photo, remark.text) == (False, "A photo, which was removed by its age.")
    assert [(t.passes, t.has_log) for t in bench.proof.tests] == [(1, False)]
    with pytest.raises(NotFound):
        see_attachment(engine, bench.id, photo)
    view = see_retention(engine, lead)
    assert view.removed == Removed(at=removed.at, attachments=2, raw_reports=removed.raw_reports, jobs=removed.jobs)
    told = [line.detail for line in access_events(engine, lead) if line.action == "removed by age"]
    assert [t["attachments"] for t in told] == [2, 0]
