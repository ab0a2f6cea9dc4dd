"""The restore drill: what was backed up is restored elsewhere, and is the same, table by table and screen by screen."""

from __future__ import annotations

import io
import json
import os
import re
import subprocess
import sys
import uuid
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from PIL import Image
from sqlalchemy import Engine, create_engine, text

from tests.services.test_runs import OFFICIAL, begin
from umbrak.cli.backup import Manifest, backup, check, restore
from umbrak.cli.trouble import Trouble
from umbrak.demo import seed
from umbrak.server.app import make_app
from umbrak.services.bench.entering import add_photo
from umbrak.services.reach import Vault
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import migrate, open_engine

ROOT = Path(__file__).resolve().parents[2]
PASSPHRASE = "the lamp is lit at dusk"
KEY = Vault.new_key()


@pytest.fixture
def elsewhere(database_url: str) -> Iterator[str]:
    """The address of a database that is not there, dropped at the end."""
    name = f"r_{uuid.uuid4().hex}"
    yield f"{database_url.rsplit('/', 1)[0]}/{name}"
    admin = create_engine(f"{database_url.rsplit('/', 1)[0]}/postgres", isolation_level="AUTOCOMMIT")
    with admin.connect() as db:
        db.execute(text(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)'))
    admin.dispose()


def content(url: str) -> dict[str, str]:
    """Table -> hash of all that is in it, whatever its order."""
    engine = create_engine(url)
    with engine.connect() as db:
        names = db.execute(text("SELECT quote_ident(tablename) FROM pg_tables WHERE schemaname = 'public'")).scalars()
        found = {
            n: str(
                db.execute(
                    text(f"SELECT md5(string_agg(r, '|' ORDER BY r)) FROM (SELECT t::text r FROM {n} t) x")
                ).scalar()
            )
            for n in list(names)
        }
    engine.dispose()
    return found


def screens(url: str, paths: list[str]) -> list[Any]:
    engine = open_engine(url)
    try:
        client = TestClient(make_app(engine), base_url="https://umbrak.test")
        client.post("/api/session", json={"name": seed.ACCOUNT, "password": seed.PASSWORD}).raise_for_status()
        return [client.get(path).raise_for_status().content for path in paths]
    finally:
        engine.dispose()


def working(engine: Engine) -> list[str]:
    """A run with a photo in it; the paths of three screens that show it."""
    with engine.connect() as db:
        technician, lead = (find_credentials(db, name) for name in (seed.ACCOUNT, "lead"))
    assert technician and lead
    run = begin(engine, technician.account, lead.account, OFFICIAL).run
    picture = io.BytesIO()
    Image.new("RGB", (64, 48), (90, 60, 30)).save(picture, "JPEG")
    photo = uuid.uuid4()
    add_photo(
        engine, technician.account, run.id, photo, run.steps[0].key, picture.getvalue(), run.started_at, run.started_at
    )
    return [f"/api/runs/{run.id}", f"/api/runs/{run.id}/attachments/{photo}", f"/api/machines/{run.machine_id}"]


def test_the_drill(engine: Engine, seeded: str, elsewhere: str, tmp_path: Path) -> None:
    paths = working(engine)
    seen = screens(seeded, paths)
    before = content(seeded)
    made = backup(seeded, file := tmp_path / "u.backup", KEY, PASSPHRASE)
    assert (made.revision, len(made.rows) > 40, file.stat().st_mode & 0o077) == (check(file).revision, True, 0)
    assert not [p for p in tmp_path.iterdir() if p != file], "nothing else is left beside it"
    manifest, key = restore(elsewhere, file, PASSPHRASE)
    assert key == KEY and manifest == made
    assert content(elsewhere) == before
    assert screens(elsewhere, paths) == seen
    with create_engine(elsewhere).connect() as db, pytest.raises(Exception, match="append"):
        db.execute(text("DELETE FROM history"))  # what guards the history came along
    assert KEY not in file.read_bytes() and PASSPHRASE.encode() not in file.read_bytes()


def test_what_cannot_be_restored_is_said_before_anything_is_written(
    engine: Engine, seeded: str, elsewhere: str, tmp_path: Path
) -> None:
    file = tmp_path / "u.backup"
    backup(seeded, file, KEY, PASSPHRASE)
    damaged, foreign, later, keyless = (tmp_path / n for n in ("damaged", "foreign", "later", "keyless"))
    raw = bytearray(file.read_bytes())
    raw[len(raw) // 2] ^= 0xFF
    damaged.write_bytes(raw)
    foreign.write_bytes(b"PK\x03\x04 and nothing")
    backup(seeded, keyless, None, "")
    with zipfile.ZipFile(file) as old, zipfile.ZipFile(later, "w") as new:
        manifest = json.loads(old.read("manifest.json"))
        new.writestr("manifest.json", json.dumps({**manifest, "revision": "9999", "version": "99.0"}))
        for name in ("database.dump", "key.sealed"):
            new.writestr(name, old.read(name))
    for wrong, passphrase, words in (
        (damaged, PASSPHRASE, "not what was written|is damaged"),
        (foreign, PASSPHRASE, "is no backup of Umbrak"),
        (tmp_path / "nowhere", PASSPHRASE, "there is no file"),
        (later, PASSPHRASE, "made by Umbrak 99.0, which is later than this one"),
        (file, "the lamp is lit at dawn", "not the passphrase"),
        (keyless, PASSPHRASE, "has no key in it"),
    ):
        with pytest.raises(Trouble, match=words):
            restore(elsewhere, wrong, passphrase)
    with pytest.raises(Trouble, match="is not empty"):
        restore(seeded, file, PASSPHRASE)
    for target, key, passphrase, words in (
        (file, KEY, PASSPHRASE, "is there already"),
        (tmp_path / "short", KEY, "short", "at least 12 characters"),
        (tmp_path / "no" / "folder", KEY, PASSPHRASE, "cannot be written to"),
    ):
        with pytest.raises(Trouble, match=words):
            backup(seeded, target, key, passphrase)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["damaged", "foreign", "keyless", "later", "u.backup"]


def revisions() -> list[str]:
    versions = ROOT / "src/umbrak/store/migrations/versions"
    return sorted(re.match(r"\d{4}", p.name)[0] for p in versions.glob("[0-9]*.py"))  # type: ignore[index]


def earlier() -> list[Any]:
    """Every fifth in the suite; all others are of the wide matrix."""
    return [r if i % 5 == 0 else pytest.param(r, marks=pytest.mark.wide) for i, r in enumerate(revisions()[:-1])]


@pytest.mark.parametrize("revision", earlier())
def test_a_backup_of_every_earlier_revision_is_restored_and_upgraded(
    revision: str, elsewhere: str, tmp_path: Path, database_url: str
) -> None:
    """Each earlier schema, with an account in it: backed up as it is, restored, brought to this version."""
    old = f"{elsewhere}_old"
    admin = create_engine(f"{database_url.rsplit('/', 1)[0]}/postgres", isolation_level="AUTOCOMMIT")
    with admin.connect() as db:
        db.execute(text(f'CREATE DATABASE "{old.rsplit("/", 1)[1]}"'))
    try:
        migrate(old, revision)
        with create_engine(old).begin() as db:
            db.execute(
                text(
                    "INSERT INTO account (id, name, shown_as, password_hash, role) VALUES (gen_random_uuid(), 'keeper', 'K.', 'x', 'lead')"
                )
            )
        made: Manifest = backup(old, tmp_path / "b", None, "")
        assert made.revision == revision
        restore(elsewhere, tmp_path / "b", "")
        with create_engine(elsewhere).connect() as db:
            assert db.execute(text("SELECT version_num FROM alembic_version")).scalar_one() == revisions()[-1]
            assert db.execute(text("SELECT name FROM account")).scalars().all() == ["keeper"]
    finally:
        with admin.connect() as db:
            db.execute(text(f'DROP DATABASE IF EXISTS "{old.rsplit("/", 1)[1]}" WITH (FORCE)'))
        admin.dispose()


def test_the_commands(seeded: str, elsewhere: str, tmp_path: Path) -> None:
    """As an operator gives them: backup, restore beside under another name, and what is wrong in a line."""

    def umbrak(*arguments: str, url: str = seeded, passphrase: str = PASSPHRASE) -> subprocess.CompletedProcess[str]:
        env = {
            "PATH": os.environ["PATH"], "PYTHONPATH": str(ROOT / "src"), "UMBRAK_DATA": str(tmp_path / "data"),
            "UMBRAK_DATABASE_URL": url, "UMBRAK_BACKUP_PASSPHRASE": passphrase, "HOME": str(tmp_path),
        }  # fmt: skip
        return subprocess.run(
            [sys.executable, "-m", "umbrak", *arguments],
            env=env,
            capture_output=True,
            text=True,
            check=False,
            stdin=subprocess.DEVNULL,
        )

    (tmp_path / "data").mkdir()
    (tmp_path / "data/secret.key").write_bytes(KEY)
    file, name = str(tmp_path / "u.backup"), elsewhere.rsplit("/", 1)[1]
    done = umbrak("backup", file)
    assert done.returncode == 0 and "with its key; read back and checked" in done.stdout, done.stderr
    again = umbrak("backup", file)
    assert (again.returncode, again.stdout) == (1, "") and "is there already" in again.stderr
    refused = umbrak("restore", file)
    assert refused.returncode == 1 and "secret.key is there already" in refused.stderr
    beside = umbrak("restore", file, "--into", name)
    assert beside.returncode == 0 and f"it is the database {name}" in beside.stdout, beside.stderr
    assert (tmp_path / f"data/{name}.key").read_bytes() == KEY
    assert content(elsewhere) == content(seeded)
    wrong = umbrak("restore", file, "--into", f"{name}x", passphrase="another passphrase")
    assert wrong.returncode == 1 and "not the passphrase" in wrong.stderr
    bare = umbrak("backup", str(tmp_path / "bare"), "--without-key", passphrase="")
    assert bare.returncode == 0 and "WITHOUT the key" in bare.stdout
