"""`umbrak`: the commands. What they print with --json is a contract (docs/command-line.md).

argparse, not a larger library: `label` and `check` answer in the time that others take to load.
"""

from __future__ import annotations

import argparse
import gc
import json
import os
import signal
import sys
import traceback
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from umbrak.formats.case import Case

Arguments = argparse.Namespace


def main() -> None:
    arguments = _parser().parse_args()
    try:
        arguments.run(arguments)
        sys.stdout.flush()
    except BrokenPipeError:
        # Whoever read the answer has enough of it. Nothing more is written, not at the interpreter's end either.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(128 + signal.SIGPIPE)
    except KeyboardInterrupt:
        sys.exit(128 + signal.SIGINT)
    except Exception as error:
        if os.environ.get("UMBRAK_TRACEBACK"):
            raise
        print(f"umbrak: {_unexpected(error)}", file=sys.stderr)
        sys.exit(70)  # EX_SOFTWARE of sysexits.h


def _unexpected(error: Exception) -> str:
    """An error that nobody foresaw, in a line: what, and where in our code."""
    home = str(Path(__file__).parents[1])
    ours = [f for f in traceback.extract_tb(error.__traceback__) if f.filename.startswith(home)]
    place = f" at {Path(ours[-1].filename).relative_to(home)}:{ours[-1].lineno}" if ours else ""
    said = " ".join(str(error).split())[:200]
    what = f"{type(error).__name__}: {said}" if said else type(error).__name__
    return f"an error of Umbrak's own{place} ({what}); with UMBRAK_TRACEBACK=1 it tells more"


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="umbrak", description="Memory upgrades, planned and proved.")
    commands = parser.add_subparsers(metavar="COMMAND", required=True)

    def command(name: str, run: Callable[[Arguments], None], into: Any = commands) -> argparse.ArgumentParser:
        """A command whose help is its function's docstring."""
        made: argparse.ArgumentParser = into.add_parser(name, help=run.__doc__, description=run.__doc__)
        made.set_defaults(run=run)
        return made

    def as_json(to: argparse.ArgumentParser) -> None:
        to.add_argument(
            "--json", dest="as_json", action="store_true", help="one JSON list, an entry for each input in order"
        )

    label = command("label", label_command)
    label.add_argument("texts", metavar="TEXT", nargs="*")
    as_json(label)

    read = command("read", read_command)
    read.add_argument("files", metavar="FILE", nargs="+", type=Path)
    read.add_argument(
        "--as", dest="kind", metavar="KIND", help="smbios, smbios-text or spd; found from the content when left out"
    )
    as_json(read)

    check = command("check", check_command)
    check.add_argument("cases", metavar="CASE", nargs="*", type=Path)
    check.add_argument("--strict", action="store_true", help="exit 3 when a verdict is no-go")
    as_json(check)

    routes = command("routes", routes_command)
    routes.add_argument("cases", metavar="CASE", nargs="+", type=Path)
    routes.add_argument("--seconds", type=float, default=60.0, help="end with the best so far after this; default: 60")
    as_json(routes)
    brief = command("brief", brief_command)
    brief.add_argument("cases", metavar="CASE", nargs="+", type=Path)
    as_json(brief)
    rounds = command("rounds", rounds_command)
    rounds.add_argument("files", metavar="FILE", nargs="+", type=Path)
    rounds.add_argument("--seconds", type=float, default=60.0, help="end with the best so far after this; default: 60")
    as_json(rounds)
    run = command("run-sheet", run_sheet_command)
    run.add_argument("cases", metavar="CASE", nargs="+", type=Path)
    as_json(run)

    sheet = commands.add_parser("sheet", help="platform sheets").add_subparsers(metavar="COMMAND", required=True)
    lint = command("lint", sheet_lint_command, sheet)
    lint.add_argument("files", metavar="FILE", nargs="+", type=Path)
    as_json(lint)
    draft = command("draft", sheet_draft_command, sheet)
    draft.add_argument("file", type=Path, metavar="FILE", help="what a machine reports; - is standard input")
    command("schema", sheet_schema_command, sheet)

    serve, demo = command("serve", serve_command), command("demo", demo_command)
    for served in (serve, demo):
        served.add_argument("--port", type=_port, help="port on loopback; 0 for any free one")
    serve.add_argument(
        "--host", default="127.0.0.1", help="address to listen on; beyond loopback with TLS or a named proxy"
    )
    serve.add_argument("--tls-cert", type=Path, help="certificate for HTTPS")
    serve.add_argument("--tls-key", type=Path, help="its key")
    demo.add_argument("--reset", action="store_true", help="make the demo's data anew")

    command("setup", setup_command)
    backup = command("backup", backup_command)
    backup.add_argument("file", type=Path, metavar="FILE")
    backup.add_argument("--without-key", action="store_true", help="leave out the key that seals machines' passwords")
    restore = command("restore", restore_command)
    restore.add_argument("file", type=Path, metavar="FILE")
    restore.add_argument("--into", metavar="NAME", help="a database of this name, beside the one that is served")

    user = commands.add_parser("user", help="accounts").add_subparsers(metavar="COMMAND", required=True)
    add = command("add", user_add_command, user)
    add.add_argument("name", metavar="NAME")
    add.add_argument("--shown-as", default="", help="name that others see")
    add.add_argument(
        "--role", choices=["viewer", "technician", "lead"], default="technician", help="default: technician"
    )

    token = commands.add_parser("token", help="tokens for scripts").add_subparsers(metavar="COMMAND", required=True)
    made = command("add", token_add_command, token)
    made.add_argument("name", metavar="NAME", help="the account that the script works for")
    made.add_argument("--for", dest="purpose", default="a script", help="what it is for")
    made.add_argument("--role", choices=["viewer", "technician", "lead"], default="viewer", help="default: viewer")
    made.add_argument("--days", type=int, default=90, help="after how many days it ends; default: 90")

    test = command("test", test_command)
    test.add_argument("rest", metavar="ARGUMENT", nargs=argparse.REMAINDER, help="run only pytest, with these")
    return parser


