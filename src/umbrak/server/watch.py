"""What the server does, seen from outside: a line a request in the log, and figures for Prometheus.

The route is told as the code has it ("/api/machines/{machine_id}"), never the path: paths and queries may hold what was
searched for, and the calendar's secret address.
"""

from __future__ import annotations

import logging
import time
from ipaddress import ip_address

import structlog
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, ProcessCollector, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector
from sqlalchemy import Engine, QueuePool
from sqlalchemy.exc import SQLAlchemyError
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uuid_utils.compat import uuid7

from umbrak.devices.networks import Networks
from umbrak.server.events import Hub
from umbrak.store.jobs import counts_of_jobs

_log = logging.getLogger("umbrak.access")
#: Answered so often that a line each would hide the others; they are counted all the same.
_QUIET = ("/healthz", "/readyz", "/metrics", "/assets")
_SECONDS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30)


class Figures:
    """The figures of one process."""

    def __init__(self, engine: Engine | None, hub: Hub | None) -> None:
        self.registry = CollectorRegistry()
        ProcessCollector(registry=self.registry)
        self.requests = Counter(
            "umbrak_requests", "Requests answered.", ["method", "route", "status"], registry=self.registry
        )
        self.seconds = Histogram(
            "umbrak_request_seconds", "From a request's first byte to its answer's last.", ["route"],
            buckets=_SECONDS, registry=self.registry,
        )  # fmt: skip
        self.under_way = Gauge("umbrak_requests_under_way", "Requests being answered.", registry=self.registry)
        if engine is not None:
            self.registry.register(_OfTheDatabase(engine, hub))

    def text(self) -> bytes:
        """Prometheus' text format, version 0.0.4."""
        return generate_latest(self.registry)


class _OfTheDatabase(Collector):
    """What is looked up when somebody asks: the database, its connections, jobs and streams of events."""

    def __init__(self, engine: Engine, hub: Hub | None) -> None:
        self.engine, self.hub = engine, hub

    def collect(self) -> list[Metric]:
        up = GaugeMetricFamily("umbrak_database_up", "Whether the database answers.")
        pool = GaugeMetricFamily("umbrak_database_connections", "Connections of this process.", labels=["state"])
        jobs = GaugeMetricFamily("umbrak_jobs", "Background jobs of the whole installation.", labels=["kind", "state"])
        streams = GaugeMetricFamily("umbrak_event_streams", "Pages of this process that look on.")
        try:
            with self.engine.connect() as db:
                for kind, state, count in counts_of_jobs(db):
                    jobs.add_metric([kind, state], count)
            up.add_metric([], 1)
        except SQLAlchemyError:
            up.add_metric([], 0)
        if isinstance(self.engine.pool, QueuePool):
            pool.add_metric(["in use"], self.engine.pool.checkedout())
            pool.add_metric(["idle"], self.engine.pool.checkedin())
        streams.add_metric([], self.hub.streams if self.hub else 0)
        return [up, pool, jobs, streams]

    def describe(self) -> list[Metric]:
        return []  # else it would be collected when it is registered, before there is a database


class Watch:
    """The outermost layer: gives each request an id, which its answer and every line of the log about it carry."""

    def __init__(self, app: ASGIApp, figures: Figures) -> None:
        self.app, self.figures = app, figures

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        began, status, key = time.perf_counter(), 500, uuid7().hex
        scope.setdefault("state", {})

        async def watched(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message["headers"], (b"x-request-id", key.encode())]
            await send(message)

        with structlog.contextvars.bound_contextvars(request=key), self.figures.under_way.track_inprogress():
            try:
                await self.app(scope, receive, watched)
            finally:
                took = time.perf_counter() - began
                route = _route(scope)
                self.figures.requests.labels(_method(scope), route, status).inc()
                self.figures.seconds.labels(route).observe(took)
                if not route.startswith(_QUIET):
                    who, client = scope["state"].get("who"), scope.get("client")
                    told = {
                        "method": _method(scope), "route": route, "status": status, "ms": round(1000 * took, 1),
                        "who": who, "client": client[0] if client else None,
                    }  # fmt: skip
                    _log.info("request", extra=told)


def _method(scope: Scope) -> str:
    return (
        scope["method"] if scope["method"] in ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS") else "other"
    )


def _route(scope: Scope) -> str:
    path = getattr(scope.get("route"), "path", None)
    if scope["path"].startswith("/api/"):
        return f"/api/{path.removeprefix('/api').lstrip('/')}" if isinstance(path, str) and path else "/api/nothing"
    if isinstance(path, str) and path.startswith("/"):
        return path
    return "/assets" if scope["path"].startswith("/assets/") else "page"


def may_measure(client: str | None, allowed: Networks) -> bool:
    """Whether an address may have the figures: this machine's own, or one of the networks that the operator lists."""
    try:
        address = ip_address((client or "").split("%")[0])
    except ValueError:
        return False
    return address.is_loopback or any(address.version == n.version and address in n for n in allowed.allowed)
