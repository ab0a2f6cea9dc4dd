"""Round files: many cases served together, as YAML (docs/command-line.md, `umbrak rounds`)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field

from umbrak.core.evaluate import evaluate
from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.machine import Layout
from umbrak.core.rounds.holds import Hold, holds
from umbrak.core.rounds.problem import FleetMachine, FleetOffer, Pin, Round, Served, Wave
from umbrak.core.rounds.solve import RoundAnswer, RoundProgress, solve_round
from umbrak.core.rounds.ways import Kinds, Terms, Way, Ways, fitted, onto, seconds_each, ways_of
from umbrak.core.routes.material import left_out
from umbrak.core.routes.problem import Candidate, Origin, Problem
from umbrak.formats.bounds import Deadline
from umbrak.formats.case import Case, problem_of, read_case, said_of
from umbrak.formats.documents import Doc, Name, ShortText, Text, like_key
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.planning import CandidateDoc
from umbrak.formats.quantities import Cost, Day, LeadDays, Money, SoakDays, TotalGib
from umbrak.formats.to_json import jsonable
from umbrak.formats.yaml_text import Document, check, load_yaml

#: Of the time there is: for what holds it back.
_HOLDS = 0.3


class WaveDoc(Doc):
    day: Day
    hours: Annotated[float, Field(ge=0, le=10_000)] = Field(description="hours of hands, all people together")


class PinDoc(Doc):
    day: Day | None = None
    route: ShortText | None = None
    out: bool = False


class MemberDoc(Doc):
    name: Name
    case: Text = Field(description="path of its case, relative to this file")
    need_gib: TotalGib | None = Field(None, description="usable; left out: what its case wishes")
    group: Name | None = Field(None, description="duty group: never two of one are open in one wave")
    closed: Annotated[list[Day], Field(max_length=100)] = Field([], description="days of waves that are closed to it")
    pin: PinDoc | None = None
    weighs: Money | None = Field(None, description="what leaving it weighs; left out: short_gb for each GB it lacks")


class RoundDoc(Doc):
    """`waves` and `machines` are needed; the rest is optional."""

    as_of: Day | None = None
    waves: Annotated[list[WaveDoc], Field(min_length=1, max_length=100)]
    machines: Annotated[list[MemberDoc], Field(min_length=1, max_length=2000)]
    #: Offers, and what lies on the Shelf (`from: shelf`), for all machines.
    candidates: Annotated[list[CandidateDoc], Field(max_length=1000)] = []
    budget: Money | None = None
    passing_on: bool = True
    hour: Cost = 0
    short_gb: Money = Decimal(20)
    lead_untold: LeadDays = 14
    soak_days: SoakDays = 3.0


@dataclass(frozen=True)
class RoundFile:
    doc: RoundDoc
    cases: tuple[Case, ...]
    candidates: tuple[Candidate, ...]
    as_of: date

    @property
    def said(self) -> tuple[str, ...]:
        """What of the modules in it cannot be true or was not understood, each with its place."""
        of_cases = (
            f"{m.case}: {words}" for m, c in zip(self.doc.machines, self.cases, strict=True) for words in c.said
        )
        return (*said_of(self.doc.candidates), *of_cases)


def read_round(text: str | bytes, folder: Path, today: date, deadline: Deadline | None = None) -> RoundFile:
    """A round and its cases. Raises InputError: no YAML, a wrong field (with its line), a case that is not there or wrong."""
    documents = load_yaml(text, deadline or Deadline())
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        message = "a round is one block of fields with waves and machines"
        raise InputError("not-a-round", [Fault(message=message, where="line 1", line=1, column=1)])
    document = documents[0]
    doc = check(document, RoundDoc)
    as_of = doc.as_of or today
    _sound(document, doc, as_of)
    cases = tuple(_case(document, i, m, folder) for i, m in enumerate(doc.machines))
    return RoundFile(doc, cases, tuple(c.value() for c in doc.candidates), as_of)


def _sound(document: Document, doc: RoundDoc, as_of: date) -> None:
    days, names, faults = [w.day for w in doc.waves], [m.name for m in doc.machines], []
    for i, day in enumerate(days):
        if day in days[:i]:
            faults.append(
                document.fault(("waves", i, "day"), f"there is a wave on {day} already: put their hours together")
            )
        if day < as_of:
            faults.append(document.fault(("waves", i, "day"), f"{day} is over by {as_of}"))
    for i, m in enumerate(doc.machines):
        if m.name in names[:i]:
            faults.append(document.fault(("machines", i, "name"), f"there is a {m.name} already"))
        told = [("closed", d) for d in m.closed] + ([("pin", m.pin.day)] if m.pin and m.pin.day else [])
        faults += [
            document.fault(("machines", i, field), f"there is no wave on {day}")
            for field, day in told
            if day not in days
        ]
        if m.pin and m.pin.out and (m.pin.day or m.pin.route):
            faults.append(document.fault(("machines", i, "pin"), "left as it is, or served so: not both"))
    if faults:
        raise InputError("wrong-reference", faults)


def _case(document: Document, at: int, member: MemberDoc, folder: Path) -> Case:
    path = folder / member.case
    try:
        return read_case(path.read_bytes(), path.parent)
    except OSError as error:
        where = document.fault(("machines", at, "case"), f"{member.case}: {error.strerror or error}")
        raise InputError("no-such-case", [where]) from error
    except InputError as error:
        said = "; ".join(str(f) for f in error.faults)
        where = document.fault(("machines", at, "case"), f"{member.case}: {said}")
        raise InputError("wrong-case", [where]) from error


def solve_file(
    asked: RoundFile,
    seconds: float,
    tell: Callable[[RoundProgress], None] = lambda _: None,
    stopped: Callable[[], bool] = lambda: False,
) -> dict[str, Any]:
    """A round's best answer (docs/command-line.md, `umbrak rounds --json`)."""
    doc, kinds = asked.doc, Kinds(like_key)
    problems = [replace(problem_of(c, asked.as_of), candidates=asked.candidates) for c in asked.cases]
    held = sum((fitted(p.layout) for p in problems), Counter[Module]()) if doc.passing_on else Counter[Module]()
    members = [
        _member(m, problem, m.need_gib or problem.wishes.usable_gib)
        for m, problem in zip(doc.machines, problems, strict=True)
    ]
    kinds_of_machine = {m.likeness for m in members if m.lacks}
    terms = Terms(
        kinds=kinds,
        hour=float(doc.hour),
        soak_days=doc.soak_days,
        held=held,
        seconds=seconds_each(len(kinds_of_machine)),
    )
    found: dict[object, Ways] = {}
    for at, m in enumerate(members):
        if m.lacks and m.likeness not in found and not stopped():
            wishes = replace(m.problem.wishes, usable_gib=m.need, less_bandwidth=True)
            anyone = Layout({s: alike(x) if isinstance(x, Module) else x for s, x in m.problem.layout.items()})
            found[m.likeness] = ways_of(replace(m.problem, wishes=wishes, layout=anyone), terms)
        if m.lacks and (ways := found.get(m.likeness)):
            own = tuple(replace(w, goal=onto(m.problem.layout, w.goal)) for w in ways.ways)
            members[at] = replace(m, ways=own, proved=ways.proved)
    waves = sorted(doc.waves, key=lambda w: w.day)
    days = [w.day for w in waves]
    r = Round(
        machines=tuple(_machine(m, doc, days) for m in members),
        waves=tuple(Wave(w.day.isoformat(), (w.day - asked.as_of).days, w.hours) for w in waves),
        shelf=tuple(
            (kinds.key(_numbered(c)), c.stock or 0) for c in asked.candidates if c.origin is Origin.SHELF
        ),
        offers=tuple(
            FleetOffer(
                name=c.part, kind=kinds.key(_numbered(c)), price=float(c.price), kit=c.kit, stock=c.stock,
                lead_days=doc.lead_untold if c.lead_days is None else c.lead_days,
            )
            for c in asked.candidates
            if c.origin is Origin.OFFER
        ),
        budget=None if doc.budget is None else float(doc.budget),
        passing_on=doc.passing_on,
    )  # fmt: skip
    answer = solve_round(r, seconds * (1 - _HOLDS), report=tell, stopped=stopped)
    held_by = () if stopped() else holds(r, answer, seconds * _HOLDS, stopped)
    return {**_json(r, answer, held_by, members, days, kinds), "left_out": list(left_out(asked.candidates))}


