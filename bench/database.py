"""A PostgreSQL of a bench's own, as an installation has it, gone when the bench ends."""

from __future__ import annotations

import signal
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from umbrak.cli.cluster import Cluster
from umbrak.store.engine import ensure_database, migrate


@contextmanager
def throw_away() -> Iterator[str]:
    """URL of a fresh, migrated database. A bench that is told to end takes down what it has started."""
    if threading.current_thread() is threading.main_thread():
        signal.signal(signal.SIGTERM, lambda number, _: sys.exit(128 + number))
    with tempfile.TemporaryDirectory(prefix="umbrak-bench-", dir="/var/tmp") as name:
        folder = Path(name)
        folder.chmod(0o755)  # the user that runs PostgreSQL must reach it
        with Cluster(folder).running() as cluster:
            url = cluster.url("bench")
            ensure_database(url)
            migrate(url)
            yield url
