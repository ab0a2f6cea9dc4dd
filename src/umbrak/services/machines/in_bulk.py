"""Long work as jobs: reading many files, taking tables of machines, asking many machines.

A job is a row with its steps in the database. Each step is done whole, in one transaction with what it brings, or not at
all: a job that was cut off goes on with the first step that still waits.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from uuid import UUID

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import Connection, Engine
from sqlalchemy.exc import SQLAlchemyError

from umbrak.core.platform.difference import Change as SlotChange
from umbrak.core.platform.survey import OF_A_GUEST
from umbrak.devices.networks import DeviceError
from umbrak.formats.archive import unpacked
from umbrak.formats.bounds import MAX_BYTES
from umbrak.formats.faults import InputError
from umbrak.formats.kept import JobOptions
from umbrak.services.errors import NotFound, Refused, ServiceError
from umbrak.services.known.loading import load_machine
from umbrak.services.machines.making import NewMachine, make_within
from umbrak.services.machines.table import RowToTake, rows_to_take, take_rows
from umbrak.services.machines.together import MOST, Change, Renewed, Retired, Said, change_one, title_of_change
from umbrak.services.machines.waiting import NewWaiting, keep_waiting_within
from umbrak.services.people.accounts import Role, need
from umbrak.services.reach import Outside
from umbrak.services.rounds.changing import do_search
from umbrak.services.surveys.intake import Intake, Library, keep_intake, suggestions
from umbrak.services.surveys.network import ask_machine
from umbrak.services.surveys.resurvey import Difference, compare, of_another
from umbrak.store import jobs as store
from umbrak.store.accounts import Account, find_account
from umbrak.store.jobs import Ended, JobRow, NewStep, StepRow
from umbrak.store.machine_services import machines_with_services
from umbrak.store.machines import Listing, find_machines, found_machines, machine_by_name_or_serial

_log = logging.getLogger("umbrak.work")
_NOTHING: Mapping[str, str] = {}

#: Steps of a kind that are done in one transaction: fewer would cost more than the work, more would keep who stops it waiting.
_BATCHES = {"read": 50, "table": 50, "bulk": 20}
_MOST_AT_ONCE = max(_BATCHES.values())

#: Files of one job, and their bytes in all.
MAX_FILES = 20_000
MAX_ALL_BYTES = 200 << 20


@dataclass(frozen=True, slots=True)
class GivenFile:
    name: str
    raw: bytes


@dataclass(frozen=True, slots=True)
class JobView:
    id: UUID
    kind: str
    #: waiting, running, done, stopped
    state: str
    #: It was told to stop and finishes the step at hand.
    stopping: bool
    by: str
    title: str
    started_at: datetime
    ended_at: datetime | None
    total: int
    done: int
    failed: int
    #: Steps that were not done because it was stopped.
    left: int


def _view(row: JobRow) -> JobView:
    counts = row.counts
    return JobView(
        id=row.id,
        kind=row.kind,
        state=row.state,
        stopping=row.stop_asked and row.state in ("waiting", "running"),
        by=row.by,
        title=row.title,
        started_at=row.created_at,
        ended_at=row.ended_at,
        total=sum(counts.values()),
        done=counts.get("done", 0),
        failed=counts.get("failed", 0),
        left=counts.get("left", 0),
    )


def start_reading(engine: Engine, account: Account, files: Sequence[GivenFile], make: bool) -> UUID:
    """A job that reads files, those within archives too. `make`: a report whose model is clear becomes a machine.

    Raises Refused for too many or too large files, or an archive that is none.
    """
    need(account, Role.technician)
    steps: list[NewStep] = []
    size = 0
    for given in files:
        for name, raw in _unpacked(given):
            size += len(raw)
            if len(raw) > MAX_BYTES:
                raise Refused("files", f"{name} has more than {MAX_BYTES >> 20} MiB.")
            if size > MAX_ALL_BYTES or len(steps) >= MAX_FILES:
                raise Refused("files", f"At most {MAX_FILES} files and {MAX_ALL_BYTES >> 20} MiB are read at a time.")
            steps.append(NewStep(name, raw))
    if not steps:
        raise Refused("files", "Give at least one file.")
    title = f"Read {len(steps)} {'file' if len(steps) == 1 else 'files'}"
    with engine.begin() as db:
        return store.add_job(db, "read", account.id, title, JobOptions(make), steps)


def _unpacked(given: GivenFile) -> list[tuple[str, bytes]]:
    try:
        return unpacked(given.name, given.raw, most_files=MAX_FILES, most_bytes=MAX_ALL_BYTES)
    except InputError as error:
        raise Refused("files", error.faults[0].message) from error


def start_polling(engine: Engine, account: Account, machines: Sequence[UUID] | None = None) -> UUID:
    """A job that asks machines by their kept services; None = all that have one. Raises Refused where none has."""
    need(account, Role.technician)
    with engine.begin() as db:
        services = machines_with_services(db, machines)
        if not services:
            raise Refused("machines", "None of these machines can be asked: give one its address in Survey first.")
        steps = [NewStep(f"{s.machine} by {s.kind}", s.kind.encode(), s.machine_id) for s in services]
        title = f"Ask {len(steps)} {'machine' if len(steps) == 1 else 'machines'}"
        return store.add_job(db, "poll", account.id, title, JobOptions(), steps)


def start_table(engine: Engine, account: Account, raw: bytes, told: Mapping[str, str] = _NOTHING) -> UUID:
    """A job that takes a table of machines, row by row; `told` as for `see_fleet`. Raises InputError when it is no table, Refused
    where it has no rows or no column with names."""
    need(account, Role.technician)
    names, rows = rows_to_take(raw, told)
    if not rows:
        raise Refused("file", "There is no row in the table below its heads.")
    steps = [NewStep(name, json.dumps(asdict(row), ensure_ascii=False).encode()) for name, row in rows]
    title = f"Take {len(steps)} {'machine' if len(steps) == 1 else 'machines'} from a table"
    with engine.begin() as db:
        return store.add_job(db, "table", account.id, title, JobOptions(names=names), steps)


def start_change(
    engine: Engine, account: Account, change: Said | Renewed | Retired, machines: Sequence[UUID] | Listing
) -> UUID:
    """A job that changes many machines alike, each on its own. Raises Refused where there is none, or they are too many."""
    need(account, Role.technician)
    with engine.begin() as db:
        found = found_machines(db, machines, MOST + 1) if isinstance(machines, Listing) else _named(db, machines)
        if not found:
            raise Refused("machines", "There is no machine to change.")
        if len(found) > MOST:
            raise Refused("machines", f"At most {MOST} machines are changed at a time.")
        raw = change.model_dump_json(exclude_unset=True).encode()
        steps = [NewStep(name, raw, key) for key, name in found]
        return store.add_job(db, "bulk", account.id, title_of_change(change, len(steps)), JobOptions(), steps)


def _named(db: Connection, machines: Sequence[UUID]) -> list[tuple[UUID, str]]:
    return [(m.id, m.name) for m in find_machines(db, list(dict.fromkeys(machines)))]


def see_job(engine: Engine, key: UUID, after: int = 0) -> tuple[JobView, list[StepRow]]:
    """A job and a page of its steps. Raises NotFound."""
    with engine.connect() as db:
        row = store.find_job(db, key)
        if row is None:
            raise NotFound("job")
        return _view(row), store.steps_of(db, key, after)


def list_jobs(engine: Engine) -> list[JobView]:
    """The newest jobs first."""
    with engine.connect() as db:
        return [_view(row) for row in store.newest_jobs(db)]


def stop_job(engine: Engine, account: Account, key: UUID) -> None:
    """Stop it after the step at hand; what was done stays. Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        if store.find_job(db, key) is None:
            raise NotFound("job")
        store.ask_to_stop(db, key)


