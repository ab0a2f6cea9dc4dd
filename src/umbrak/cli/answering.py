"""Commands that need no server: a file, a label or a report in, an answer out.

What they take to answer is mostly loading, so each loads what it needs when it is asked.
"""

from __future__ import annotations

import json
import os
import signal
import sys
from argparse import Namespace as Arguments
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from umbrak.cli.trouble import unexpected

if TYPE_CHECKING:
    from umbrak.formats.case import Case


@contextmanager
def _silent_output() -> Iterator[None]:
    """Nothing reaches standard output meanwhile: the solver's library writes to the descriptor itself, past Python."""
    import ctypes

    libc = ctypes.CDLL(None)
    sys.stdout.flush()
    kept, nowhere = os.dup(1), os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 1)
        yield
    finally:
        libc.fflush(None)  # what it has not written yet goes nowhere too
        os.dup2(kept, 1)
        os.close(kept)
        os.close(nowhere)


def _each(
    inputs: Iterable[Any], use: Callable[[Any], dict[str, Any]], as_json: bool, show: Callable[[dict[str, Any]], str]
) -> list[dict[str, Any]]:
    """Use every input; one that cannot be used gives its error in its place. Exits 1 when any could not."""
    from umbrak.formats.faults import InputError

    results: list[dict[str, Any]] = []
    failed = False
    for item in inputs:
        try:
            results.append(use(item))
        except InputError as error:
            failed = True
            where = next((f.where for f in error.faults if f.where), "")
            results.append({"error": {"code": error.code, "message": str(error), "where": where}})
            if not as_json:
                for fault in error.faults:
                    print(f"{item}: {fault}" if isinstance(item, Path) else fault, file=sys.stderr)
            continue
        except Exception as error:
            if os.environ.get("UMBRAK_TRACEBACK"):
                raise
            failed = True
            results.append({"error": {"code": "unexpected", "message": unexpected(error), "where": ""}})
            if not as_json:
                print(f"{item}: {unexpected(error)}", file=sys.stderr)
            continue
        if not as_json:
            print(show(results[-1]))
    if as_json:
        print(json.dumps(results, ensure_ascii=False, indent=2))
    if failed:
        sys.exit(1)
    return results


def _bytes(path: Path) -> bytes:
    from umbrak.formats.bounds import MAX_BYTES
    from umbrak.formats.faults import Fault, InputError

    try:
        if str(path) == "-":
            return sys.stdin.buffer.read(MAX_BYTES + 1)
        with path.open("rb") as file:
            return file.read(MAX_BYTES + 1)  # one more than is read: who reads it says that it is too large
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else str(error)
        raise InputError("cannot-read", [Fault(f"cannot read {path}: {why}", str(path))]) from error


def label_command(arguments: Arguments) -> None:
    """Decode label text; without TEXT, standard input, one label a line."""
    from umbrak.cli.words import label_words
    from umbrak.core.memory.label import decode_label
    from umbrak.formats.faults import Fault, InputError
    from umbrak.formats.to_json import label_json

    def use(text: str) -> dict[str, Any]:
        reading = decode_label(text)
        if not reading.understood:
            message = f"“{text}”: nothing in it is known from a module's label"
            raise InputError("nothing-understood", [Fault(message, f"characters 0 to {len(text)}")])
        return label_json(reading)

    lines = arguments.texts or [line.strip() for line in sys.stdin if line.strip()]
    _each(lines, use, arguments.as_json, label_words)


def read_command(arguments: Arguments) -> None:
    """Decode what a machine reports (- is standard input)."""
    from umbrak.cli.words import reading_words
    from umbrak.formats.reading import READERS, read_any
    from umbrak.formats.to_json import reading_json

    if arguments.kind is not None and arguments.kind not in READERS:
        print(f"umbrak read: --as {arguments.kind}: not read here; known: {', '.join(READERS)}", file=sys.stderr)
        sys.exit(2)

    def use(path: Path) -> dict[str, Any]:
        raw = _bytes(path)
        with _meant_as("report", raw):
            return reading_json(read_any(raw, arguments.kind))

    _each(
        arguments.files,
        use,
        arguments.as_json,
        reading_words,
    )


def _folder(path: Path) -> Path:
    """What the paths in a file are relative to."""
    return Path(".") if str(path) == "-" else path.parent


def _case(path: Path) -> Case:
    """The case of a file; what is odd about its modules is told where errors are, and it is answered all the same."""
    from umbrak.formats.case import read_case

    raw = _bytes(path)
    with _meant_as("case", raw):
        case = read_case(raw, _folder(path))
    _tell_said(path, case.said)
    return case


#: What a file is that was given for something else -> what is done with it.
_INSTEAD = {
    "report": "`umbrak read` tells what it says, `umbrak sheet draft` begins its model's sheet",
    "sheet": "`umbrak sheet lint` checks it; a case names it as its `sheet`",
    "case": "`umbrak check` and `umbrak routes` answer it",
    "round": "`umbrak rounds` answers it",
}


@contextmanager
def _meant_as(wanted: str, raw: bytes) -> Iterator[None]:
    """Of a file that cannot be read as what is wanted, and is something else that is read here, that is all that is said."""
    from umbrak.formats.faults import Fault, InputError

    try:
        yield
    except InputError as error:
        # Here, as the readers of reports take a third of the time that a case is answered in.
        from umbrak.formats.other_files import written_as
        from umbrak.formats.reading import detect

        found = written_as(raw) or ("report" if detect(raw) not in (None, "labels") else None)
        if found is None or found == wanted:
            raise
        told = f"this is a {found}, and no {wanted}: {_INSTEAD[found]}"
        raise InputError(f"a-{found}", [Fault(told, "line 1")]) from error


