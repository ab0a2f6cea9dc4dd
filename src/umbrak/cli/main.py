"""`umbrak`: the commands. What they print with --json is a contract (docs/command-line.md).

Click alone, not Typer: Typer's argument adapters load Pydantic for every command, which took more than
half of the time in which `umbrak label` answers.
"""

from __future__ import annotations

import gc
import json
import signal
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click


@click.group(help="Memory upgrades, planned and proved.")
def main() -> None:
    pass


@main.group(help="Platform sheets.")
def sheet() -> None:
    pass


@main.group(help="Accounts.")
def user() -> None:
    pass


_as_json = click.option("--json", "as_json", is_flag=True, help="One JSON list, an entry for each input in order.")


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
                    click.echo(
                        f"{item if isinstance(item, Path) else ''}{': ' if isinstance(item, Path) else ''}{fault}",
                        err=True,
                    )
            continue
        if not as_json:
            click.echo(show(results[-1]))
    if as_json:
        click.echo(json.dumps(results, ensure_ascii=False, indent=2))
    if failed:
        sys.exit(1)
    return results


def _bytes(path: Path) -> bytes:
    from umbrak.formats.faults import Fault, InputError

    try:
        return sys.stdin.buffer.read() if str(path) == "-" else path.read_bytes()
    except OSError as error:
        raise InputError("cannot-read", [Fault(f"cannot read {path}: {error.strerror}", str(path))]) from error


@main.command()
@click.argument("texts", metavar="TEXT...", nargs=-1)
@_as_json
def label(texts: tuple[str, ...], as_json: bool) -> None:
    """Decode label text; without TEXT, standard input, one label a line."""
    from umbrak.cli.words import label_words
    from umbrak.core.memory.label import decode_label
    from umbrak.formats.faults import Fault, InputError
    from umbrak.formats.to_json import label_json

    def use(text: str) -> dict[str, Any]:
        reading = decode_label(text)
        if not reading.understood:
            raise InputError(
                "nothing-understood",
                [Fault(f"“{text}”: nothing in it is known from a module's label", f"characters 0 to {len(text)}")],
            )
        return label_json(reading)

    lines = list(texts) or [line.strip() for line in sys.stdin if line.strip()]
    _each(lines, use, as_json, label_words)


