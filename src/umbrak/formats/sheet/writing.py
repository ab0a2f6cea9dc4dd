"""Pieces of a sheet's text, as drafts and built boards write them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable


def names_once(given: Iterable[str]) -> list[str]:
    """The names, each once: one that is used already gets a number, one that is blank is called so."""
    names: dict[str, None] = {}
    tried: Counter[str] = Counter()
    for name in given:
        tidy = one = " ".join(name.split())[:100] or "unnamed"
        while one in names:
            tried[tidy] += 1
            one = f"{tidy} {tried[tidy] + 1}"
        names[one] = None
    return list(names)


def slug(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.casefold()).strip("-")[:60] or "unnamed"
