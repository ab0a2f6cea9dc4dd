"""How the proof of a run stands, worked out anew from what was entered: what the run sheet's steps and signing off rest on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from uuid import UUID

from sqlalchemy import Connection

from umbrak.core.memory.in_hand import differences
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.machine import Layout, Occupant, marked
from umbrak.core.platform.survey import SlotHealth, SlotState
from umbrak.core.proof.alerts import alert_is_expected
from umbrak.core.proof.compare import Comparison, Fresh, Handled, come_back, compare, exchanged
from umbrak.core.proof.soak import Events, Reading, Soak, Watched, soak
from umbrak.core.proof.standing import Alerts, Evidence, Item, State, names, standing
from umbrak.core.proof.wanted import Wanted
from umbrak.core.rules.finding import Verdict
from umbrak.core.runsheet.before import has_drives
from umbrak.core.runsheet.handling import slot_words
from umbrak.core.runsheet.step import Phase
from umbrak.core.runsheet.timing import total_gib
from umbrak.formats.documents import occupants
from umbrak.formats.entries import (
    ClearedDoc,
    CountingDoc,
    FoundDoc,
    LabelDoc,
    ReadingDoc,
    RestartDoc,
    ScrubDoc,
    SoakDoc,
    SurveyDoc,
    SymptomDoc,
    WaivedDoc,
)
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, as_planned, load_machine
from umbrak.services.parts.understanding import understand
from umbrak.services.proof.changes import Handling, handlings, touched_with
from umbrak.services.proof.memory_tests import TestView, sums_of, tests_told
from umbrak.services.runs.entries import every, layouts_of, newest, ticks_of
from umbrak.services.surveys.intake import load_intake
from umbrak.services.surveys.resurvey import place_reports
from umbrak.store import plans as plan_store
from umbrak.store import runs as store
from umbrak.store.runs import EntryRow, RunRow
from umbrak.store.shelf import all_offers


@dataclass(frozen=True, slots=True)
class SeenView:
    """A survey against the goal."""

    at: datetime
    by: str
    source: str
    comparison: Comparison
    #: Whether modules were handled since: then it is of another machine, and proves nothing.
    stale: bool
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class ReadingView:
    #: Since the soak began. [d]
    day: float
    slots: Mapping[str, SlotHealth]
    channels: Mapping[str, SlotHealth]
    by: str


@dataclass(frozen=True, slots=True)
class SoakView:
    started_at: datetime
    days: float
    day: float
    state: Soak
    #: Slots whose soak began anew -> when. [d]
    anew: Mapping[str, float]
    readings: tuple[ReadingView, ...]


@dataclass(frozen=True, slots=True)
class Came:
    """When something came about, and by whom."""

    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class ProofState:
    items: tuple[Item, ...]
    #: When what is there, or was waived, came about.
    came: Mapping[Wanted, Came]
    seen: SeenView | None
    tests: tuple[TestView, ...]
    #: What came back after clearing; None = not cleared yet.
    cleared: str | None
    soak: SoakView | None
    #: Whether errors are counted, as somebody said; None = nobody did.
    counts: bool | None
    #: Slot -> serial, as noted at the bench.
    serials: Mapping[str, str] = field(default_factory=dict)

    @property
    def lacking(self) -> tuple[Item, ...]:
        return tuple(i for i in self.items if not i.settled)

    @property
    def waived(self) -> tuple[Item, ...]:
        return tuple(i for i in self.items if i.state is State.WAIVED)


def proof_state(db: Connection, m: Loaded, row: RunRow, entries: Sequence[EntryRow], now: datetime) -> ProofState:
    return _Standing(db, m, row, entries, row.ended_at or now).state()


def state_of_run(db: Connection, row: RunRow, now: datetime) -> ProofState:
    return proof_state(db, load_machine(db, row.machine_id), row, store.entries_of(db, row.id), now)


class _Standing:
    """One look at a run's entries."""

    def __init__(self, db: Connection, m: Loaded, row: RunRow, entries: Sequence[EntryRow], now: datetime) -> None:
        self.db, self.row, self.entries, self.now = db, row, entries, now
        plan = plan_store.find_plan(db, row.plan_id)
        #: The machine as the plan has it run: bringing it there is a step of the run.
        self.m = as_planned(m, plan.runs_with) if plan else m
        self.before, self.goal, self.failed = layouts_of(row)
        self.whole_gib = total_gib(self.m.sheet, self.goal)
        self.handled = handlings(row, entries)
        self.ticked = ticks_of(entries)

    @property
    def last(self) -> datetime | None:
        """When a module was handled last."""
        return self.handled[-1].at if self.handled else None

    def is_stale(self, at: datetime) -> bool:
        return self.last is not None and at < self.last

    def state(self) -> ProofState:
        seen, tests = self._seen(), tests_told(self.entries, self.is_stale, self.whole_gib)
        fresh = seen if seen and not seen.stale else None
        valid = [t for t in tests if t.counts]
        cleared = newest(self.entries, ClearedDoc)
        soaked = self._soak(valid)
        told = newest(self.entries, CountingDoc)
        evidence = Evidence(
            seen=fresh.comparison if fresh else None,
            tests=sums_of(valid, self.whole_gib),
            alerts=self._alerts(cleared[1] if cleared else None),
            soak=soaked.state if soaked else None,
            searching=self._searching(),
            again=self._again(fresh),
            open_steps=self._open_steps(),
        )
        waived = {
            Wanted(w.what): (e, w) for e, w in every(self.entries, WaivedDoc) if not self.is_stale(e.at)
        }  # the newest of each
        items = standing(evidence, {what: w.reason for what, (_, w) in waived.items()}, self._name)
        came = {what: Came(e.at, e.by) for what, (e, _) in waived.items()}
        if fresh:
            came |= {w: Came(fresh.at, fresh.by) for w in (Wanted.SLOTS, Wanted.AGAIN)}
        if valid:
            came[Wanted.TEST] = Came(valid[-1].at, valid[-1].by)
        if cleared:
            came[Wanted.ALERTS] = Came(cleared[0].at, cleared[0].by)
        if soaked and (began := newest(self.entries, SoakDoc)):
            came[Wanted.SOAK] = Came(self.now, began[0].by)
        for item in items:
            if item.state is State.WAIVED:
                came[item.what] = Came(waived[item.what][0].at, waived[item.what][0].by)
        return ProofState(
            items=items,
            came=came,
            seen=seen,
            tests=tests,
            cleared=cleared[1].back if cleared else None,
            soak=soaked,
            counts=told[1].counted if told else None,
            serials={s: label.serial for s, label in self._labels().items() if label.serial},
        )

    def _name(self, slot: str) -> str:
        return slot_words(self.m.sheet, slot)

    # -- what is seen -----------------------------------------------------------------------------------

    def _seen(self) -> SeenView | None:
        found = every(self.entries, SurveyDoc)
        if not found:
            return None
        entered, survey = found[-1]
        fresh, source = fresh_of(self.db, self.m, survey)
        if not fresh.rates:
            # A look that tells no rate does not make a slow machine fast: the newest that told one counts.
            older = next((f for e, s in reversed(found[:-1]) if not self.is_stale(e.at) and (f := fresh_of(self.db, self.m, s)[0]).rates), None)  # fmt: skip
            fresh = replace(fresh, rates=older.rates) if older else fresh
        layout = seen_layout(fresh)
        judged = judge(self.m, layout)
        compared = compare(self.m.sheet, self.goal, judge(self.m, self.goal), fresh, judged, self._handled())
        before = [fresh_of(self.db, self.m, s)[0] for e, s in found[:-1] if not self.is_stale(e.at)]
        if back := come_back(self.goal, before, fresh):
            compared = replace(compared, remarks=(*compared.remarks, self._came_back(back)))
        return SeenView(
            at=entered.at,
            by=entered.by,
            source=source,
            comparison=compared,
            stale=self.is_stale(entered.at),
            verdict=judged.verdict,
        )

    def _came_back(self, slots: Sequence[str]) -> str:
        was = "was not there" if len(slots) == 1 else "were not there"
        told = f"{names(slots, self._name)} {was} when it was looked at before, and nothing was handled since"
        return f"{told}: what comes and goes is hardly seated. Draw it and push it in again, or search for the fault."

    def _handled(self) -> Handled:
        steps = [s for s in self.row.begun.sheet.steps if s.action is not None]
        slots = frozenset(s for step in steps for s in step.slots) | frozenset(self.goal.changed_from(self.before))
        done = actions(self.m.sheet, self.before, self.goal, self.failed)
        came = [a.module or Module() for a in done if a.do is Do.PUT_IN and a.source is None]
        there = [self.before.get(s) for s in slots if s in self.before]
        modules = (*came, *(m if isinstance(m, Module) else Module() for m in there))
        # A label that was typed in says itself whether it is the planned one; a tick says that somebody looked.
        labels = {s: self._is_planned(s, label.text) for s, label in self._labels().items() if label.text}
        told, wrong = ({s for s, said in labels.items() if said is which} for which in (True, False))
        looked = {step.slots[-1] for step in steps if step.checks and step.key in self.ticked and step.slots}
        return Handled(slots, modules, frozenset((told | looked) - wrong), *exchanged(self.before, done))

    def _labels(self) -> dict[str, LabelDoc]:
        return {label.slot: label for _, label in every(self.entries, LabelDoc)}

    def _is_planned(self, slot: str, text: str) -> bool | None:
        """Whether a label is of the planned module; None where it agrees and does not say all that decides."""
        planned = self.goal.get(slot)
        told = understand(self.db, text)
        if not isinstance(planned, Module) or told.module.capacity_gib is None or told.is_disputed:
            return False
        seen = differences(planned, told.module)
        return False if seen.differs else None if seen.untold else True

    def _again(self, fresh: SeenView | None) -> bool | None:
        """Whether slots were looked at since the machine was closed for good; None where it was closed before the first look."""
        steps = self.row.begun.sheet.steps
        at = next((i for i, s in enumerate(steps) if s.proves is Wanted.AGAIN), None)
        if at is None:
            return None
        off = next((i for i, s in enumerate(steps) if s.key == "prove:off"), at)
        closed = [self.ticked.get(s.key) for s in steps[off:at] if s.phase is Phase.CLOSE]
        if fresh is None or any(t is None for t in closed):
            return False
        return all(t is not None and fresh.at >= t.at for t in closed)

    # -- the rest ---------------------------------------------------------------------------------------

    def _alerts(self, cleared: ClearedDoc | None) -> Alerts:
        if cleared is None:
            return Alerts(None)
        expected = cleared.expected
        if expected is None and cleared.back:
            expected = alert_is_expected(cleared.back, unlisted(self.db, self.m, self.goal))
        return Alerts(cleared.back, expected)

    def _searching(self) -> bool:
        begun = newest(self.entries, SymptomDoc)
        return begun is not None and not any(e.number > begun[0].number for e, _ in every(self.entries, FoundDoc))

    def _open_steps(self) -> tuple[str, ...]:
        return tuple(
            s.text
            for s in self.row.begun.sheet.steps
            if s.proves is None and s.phase is not Phase.AFTER and s.key not in self.ticked
        )

    def _soak(self, tests: Sequence[TestView]) -> SoakView | None:
        found = newest(self.entries, SoakDoc)
        if found is None:
            return None
        began, wanted = found

        def day_of(at: datetime) -> float:
            return max(0.0, (at - began.at).total_seconds() / 86400)

        since = {s: 0.0 for s in self.m.sheet.slots if s in self.goal}
        for h in self.handled:
            if h.at > began.at:
                since |= {s: day_of(self._looked_at_since(h)) for s in touched_with(self.m.sheet, h) if s in since}
        readings = self._readings(began, day_of)
        told = newest(self.entries, CountingDoc)
        meanwhile = [e for e, _ in every(self.entries, RestartDoc) if e.at >= began.at]
        scrubs = [s.clean for e, s in every(self.entries, ScrubDoc) if e.at >= began.at]
        day = day_of(self.now)
        tested = sums_of(tests, self.whole_gib)
        made = soak(
            [Reading(r.day, r.slots, r.channels, whole) for r, whole in readings],
            day,
            Watched(since, self._channel_of(), self._counts(told[1] if told else None), self._has_array()),
            Events(
                passes=tested.passes,
                test_errors=tested.errors,
                restarts=len(meanwhile),
                scrubbed=scrubs[-1] if scrubs else None,
            ),
            wanted.days,
            self._name,
        )  # fmt: skip
        anew = {s: d for s, d in since.items() if d > 0}
        return SoakView(
            started_at=began.at,
            days=wanted.days,
            day=day,
            state=made,
            anew=anew,
            readings=tuple(r for r, _ in readings),
        )

    def _channel_of(self) -> dict[str, str]:
        """Slot -> the channel whose counter stands for it; {} where which slots share one is a guess."""
        sheet = self.m.sheet
        return {} if sheet.not_told("channels") else {s: x.channel for s, x in sheet.slots.items()}

    def _looked_at_since(self, h: Handling) -> datetime:
        """When it was looked at and tested again after modules were handled in the soak: that is when it begins anew."""
        looks = [e.at for e, _ in every(self.entries, SurveyDoc) if e.at >= h.at]
        tests = tests_told(self.entries, lambda at: at < h.at, self.whole_gib)
        tested = [t.at for t in tests if t.counts and t.clean]
        return max([h.at, *looks[:1], *tested[:1]])

    def _readings(self, began: EntryRow, day_of: object) -> list[tuple[ReadingView, bool]]:
        """Readings since the soak began, after one that holds the newest of each slot from before: from that it counts."""
        assert callable(day_of)
        told = [(e, r, *health_of(self.db, self.m, r)) for e, r in every(self.entries, ReadingDoc)]
        since = max((h.at for h in self.handled if h.at <= began.at), default=None)
        first: dict[str, SlotHealth] = {}
        first_channels: dict[str, SlotHealth] = {}
        by = ""
        for e, _, slots, channels in told:
            if e.at <= began.at and (since is None or e.at >= since):
                first |= slots
                first_channels |= channels
                by = e.by
        views = [(ReadingView(0.0, first, first_channels, by), False)] if first or first_channels else []
        views += [
            (ReadingView(day_of(e.at), slots, channels, e.by), r.intake_id is not None)
            for e, r, slots, channels in told
            if e.at > began.at
        ]
        return views

    def _counts(self, told: CountingDoc | None) -> bool | None:
        """Whether errors are counted: as somebody said, or not at all where modules are known not to correct any."""
        if told is not None:
            return told.counted
        modules = [x for x in self.goal.values() if isinstance(x, Module)]
        return False if modules and all(x.ecc is False for x in modules) else None

    def _has_array(self) -> bool:
        bays = self.m.survey.content.bays
        return has_drives(self.m.sheet) and not (bays and all(d is None for d in bays.values()))


