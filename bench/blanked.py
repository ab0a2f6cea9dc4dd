"""Less knowledge never gives a better answer: every two facts of every judged case and demo machine blanked together. The suite holds a
sample. What is bettered is printed, and makes it end with 1.

    python -m bench.blanked
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor

from tests.core.test_monotone import DOCUMENTS, SITUATIONS, bettered, pairs


def one(name: str) -> tuple[int, list[str]]:
    """(how many pairs there are, what is bettered by them)"""
    s = SITUATIONS[name]
    return sum(1 for _ in pairs(s, DOCUMENTS[s.sheet.id])) if s.layout else 0, list(bettered(name))


def main() -> int:
    count, wrong = 0, 0
    with ProcessPoolExecutor(2) as pool:
        for pairs_of, found in pool.map(one, SITUATIONS):
            count, wrong = count + pairs_of, wrong + len(found)
            print(*found, sep="\n", end="\n" if found else "", flush=True)
    print(f"{count} pairs of facts in {len(SITUATIONS)} situations; {wrong} bettered")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