@main.command()
@click.argument("files", metavar="FILE...", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--as", "kind", metavar="KIND", help="smbios or smbios-text; found from the content when left out.")
@_as_json
def read(files: tuple[Path, ...], kind: str | None, as_json: bool) -> None:
    """Decode what a machine reports (- is standard input)."""
    from umbrak.cli.words import reading_words
    from umbrak.formats.reading import READERS, read_any
    from umbrak.formats.to_json import jsonable

    if kind is not None and kind not in READERS:
        raise click.BadParameter(f"{kind} is not read here; known: {', '.join(READERS)}", param_hint="--as")
    _each(files, lambda path: jsonable(read_any(_bytes(path), kind)), as_json, reading_words)


@main.command()
@click.argument("cases", metavar="CASE...", nargs=-1, type=click.Path(path_type=Path))
@click.option("--strict", is_flag=True, help="Exit 3 when a verdict is no-go.")
@_as_json
def check(cases: tuple[Path, ...], strict: bool, as_json: bool) -> None:
    """Evaluate the layout of each case; without CASE, of the one on standard input."""
    from umbrak.cli.words import check_words
    from umbrak.formats.case import check_case, read_case

    def use(path: Path) -> dict[str, Any]:
        folder = Path(".") if str(path) == "-" else path.parent
        return check_case(read_case(_bytes(path), folder))

    results = _each(cases or (Path("-"),), use, as_json, check_words)
    if strict and any(r.get("goal", r)["verdict"] == "no-go" for r in results):
        sys.exit(3)


@sheet.command("lint")
@click.argument("files", metavar="FILE...", nargs=-1, required=True, type=click.Path(path_type=Path))
@_as_json
def sheet_lint(files: tuple[Path, ...], as_json: bool) -> None:
    """Check sheets: wrong fields, unresolved names, and what is legal but wrong."""
    from umbrak.formats.sheet.reading import read_sheets
    from umbrak.formats.to_json import jsonable

    found = 0

    def use(path: Path) -> dict[str, Any]:
        nonlocal found
        sheets = []
        for reading in read_sheets(_bytes(path)):
            found += len(reading.findings)
            sheets.append(
                {
                    "id": reading.sheet.id,
                    "hash": reading.sheet.hash,
                    "slots": len(reading.sheet.slots),
                    "findings": jsonable(reading.findings),
                }
            )
        return {"file": str(path), "sheets": sheets}

    def show(result: dict[str, Any]) -> str:
        lines = []
        for sheet in result["sheets"]:
            lines += [
                f"{result['file']}: line {f['line']}, column {f['column']}: {f['path']}: {f['message']} [{f['code']}]"
                for f in sheet["findings"]
            ]
            if not sheet["findings"]:
                lines.append(f"{result['file']}: {sheet['id']} is clean, {sheet['slots']} slots")
        return "\n".join(lines)

    _each(files, use, as_json, show)
    if found:
        sys.exit(1)


@sheet.command("schema")
def sheet_schema() -> None:
    """The JSON Schema of the sheet format, made from the code."""
    from umbrak.formats.sheet.document import SheetDoc

    click.echo(json.dumps(SheetDoc.model_json_schema(by_alias=True), indent=2, ensure_ascii=False))


_port = click.option("--port", type=click.IntRange(0, 65535), help="Port on loopback; 0 for any free one.")


@main.command()
@_port
@click.option("--tls-cert", type=click.Path(path_type=Path, exists=True), help="Certificate for HTTPS.")
@click.option("--tls-key", type=click.Path(path_type=Path, exists=True), help="Its key.")
def serve(port: int | None, tls_cert: Path | None, tls_key: Path | None) -> None:
    """Serve on loopback, with UMBRAK_DATABASE_URL or a private PostgreSQL."""
    from umbrak.cli import serving

    with _troubles():
        serving.serve(port, tls_cert, tls_key)


@main.command()
@_port
@click.option("--reset", is_flag=True, help="Make the demo's data anew.")
def demo(port: int | None, reset: bool) -> None:
    """Set up what is missing and serve the demo."""
    from umbrak.cli import serving

    with _troubles():
        serving.demo(port, reset)


@user.command("add")
@click.argument("name")
@click.option("--shown-as", default="", help="Name that others see.")
@click.option("--role", type=click.Choice(["viewer", "technician", "lead"]), default="technician", show_default=True)
@click.password_option(help="Asked for when left out.")
def user_add(name: str, shown_as: str, role: str, password: str) -> None:
    """Add an account."""
    from umbrak.cli import serving
    from umbrak.services.accounts import add_account
    from umbrak.services.errors import Refused
    from umbrak.store.engine import open_engine

    with _troubles(), serving.database("umbrak") as url:
        engine = open_engine(url)
        try:
            account = add_account(engine, name, shown_as, password, role)
        except Refused as error:
            raise click.ClickException(str(error)) from error
        finally:
            engine.dispose()
    click.echo(f"{account.name} added as {account.role}")


@main.command(context_settings={"ignore_unknown_options": True})
@click.argument("rest", nargs=-1, type=click.UNPROCESSED)
def test(rest: tuple[str, ...]) -> None:
    """Set up what is missing and run every check and test (or pytest with the arguments given)."""
    from umbrak.cli import testing

    with _troubles():
        sys.exit(testing.run_all(list(rest)))


@contextmanager
def _troubles() -> Iterator[None]:
    from umbrak.cli.trouble import Trouble

    gc.enable()  # switched off for the light commands only (see __main__)
    # Told to end, end in order: what was started here is stopped here. (The server hands the signal on when it has closed.)
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: sys.exit(0))
    try:
        yield
    except Trouble as error:
        raise click.ClickException(str(error)) from error
    except KeyboardInterrupt:
        sys.exit(0)
