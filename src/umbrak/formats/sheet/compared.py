"""Two texts of a sheet, clause by clause: which questions they answer otherwise."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from umbrak.formats.sheet.questions import AnswerState, SheetQuestion, questions_of
from umbrak.formats.yaml_splice import same
from umbrak.formats.yaml_text import Document


@dataclass(frozen=True, slots=True)
class Said:
    """What one text answers."""

    state: AnswerState
    value: Any
    words: str
    source: str | None
    clause: str | None


@dataclass(frozen=True, slots=True)
class ClauseChange:
    """One question that two texts answer otherwise. None: a text does not have it at all."""

    key: str
    ask: str
    about: str
    was: Said | None
    now: Said | None
    #: The answer is the same and only its source or clause is another.
    source_only: bool


def compare(old: Document, new: Document) -> list[ClauseChange]:
    """Every question that the two answer otherwise, in the guide's order; remarks and order of writing do not count."""
    before = {q.key: q for q in questions_of(old, None)}
    after = {q.key: q for q in questions_of(new, None)}
    found = []
    for key in dict.fromkeys([*after, *before]):
        was, now = before.get(key), after.get(key)
        a, b = (_said(was) if was else None), (_said(now) if now else None)
        if (a is None or a.state == "left") and (b is None or b.state == "left"):
            continue
        if a and b and _same_answer(a, b) and (a.source, a.clause) == (b.source, b.clause):
            continue
        question = now or was
        assert question is not None
        found.append(
            ClauseChange(
                key=key,
                ask=question.ask,
                about=question.about,
                was=a,
                now=b,
                source_only=bool(a and b and _same_answer(a, b)),
            )
        )
    return found


def _same_answer(a: Said, b: Said) -> bool:
    return a.state == b.state and a.words == b.words and same(a.value, b.value)


def _said(question: SheetQuestion) -> Said:
    return Said(
        state=question.state,
        value=question.value,
        words=question.words,
        source=question.source,
        clause=question.clause,
    )