@dataclass(frozen=True)
class _Member:
    doc: MemberDoc
    problem: Problem
    usable: float
    need: float | None
    #: Equal for machines that have the same ways.
    likeness: object
    ways: tuple[Way, ...] = ()
    #: Whether, where there is no way, there is none; None: nobody looked.
    proved: bool | None = None

    @property
    def lacks(self) -> float:
        return max(0.0, (self.need or 0.0) - self.usable)


def _member(doc: MemberDoc, problem: Problem, need: float | None) -> _Member:
    usable = evaluate(problem.sheet, problem.machine, problem.layout, problem.statements).usable_gib
    held = tuple(sorted((s, like_key(x) if isinstance(x, Module) else "?") for s, x in problem.layout.items()))
    asked = (problem.wishes, problem.statements, problem.trials, problem.costs)
    likeness = (problem.sheet.hash, repr(problem.machine), held, need, repr(asked))
    return _Member(doc=doc, problem=problem, usable=usable, need=need, likeness=likeness)


def _numbered(c: Candidate) -> Module:
    return c.module if c.module.part else replace(c.module, part=c.part)


def _machine(of: _Member, doc: RoundDoc, days: list[date]) -> FleetMachine:
    m = of.doc
    weighs = float(m.weighs) if m.weighs is not None else of.lacks * float(doc.short_gb)
    names = [w.route.name for w in of.ways]
    pin = None
    if m.pin and of.ways:
        pin = Pin(
            wave=days.index(m.pin.day) if m.pin.day else None,
            route=names.index(m.pin.route) if m.pin.route in names else None,
            out=m.pin.out,
        )
    return FleetMachine(
        name=m.name, routes=tuple(w.route for w in of.ways), penalty=weighs if of.ways else 0.0,
        waves=frozenset(t for t, d in enumerate(days) if d not in m.closed), group=m.group, soak_days=doc.soak_days, pin=pin,
    )  # fmt: skip