def _port(text: str) -> int:
    if not text.isdigit() or int(text) > 65535:
        raise argparse.ArgumentTypeError(f"{text} is no port (0 to 65535)")
    return int(text)


# -- the light ones: no database ----------------------------------------------------------------------


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
            results.append({"error": {"code": "unexpected", "message": _unexpected(error), "where": ""}})
            if not as_json:
                print(f"{item}: {_unexpected(error)}", file=sys.stderr)
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
    _each(
        arguments.files,
        lambda path: reading_json(read_any(_bytes(path), arguments.kind)),
        arguments.as_json,
        reading_words,
    )


def _folder(path: Path) -> Path:
    """What the paths in a file are relative to."""
    return Path(".") if str(path) == "-" else path.parent


def _case(path: Path) -> Case:
    """The case of a file; what is odd about its modules is told where errors are, and it is answered all the same."""
    from umbrak.formats.case import read_case

    case = read_case(_bytes(path), _folder(path))
    _tell_said(path, case.said)
    return case


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
        asked = read_round(_bytes(path), _folder(path), date.today())
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
        sheets = [
            {"id": r.sheet.id, "hash": r.sheet.hash, "slots": len(r.sheet.slots), "findings": jsonable(r.findings)}
            for r in read_sheets(_bytes(path))
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
        reading = read_any(_bytes(arguments.file))
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


# -- the heavy ones -----------------------------------------------------------------------------------


@contextmanager
def _in_order() -> Iterator[None]:
    """Told to end, end in order: what was started here is stopped here. (The server hands a signal on when it has
    closed.) What stops a command is said in a line, not in a traceback."""
    from umbrak.cli.trouble import Trouble

    gc.enable()  # switched off for the light commands only (see __main__)
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: sys.exit(0))
    try:
        yield
    except Trouble as error:
        print(f"umbrak: {error}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        sys.exit(0)


def serve_command(arguments: Arguments) -> None:
    """Serve, on loopback if nothing else is said, with UMBRAK_DATABASE_URL or a private PostgreSQL."""
    from umbrak.cli.listening import Listening, check_listening
    from umbrak.cli.logs import start_logs
    from umbrak.cli.reaching import check_database

    with _in_order():
        at = Listening(arguments.port, arguments.host, tls_cert=arguments.tls_cert, tls_key=arguments.tls_key)
        # What can be wrong with its settings is said before all that it takes is loaded.
        check_listening(at)
        start_logs()
        check_database()
        from umbrak.cli import serving

        serving.serve(at)


def demo_command(arguments: Arguments) -> None:
    """Set up what is missing and serve the demo."""
    from umbrak.cli import serving

    with _in_order():
        serving.demo(arguments.port, arguments.reset)


def setup_command(_: Arguments) -> None:
    """Set up all that serving needs, for a user who may write nothing in the checkout."""
    from umbrak.cli.provision import set_up

    set_up()


def backup_command(arguments: Arguments) -> None:
    """Write everything into one file: the database, and the key under a passphrase (UMBRAK_BACKUP_PASSPHRASE, or asked for)."""
    from umbrak.cli import keeping

    with _in_order():
        keeping.backup(arguments.file, not arguments.without_key)


def restore_command(arguments: Arguments) -> None:
    """Put a backup into an empty installation, or beside the one that is served; every table is counted afterwards."""
    from umbrak.cli import keeping

    with _in_order():
        keeping.restore(arguments.file, arguments.into)


def user_add_command(arguments: Arguments) -> None:
    """Add an account; its password is asked for, or read from standard input."""
    from umbrak.cli import accounts

    with _in_order():
        accounts.add_user(arguments.name, shown_as=arguments.shown_as, role=arguments.role)


def token_add_command(arguments: Arguments) -> None:
    """Make a token by which a script asks in an account's name; it is printed this once."""
    from umbrak.cli import accounts

    with _in_order():
        accounts.add_token(arguments.name, arguments.purpose, role=arguments.role, days=arguments.days)


def test_command(arguments: Arguments) -> None:
    """Set up what is missing and run every check and test."""
    from umbrak.cli import testing

    with _in_order():
        sys.exit(testing.run_all(arguments.rest))
