"""What the rules may ask about a layout beyond who sits where: what it runs at, and how to say what they found."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

from umbrak.core.platform.machine import Layout
from umbrak.core.platform.statement import Source, Statement
from umbrak.core.rules.catalogue import SHEET_SEVERITY
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.seating import Seating
from umbrak.core.solve import RailSolution, RateSolution, solve_rails, solve_rates

T = TypeVar("T")

#: Name -> (what it hangs on, what was worked out of that): what an evaluation leaves for the next one of the same machine.
ByPlace = Mapping[object, tuple[object, Any]]


@dataclass(frozen=True)
class Context(Seating):
    """One evaluation's question and the facts derived from it."""

    statements: tuple[Statement, ...] = ()
    #: The layout that this one changes; None when it is judged as it stands.
    before: Layout | None = None
    #: `by_place` of another layout in the same machine under the same statements: what stands there as here is not worked
    #: out again.
    near: ByPlace = field(default_factory=dict, compare=False, repr=False)

    # -- rails and rates ----------------------------------------------------------------------------

    @cached_property
    def rails(self) -> tuple[RailSolution, ...]:
        return solve_rails(self)

    @cached_property
    def rates(self) -> Mapping[str, RateSolution]:
        return solve_rates(self, self.rails, self.at_place)

    # -- remembering ----------------------------------------------------------------------------------

    def once(self, name: object, make: Callable[[], T]) -> T:
        """What a rule family works out for all of its rules: made the first time, kept with the context."""
        if name not in self._made:
            self._made[name] = make()
        kept: T = self._made[name]
        return kept

    def at_place(self, name: object, hangs_on: object, make: Callable[[], T]) -> T:
        """What hangs on nothing of the layout but what is given: taken from the layout near by where that is the same."""
        known = self.near.get(name)
        if known is None or known[0] != hangs_on:
            known = (hangs_on, make())
        self.by_place[name] = known
        kept: T = known[1]
        return kept

    @cached_property
    def by_place(self) -> dict[object, tuple[object, Any]]:
        """Name -> (what it hangs on, what was worked out), for a layout that is like this one in most places."""
        return {}

    @cached_property
    def _made(self) -> dict[object, Any]:
        return {}

    # -- saying so ----------------------------------------------------------------------------------

    def finding(
        self,
        code: str,
        severity: Severity,
        slots: Iterable[str | None],
        message: str,
        source: Source | None = None,
    ) -> Finding:
        return Finding(code=code, severity=severity, slots=self.ordered(slots), message=message, source=source)

    def ask(
        self,
        code: str,
        slots: Iterable[str | None],
        message: str,
        needs: Iterable[str],
        could_be: Severity,
        source: Source | None = None,
    ) -> Finding:
        return Finding(
            code=code,
            severity=Severity.ASK,
            slots=self.ordered(slots),
            message=message,
            source=source,
            needs=tuple(sorted(set(needs))),
            could_be=could_be,
        )

    def as_sheet_says(
        self, code: str, *, word: str | None, clause: str, slots: Iterable[str | None], message: str, source: Source
    ) -> Finding:
        """A finding whose severity is the sheet's word; where the sheet is silent, an ask for it."""
        severity = SHEET_SEVERITY[word]
        if word == "untold":
            message += "; the sources do not say what that does"
        if severity is Severity.ASK:
            return self.ask(
                code,
                slots,
                f"{message}; the sheet does not say what that does",
                [f"sheet.{clause}"],
                Severity.STOP,
                source,
            )
        return self.finding(code, severity, slots, message, source)

    def are(self, slots: Iterable[str | None], one: str = "is", many: str = "are") -> str:
        """The verb that goes with `names` of these slots."""
        return many if len(self.ordered(slots)) > 1 else one

    def names(self, slots: Iterable[str | None]) -> str:
        """Slots as people read them, as printed on the board: "A1, A2 and 3 more"."""
        return listed([self.sheet.slots[s].printed if s in self.sheet.slots else s for s in self.ordered(slots)])


def listed(names: Sequence[str]) -> str:
    """Names as people read them: "A, B and C", "A, B, C and 3 more"."""
    if len(names) > 4:
        return ", ".join(names[:3]) + f" and {len(names) - 3} more"
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
