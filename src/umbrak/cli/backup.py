"""Backup and restore: one file with the database as pg_dump writes it, the installation's key under a passphrase, and what
both are checked by.

The file is a ZIP archive, stored (the dump is compressed already): `manifest.json`, `database.dump`, and `key.sealed` where a
passphrase was given. The manifest tells the versions, each table's rows in the very snapshot that was dumped, and the SHA-256
of the members.
"""

from __future__ import annotations

import base64
import hashlib
import json
import os
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy import Connection, Engine, create_engine, text
from sqlalchemy.engine import URL, make_url

import umbrak
from umbrak.cli.cluster import binaries
from umbrak.cli.trouble import Trouble
from umbrak.store.engine import NewerSchemaError, ensure_database, known_revision, migrate

_FORMAT = 1
_MANIFEST, _DUMP, _KEY = "manifest.json", "database.dump", "key.sealed"
#: scrypt (RFC 7914) with N = 2^15, r = 8, p = 1: 32 MB and a tenth of a second a try.
_SCRYPT: dict[str, Any] = {"n": 1 << 15, "r": 8, "p": 1, "maxmem": 64 << 20, "dklen": 32}
LEAST_PASSPHRASE = 12


@dataclass(frozen=True, slots=True)
class Manifest:
    format: int
    version: str
    #: Revision of the schema.
    revision: str
    #: Of the server that was dumped.
    postgresql: str
    made_at: str
    #: Table -> rows.
    rows: Mapping[str, int]
    #: Member -> SHA-256 in hex.
    sha256: Mapping[str, str]
    #: Of the key's passphrase; "" where there is no key in it.
    salt: str


