"""Columns of a fixed width: where each begins and ends is told by what no line has a character in."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

#: Where something begins, and where it ends.
Span = tuple[int, int]


def columns_of(head: str, rows: Sequence[str], names: Sequence[Span] | None = None) -> list[tuple[Span, Span]]:
    """(where a name stands in the head, where its values stand): two columns part where no line has a character. Numbers stand to the
    right of their column, so a value may begin before its name. Columns that run into each other are left out: a piece of one would
    be taken for the other.

    Parameters
        names   where the names stand in the head; None = each of its words is one
    """
    names = [m.span() for m in re.finditer(r"\S+", head)] if names is None else names
    if not names:
        return []
    width = max((len(line) for line in (head, *rows)), default=0)
    lines = (head, *rows)
    cuts: list[int | None] = [0]
    for (_, end), (following, last) in pairwise(names):
        free = [p for p in range(end, last) if all(line[p : p + 1] in ("", " ") for line in lines)]
        # The nearest to the next name; where its values begin before it, the nearest before these.
        cuts.append(max((p for p in free if p <= following), default=min(free, default=None)))
    ends = [*cuts[1:], width]
    return [(name, (a, b)) for name, a, b in zip(names, cuts, ends, strict=True) if a is not None and b is not None]
