"""`umbrak`: the commands. What they print with --json is a contract (docs/command-line.md).

argparse, not a larger library: `label` and `check` answer in the time that others take to load.
"""

from __future__ import annotations

import argparse
import gc
import os
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from umbrak.cli.answering import (
    brief_command,
    check_command,
    label_command,
    read_command,
    rounds_command,
    routes_command,
    run_sheet_command,
    sheet_draft_command,
    sheet_lint_command,
    sheet_schema_command,
)
from umbrak.cli.trouble import unexpected

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
        print(f"umbrak: {unexpected(error)}", file=sys.stderr)
        sys.exit(70)  # EX_SOFTWARE of sysexits.h


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
    if not text.isdecimal() or int(text) > 65535:
        raise argparse.ArgumentTypeError(f"{text} is no port (0 to 65535)")
    return int(text)


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