def run_job(
    engine: Engine, outside: Outside, key: UUID, stopped: Callable[[], bool] = lambda: False, most: int = _MOST_AT_ONCE
) -> None:
    """Do a job's waiting steps till it is done or told to stop. Where another process does it, nothing happens.

    Parameters
        stopped    asked before each step: whether this process ends; the job is then left as it is
        most       steps in one transaction
    """
    with engine.connect() as held:
        if not store.claim(held, key):
            return
        held.commit()  # the lock is the connection's; no transaction stays open meanwhile
        try:
            while not stopped() and _do_next(engine, outside, key, most):
                pass
        finally:
            store.release(held, key)
            held.commit()


def run_one_by_one(engine: Engine, outside: Outside, key: UUID, stopped: Callable[[], bool] = lambda: False) -> None:
    """`run_job` after a process that did it was ended: each step by itself, so that the one it was is known."""
    run_job(engine, outside, key, stopped, most=1)


def fail_next(engine: Engine, key: UUID, outcome: str) -> None:
    """The first step that waits has failed: the process that did it was ended twice."""
    with engine.begin() as db:
        for step, _ in store.next_steps(db, key, 1):
            store.end_step(db, key, step.number, "failed", outcome)


def _do_next(engine: Engine, outside: Outside, key: UUID, most: int) -> bool:
    """Do the next steps. False when there is none, or it was told to stop."""
    with engine.begin() as db:
        head = store.job_head(db, key)
        if head is None or head.state in ("done", "stopped"):
            return False
        found = store.next_steps(db, key, min(most, _BATCHES.get(head.kind, 1)))
        if head.stop_asked or not found:
            store.leave_waiting(db, key)
            store.set_state(db, key, "stopped" if head.stop_asked and found else "done")
            return False
        if head.state == "waiting":
            store.set_state(db, key, "running")
        account = find_account(db, head.account_id)
    # All at once; where one of them makes Umbrak stumble, one by one, so that it costs itself alone.
    for some in (found, *([one] for one in found)) if len(found) > 1 else (found,):
        try:
            if account is None:
                raise NotFound("account")
            if head.kind == "poll":
                _ask(engine, outside, account, key, *some[0])
            elif head.kind == "round":
                _solve(engine, key, *some[0])
            elif head.kind == "bulk":
                with engine.begin() as db:
                    _change(db, account, key, some)
            elif head.kind == "table":
                with engine.begin() as db:
                    _take_rows(db, account, key, some, head.options.names)
            else:
                with engine.begin() as db:
                    _read(db, account, key, some, head.options.make)
        except SQLAlchemyError:
            raise  # the database is away, or does not take it: they are tried again
        except Exception as error:
            if len(some) == 1:
                _failed(engine, key, some[0][0], error)
        else:
            if some is found:
                break
    return True


