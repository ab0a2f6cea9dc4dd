"""Resolving the names of a sheet document: every one refers to something, or is a fault with its line."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from typing import TypeVar

from umbrak.core.platform.statement import Source
from umbrak.formats.bounds import MAX_FAULTS, MAX_SLOTS, MAX_TOLD, Deadline
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.codes import CODES
from umbrak.formats.sheet.document import SheetDoc
from umbrak.formats.yaml_text import Document, Path

T = TypeVar("T")


class References:
    """The document, its sources, and the faults found so far."""

    def __init__(self, document: Document, doc: SheetDoc, deadline: Deadline) -> None:
        self.document = document
        self.deadline = deadline
        self.doc = doc
        #: What makes the sheet unusable.
        self.faults: list[Fault] = []
        #: What is odd about it but legal.
        self.odd: list[Fault] = []
        self.sources = {name: s.value(name) for name, s in doc.sources.items()}

    def wrong(self, path: Path, message: str, code: str, stands: str = "", cure: str = "") -> None:
        assert code in CODES, code
        self.faults.append(replace(self.document.fault(path, message, code), stands=stands, cure=cure))
        if len(self.faults) >= MAX_FAULTS:
            self.raise_faults()

    def raise_faults(self) -> None:
        """Raises InputError with the faults found so far, where there is any."""
        if self.faults:
            raise InputError("wrong-reference", self.faults)

    def doubt(self, path: Path, message: str, code: str) -> None:
        assert code in CODES, code
        if len(self.odd) < MAX_TOLD:
            self.odd.append(self.document.fault(path, message, code))

    def known(self, names: Mapping[str, T], name: str, path: Path, what: str) -> T | None:
        """What the name refers to; a fault `WHAT-unknown` where that is nothing."""
        if name in names:
            return names[name]
        # Likeness is dear: among thousands of names nobody is helped by a guess.
        near = difflib.get_close_matches(name, names, 1) if len(names) <= MAX_SLOTS else []
        hint = f"; did you mean {near[0]}?" if near else f"; known: {', '.join(names)}" if len(names) <= 12 else ""
        self.wrong(
            path,
            f"there is no {what} {name}{hint}",
            f"{what}-unknown",
            **({"stands": name, "cure": near[0]} if near else {}),
        )
        return None

    def matching(self, names: Iterable[str], pattern: str, path: Path, what: str) -> list[str]:
        """The names that a name or a pattern with * or ? means; a fault `WHAT-unknown` where it means none."""
        self.deadline.check(pattern)
        found = [n for n in names if n == pattern or (set("*?") & set(pattern) and fnmatchcase(n, pattern))]
        if not found:
            self.known(dict.fromkeys(names), pattern, path, what)
        return found

    def source(self, names: Iterable[str | None], path: Path, clause: object = None) -> Source:
        """The nearest source: the first of `names` that is given; a sheet's only source needs no naming."""
        said = None if clause is None else str(clause)
        for name in names:
            if name is not None:
                found = self.known(self.sources, name, (*path, "source"), "source")
                if found:
                    return replace(found, clause=said)
                break
        else:
            if len(self.sources) > 1:
                self.wrong(path, "has no source: say who states it", "source-missing")
        return replace(next(iter(self.sources.values())), clause=said)


@dataclass(frozen=True, slots=True)
class Naming:
    """How a block's own names become the sheet's: as they are, or one by one for what it is repeated over."""

    over: str | None = None
    pattern: str = "{name}"
    #: Place in `over`, from 1.
    number: int = 1
    socket: str | None = None
    carrier: str | None = None

    def full(self, name: str) -> str:
        return self._filled(self.pattern.replace("{name}", name))

    def said(self, pattern: str, slot: str, socket: str) -> str:
        """A text for one slot with its names filled in."""
        return self._filled(pattern.replace("{slot}", slot).replace("{socket}", socket))

    def _filled(self, text: str) -> str:
        return (
            text.replace("{over}", self.over or "")
            .replace("{carrier}", self.carrier or "")
            .replace("{socket}", self.socket or "")
            .replace("{n}", str(self.number))
        )


def means(key: str, slot: str) -> bool:
    """Whether a key of `slots` means this slot: by its name, or by a pattern with * or ?."""
    return key == slot or bool(set("*?") & set(key) and fnmatchcase(slot, key))
