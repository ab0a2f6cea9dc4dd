"""Case files: one question to the rules, as YAML."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field

from umbrak.core.cures import cures
from umbrak.core.evaluate import evaluate, evaluate_in, question
from umbrak.core.evidence.doubts import resting_of
from umbrak.core.evidence.table import USUAL
from umbrak.core.evidence.trial import Trial
from umbrak.core.evidence.trouble import Costs
from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import actions
from umbrak.core.plan.brief import brief_of
from umbrak.core.platform.machine import Layout, Machine, marked, unmarked
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.routes.assumed import Guess, assumed_candidates
from umbrak.core.routes.problem import Candidate, Problem, Wishes
from umbrak.core.runsheet.make import run_sheet
from umbrak.core.runsheet.step import Work
from umbrak.formats.bounds import MAX_DRIVES, Deadline
from umbrak.formats.documents import (
    Doc,
    MachineDoc,
    Name,
    OccupantsDoc,
    ShortText,
    StatementDoc,
    Text,
    occupants,
    oddities,
)
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.planning import CandidateDoc, CostsDoc, DutyDoc, GuessDoc, TrialDoc, WishesDoc
from umbrak.formats.quantities import Day
from umbrak.formats.sheet.reading import read_document, read_sheet, shipped_sheets
from umbrak.formats.to_json import actions_json, answer_json, jsonable, run_sheet_json
from umbrak.formats.yaml_text import Document, check, load_yaml

if TYPE_CHECKING:
    from umbrak.core.routes.search import Progress


class CaseDoc(Doc):
    """`sheet` and `slots` are needed; the rest is optional."""

    as_of: Day | None = None
    sheet: Text | dict[Name, Any]
    slots: OccupantsDoc
    machine: MachineDoc = Field(default_factory=MachineDoc)
    goal: OccupantsDoc | None = None
    statements: Annotated[list[StatementDoc], Field(max_length=500)] = []
    trials: Annotated[list[TrialDoc], Field(max_length=2000)] = []
    candidates: Annotated[list[CandidateDoc], Field(max_length=1000)] = []
    guess: GuessDoc = Field(default_factory=GuessDoc)
    wishes: WishesDoc = Field(default_factory=WishesDoc)
    costs: CostsDoc = Field(default_factory=CostsDoc)
    duty: DutyDoc | None = None
    #: Slots whose module is at fault.
    failed: Annotated[list[Name], Field(max_length=1000)] = []
    #: Bay -> what tells its drive apart, null where the bay is empty.
    bays: Annotated[
        dict[Annotated[str, Field(pattern="^[1-9][0-9]{0,2}$")], ShortText | None], Field(max_length=MAX_DRIVES)
    ] = {}


@dataclass(frozen=True, slots=True)
class Case:
    sheet: Sheet
    machine: Machine
    layout: Layout
    goal: Layout | None
    statements: tuple[Statement, ...]
    #: None = today.
    as_of: date | None
    trials: tuple[Trial, ...]
    candidates: tuple[Candidate, ...]
    #: Of all candidates' prices; None where none is named.
    currency: str | None
    #: What a GB is thought to cost: where no candidate is named, routes are made of what the standards have.
    guess: Guess
    wishes: Wishes
    costs: Costs
    duty: DutyDoc | None
    failed: tuple[str, ...]
    bays: Mapping[int, str]
    #: What of its modules cannot be true or was not understood, each with its place.
    said: tuple[str, ...]

    @property
    def priced(self) -> bool:
        """Whether what routes are made of has a price."""
        return bool(self.candidates) or self.guess.told


def read_case(text: str | bytes, folder: Path, deadline: Deadline | None = None) -> Case:
    """A case from its text; paths in it are relative to the folder.

    Raises
        InputError   no YAML, a wrong field (with its line), a sheet that cannot be found or read; too large, too slow
    """
    deadline = deadline or Deadline()
    documents = load_yaml(text, deadline)
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        raise InputError(
            "not-a-case",
            [Fault(message="a case is one block of fields with sheet and slots", where="line 1", line=1, column=1)],
        )
    document = documents[0]
    doc = check(document, CaseDoc)
    machine = doc.machine.value()
    sheet = _sheet(document, doc.sheet, folder, deadline)
    for socket, processor in machine.processors.items():
        if socket not in sheet.sockets:
            raise InputError(
                "wrong-reference",
                [document.fault(("machine", "processors", socket), f"{sheet.id} has no socket {socket}")],
            )
        if processor is not None and processor not in sheet.sockets[socket].processors:
            known = ", ".join(sheet.sockets[socket].processors)
            message = f"{socket} takes {known}, not {processor}"
            raise InputError("wrong-reference", [document.fault(("machine", "processors", socket), message)])
    broken = _slots_of(document, sheet, doc.failed)
    fitted = marked(occupants(doc.slots), broken)
    return Case(
        sheet=sheet,
        machine=machine,
        layout=fitted,
        goal=occupants(doc.goal) if doc.goal is not None else None,
        statements=tuple(s.value(f"case-{i + 1}") for i, s in enumerate(doc.statements)),
        as_of=doc.as_of,
        trials=tuple(t.value(f"trial-{i + 1}") for i, t in enumerate(doc.trials)),
        candidates=tuple(c.value() for c in doc.candidates),
        currency=_one_currency(document, doc.candidates) or doc.guess.currency,
        guess=doc.guess.value(),
        wishes=doc.wishes.value(),
        costs=doc.costs.value(),
        duty=doc.duty,
        failed=tuple(s for s, m in fitted.items() if isinstance(m, Module) and m.failed),
        bays={int(n): drive or "" for n, drive in doc.bays.items()},
        said=tuple(_said(doc)),
    )


def _said(doc: CaseDoc) -> Iterator[str]:
    for name, given in (("slots", doc.slots), ("goal", doc.goal or {})):
        for slot, occupant in given.items():
            yield from (f"{name}.{slot}: {words}" for words in oddities(occupant))
    yield from said_of(doc.candidates)


def said_of(candidates: Iterable[CandidateDoc]) -> Iterator[str]:
    """`Case.said` of what can be had."""
    for i, c in enumerate(candidates):
        yield from (f"candidates[{i}].module: {words}" for words in oddities(c.module, c.kit))


def _slots_of(document: Document, sheet: Sheet, failed: list[str]) -> tuple[str, ...]:
    for i, slot in enumerate(failed):
        if slot not in sheet.slots:
            raise InputError("wrong-reference", [document.fault(("failed", i), f"{sheet.id} has no slot {slot}")])
    return tuple(failed)


def _one_currency(document: Document, candidates: list[CandidateDoc]) -> str | None:
    """The currency of every price. Raises InputError naming the first candidate in another one."""
    named = [(i, c.currency) for i, c in enumerate(candidates) if c.currency]
    for i, currency in named:
        if currency != named[0][1]:
            message = f"{currency} beside {named[0][1]}: all prices must be in one currency"
            raise InputError("mixed-currencies", [document.fault(("candidates", i, "currency"), message)])
    return named[0][1] if named else None


def _sheet(document: Document, given: str | dict[str, Any], folder: Path, deadline: Deadline) -> Sheet:
    if isinstance(given, dict):
        inner = ("sheet",)
        places = {p[1:]: at for p, at in document.places.items() if p[:1] == inner}
        return read_document(Document(given, places), "", deadline).sheet
    path = folder / given
    try:
        if path.suffix in (".yaml", ".yml", ".json") or path.is_file():
            return read_sheet(path.read_bytes(), deadline).sheet
    except OSError as error:
        raise InputError(
            "sheet-not-found", [document.fault(("sheet",), f"cannot read {given}: {error.strerror}")]
        ) from error
    if given in shipped_sheets():
        return shipped_sheets()[given].sheet
    known = ", ".join(shipped_sheets())
    raise InputError(
        "sheet-not-found", [document.fault(("sheet",), f"{given} is no file here and no shipped sheet ({known})")]
    )


def check_case(case: Case) -> dict[str, Any]:
    """The evaluation of `slots`, and with a goal that of `goal` under "goal" with the actions that lead there
    (docs/command-line.md, `umbrak check --json`)."""
    result = {**_judged(case, case.layout, None), "actions": None}
    if case.goal is not None:
        done = actions(case.sheet, case.layout, case.goal)
        result["goal"] = {**_judged(case, case.goal, case.layout), "actions": actions_json(done)}
    return result


def _judged(case: Case, layout: Layout, before: Layout | None) -> dict[str, Any]:
    """An evaluation with stable names, each finding with its cure or null."""
    evaluation = evaluate(case.sheet, case.machine, layout, case.statements, before)
    result: dict[str, Any] = jsonable(evaluation)
    spares = [c.module for c in case.candidates]
    found = cures(case.sheet, case.machine, layout, evaluation, case.statements, before, spares)
    for finding, cure in zip(result["findings"], found, strict=True):
        finding["cure"] = cure and {
            "actions": actions_json(cure.actions),
            "loses_gib": jsonable(cure.loses_gib),
            "gains_gib": jsonable(cure.gains_gib),
            "verdict": cure.verdict.value,
        }
    return result


def problem_of(case: Case, today: date) -> Problem:
    """What the case asks of the optimiser; `today` where it does not say as of when."""
    # Nobody plans with what has failed.
    sound = Layout({s: m for s, m in case.layout.items() if s not in case.failed})
    candidates = case.candidates or assumed_candidates(case.sheet, case.machine, sound, case.statements, case.guess)
    return Problem(
        sheet=case.sheet,
        machine=case.machine,
        layout=sound,
        candidates=candidates,
        wishes=case.wishes,
        statements=case.statements,
        trials=case.trials,
        costs=case.costs,
        today=case.as_of or today,
    )


def routes_case(
    case: Case,
    today: date,
    seconds: float | None,
    tell: Callable[[float, int, int], None] | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> dict[str, Any]:
    """The routes of a case (docs/command-line.md, `umbrak routes --json`).

    Parameters
        tell   is told now and then: seconds gone, routes so far, layouts weighed
    """
    from umbrak.core.routes.answer import answer  # here: `check` answers before what it needs is loaded

    def report(p: Progress) -> None:
        if tell:
            tell(p.seconds, p.routes, p.weighed)

    problem = problem_of(case, today)
    return answer_json(
        answer(problem, seconds, report, stopped), case.currency, assumed=not case.candidates, priced=case.priced
    )


def brief_case(case: Case, today: date, seconds: float | None = 20.0) -> dict[str, Any]:
    """What to look for in a shop (docs/command-line.md, `umbrak brief --json`): for the goal, or where the case has none for the
    first of its routes.

    Raises
        InputError   no goal, and no route: there is nothing to buy
    """
    goal, of = case.goal, "goal"
    if goal is None:
        from umbrak.core.routes.answer import Ended, answer

        found = answer(problem_of(case, today), seconds)
        if not found.routes:
            why = "none was found in time" if found.ended is Ended.NO_TIME else "there is none"
            raise InputError("no-goal", [Fault(f"name the goal: the case has none, and of routes {why}", "goal")])
        # Inside the warranty before outside it, then the cheapest, then the one that is handled least.
        first = min(found.routes, key=lambda r: (not r.in_warranty, r.weighed.cost, r.weighed.measures.touches))
        goal, of = first.weighed.layout, "route"
    brief = brief_of(case.sheet, case.machine, case.layout, goal, case.statements)
    return {"for": of, "slots": {s: jsonable(m) for s, m in goal.items()}, **jsonable(brief)}


def run_sheet_case(case: Case) -> dict[str, Any]:
    """The run sheet of a case (docs/command-line.md, `umbrak run-sheet --json`).

    Raises
        InputError   neither a goal nor a failed module: there is nothing to do
    """
    goal = case.goal if case.goal is not None else unmarked(case.layout) if case.failed else None
    if goal is None:
        raise InputError(
            "no-goal", [Fault("name the goal, or the slots that have failed: else nothing is to be done", "goal")]
        )
    ctx = question(case.sheet, case.machine, goal, case.statements, case.layout)
    resting = resting_of(ctx, evaluate_in(ctx), case.layout)
    work = Work(
        now=case.layout,
        goal=goal,
        failed=frozenset(case.failed),
        title=case.sheet.title,
        bays=case.bays,
        group=case.duty.group if case.duty else "",
        duty=case.duty.value() if case.duty else None,
        claims=tuple(d.words for d in resting.doubts if d.lacks_word(USUAL)),
        backup_tiers=max(1, case.costs.backup_tiers),
    )
    return run_sheet_json(run_sheet(case.sheet, case.machine, work))