def _tell_said(path: Path, said: Iterable[str]) -> None:
    for words in said:
        print(f"{path}: {words}", file=sys.stderr)


def check_command(arguments: Arguments) -> None:
    """Evaluate the layout of each case; without CASE, of the one on standard input."""
    from umbrak.cli.words import check_words
    from umbrak.formats.case import check_case

    def use(path: Path) -> dict[str, Any]:
        return check_case(_case(path))

    results = _each(arguments.cases or [Path("-")], use, arguments.as_json, check_words)
    if arguments.strict and any(r.get("goal", r)["verdict"] == "no-go" for r in results):
        sys.exit(3)


def routes_command(arguments: Arguments) -> None:
    """The routes of each case that no other beats, or which wishes to give up where there is none; Ctrl+C ends the
    search with the best so far."""
    from datetime import date

    from umbrak.cli.words import routes_words
    from umbrak.formats.case import routes_case

    asked_to_stop = False

    def stop(*_: object) -> None:
        nonlocal asked_to_stop
        asked_to_stop = True

    def tell(seconds: float, routes: int, weighed: int) -> None:
        print(
            f"\r{seconds:.0f} s, {routes} routes of {weighed} layouts weighed; Ctrl+C ends with these ",
            end="",
            file=sys.stderr,
        )

    def use(path: Path) -> dict[str, Any]:
        case = _case(path)
        watched = tell if sys.stderr.isatty() else None
        with _silent_output():
            return routes_case(case, date.today(), arguments.seconds, watched, lambda: asked_to_stop)

    signal.signal(signal.SIGINT, stop)
    results = _each(arguments.cases, use, arguments.as_json, routes_words)
    if any(r.get("ended") == "no time" for r in results):
        sys.exit(4)


def brief_command(arguments: Arguments) -> None:
    """What to look for in a shop for each case's goal, or for the first of its routes: what would do as well, what nearly, what
    is wrong and why."""
    from datetime import date

    from umbrak.cli.words import brief_words
    from umbrak.formats.case import brief_case

    def use(path: Path) -> dict[str, Any]:
        case = _case(path)
        with _silent_output():
            return brief_case(case, date.today())

    _each(arguments.cases, use, arguments.as_json, brief_words)


def rounds_command(arguments: Arguments) -> None:
    """Who is served in which wave, by which route, with whose modules, over many cases; Ctrl+C ends the search with the best so
    far."""
    from datetime import date

    from umbrak.cli.words import rounds_words
    from umbrak.core.rounds.solve import RoundProgress
    from umbrak.formats.rounds import read_round, solve_file

    asked_to_stop = False

    def stop(*_: object) -> None:
        nonlocal asked_to_stop
        asked_to_stop = True

    def tell(p: RoundProgress) -> None:
        if sys.stderr.isatty():
            far = f"at most {p.gap:.1%} above the best" if p.gap != float("inf") else "no bound yet"
            print(f"\r{p.seconds:.0f} s, {p.served} served, {far}; Ctrl+C ends with these ", end="", file=sys.stderr)

    def use(path: Path) -> dict[str, Any]:
        raw = _bytes(path)
        with _meant_as("round", raw):
            asked = read_round(raw, _folder(path), date.today())
        _tell_said(path, asked.said)
        with _silent_output():
            return solve_file(asked, arguments.seconds, tell, lambda: asked_to_stop)

    signal.signal(signal.SIGINT, stop)
    _each(arguments.files, use, arguments.as_json, rounds_words)


def run_sheet_command(arguments: Arguments) -> None:
    """The steps that lead from each case's slots to its goal."""
    from umbrak.cli.words import run_sheet_words
    from umbrak.formats.case import run_sheet_case

    def use(path: Path) -> dict[str, Any]:
        return run_sheet_case(_case(path))

    _each(arguments.cases, use, arguments.as_json, run_sheet_words)


def sheet_lint_command(arguments: Arguments) -> None:
    """Check sheets: wrong fields, unresolved names, and what is legal but wrong."""
    from umbrak.cli.words import lint_words
    from umbrak.formats.sheet.reading import read_sheets
    from umbrak.formats.to_json import jsonable

    def use(path: Path) -> dict[str, Any]:
        raw = _bytes(path)
        with _meant_as("sheet", raw):
            read = read_sheets(raw)
        sheets = [
            {"id": r.sheet.id, "hash": r.sheet.hash, "slots": len(r.sheet.slots), "findings": jsonable(r.findings)}
            for r in read
        ]
        return {"file": str(path), "sheets": sheets}

    results = _each(arguments.files, use, arguments.as_json, lint_words)
    if any(sheet["findings"] for result in results for sheet in result["sheets"]):
        sys.exit(1)


def sheet_draft_command(arguments: Arguments) -> None:
    """Draft a sheet from what a machine reports; what that cannot tell is left as marked questions."""
    from umbrak.formats.faults import InputError
    from umbrak.formats.reading import read_any
    from umbrak.formats.sheet.draft import draft_sheet
    from umbrak.formats.spd import SpdReading

    try:
        raw = _bytes(arguments.file)
        with _meant_as("report", raw):
            reading = read_any(raw)
    except InputError as error:
        print("\n".join(f"{arguments.file}: {fault}" for fault in error.faults), file=sys.stderr)
        sys.exit(1)
    if isinstance(reading, SpdReading):
        print(f"{arguments.file}: this is the SPD of one module, not what a machine reports", file=sys.stderr)
        sys.exit(1)
    print(draft_sheet(reading), end="")


def sheet_schema_command(_: Arguments) -> None:
    """Print the JSON Schema of the sheet format, made from the code."""
    from umbrak.formats.sheet.document import SheetDoc

    print(json.dumps(SheetDoc.model_json_schema(by_alias=True), indent=2, ensure_ascii=False))
