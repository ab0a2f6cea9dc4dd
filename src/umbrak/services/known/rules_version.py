"""Which rules judged something: a number that follows from the code itself, so that nobody has to remember to raise it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from functools import cache
from importlib.resources import files
from importlib.resources.abc import Traversable

#: Everything that a kept verdict or summary is made by: the rules with what they stand on, how sheets and documents are read, and
#: the summary itself. Of a folder all its modules, but not those of the folders in it.
JUDGED_BY = (
    "core",
    "core/memory",
    "core/platform",
    "core/rules",
    "formats/sheet",
    "formats/documents.py",
    "services/known",
)


@cache
def rules_version() -> int:
    """From 0 to 2**31 - 1; another one after any change to what judges, even of a comment: judging anew costs seconds, a verdict
    by rules of the day before would be a wrong one."""
    return version_of(files("umbrak"))


def version_of(root: Traversable) -> int:
    """The version of the rules under a folder of `umbrak`'s shape."""
    found = hashlib.sha256()
    for path in JUDGED_BY:
        at = root.joinpath(path)
        for module in sorted(_modules(at), key=lambda m: m.name):
            found.update(f"{path}/{module.name}\n".encode())
            found.update(module.read_bytes())
    return int.from_bytes(found.digest()[:4], "big") >> 1


def _modules(at: Traversable) -> Iterator[Traversable]:
    if at.is_file():
        yield at
    else:
        yield from (m for m in at.iterdir() if m.is_file() and m.name.endswith(".py"))
