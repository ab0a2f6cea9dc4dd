"""Every layout of small problems against the search: `python -m bench.enumerated [FIRST LAST]`, seeds 0 to 200 of each family.

The suite holds a sample of these. What differs is printed with its seed, and makes it end with 1.
"""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

from tests.core.routes_cases import FAMILIES, astray


def one(case: tuple[str, int]) -> tuple[str, int, str | None]:
    family, seed = case
    return family, seed, astray(FAMILIES[family](seed))


def main() -> int:
    first, last = map(int, sys.argv[1:3]) if len(sys.argv) > 2 else (0, 200)
    counts: Counter[tuple[str, str]] = Counter()
    with ProcessPoolExecutor(2) as pool:
        cases = [(family, seed) for seed in range(first, last) for family in FAMILIES]
        for family, seed, wrong in pool.map(one, cases, chunksize=8):
            counts[family, "not proved" if wrong is None else "astray" if wrong else "equal"] += 1
            if wrong:
                print(f"{family}, seed {seed}: {wrong}", flush=True)
    for (family, how), n in sorted(counts.items()):
        print(f"{family:24} {how:10} {n:5}")
    return int(any(how == "astray" for _, how in counts))


if __name__ == "__main__":
    raise SystemExit(main())
