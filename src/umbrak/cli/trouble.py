"""What stops a command, and how an error that nobody foresaw is told."""

from __future__ import annotations

import traceback
from pathlib import Path


class Trouble(Exception):
    """A command cannot go on; the text says why and what to do."""


def unexpected(error: Exception) -> str:
    """An error that nobody foresaw, in a line: what, and where in our code."""
    home = str(Path(__file__).parents[1])
    ours = [f for f in traceback.extract_tb(error.__traceback__) if f.filename.startswith(home)]
    place = f" at {Path(ours[-1].filename).relative_to(home)}:{ours[-1].lineno}" if ours else ""
    said = " ".join(str(error).split())[:200]
    what = f"{type(error).__name__}: {said}" if said else type(error).__name__
    return f"an error of Umbrak's own{place} ({what}); with UMBRAK_TRACEBACK=1 it tells more"
