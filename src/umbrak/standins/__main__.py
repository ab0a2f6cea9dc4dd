"""`python -m umbrak.standins controller|appliance SPEC [--port N]`: one simulated machine on loopback, till it is told
to end. Its first line of output says where it answers; a controller's certificate is beside its spec."""

from __future__ import annotations

import argparse
import asyncio
import signal
import socket
import sys
import threading
from contextlib import suppress
from pathlib import Path

from umbrak.standins.spec import Spec, read_spec


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m umbrak.standins", description=__doc__)
    parser.add_argument("kind", choices=["controller", "appliance"])
    parser.add_argument("spec", type=Path)
    parser.add_argument("--port", type=int, default=0, help="0 = any free one")
    parser.add_argument(
        "--while-told", action="store_true", help="end when standard input ends, as when who started it dies"
    )
    arguments = parser.parse_args()
    if arguments.while_told:
        threading.Thread(target=_end_with_input, daemon=True).start()
    spec = read_spec(arguments.spec)
    if arguments.kind == "controller":
        _controller(spec, arguments.port, arguments.spec.parent)
    else:
        asyncio.run(_appliance(spec, arguments.port))


def _end_with_input() -> None:
    sys.stdin.buffer.read()
    signal.raise_signal(signal.SIGTERM)


def _controller(spec: Spec, port: int, folder: Path) -> None:
    import uvicorn

    from umbrak.standins.certificate import make_certificate
    from umbrak.standins.controller import make_controller

    certificate, key = folder / "controller.pem", folder / "controller.key"
    if not certificate.exists() or not key.exists():
        certificate, key = make_certificate(folder)
    listener = socket.socket(proto=socket.IPPROTO_TCP)  # asyncio sends small answers at once only then
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listener.bind(("127.0.0.1", port))
    listener.listen(64)
    print(f"https://127.0.0.1:{listener.getsockname()[1]}", flush=True)
    config = uvicorn.Config(
        make_controller(spec),
        log_level="critical",
        ssl_certfile=certificate,
        ssl_keyfile=key,
        server_header=False,
        timeout_graceful_shutdown=1,
    )
    uvicorn.Server(config).run(sockets=[listener])


async def _appliance(spec: Spec, port: int) -> None:
    from umbrak.standins.appliance import serve_appliance

    serving = asyncio.create_task(
        serve_appliance(spec, port, lambda bound: print(f"snmp://127.0.0.1:{bound}", flush=True))
    )
    asyncio.get_running_loop().add_signal_handler(signal.SIGTERM, serving.cancel)
    with suppress(asyncio.CancelledError):
        await serving


if __name__ == "__main__":
    main()