def _json(
    r: Round, answer: RoundAnswer, held: tuple[Hold, ...], members: Sequence[_Member], days: list[date], kinds: Kinds
) -> dict[str, Any]:
    served = {s.machine: s for s in answer.plan.served}

    def machine(i: int) -> dict[str, Any]:
        of = members[i]
        m, usable, need, ways = of.doc, of.usable, of.need, of.ways
        s = served.get(i)
        way = ways[s.route] if s else None
        return {
            "name": m.name, "usable_gib": usable, "need_gib": need, "routes": [w.route.name for w in ways],
            "served": None if s is None or way is None else {
                "day": days[s.wave].isoformat(), "route": way.route.name, "usable_gib": way.usable_gib, "hours": way.route.hours,
                "trouble": way.trouble, "verdict": way.verdict, "in_warranty": way.in_warranty, "takes_out": way.takes_out,
                "slots": {s: jsonable(x) for s, x in way.goal.items()},
            },
            "why": "" if s else _why(members[i], r, i, held),
        }  # fmt: skip

    names = [m.name for m in r.machines]
    return {
        "ended": answer.ended.value, "gap": answer.gap if answer.gap != float("inf") else None, "gap_money": answer.gap_money,
        "cost": round(answer.cost, 2), "spent": round(answer.spent, 2), "hours": round(sum(_hours(r, i, served) for i in served), 2),
        "machines": [machine(i) for i in range(len(members))],
        "passed": [
            {"module": kinds.modules[p.kind].short(), "part": kinds.modules[p.kind].part, "count": p.count, "from": p.source.value,
             "donor": None if p.donor is None else names[p.donor], "to": names[p.to]}
            for p in answer.passed
        ],
        "buy": [
            {"part": o.name, "kits": b.kits, "kit": o.kit, "price": round(o.price * b.kits, 2)}
            for b in answer.plan.bought for o in [r.offers[b.offer]]
        ],
        "holds": [
            {"by": h.by.value, "day": None if h.wave is None else days[h.wave].isoformat(),
             "machine": None if h.machine is None else names[h.machine],
             "part": kinds.modules[h.kind].part if h.kind else None, "more": round(h.more, 2), "gain": round(h.gain, 2), "sure": h.sure,
             "comes_in": [names[i] for i in h.comes_in], "goes_out": [names[i] for i in h.goes_out]}
            for h in held
        ],
        "unheld": [names[i] for i in answer.unheld], "seconds": round(answer.seconds, 3),
    }  # fmt: skip


def _hours(r: Round, i: int, served: dict[int, Served]) -> float:
    return r.machines[i].routes[served[i].route].hours


def _why(of: _Member, r: Round, i: int, held: Sequence[Hold]) -> str:
    """Why a machine is left as it is."""
    if of.need is None:
        return "nobody said what it needs"
    if not of.lacks:
        return "it has what it needs"
    if of.doc.pin and of.doc.pin.out:
        return "left as it is: pinned so"
    if of.proved is None:
        return "its routes were not looked for: it was stopped before"
    if not of.ways:
        return f"no way to {of.need:g} GB " + (
            "from what is at hand" if of.proved else "was found in the time there was"
        )
    let_in = "the round is better without it: holds say what would let it in"
    return r.why_left(i, let_in if any(i in h.comes_in for h in held) else None)