def backup(url: str, file: Path, key: bytes | None, passphrase: str) -> Manifest:
    """Write a backup of the database, and of the key where a passphrase is given. Written whole or not at all, read back
    before it has its name.

    Raises
        Trouble   the file is there already, there is no room, the server is newer than pg_dump here, ...
    """
    if file.exists():
        raise Trouble(f"{file} is there already: give another name, or move it away")
    if passphrase and len(passphrase) < LEAST_PASSPHRASE:
        raise Trouble(
            f"the passphrase has at least {LEAST_PASSPHRASE} characters: whoever has the file can try for years"
        )
    target = make_url(url)
    with _working(file.parent) as folder:
        dump = folder / _DUMP
        with _snapshot(url) as (db, snapshot):
            revision = str(db.execute(text("SELECT version_num FROM alembic_version")).scalar_one())
            server = str(db.execute(text("SHOW server_version")).scalar_one())
            rows = _rows(db)
            _run(
                "pg_dump",
                target,
                "--format=custom",
                "--no-owner",
                "--no-privileges",
                f"--snapshot={snapshot}",
                f"--file={dump}",
            )
        members = {_DUMP: dump}
        salt = os.urandom(16) if passphrase and key else b""
        if passphrase and key:
            (folder / _KEY).write_bytes(_sealing(passphrase, salt).encrypt(key.strip()))
            members[_KEY] = folder / _KEY
        manifest = Manifest(
            format=_FORMAT,
            version=umbrak.__version__,
            revision=revision,
            postgresql=server,
            made_at=datetime.now(UTC).isoformat(timespec="seconds"),
            rows=rows,
            sha256={name: _hash_of(path) for name, path in members.items()},
            salt=salt.hex(),
        )
        made = folder / "backup"
        made.touch(mode=0o600)
        with zipfile.ZipFile(made, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr(_MANIFEST, json.dumps(asdict(manifest), indent=1))
            for name, path in members.items():
                archive.write(path, name)
        check(made)
        with made.open("rb") as written:
            os.fsync(written.fileno())
        try:
            os.link(made, file)  # unlike renaming, never over another one
        except FileExistsError as error:
            raise Trouble(f"{file} is there already: give another name, or move it away") from error
    return manifest


def check(file: Path) -> Manifest:
    """Read a backup's manifest, and see that its members are what was written. Raises Trouble."""
    with _opened(file) as (archive, manifest):
        for name, wanted in manifest.sha256.items():
            found = hashlib.sha256()
            with archive.open(name) as member:
                for block in iter(lambda: member.read(1 << 20), b""):
                    found.update(block)
            if found.hexdigest() != wanted:
                raise Trouble(f"{file}: {name} is not what was written; take another backup")
    return manifest


def restore(url: str, file: Path, passphrase: str) -> tuple[Manifest, bytes | None]:
    """Restore a backup into an empty or missing database, table by table as it was, and bring it to this version.

    Returns
        (its manifest, the key that was in it, if a passphrase was given)

    Raises
        Trouble   the file is damaged or of a later version, the passphrase is wrong, the database holds something, ...
    """
    manifest = check(file)
    key = _unsealed(file, manifest, passphrase) if passphrase else None
    if not known_revision(manifest.revision):
        raise Trouble(
            f"{file} was made by Umbrak {manifest.version}, which is later than this one: restore it with that version"
        )
    target = make_url(url)
    ensure_database(url)
    engine = create_engine(url)
    try:
        with engine.connect() as db:
            if _rows(db):
                raise Trouble(f"the database {target.database} is not empty: restore beside it with --into NAME")
        with _working(Path(tempfile.gettempdir())) as folder, _opened(file) as (archive, _):
            archive.extract(_DUMP, folder)
            _run(
                "pg_restore", target, "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction",
                f"--dbname={target.database}", str(folder / _DUMP),
            )  # fmt: skip
        _compare(engine, manifest, file)
        try:
            migrate(url)
        except NewerSchemaError as error:  # pragma: no cover, the revision was known above
            raise Trouble(str(error)) from error
    finally:
        engine.dispose()
    return manifest, key


def _compare(engine: Engine, manifest: Manifest, file: Path) -> None:
    with engine.connect() as db:
        found = _rows(db)
    different = sorted(t for t in {*found, *manifest.rows} if found.get(t) != manifest.rows.get(t))
    if different:
        told = ", ".join(f"{t} {found.get(t, 'missing')} for {manifest.rows.get(t, 'none')}" for t in different[:5])
        raise Trouble(f"restored, but not as {file} tells: rows of {told}")


@contextmanager
def _opened(file: Path) -> Iterator[tuple[zipfile.ZipFile, Manifest]]:
    """Raises Trouble where it is no backup, or one of a later format."""
    try:
        with zipfile.ZipFile(file) as archive:
            given = json.loads(archive.read(_MANIFEST))
            if given["format"] > _FORMAT:
                raise Trouble(f"{file} was made by Umbrak {given['version']}, which is later than this one")
            manifest = Manifest(**given)
            archive.getinfo(_DUMP)
            yield archive, manifest
    except FileNotFoundError as error:
        raise Trouble(f"there is no file {file}") from error
    except (OSError, zipfile.BadZipFile, ValueError, KeyError, TypeError) as error:
        raise Trouble(f"{file} is no backup of Umbrak, or is damaged: {error}") from error


@contextmanager
def _snapshot(url: str) -> Iterator[tuple[Connection, str]]:
    """A transaction that sees one moment, and the name by which pg_dump sees the same one."""
    engine = create_engine(url, isolation_level="REPEATABLE READ")
    try:
        with engine.connect() as db:
            yield db, str(db.execute(text("SELECT pg_export_snapshot()")).scalar_one())
    finally:
        engine.dispose()


def _rows(db: Connection) -> dict[str, int]:
    """Table -> rows, of every table that is ours."""
    names = db.execute(
        text("SELECT quote_ident(tablename) FROM pg_tables WHERE schemaname = 'public' ORDER BY tablename")
    ).scalars()
    return {name: int(db.execute(text(f"SELECT count(*) FROM {name}")).scalar_one()) for name in list(names)}


@contextmanager
def _working(beside: Path) -> Iterator[Path]:
    """A folder for what is being written, readable by its owner alone, gone at the end. Raises Trouble."""
    try:
        with tempfile.TemporaryDirectory(prefix=".umbrak-backup-", dir=beside) as folder:
            yield Path(folder)
    except OSError as error:
        free = ""
        with suppress(OSError):
            free = f"; {shutil.disk_usage(beside).free >> 20} MiB are free there"
        raise Trouble(f"{beside} cannot be written to: {error.strerror or error}{free}") from error


def _run(program: str, target: URL, *arguments: str) -> None:
    """A program of PostgreSQL's against a database; its password goes by the environment, where nobody sees it."""
    folder = binaries()
    if folder is None:
        raise Trouble("PostgreSQL's programs are not installed: install the package postgresql-client")
    said = {
        "PGHOST": target.host,
        "PGPORT": target.port,
        "PGUSER": target.username,
        "PGPASSWORD": target.password,
        "PGDATABASE": target.database,
    }
    env = {**os.environ, **{k: str(v) for k, v in said.items() if v}, "PGCONNECT_TIMEOUT": "10"}
    done = subprocess.run(
        [str(folder / program), "--no-password", *arguments],
        env=env,
        stdin=subprocess.DEVNULL,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise Trouble(f"{program} failed: {' '.join(done.stderr.split())[:1000] or 'no reason given'}")


def _sealing(passphrase: str, salt: bytes) -> Fernet:
    return Fernet(base64.urlsafe_b64encode(hashlib.scrypt(passphrase.encode(), salt=salt, **_SCRYPT)))


def _unsealed(file: Path, manifest: Manifest, passphrase: str) -> bytes:
    if not manifest.salt:
        raise Trouble(f"{file} has no key in it: it was made without a passphrase")
    with _opened(file) as (archive, _):
        sealed = archive.read(_KEY)
    try:
        return _sealing(passphrase, bytes.fromhex(manifest.salt)).decrypt(sealed)
    except InvalidToken as error:
        raise Trouble("that is not the passphrase by which the key was sealed; nothing was restored") from error


def _hash_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
