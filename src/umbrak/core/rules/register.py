"""The register of rules: each under its code of the catalogue."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from umbrak.core.rules.catalogue import CATALOGUE
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding

Rule = Callable[["Context"], Iterator[Finding]]


@dataclass(frozen=True, slots=True)
class RegisteredRule:
    code: str
    find: Rule
    #: Whether there is anything for it to look at; a rule that applies and finds nothing has held.
    applies: Callable[[Context], bool]


RULES: dict[str, RegisteredRule] = {}


def rule(code: str, applies: Callable[[Context], bool] | None = None) -> Callable[[Rule], Rule]:
    """Register a rule under its code. Raises KeyError for a code that the catalogue lacks or that is taken."""
    if code not in CATALOGUE:
        near = difflib.get_close_matches(code, CATALOGUE, 1)
        raise KeyError(f"no code {code!r} in the catalogue" + (f"; did you mean {near[0]!r}?" if near else ""))
    if code in RULES:
        raise KeyError(f"two rules for {code!r}")

    def register(find: Rule) -> Rule:
        RULES[code] = RegisteredRule(code, find, applies or (lambda ctx: bool(ctx.modules)))
        return find

    return register
