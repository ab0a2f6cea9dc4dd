"""A sheet's text as the workbench shows it: its questions, what is wrong and where, its board, some fills, what is open."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Machine
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.core.rules.finding import Finding, Severity, Verdict
from umbrak.core.samples import Sample, samples_of
from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.asked import SECTIONS, Ask, asks
from umbrak.formats.sheet.questions import SheetQuestion, board_names, question_at, questions_of
from umbrak.formats.sheet.reading import read_document
from umbrak.formats.yaml_text import Document, load_yaml
from umbrak.services.sheets.board import Board, board_of
from umbrak.services.sheets.collection import FactCounts, OpenFact, facts_in, open_of


@dataclass(frozen=True, slots=True)
class Asks:
    """What is asked of every sheet."""

    sections: tuple[str, ...]
    asks: tuple[Ask, ...]


def see_asks() -> Asks:
    return Asks(SECTIONS, tuple(asks().values()))


@dataclass(frozen=True, slots=True)
class Said:
    """Something that is wrong or odd in a text, and the question that it leads to."""

    fault: Fault
    #: None where no question is asked there.
    question: str | None
    wrong: bool


@dataclass(frozen=True, slots=True)
class SampleFill:
    """One fill of the sample module."""

    modules: int
    #: The slots that are filled.
    slots: tuple[str, ...]
    gib: float
    verdict: Verdict
    data_rate_mts: int | None
    #: The worst of any socket; None where one is empty.
    balance: float | None
    #: What is said first against it; "": nothing.
    words: str
    severity: Severity | None
    #: The question that the rule behind the words belongs to.
    question: str | None


@dataclass(frozen=True, slots=True)
class SeenText:
    """What a sheet's text comes to. Errors leave board, fills and facts out."""

    #: None where the text is no YAML.
    questions: tuple[SheetQuestion, ...] | None
    said: tuple[Said, ...]
    #: Block that says slots ("", "repeat") -> slot of the board -> its name there.
    names: dict[str, dict[str, str]] = field(default_factory=dict)
    id: str = ""
    title: str = ""
    kind: str = ""
    hash: SheetHash | None = None
    board: Board | None = None
    facts: FactCounts | None = None
    open: tuple[OpenFact, ...] = ()
    #: What the fills are filled with; "" where no kind is told.
    module: str = ""
    fills: tuple[SampleFill, ...] = ()
    forbidden: SampleFill | None = None


def see_text(text: str, left: Callable[[], bool] = lambda: False) -> SeenText:
    """Keeps nothing, and needs no library."""
    deadline = Deadline(left=left)
    try:
        documents = load_yaml(text, deadline)
        if len(documents) != 1:
            raise InputError("several-sheets", [Fault(f"one sheet was expected, {len(documents)} found")])
    except InputError as error:
        return SeenText(None, tuple(Said(f, None, True) for f in error.faults))
    document = documents[0]
    try:
        reading = read_document(document, text, deadline)
    except InputError as error:
        return _with_errors(document, error)
    sheet = reading.sheet
    questions = tuple(questions_of(document, sheet))
    keys = [q.key for q in questions]
    samples = samples_of(sheet)
    return SeenText(
        questions=questions,
        said=tuple(Said(f, question_at(keys, f.path), False) for f in reading.findings if f.code != "fact-open"),
        names=board_names(reading.data),
        id=sheet.id,
        title=sheet.title,
        kind=sheet.kind,
        hash=sheet.hash,
        board=board_of(sheet, Machine()),
        facts=facts_in(questions, sheet),
        open=open_of(sheet, keys),
        module=_words(samples.module),
        fills=tuple(_fill(sheet, keys, s) for s in samples.fills),
        forbidden=_fill(sheet, keys, samples.forbidden) if samples.forbidden else None,
    )


def _with_errors(document: Document, error: InputError) -> SeenText:
    questions = tuple(questions_of(document, None)) if isinstance(document.data, dict) else None
    keys = [q.key for q in questions or ()]
    data = document.data if isinstance(document.data, dict) else {}
    return SeenText(
        questions=questions,
        said=tuple(Said(f, question_at(keys, f.path or ""), True) for f in error.faults),
        names=board_names(data),
        id=str(data.get("id", "")),
        title=str(data.get("title", "")),
    )


def _words(module: Module | None) -> str:
    return module.short() if module else ""


def _fill(sheet: Sheet, keys: list[str], sample: Sample) -> SampleFill:
    found, first = sample.evaluation, sample.first
    balances = [s.balance for s in found.sockets]
    return SampleFill(
        modules=len(sample.layout),
        slots=tuple(sample.layout),
        gib=found.installed_gib,
        verdict=found.verdict,
        data_rate_mts=found.data_rate_mts,
        balance=None if None in balances else min((b for b in balances if b is not None), default=None),
        words=first.message if first else "",
        severity=first.severity if first else None,
        question=_question_of(keys, first) if first else None,
    )


#: Code of a finding, or how it begins -> the place of the rule that it rests on; the first that fits.
_RULE_AT = (
    ("order.", "population"),
    ("limit.ranks", "memory.package_ranks_per_channel"),
    ("limit.", "limits"),
    ("risk.over", "limits"),
    ("risk.density", "limits"),
    ("risk.unlisted", "listed"),
    ("risk.warranty", "access"),
    ("speed.", "processors"),
    ("power.", "memory.rails_v"),
    ("kind.mixed", "memory.never_together"),
    ("kind.ecc-mixed", "memory.ecc_mixed"),
    ("kind.", "memory.accepts"),
    ("fit.height", "slots.clearance_mm"),
    ("mode.", "memory.modes"),
)


def _question_of(keys: list[str], finding: Finding) -> str | None:
    """The question that a finding's rule is answered at: the open fact that it names, or where such rules stand."""
    open_ = next((n.removeprefix("sheet.") for n in finding.needs if n.startswith("sheet.")), None)
    at = open_ or next((place for head, place in _RULE_AT if finding.code.startswith(head)), None)
    if at == "processors":
        return next((k for k in keys if k.endswith(".rate_table")), None)
    return question_at(keys, at) if at else None
