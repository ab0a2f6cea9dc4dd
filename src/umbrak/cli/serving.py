"""serve and demo: the commands that load the whole server."""

from __future__ import annotations

import asyncio
import os
import socket
from contextlib import closing
from pathlib import Path

import uvicorn
from fastapi import FastAPI

from umbrak.cli.cluster import default_folder
from umbrak.cli.listening import Listening, named_proxies
from umbrak.cli.provision import need_front_end
from umbrak.cli.reaching import as_application, database, key_file, write_once
from umbrak.cli.trouble import Trouble
from umbrak.devices.directory import Directory, Settings
from umbrak.devices.networks import Networks
from umbrak.jobs.apart import Apart
from umbrak.server.app import make_app, settle
from umbrak.services.known.summaries import refresh_stale
from umbrak.services.people.accounts import Role
from umbrak.services.reach import Outside, Vault
from umbrak.services.sheets.library import keep_shipped
from umbrak.store.engine import open_engine, setting_up

DEFAULT_PORT = 8470


def serve(at: Listening) -> None:
    front_end = need_front_end()
    # Its helper is forked first: it shares what is loaded, but neither connections nor the cluster's lock.
    with closing(Apart()) as worker, database("umbrak") as owner:
        engine = open_engine(as_application(owner))
        worker.open(engine.url)
        with setting_up(engine):
            keep_shipped(engine)
        refresh_stale(engine)
        outside = Outside(_networks(""), _vault())
        measured_from = _networks_of("UMBRAK_METRICS", "")
        app = make_app(
            engine,
            front_end,
            outside,
            measured_from=measured_from,
            hosts=_hosts(),
            worker=worker,
            directory=_directory(),
        )
        _run(app, at, [])


def demo(port: int | None, reset: bool) -> None:
    front_end = need_front_end()
    with closing(Apart()) as worker, database("umbrak_demo", anew=reset) as url:
        from umbrak.cli.standins import simulated
        from umbrak.demo import seed
        from umbrak.demo.simulated import name_services

        engine = open_engine(as_application(url, private=True))
        worker.open(engine.url)
        seed.seed(engine)
        refresh_stale(engine)
        outside = Outside(_networks("127.0.0.0/8"), _vault())
        names = ", ".join(name for name, _, _ in seed.PEOPLE)
        told = [f"sign in as  {names}", f"password    {seed.PASSWORD}"]
        with simulated(default_folder() / "simulated") as addresses:
            name_services(engine, outside, addresses)
            _run(make_app(engine, front_end, outside, worker=worker), Listening(port), told)


def _directory() -> Directory | None:
    """UMBRAK_OIDC_ISSUER's, by which people sign in; None where it is not named. Raises Trouble."""
    issuer = os.environ.get("UMBRAK_OIDC_ISSUER", "").strip()
    if not issuer:
        return None
    client, secret = os.environ.get("UMBRAK_OIDC_CLIENT", ""), os.environ.get("UMBRAK_OIDC_SECRET", "")
    if path := os.environ.get("UMBRAK_OIDC_SECRET_FILE"):
        secret = _read("UMBRAK_OIDC_SECRET_FILE", path).strip()
    if not client or not secret:
        raise Trouble(
            "UMBRAK_OIDC_ISSUER goes with UMBRAK_OIDC_CLIENT and UMBRAK_OIDC_SECRET_FILE (or UMBRAK_OIDC_SECRET)"
        )
    roles = {}
    for part in os.environ.get("UMBRAK_OIDC_ROLES", "").split(","):
        role, is_pair, group = (x.strip() for x in part.partition("="))
        if part.strip():
            if role not in Role.__members__ or not is_pair or not group:
                raise Trouble(
                    f"UMBRAK_OIDC_ROLES: “{part.strip()}” is no role with its group, such as lead=memory-leads"
                )
            roles[role] = group
    authority = os.environ.get("UMBRAK_OIDC_AUTHORITY")
    settings = Settings(
        issuer=issuer,
        client=client,
        secret=secret,
        name=os.environ.get("UMBRAK_OIDC_NAME", "the directory"),
        claim=os.environ.get("UMBRAK_OIDC_CLAIM", "groups"),
        roles=roles,
        scope=os.environ.get("UMBRAK_OIDC_SCOPE", ""),
        authority=_read("UMBRAK_OIDC_AUTHORITY", authority) if authority else None,
    )
    return Directory(settings)