def _failed(engine: Engine, key: UUID, step: StepRow, error: Exception) -> None:
    known = isinstance(error, DeviceError | ServiceError | InputError)
    if not known:
        _log.error("step %s of job %s", step.number, key, exc_info=error)
    outcome = str(error) if known else "An error of Umbrak's own; its log says more. The rest of the job goes on."
    with engine.begin() as db:
        store.end_step(db, key, step.number, "failed", outcome)


def _ask(engine: Engine, outside: Outside, account: Account, key: UUID, step: StepRow, kind: bytes | None) -> None:
    if step.machine_id is None:
        raise NotFound("machine")
    intake = ask_machine(engine, account, outside, step.machine_id, "redfish" if kind == b"redfish" else "snmp")
    with engine.begin() as db:
        outcome = _beside_what_is_known(db, step.machine_id, intake)
        store.end_step(db, key, step.number, "done", outcome, intake.id)


def _solve(engine: Engine, key: UUID, step: StepRow, raw: bytes | None) -> None:
    outcome = do_search(engine, key, UUID((raw or b"").decode()))
    with engine.begin() as db:
        store.end_step(db, key, step.number, "done", outcome)


_CHANGE: TypeAdapter[Said | Renewed | Retired] = TypeAdapter(Change)


def _change(db: Connection, account: Account, key: UUID, steps: Sequence[tuple[StepRow, bytes | None]]) -> None:
    need(account, Role.technician)
    ended = []
    for step, raw in steps:
        try:
            if step.machine_id is None:
                raise NotFound("machine")
            with db.begin_nested():
                outcome = change_one(db, account, step.machine_id, _CHANGE.validate_json(raw or b""))
            ended.append(Ended(step.number, "done", outcome, machine_id=step.machine_id))
        except ServiceError as error:
            ended.append(Ended(step.number, "failed", str(error), machine_id=step.machine_id))
    store.end_steps(db, key, ended)


def _take_rows(
    db: Connection, account: Account, key: UUID, steps: Sequence[tuple[StepRow, bytes | None]], names: Mapping[str, str]
) -> None:
    taken = take_rows(db, account, [RowToTake(**json.loads(raw or b"")) for _, raw in steps], names)
    ended = [
        Ended(step.number, "failed" if row.failed else "done", row.outcome, machine_id=row.machine_id)
        for (step, _), row in zip(steps, taken, strict=True)
    ]
    store.end_steps(db, key, ended)


