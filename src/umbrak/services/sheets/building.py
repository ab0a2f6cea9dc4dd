"""A board built by answers: what it comes to while it is answered, and what it begins from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.processors import processors_of
from umbrak.core.platform.sheet import SheetHash
from umbrak.core.platform.survey import SurveyReading, match_slots
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.begun import PRESETS, NoBoardError, Preset, answers_from, answers_of
from umbrak.formats.sheet.built import BoardAnswers, Report, built_sheet, faults_of, names_of, title_for
from umbrak.formats.sheet.draft import title_of
from umbrak.formats.sheet.lint import told_facts
from umbrak.formats.sheet.reading import read_sheet
from umbrak.services.errors import NotFound, Refused
from umbrak.services.sheets.board import Board, board_of
from umbrak.services.sheets.collection import OpenFact, open_of
from umbrak.services.sheets.library import SocketChoice, keep_sheet, load_sheet, sockets_of
from umbrak.store import sheets as store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.surveys import find_intake


@dataclass(frozen=True, slots=True)
class BuiltView:
    """What answers come to so far."""

    #: What its sheet is called; "" where nobody said.
    title: str
    #: None where they make no board yet.
    board: Board | None
    #: Slots in the order of the answers.
    slots: tuple[str, ...]
    faults: tuple[Fault, ...]
    told: int
    open: tuple[OpenFact, ...]
    #: Its sockets; and what a report says is in them.
    sockets: tuple[SocketChoice, ...] = ()
    processors: dict[str, str | None] = field(default_factory=dict)
    #: Of a report beside the answers: for each of its slots the board's, as far as names tell.
    reports: tuple[str | None, ...] = ()
    #: A sheet of the library that has this model's name already.
    known_as: SheetHash | None = None


def see_built(engine: Engine, answers: BoardAnswers, fitted: Layout, intake_id: UUID | None) -> BuiltView:
    """Raises NotFound for an intake that does not exist; what makes no board is told in the view."""
    modules = [m for m in fitted.values() if isinstance(m, Module)]
    with engine.connect() as db:
        reading = _reading(db, intake_id)
        known = known_as(db, answers.make, answers.model)
    # Without a name yet, without generation or form, the board can be drawn all the same.
    faults = tuple(faults_of(answers, modules))
    hard = [f for f in faults if f.path.split(".")[0] not in _LATER]
    if hard:
        return BuiltView(title=title_for(answers), board=None, slots=(), faults=faults, told=0, open=(), known_as=known)
    drawn = answers.model_copy(
        update={k: v for k, v in _AS_IF.items() if not getattr(answers, k)} | _unlimited(answers)
    )
    sheet = read_sheet(built_sheet(drawn, report=Report(reading) if reading else None).text).sheet
    slots = tuple(names_of(answers))
    reports = match_slots(sheet, reading.slots) if reading else ()
    open_ = open_of(sheet)
    return BuiltView(
        title=title_for(answers),
        board=board_of(sheet, Machine()),
        slots=slots,
        faults=faults,
        told=len(told_facts(sheet)),
        open=open_,
        sockets=sockets_of(sheet),
        processors=processors_of(sheet, reading, reports) if reading else {},
        reports=reports,
        known_as=known,
    )


#: Answers without which a board can be drawn, but not kept.
_LATER = {"generation", "form", "model", "limit_gib", "limit_by", "rows"}
_AS_IF = {"generation": "DDR4", "form": "DIMM", "model": "no name yet"}


def _unlimited(answers: BoardAnswers) -> dict[str, object]:
    """What of the answers is begun and not ended, taken back."""
    back: dict[str, object] = {}
    if bool(answers.limit_gib) != bool(answers.limit_by):
        back |= {"limit_gib": None, "limit_by": None}
    if answers.bays and answers.bays % answers.rows:
        back["rows"] = 1
    return back


def _reading(db: Connection, intake_id: UUID | None) -> SurveyReading | None:
    if intake_id is None:
        return None
    row = find_intake(db, intake_id)
    if row is None:
        raise NotFound("intake")
    return row.reading


def known_as(db: Connection, make: str, model: str) -> SheetHash | None:
    """The sheet that has a model as its title or among its other names, whole."""
    said = {plain(model), plain(f"{make} {model}"), plain(title_of(make, model))} - {""}
    for row in store.current_sheets(db) if plain(model) else ():
        if not row.archetype and said & {plain(n) for n in (row.title, *load_sheet(db, row.hash).models)}:
            return row.hash
    return None


def plain(name: str) -> str:
    """A name as it is compared: letters and figures alone."""
    return "".join(c for c in name.casefold() if c.isalnum())


@dataclass(frozen=True, slots=True)
class BegunView:
    """Answers to begin from, and what was guessed in them."""

    answers: BoardAnswers
    why: str = ""
    #: What nothing says, and how it is taken all the same, as a sentence.
    guessed: str = ""
    #: Index of a report that has no name of its own -> its slot, by place in order.
    nameless: Mapping[int, int] = field(default_factory=dict)
    #: Slots that the report leaves out, though the names or the count of its slots show that they are there.
    left_out: tuple[str, ...] = ()


def like_sheet(engine: Engine, hash_: SheetHash) -> BegunView:
    """The board of a sheet, to begin another like it. Raises NotFound; Refused where answers cannot say it."""
    with engine.connect() as db:
        sheet = load_sheet(db, hash_)
    answers = answers_of(sheet)
    if answers is None:
        raise Refused("sheet", f"The processors of {sheet.title} have unlike boards: begin from another.")
    return BegunView(answers, f"like {sheet.title}")


def from_intake(engine: Engine, key: UUID) -> BegunView:
    """The board that a report shows. Raises NotFound; Refused where answers cannot say it."""
    with engine.connect() as db:
        reading = _reading(db, key)
    if reading is None:
        raise NotFound("intake")
    try:
        begun = answers_from(reading)
    except NoBoardError as e:
        raise Refused(
            "intake",
            f"The report does not show a board that answers can say: {e}. Build it, and say which report is which slot.",
        ) from e
    return BegunView(begun.answers, begun.why, begun.guessed, begun.nameless, begun.left_out)


def presets() -> tuple[Preset, ...]:
    return PRESETS


def text_of_built(
    engine: Engine, account: Account, answers: BoardAnswers, fitted: Layout, intake_id: UUID | None
) -> str:
    """The text of the sheet of a board that was answered. Raises InputError (formats) with what is lacking, NotFound."""
    with engine.connect() as db:
        reading = _reading(db, intake_id)
    return built_sheet(answers, fitted, account.shown_as, Report(reading) if reading else None).text


def keep_built(
    db: Connection,
    account: Account,
    answers: BoardAnswers,
    fitted: Layout,
    intake_id: UUID | None,
    reports: Mapping[str, int],
) -> SheetHash:
    """The sheet of a board that was answered, kept. Raises InputError (formats) with what is lacking, Refused for a known model."""
    if hash_ := known_as(db, answers.make, answers.model):
        title = load_sheet(db, hash_).title
        raise Refused("board.model", f"The library knows {title}: choose its sheet, or say how this model differs.")
    reading = _reading(db, intake_id)
    order = {name: i for i, name in enumerate(names_of(answers))}
    report = (
        Report(reading, {order[s]: i for s, i in reports.items() if s in order and i < len(reading.slots)})
        if reading
        else None
    )
    try:
        built = built_sheet(answers, fitted, account.shown_as, report)
    except InputError as error:
        error.faults = [Fault(f.message, path=f"board.{f.path}", code=f.code) for f in error.faults]
        raise
    kept = read_sheet(built.text)
    if any(s.sheet_id == kept.sheet.id for s in store.current_sheets(db)):
        raise Refused("board.model", f"There is a sheet {kept.sheet.id} already: say how this model differs.")
    keep_sheet(db, kept, account)
    record(db, "sheet kept", account.id, name=kept.sheet.id, hash=kept.sheet.hash)
    return kept.sheet.hash