def _read(name: str, path: str) -> str:
    try:
        return Path(path).read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise Trouble(f"{name}: {path} cannot be read: {error}") from error


def _hosts() -> list[str]:
    """UMBRAK_HOSTS: names and addresses under which it is asked, with commas between; none = any."""
    return [h.strip() for h in os.environ.get("UMBRAK_HOSTS", "").split(",") if h.strip()]


def _networks(usual: str) -> Networks:
    """Where connections may lead: UMBRAK_NETWORKS, such as "10.4.0.0/16, 192.0.2.7"."""
    return _networks_of("UMBRAK_NETWORKS", usual)


def _networks_of(name: str, usual: str) -> Networks:
    given = os.environ.get(name, usual)
    try:
        return Networks.parse(given)
    except ValueError as error:
        raise Trouble(f"{name}: {error}; write networks such as 10.4.0.0/16, with commas between") from error


def _vault() -> Vault:
    """The key that seals machines' passwords: UMBRAK_KEY's, or the data folder's own, made with the first start."""
    given = os.environ.get("UMBRAK_KEY", "").encode()
    path = key_file()
    if not given:
        path.parent.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            write_once(path, Vault.new_key())
        given = path.read_bytes()
    try:
        return Vault(given.strip())
    except ValueError as error:
        raise Trouble(f"UMBRAK_KEY, or {path}, is no key of 32 bytes in URL-safe base64") from error


def _run(app: FastAPI, at: Listening, told: list[str]) -> None:
    """Serve until told to stop; says where, once it can be reached."""
    settle()
    listener = _listen(at.host, at.port)
    scheme = "https" if at.tls_cert else "http"
    shown = f"[{at.host}]" if ":" in at.host else at.host
    proxies = named_proxies()
    config = uvicorn.Config(
        app,
        # What a request says of where it came from is believed of these alone; nobody else may name an address.
        proxy_headers=bool(proxies),
        forwarded_allow_ips=proxies,
        log_level="warning",
        log_config=None,  # the log is ours
        access_log=False,
        timeout_graceful_shutdown=5,
        # Longer than pages and scripts pause: one that asks just as its connection is closed gets no answer.
        timeout_keep_alive=75,
        ssl_certfile=at.tls_cert,
        ssl_keyfile=at.tls_key,
        server_header=False,
    )

    class Server(uvicorn.Server):
        async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
            app.state.hub.close()  # streams of events would be waited for otherwise
            await asyncio.to_thread(app.state.queue.stop)
            await super().shutdown(sockets)

        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            app.state.queue.start()
            address = f"{scheme}://{shown}:{listener.getsockname()[1]}/"
            print("\n".join(["", f"open        {address}", *told, "stop with   Ctrl+C", ""]), flush=True)

    Server(config).run(sockets=[listener])


def _listen(host: str, port: int | None) -> socket.socket:
    """A listening socket: the port asked for, or the first free one from the usual one on."""
    for candidate in [port] if port is not None else range(DEFAULT_PORT, DEFAULT_PORT + 20):
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        listener = socket.socket(family, proto=socket.IPPROTO_TCP)  # asyncio sends small answers at once only then
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
        except OSError as error:
            listener.close()
            if port is not None:
                raise Trouble(f"port {port} of {host} cannot be used: {error.strerror}") from error
            continue
        listener.listen(128)
        return listener
    raise Trouble(f"ports {DEFAULT_PORT} to {DEFAULT_PORT + 19} are all in use; name another with --port")