def _read(
    db: Connection, account: Account, key: UUID, steps: Sequence[tuple[StepRow, bytes | None]], make: bool
) -> None:
    need(account, Role.technician)
    library = Library.load(db)
    ended = []
    for step, raw in steps:
        try:
            intake = keep_intake(db, account.id, step.name, raw or b"", library=library)
        except InputError as error:
            ended.append(Ended(step.number, "failed", str(error)))
            continue
        machine_id, outcome = _placed(db, account, step.name, intake, make, library)
        ended.append(Ended(step.number, "done", outcome, intake.id, machine_id))
    store.end_steps(db, key, ended)


def _placed(
    db: Connection, account: Account, name: str, intake: Intake, make: bool, library: Library
) -> tuple[UUID | None, str]:
    """Which machine a report is of, and what it says there; one is made of it where that is wanted and clear."""
    system = intake.reading.system
    stem = name.rsplit(".", 1)[0] if "." in name else name
    known = machine_by_name_or_serial(db, stem, (system and system.serial) or "")
    if known is not None:
        return known.id, _beside_what_is_known(db, known.id, intake)
    likely = suggestions(db, intake.reading, library)
    first = likely[0] if likely else None
    clear = first is not None and first.certain and (len(likely) == 1 or not likely[1].certain)
    if intake.reading.virtual:
        return None, f"not taken: {OF_A_GUEST}"
    if first is None or not make or not clear:
        told = f"new; it may be {first.title}: {', '.join(first.reasons)}" if first else "new, and no sheet is like it"
        return None, told + (_waits(db, account, stem, intake) if make else "")
    reports = {slot: i for i, slot in enumerate(first.match.slots) if slot is not None}
    try:
        new = NewMachine(
            name=stem,
            sheet_hash=first.hash,
            intake_id=intake.id,
            reports=reports,
            processors=dict(first.match.processors),
        )
        with db.begin_nested():
            return make_within(db, account, new), f"new: made as {first.title}"
    except ValidationError as error:
        return None, f"new, and not made: its file's name is no name for a machine ({error.errors()[0]['msg']})"
    except ServiceError as error:
        return None, f"new, and not made: {error}"


def _waits(db: Connection, account: Account, name: str, intake: Intake) -> str:
    """Keeps it till a sheet knows its model; gives what is said of that."""
    try:
        with db.begin_nested():
            keep_waiting_within(db, account, NewWaiting(name=name, intake_id=intake.id))
    except ValidationError as error:
        return f"; not kept: its file's name is no name for a machine ({error.errors()[0]['msg']})"
    except ServiceError as error:
        return f"; not kept: {error}"
    return "; it waits for a sheet"


def _beside_what_is_known(db: Connection, machine_id: UUID, intake: Intake) -> str:
    """What a report says beside what is known, in words."""
    m = load_machine(db, machine_id)
    found, reading = compare(db, m, intake), intake.reading
    another = found.another
    parts = [
        *([OF_A_GUEST] if reading.virtual else []),
        *([of_another(m, another).rstrip(".")] if another else []),
        *_slot_words(found, m.survey.content.failed),
        *(
            f"{f.fact.removeprefix('processors.')}: {f.reported}"
            for f in found.facts[:3]
            if f.fact not in ("serial", "other_serials") or not another
        ),
    ]
    if not reading.slots and reading.usable_gib is not None:
        parts.append(f"it tells {reading.usable_gib:.1f} GB usable")
    return "; ".join(parts) or "agrees with what is known"


def _slot_words(found: Difference, known_failed: Sequence[str]) -> list[str]:
    counts = {c: sum(1 for d in found.slots if d.change is c) for c in SlotChange}
    differing = counts[SlotChange.DIFFERS] + counts[SlotChange.GOES] + counts[SlotChange.COMES]
    words = []
    if differing:
        words.append(f"{differing} {'slot differs' if differing == 1 else 'slots differ'}")
    if fresh := [s for s in found.failed if s not in known_failed]:
        words.append(f"{len(fresh)} failed")
    if found.unplaced:
        words.append(f"{len(found.unplaced)} of no known slot")
    return words
