"""backup and restore: the commands."""

from __future__ import annotations

import getpass
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.engine import make_url

from umbrak.cli import backup as files
from umbrak.cli.cluster import Cluster, default_folder
from umbrak.cli.provision import need_packages
from umbrak.cli.reaching import database, given_url, key_file, reached, write_once
from umbrak.cli.trouble import Trouble


def _passphrase(asked: str, again: bool) -> str:
    """UMBRAK_BACKUP_PASSPHRASE, or asked for at a terminal, or standard input's first line."""
    if given := os.environ.get("UMBRAK_BACKUP_PASSPHRASE"):
        return given
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    given = getpass.getpass(f"{asked}: ")
    if again and getpass.getpass("Again: ") != given:
        raise Trouble("the two differ; nothing was written")
    return given


def backup(file: Path, with_key: bool) -> None:
    """A backup of the served database and of its key, in one file."""
    given = os.environ.get("UMBRAK_KEY", "").encode() or (key_file().read_bytes() if key_file().exists() else b"")
    passphrase = _passphrase("Passphrase for the key in it", again=True) if with_key and given else ""
    if with_key and given and not passphrase:
        raise Trouble(
            "the key is sealed by a passphrase: give one in UMBRAK_BACKUP_PASSPHRASE, or leave the key out with --without-key"
        )
    with database("umbrak", as_it_is=True) as url, reached(url):
        made = files.backup(url, file, given or None, passphrase)
    size = file.stat().st_size
    key = (
        "with its key"
        if made.salt
        else "WITHOUT the key: keep that elsewhere, or machines' passwords have to be entered again"
    )
    print(
        f"{file}: {size / (1 << 20):.1f} MiB, {len(made.rows)} tables, {sum(made.rows.values())} rows, {key}; read back and checked"
    )


def restore(file: Path, into: str | None) -> None:
    """A backup into an empty installation, or into a database of another name beside it."""
    manifest = files.check(file)
    passphrase = (
        _passphrase("Passphrase of the key in it (empty: leave the key out)", again=False) if manifest.salt else ""
    )
    own_key = key_file() if into is None else default_folder() / f"{into}.key"
    with _emptied(into) as url:
        if passphrase and own_key.exists():
            # Asked before anything is written: whose key stays cannot be mended afterwards.
            raise Trouble(f"{own_key} is there already: move it away, or leave the key out (an empty passphrase)")
        _, key = files.restore(url, file, passphrase)
        if key is not None and not os.environ.get("UMBRAK_KEY"):
            write_once(own_key, key)
    told = [
        f"restored from {manifest.made_at}, Umbrak {manifest.version}: {sum(manifest.rows.values())} rows, as they were, brought to this version"
    ]
    if key is not None and os.environ.get("UMBRAK_KEY"):
        told.append("UMBRAK_KEY stays what it is: the backup's key was not taken")
    elif key is not None:
        told.append(f"its key is {own_key}" + (": give it in UMBRAK_KEY to serve that database" if into else ""))
    else:
        told.append("without its key: machines' passwords have to be entered again, unless the key is put back")
    if into:
        told.append(f"it is the database {into}, beside the one that is served")
    print("\n".join(told))


@contextmanager
def _emptied(into: str | None) -> Iterator[str]:
    """The address of the database to restore into; it may not be there yet."""
    given = os.environ.get("UMBRAK_DATABASE_URL")
    if given:
        url = make_url(given_url(given))
        with reached(url.render_as_string(hide_password=False)):
            yield (url.set(database=into) if into else url).render_as_string(hide_password=False)
        return
    need_packages()
    with Cluster(default_folder()).running() as cluster:
        yield cluster.url(into or "umbrak")
