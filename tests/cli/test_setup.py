"""What the set-up promises: a cluster that its last user stops, Node where the system has none."""

from __future__ import annotations

import os
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from umbrak.cli import provision, serving
from umbrak.cli.cluster import Cluster
from umbrak.cli.trouble import Trouble
from umbrak.store.engine import ensure_database, open_engine


@pytest.fixture
def folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="umbrak-cluster-", dir="/var/tmp") as name:
        Path(name).chmod(0o755)
        yield Path(name)


def test_the_last_user_of_a_cluster_stops_it(folder: Path) -> None:
    first, second = Cluster(folder, durable=False), Cluster(folder, durable=False)
    running = folder / "postgres/postmaster.pid"
    with first.running():
        port = first.port
        with second.running():
            assert second.port == port
        assert running.exists()
    assert not running.exists()
    # Another program has taken its port meanwhile: it takes another one.
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", port))
        taken.listen()
        with first.running():
            assert first.port != port
            ensure_database(first.url("try"))
            engine = open_engine(first.url("try"))
            with engine.connect() as db:
                assert db.exec_driver_sql("SHOW listen_addresses").scalar() == "127.0.0.1"
                assert db.exec_driver_sql("SHOW unix_socket_directories").scalar() == ""
            engine.dispose()
    assert oct((folder / "password").stat().st_mode)[-3:] == "600"


def test_a_folder_that_postgresql_cannot_reach_is_named(folder: Path) -> None:
    closed = folder / "closed"
    closed.mkdir(mode=0o700)
    if os.geteuid() == 0:  # only then is PostgreSQL another user
        with (
            pytest.raises(Trouble, match=r"must be able to reach .*closed/data; name another folder in UMBRAK_DATA"),
            Cluster(closed / "data").running(),
        ):
            pass


def test_node_comes_from_its_wheel_where_the_system_has_none(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", "/nowhere")
    env = provision.node_environment()
    for program in ("node", "npm"):
        found = next(Path(p) / program for p in env["PATH"].split(":") if (Path(p) / program).exists())
        done = subprocess.run(
            [str(found), "--version"],
            env={**env, "PATH": env["PATH"] + ":/usr/bin:/bin"},
            capture_output=True,
            text=True,
            check=True,
        )
        assert int(done.stdout.strip().lstrip("v").split(".")[0]) >= 10


def test_a_failed_step_says_what_it_printed() -> None:
    with pytest.raises(Trouble, match=r"trying failed:\nno such luck"):
        provision.run(["sh", "-c", "echo no such luck; exit 3"], "trying")


def test_settings_that_are_none_are_named(monkeypatch: pytest.MonkeyPatch, folder: Path) -> None:
    monkeypatch.setenv("UMBRAK_DATA", str(folder))
    monkeypatch.setenv("UMBRAK_NETWORKS", "10.4.0.0/16, the cellar")
    with pytest.raises(Trouble, match=r"UMBRAK_NETWORKS: .*the cellar.*write networks such as 10\.4\.0\.0/16"):
        serving._networks("")
    monkeypatch.setenv("UMBRAK_NETWORKS", "10.4.0.0/16,192.0.2.7")
    assert len(serving._networks("127.0.0.0/8").allowed) == 2
    monkeypatch.delenv("UMBRAK_NETWORKS")
    assert serving._networks("").allowed == ()  # nowhere, unless somebody says so
    monkeypatch.setenv("UMBRAK_KEY", "short")
    with pytest.raises(Trouble, match="is no key of 32 bytes"):
        serving._vault()
    monkeypatch.delenv("UMBRAK_KEY")
    sealed = serving._vault().seal({"password": "x"})
    assert serving._vault().unseal(sealed) == {"password": "x"}  # the folder's own key, made once
    assert (folder / "secret.key").stat().st_mode & 0o077 == 0