def unlisted(db: Connection, m: Loaded, goal: Layout) -> bool | None:
    """Whether parts are fitted that the machine's maker does not list: by its sheet, or as offers tell; None = nobody says."""
    parts = {x.part for x in goal.values() if isinstance(x, Module)}
    if m.sheet.listed:
        return any(not m.sheet.lists(p) for p in parts)
    told = {o.part: o.listed for o in all_offers(db) if o.listed is not None}
    answers = {told.get(p or "") for p in parts}
    return True if False in answers else False if answers == {True} else None


def seen_layout(fresh: Fresh) -> Layout:
    """What is there, what has failed marked as such."""
    return marked(Layout(fresh.slots), fresh.failed)


def newest_fresh(db: Connection, m: Loaded, entries: Sequence[EntryRow]) -> tuple[Fresh, str] | None:
    """(what was seen last, where it comes from)"""
    found = newest(entries, SurveyDoc)
    return fresh_of(db, m, found[1]) if found else None


def fresh_of(db: Connection, m: Loaded, survey: SurveyDoc) -> tuple[Fresh, str]:
    """(what a survey of the proof shows, where it comes from)"""
    if survey.intake_id is None:
        layout = occupants(survey.slots or {})
        slots: dict[str, Occupant | None] = {s: layout.get(s) for s in survey.slots or {}}
        return Fresh(slots, installed_gib=survey.installed_gib, usable_gib=survey.usable_gib), "by hand"
    intake = load_intake(db, UUID(survey.intake_id))
    reading = intake.reading
    placed = place_reports(db, m, intake, survey.reports)
    reports = {s: reading.slots[i] for s, i in placed.items()}
    return Fresh(
        slots={s: r.occupant() for s, r in reports.items()},
        failed=frozenset(s for s, r in reports.items() if r.state is SlotState.FAILED),
        rates={s: r.configured_mts for s, r in reports.items() if r.configured_mts},
        installed_gib=reading.installed_gib,
        usable_gib=reading.usable_gib,
        kind=reading.kind,
    ), intake.source_name


def health_of(db: Connection, m: Loaded, reading: ReadingDoc) -> tuple[dict[str, SlotHealth], dict[str, SlotHealth]]:
    """Counters and temperatures of a reading, (slot by slot, channel by channel), where it tells any."""
    channels = {c: SlotHealth(**h.model_dump()) for c, h in reading.channels.items()}
    if reading.intake_id is None:
        found = {s: SlotHealth(**h.model_dump()) for s, h in reading.slots.items()}
    else:
        intake = load_intake(db, UUID(reading.intake_id))
        placed = place_reports(db, m, intake, {})
        found = {s: h for s, i in placed.items() if (h := intake.reading.slots[i].health) is not None}
    nothing = SlotHealth()
    return {s: h for s, h in found.items() if h != nothing}, {c: h for c, h in channels.items() if h != nothing}
