"""Memory tests of a run: what each came to, which of them count, and what they come to together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from umbrak.core.proof.standing import ENOUGH, MemoryTests
from umbrak.formats.entries import TestLogDoc, TestWithdrawnDoc
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.people.accounts import Role
from umbrak.services.runs.entries import every
from umbrak.store.accounts import Account
from umbrak.store.runs import EntryRow


@dataclass(frozen=True, slots=True)
class TestView:
    id: UUID
    tool: str
    passes: int
    errors: int
    #: How much it went over; None = all that there is. [GiB]
    tested_gib: float | None
    #: The lines of its log that say so, or what a person wrote.
    because: tuple[str, ...]
    has_log: bool
    #: Whether modules were handled since.
    stale: bool
    #: Why it was taken back, and by whom; "" = it was not.
    withdrawn: str
    #: Whether it ended a pass over enough of the memory, and found nothing.
    clean: bool
    at: datetime
    by: str

    @property
    def counts(self) -> bool:
        return not self.stale and not self.withdrawn


def _is_clean(test: TestLogDoc, whole_gib: float) -> bool:
    over = whole_gib if test.tested_gib is None else test.tested_gib
    return bool(test.passes) and not test.errors and over >= ENOUGH * whole_gib


def tests_told(
    entries: Sequence[EntryRow], is_stale: Callable[[datetime], bool], whole_gib: float
) -> tuple[TestView, ...]:
    """In the order of arrival, of a machine that is to hold so much."""
    why = {w.test.lower(): f"{w.text} ({e.by})" for e, w in every(entries, TestWithdrawnDoc)}
    return tuple(
        TestView(
            id=e.id,
            tool=t.tool,
            passes=t.passes,
            errors=t.errors,
            tested_gib=t.tested_gib,
            because=tuple(t.because) or ((t.text,) if t.text else ()),
            has_log=bool(e.media_type),
            stale=is_stale(e.at),
            withdrawn=why.get(str(e.id), ""),
            clean=_is_clean(t, whole_gib),
            at=e.at,
            by=e.by,
        )
        for e, t in every(entries, TestLogDoc)
    )


def sums_of(tests: Sequence[TestView], whole_gib: float) -> MemoryTests:
    """What those that count come to."""
    clean = sum(t.passes for t in tests if t.clean)
    part = max((t.tested_gib for t in tests if t.passes and t.tested_gib is not None), default=None)
    return MemoryTests(clean, sum(t.errors for t in tests), len(tests), None if clean else part, whole_gib)


def check_withdrawn(account: Account, entries: Sequence[EntryRow], entry: TestWithdrawnDoc) -> None:
    """Raises Refused where there is no such test that counts, NotAllowed where it is somebody else's and no lead takes it back."""
    told = {str(e.id): e for e, _ in every(entries, TestLogDoc)}
    gone = {w.test.lower() for _, w in every(entries, TestWithdrawnDoc)}
    test = told.get(entry.test.lower())
    if test is None or entry.test.lower() in gone:
        raise Refused("test", "This run has no such memory test, or it is taken back already.")
    if Role[account.role] < Role.lead and test.account_id != account.id:
        raise NotAllowed(f"A test that {test.by} entered is taken back by {test.by}, or by a lead.")
