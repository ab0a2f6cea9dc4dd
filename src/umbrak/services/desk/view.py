"""What wants somebody now, the windows of a week, and trouble that was predicted beside what was met."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum

from sqlalchemy import Connection, Engine

from umbrak.core.evidence.calibration import Band
from umbrak.core.evidence.table import Outcome
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.step import Who
from umbrak.services.bench.view import run_view
from umbrak.services.buying.ordering import purchase_views
from umbrak.services.desk.money import Money, money_between
from umbrak.services.evidence.calibration import CalibrationView, see_calibration
from umbrak.services.rounds.view import RoundState, StateOfPlan, asked_of, round_view
from umbrak.services.shelf.view import StockState, see_stock
from umbrak.store import desk as store
from umbrak.store.accounts import Account
from umbrak.store.history import newest_of
from umbrak.store.machines import find_machines, has_any
from umbrak.store.rounds import rounds
from umbrak.store.runs import runs_under_way

#: Changed verdicts of so many days are news; money of so many is told.
_NEWS_DAYS, _MONEY_DAYS = 14, 90
#: Whoever did something to a machine in so many days is on it; so many machines are told of each person.
_WORK_DAYS, _WORK_EACH = 3, 4


class Section(StrEnum):
    """In the order in which they want somebody."""

    STOPS = "stops work"
    WORD = "waits for a word"
    CHANGED = "changed"
    DOUBT = "under way or in doubt"
    SOON = "today and this week"


@dataclass(frozen=True, slots=True)
class Item:
    section: Section
    #: stop, ask, risk, slow, note.
    severity: str
    what: str
    where: str
    words: str
    #: Whoever it is with; "" = nobody yet.
    who: str
    #: Whether it is with whoever asks, or a word of theirs would do.
    mine: bool
    #: Since when it waits; by when it is due.
    since: datetime | None
    due: date | None
    #: Where it is dealt with, and in a word what is done there.
    path: str
    act: str


@dataclass(frozen=True, slots=True)
class WindowAt:
    """What is planned of somebody for a day."""

    day: date
    who: str
    hours: float
    #: Hours of hands that there are; None: nobody said.
    of: float | None
    #: Machines and rounds.
    what: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class OnIt:
    """A machine that somebody worked on in the last days, or has on the bench."""

    who: str
    what: str
    #: "on the bench", "plan Two more", "survey".
    words: str
    at: datetime
    path: str


@dataclass(frozen=True, slots=True)
class DeskView:
    items: tuple[Item, ...]
    #: Whether no machine was ever made here.
    is_new: bool
    #: Section -> how many there are, shown or not.
    counts: dict[Section, int]
    mine: int
    #: Seven days from a Monday on, of UTC: this week's, on a weekend the next one's.
    week: tuple[date, ...]
    windows: tuple[WindowAt, ...]
    #: By person, what they did last first; a few machines each.
    work: tuple[OnIt, ...]
    #: Plans that a lead approved and that ended with an outcome: how many, in how many there was trouble, how many were expected to.
    counted: int
    met: int
    predicted: float
    brier: float | None
    #: By what was predicted, with the span in which the share that comes so lies.
    bands: tuple[Band, ...]
    money: Money


def see_desk(engine: Engine, account: Account, now: datetime | None = None) -> DeskView:
    now = now or datetime.now(UTC)
    calibration = see_calibration(engine)
    counted, met, predicted = _predicted(calibration)
    with engine.connect() as db:
        desk = _Desk(db, account, now)
        items = tuple(sorted(desk.items(), key=_rank))
        # On a weekend the week that comes is what is planned for.
        monday = now.date() - timedelta(days=now.weekday() if now.weekday() < 5 else now.weekday() - 7)
        week = tuple(monday + timedelta(days=n) for n in range(7))
        since = now.date() - timedelta(days=_MONEY_DAYS)
        counts: dict[Section, int] = dict.fromkeys(Section, 0)
        for i in items:
            counts[i.section] += 1
        for section, more in desk.unseen.items():
            counts[section] += more
        return DeskView(
            items=items,
            is_new=not has_any(db),
            counts=counts,
            mine=sum(i.mine for i in items),
            week=week,
            windows=tuple(_windows(db, week)),
            work=tuple(_work(db, now)),
            counted=counted,
            met=met,
            predicted=predicted,
            brier=calibration.brier,
            bands=calibration.bands,
            # East of here it may be tomorrow already where something was ordered.
            money=money_between(db, since, now.date() + timedelta(days=1)),
        )


@dataclass(frozen=True, slots=True)
class DeskCounts:
    """How many things want somebody, and where they are dealt with: as the Desk shows them."""

    desk: int
    machines: int
    rounds: int
    shelf: int
    sheets: int


def see_counts(engine: Engine, account: Account, now: datetime | None = None) -> DeskCounts:
    with engine.connect() as db:
        desk = _Desk(db, account, now or datetime.now(UTC))
        items = list(desk.items())
    at = Counter(i.path.split("/")[1] for i in items if i.section is not Section.SOON)
    # What is beyond the lines shown is of machines, but for doubts.
    unseen, doubts = sum(desk.unseen.values()), desk.unseen[Section.DOUBT]
    return DeskCounts(
        desk=len(items) + unseen,
        machines=at["machines"] + at["bench"] + unseen - doubts,
        rounds=at["rounds"],
        shelf=at["shelf"],
        sheets=at["sheets"] + doubts,
    )


_SEVERITIES = ("stop", "ask", "risk", "slow", "note")


def _rank(i: Item) -> tuple[int, int, float]:
    since = i.since.timestamp() if i.since else 0.0
    return list(Section).index(i.section), _SEVERITIES.index(i.severity), since


def _predicted(c: CalibrationView) -> tuple[int, int, float]:
    """(plans that count, in how many of them there was trouble, in how many it was expected)"""
    lines = [line for line in c.lines if line.counts]
    met = sum(line.outcome in (Outcome.NOT_SEEN, Outcome.UNSTABLE) for line in lines)
    return len(lines), met, round(sum(line.trouble for line in lines), 2)


class _Desk:
    def __init__(self, db: Connection, account: Account, now: datetime) -> None:
        self._db, self._account, self._now = db, account, now
        #: Of each section: how many there are beyond those that are told.
        self.unseen: dict[Section, int] = defaultdict(int)

    def items(self) -> Iterator[Item]:
        yield from self._failed()
        yield from self._runs()
        yield from self._orders()
        yield from self._returns()
        yield from self._approvals()
        yield from self._rounds()
        yield from self._changed()
        yield from self._doubts()

    def _mine(self, who: str) -> bool:
        return bool(who) and who == self._account.shown_as

    def _failed(self) -> Iterator[Item]:
        rows, total = store.failed_modules(self._db)
        self.unseen[Section.STOPS] += total - len(rows)
        for r in rows:
            words = "a module has failed" if r.failed == 1 else f"{r.failed} modules have failed"
            yield Item(
                section=Section.STOPS, severity="stop", what=r.machine.name, where=r.machine.place, words=words,
                who=r.machine.keeper, mine=self._mine(r.machine.keeper), since=None, due=None,
                path=f"/machines/{r.machine.id}/proof", act="Swap it",
            )  # fmt: skip

    def _runs(self) -> Iterator[Item]:
        for row in runs_under_way(self._db, store.MOST):
            v = run_view(self._db, row, self._now)
            step = v.steps[v.at_step - 1] if v.at_step <= len(v.steps) else None
            at = f"step {v.at_step} of {len(v.steps)}"
            path = f"/bench/{v.id}"
            if step is None:
                section, severity, words, act = Section.SOON, "note", "every step is done: sign it off", "Sign off"
                path = f"/machines/{v.machine_id}/proof"
            elif step.proves is Wanted.SOAK:
                section, severity, words, act = Section.SOON, "note", f"soaks: {step.text}", "Look"
                path = f"/machines/{v.machine_id}/proof"
            elif step.hold and step.who == Who.SECOND:
                section, severity, words, act = (
                    Section.WORD,
                    "ask",
                    f"waits for a second person, {at}: {step.text}",
                    "Look",
                )
            else:
                section, severity, words, act = Section.DOUBT, "slow", f"on the bench, {at}: {step.text}", "Watch"
            second = section is Section.WORD
            mine = self._mine(v.started_by) != second
            yield Item(
                section=section, severity=severity, what=v.machine, where=v.place, words=words, who="" if second else v.started_by,
                mine=mine, since=v.last_at or v.started_at, due=None, path=path, act=act,
            )  # fmt: skip

    def _orders(self) -> Iterator[Item]:
        for p in purchase_views(self._db, False):
            waiting = [a for line in p.lines for a in line.arrivals if not a.kept and not a.reference]
            named = f"order {p.reference}" if p.reference else f"order of {p.supplier}"
            if waiting:
                words = (
                    f"{len(waiting)} of it {'is' if len(waiting) == 1 else 'are'} not as ordered: kept, or sent back?"
                )
                yield self._order(
                    Section.WORD,
                    "ask",
                    named,
                    p.supplier,
                    words=words,
                    by=p.by,
                    since=waiting[0].at,
                    due=None,
                    act="Decide",
                )
            elif p.pending and p.days_late:
                words = f"{p.pending} of {p.modules} modules did not come"
                yield self._order(
                    Section.STOPS,
                    "stop",
                    named,
                    p.supplier,
                    words=words,
                    by=p.by,
                    since=None,
                    due=p.due_on,
                    act="Ask again",
                )
            elif p.pending:
                words = f"{p.pending} of {p.modules} modules to come"
                yield self._order(
                    Section.SOON,
                    "note",
                    named,
                    p.supplier,
                    words=words,
                    by=p.by,
                    since=None,
                    due=p.due_on,
                    act="Follow",
                )

    def _order(
        self, section: Section, severity: str, named: str, supplier: str, *, words: str, by: str, since: datetime | None,
        due: date | None, act: str,
    ) -> Item:  # fmt: skip
        return Item(
            section=section, severity=severity, what=named, where=supplier, words=words, who=by, mine=self._mine(by), since=since,
            due=due, path="/shelf/orders", act=act,
        )  # fmt: skip

    def _returns(self) -> Iterator[Item]:
        for v in see_stock(self._db):
            if v.state is StockState.TO_RETURN:
                late = v.due_on is not None and v.due_on < self._now.date()
                words = f"{v.count} × {v.words} {'goes' if v.count == 1 else 'go'} back"
                yield Item(
                    section=Section.STOPS if late else Section.SOON, severity="stop" if late else "note",
                    what=v.reference or f"return of {v.part or v.words}", where=v.place, words=words, who="", mine=False, since=None, due=v.due_on,
                    path="/shelf", act="Pack it",
                )  # fmt: skip

    def _approvals(self) -> Iterator[Item]:
        rows, total = store.waiting_for_a_word(self._db)
        self.unseen[Section.WORD] += total - len(rows)
        for r in rows:
            now, then = ("+" if more else "" for more in r.at_least)
            planned = "" if r.planned_gib is None else f", {r.installed_gib:g}{now} to {r.planned_gib:g}{then} GB"
            words = f"{r.plan} is {r.verdict}{planned}: a lead’s word"
            yield Item(
                section=Section.WORD, severity="risk" if r.verdict == "at-risk" else "ask", what=r.machine.name, where=r.machine.place,
                words=words, who="", mine=self._account.role == "lead", since=r.changed_at, due=None,
                path=f"/machines/{r.machine.id}/fit?plan={r.plan_id}", act="Judge",
            )  # fmt: skip

    def _rounds(self) -> Iterator[Item]:
        for row in rounds(self._db, open_ones=True):
            if not (row.proposal or row.accepted_at):
                continue
            v = round_view(self._db, row)
            missed = sum(p.missed for p in v.plans)
            back = 0 if v.fresh else sum(p.state is StateOfPlan.BACKED_OUT for p in v.plans)
            if missed or back:
                said = [f"{missed} missed their wave"] if missed else []
                said += [f"{back} went back"] if back else []
                section, severity, act, words = Section.STOPS, "slow", "Solve", f"{', '.join(said)}: solve it again"
            elif v.state is RoundState.PROPOSED and v.proposal:
                served = sum(r.served is not None for r in v.proposal.rows)
                section, severity, act = Section.WORD, "ask", "Judge"
                words = f"accept: {served} of {len(v.proposal.rows)} machines, {v.proposal.spent} {v.proposal.currency}"
            else:
                continue
            yield Item(
                section=section, severity=severity, what=v.name, where="round", words=words, who=v.by, mine=self._mine(v.by),
                since=v.updated_at, due=None, path=f"/rounds/{v.id}", act=act,
            )  # fmt: skip

    def _changed(self) -> Iterator[Item]:
        lines, total = newest_of(self._db, "verdict changed", self._now - timedelta(days=_NEWS_DAYS))
        shown = lines[: store.MOST]
        self.unseen[Section.CHANGED] += total - len(shown)
        machines = {m.id: m for m in find_machines(self._db, [x.machine_id for x in shown])}
        for x in shown:
            told, m = x.line.detail, machines.get(x.machine_id)
            keeper = m.about.keeper if m else ""
            because = f": {told['because']}" if told["because"] else ""
            path = f"/machines/{x.machine_id}/" + (f"fit?plan={x.line.plan_id}" if x.line.plan_id else "survey")
            yield Item(
                section=Section.CHANGED, severity="risk", what=x.machine, where=m.about.place if m else "",
                words=f"{told['name']}: {told['was']} → {told['verdict']}{because}", who=keeper, mine=self._mine(keeper), since=x.line.at,
                due=None, path=path, act="See why",
            )  # fmt: skip

    def _doubts(self) -> Iterator[Item]:
        rows, total = store.open_doubts(self._db)
        self.unseen[Section.DOUBT] += total - len(rows)
        for r in rows:
            seen = f", seen on {r.machine}" if r.machine else ""
            yield Item(
                section=Section.DOUBT, severity="slow", what=r.title, where="sheet", words=f"{r.words}{seen}", who="", mine=False,
                since=r.at, due=None, path=f"/sheets/{r.sheet_hash}", act="Accept?",
            )  # fmt: skip


def _work(db: Connection, now: datetime) -> Iterator[OnIt]:
    told: dict[str, int] = defaultdict(int)
    for r in store.recent_work(db, now - timedelta(days=_WORK_DAYS)):
        told[r.who] += 1
        if told[r.who] > _WORK_EACH:
            continue
        if r.action.startswith("run "):
            words, station = "at the bench", "run"
        elif r.plan and r.plan_id:
            words, station = f"plan {r.plan}", f"fit?plan={r.plan_id}"
        else:
            words, station = r.action, "survey"
        yield OnIt(r.who, what=r.machine, words=words, at=r.at, path=f"/machines/{r.machine_id}/{station}")


def _windows(db: Connection, week: tuple[date, ...]) -> Iterator[WindowAt]:
    """What rounds have planned for a week and what runs have a window for, by person; a wave's hours are shared out evenly."""
    planned: dict[tuple[date, str], list[tuple[float, str]]] = defaultdict(list)
    there: dict[tuple[date, str], float] = defaultdict(float)
    for row in rounds(db, open_ones=True):
        if not row.accepted_at:
            continue
        v, asked = round_view(db, row), asked_of(row)
        for wave in asked.waves:
            if wave.day not in week:
                continue
            people = [p.strip() for p in wave.people.split(",") if p.strip()] or [""]
            here = [p for p in v.plans if p.day == wave.day and p.state is not StateOfPlan.DISCARDED]
            for who in people:
                there[wave.day, who] += wave.hours / len(people)
                if here:
                    hours = sum(p.hours for p in here) / len(people)
                    planned[wave.day, who].append((hours, f"{v.name}: {len(here)}"))
    for run in runs_under_way(db, store.MOST):
        if run.window_start and run.window_end and run.window_start.date() in week:
            hours = (run.window_end - run.window_start).total_seconds() / 3600
            planned[run.window_start.date(), run.by].append((hours, run.plan))
    for day, who in sorted(planned.keys() | there.keys()):
        here_too = planned[day, who]
        yield WindowAt(
            day=day, who=who, hours=round(sum(h for h, _ in here_too), 2),
            of=round(there[day, who], 2) if (day, who) in there else None, what=tuple(w for _, w in here_too),
        )  # fmt: skip
