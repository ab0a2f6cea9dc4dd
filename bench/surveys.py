"""Ten thousand machines' SMBIOS tables read and stored by one job, on a throw-away database.

python -m bench.surveys [COUNT]
"""

from __future__ import annotations

import resource
import sys
import time

from sqlalchemy import text
from tests.formats.smbios_facts import Device, table

from bench.database import throw_away
from umbrak.demo import seed
from umbrak.formats.bounds import Deadline
from umbrak.formats.smbios.survey import read_tables
from umbrak.services.machines.in_bulk import GivenFile, run_job, see_job, start_reading
from umbrak.services.reach import Outside
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import open_engine

TABLES = 10_000
SLOTS = 24


def tables(count: int) -> list[GivenFile]:
    """Tables of two-socket servers, each with its own modules' serial numbers."""
    given = []
    for n in range(count):
        devices = [
            Device(
                f"CPU{1 + i // 12}_DIMM_{'ABCDEF'[i % 12 // 2]}{1 + i % 2}",
                16384 if i % 2 == 0 else 0,
                serial=f"{n:06X}{i:02X}",
            )
            for i in range(SLOTS)
        ]
        given.append(GivenFile(f"node-{n}.bin", table(devices).replace(b"LK12-00417", f"LK{n:08d}".encode())))
    return given


def peak_mib() -> float:
    """The most memory that this process has had."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main(count: int) -> None:
    given = tables(count)
    began = time.perf_counter()
    for one in given[: min(count, 1000)]:
        read_tables(one.raw, Deadline())
    alone = (time.perf_counter() - began) / min(count, 1000)
    with throw_away() as url:
        engine = open_engine(url)
        seed.seed(engine)
        with engine.connect() as db:
            known = find_credentials(db, seed.ACCOUNT)
        assert known
        before = peak_mib()
        began = time.perf_counter()
        job = start_reading(engine, known.account, given, make=False)
        queued = time.perf_counter() - began
        own = time.process_time()
        run_job(engine, Outside(), job)
        took, own = time.perf_counter() - began, time.process_time() - own
        view, _ = see_job(engine, job)
        with engine.connect() as db:
            kept = db.execute(text("SELECT count(*) FROM intake")).scalar_one()
        engine.dispose()
    assert (view.state, view.done, kept) == ("done", count, count)
    print(f"read alone           {1000 * alone:6.2f} ms a table of {SLOTS} slots ({len(given[0].raw)} bytes)")
    print(f"taken in as a job    {queued:6.1f} s")
    print(
        f"read and stored      {took:6.1f} s for {count} tables ({1000 * took / count:.2f} ms each; {own:.1f} s of it this process)"
    )
    print(f"ratio to reading     {took / count / alone:6.1f}")
    print(f"peak memory          {peak_mib():6.0f} MiB, of which {before:.0f} before the job")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else TABLES)
