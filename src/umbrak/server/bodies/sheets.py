"""Bodies of requests about sheets, their drafts, and boards that are built."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, StringConstraints

from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.documents import HashOfSheet, LabelledDoc, Name, ShortText, SourceDoc, Text
from umbrak.formats.sheet.answers import Answer, NewSource
from umbrak.formats.sheet.built import BoardAnswers
from umbrak.formats.sheet.questions import AnswerState
from umbrak.server.bodies.base import Body, Id, Version


class SheetText(Body):
    text: Annotated[str, StringConstraints(min_length=1, max_length=1 << 20)]


class DraftText(SheetText):
    #: The version that it was written against.
    version: Annotated[int, Field(ge=1)]


class SheetAnswer(Body):
    """An answer to one question of a draft."""

    version: Annotated[int, Field(ge=1)]
    question: Annotated[str, StringConstraints(min_length=1, max_length=400)]
    state: AnswerState
    value: Any = None
    words: Text = ""
    looked: ShortText = ""
    source: Name | None = None
    new_source: SourceDoc | None = None
    clause: ShortText | None = None

    def answer(self) -> Answer:
        new = self.new_source
        return Answer(
            state=self.state,
            value=self.value,
            words=self.words,
            looked=self.looked,
            source=self.source,
            new_source=NewSource(new.title, new.kind, new.date) if new else None,
            clause=self.clause,
        )


class SettleDoubt(Body):
    #: Why it is not so.
    refused: ShortText = ""


class RetireSheet(Body):
    retired: bool
    why: ShortText = ""


class KeepDraft(Body):
    version: Annotated[int, Field(ge=1)]
    why: ShortText = ""


class BoardToBuild(Body):
    """Answers, and what is known to run in such a machine."""

    answers: BoardAnswers
    fitted: LabelledDoc = {}
    intake_id: Id | None = None


class NewDraft(Body):
    """Of a sheet of the library, or of one that is not there yet: its text, or its board by answers."""

    hash: HashOfSheet | None = None
    text: Annotated[str, StringConstraints(min_length=1, max_length=1 << 20)] | None = None
    board: BoardToBuild | None = None


class SheetTaken(Body):
    version: Version


class WaitingLines(Body):
    """What becomes of lines that wait for a model."""

    model: Name
    into: SheetHash | None = Field(default=None, description="the sheet that they go into; null = forget them")
