"""The Redfish client and the simulated controller: each against the other, and against what neither of us wrote."""

from __future__ import annotations

import json
import socket
import ssl
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import bcrypt
import httpx
import pytest
import redfish as public_library
import sushy
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, rsa
from cryptography.hazmat.primitives.serialization import Encoding
from cryptography.x509.oid import NameOID

from tests.devices.standins import Start, demo_spec
from umbrak.core.memory.module import Generation
from umbrak.core.platform.survey import SlotState
from umbrak.devices.certificates import fingerprint_of, weak_points
from umbrak.devices.networks import DeviceError, Networks
from umbrak.devices.redfish import Bounds, Service, collect, set_light
from umbrak.formats.bounds import Deadline
from umbrak.formats.redfish import read_documents, read_redfish
from umbrak.standins.certificate import make_certificate

LOOPBACK = Networks.parse("127.0.0.0/8")
DRIVES = {1: {"serial": "KX-0001", "model": "spinner"}, 2: {"serial": "KX-0002", "model": "spinner"}}
#: For what is answered, on a machine that is busy with other things too; and for what is not to be answered in time.
UNHURRIED = Bounds(pause=0.01)
QUICK = Bounds(connect=2, read=0.5, whole=3, retries=1, pause=0.01)


def service(address: str, folder: Path, password: str = "tide-gauge-7") -> Service:
    return Service(address, "umbrak", password, authority=(folder / "controller.pem").read_text())


def test_our_client_reads_what_the_simulated_machine_is(start: Start) -> None:
    address, folder = start("controller", demo_spec("hall-02", drives=DRIVES, faults={"CPU3.7": "failed"}))
    told: list[int] = []
    found = collect(service(address, folder), LOOPBACK, told=told.append)
    assert found.notes == () and told == sorted(told) and told[-1] == len(found.documents)
    reading = read_documents(found.documents, Deadline())
    # As it is kept and read again, it is the same: no page, no member is lost.
    assert read_redfish(found.as_bytes(), Deadline()) == reading
    assert reading.system and (reading.system.maker, reading.system.serial) == ("Brannoch", "SN-hall-02")
    # 64 slots over several pages; one failed, so what is installed lacks its 16 GB.
    assert (len(reading.slots), reading.installed_gib) == (64, 48 * 16 - 16)
    states = [s.state for s in reading.slots]
    assert (states.count(SlotState.FILLED), states.count(SlotState.FAILED), states.count(SlotState.EMPTY)) == (
        47,
        1,
        16,
    )
    module = reading.slots[0].module
    assert module and (module.generation, module.capacity_gib, module.rate_mts) == (Generation.DDR4, 16, 2133)
    assert reading.slots[0].health and reading.slots[0].health.correctable == 0
    assert [p.populated for p in reading.processors] == [True, True, True, False]
    assert [(d.bay, d.serial) for d in reading.drives] == [(1, "KX-0001"), (2, "KX-0002")]
    # The session is gone again: signing in leaves nothing behind.
    seen = httpx.get(
        f"{address}/redfish/v1/SessionService/Sessions",
        auth=("umbrak", "tide-gauge-7"),
        verify=ssl.create_default_context(cafile=str(folder / "controller.pem")),
    )
    assert seen.json()["Members"] == []


def test_a_public_client_library_works_with_the_simulated_controller(start: Start) -> None:
    address, folder = start("controller", demo_spec("hall-03"))
    client = public_library.redfish_client(
        base_url=address, username="umbrak", password="tide-gauge-7", cafile=str(folder / "controller.pem")
    )
    client.login(auth="session")
    try:
        systems = client.get("/redfish/v1/Systems").dict
        system = client.get(systems["Members"][0]["@odata.id"]).dict
        assert (system["Model"], system["MemorySummary"]["TotalSystemMemoryGiB"]) == ("R24", 480)
        page, names = client.get(system["Memory"]["@odata.id"]).dict, []
        while True:
            names += [m["@odata.id"] for m in page["Members"]]
            if "Members@odata.nextLink" not in page:
                break
            page = client.get(page["Members@odata.nextLink"]).dict
        assert len(names) == page["Members@odata.count"] == 24
        slot = names[0]
        target = system["Actions"]["#ComputerSystem.Reset"]["target"]

        def control(path: str, body: object) -> int:
            return int(client.post(path, body=body).status)

        def memory() -> tuple[Any, Any]:
            d = client.get(slot).dict
            return d["CapacityMiB"], d["Status"]["Health"]

        key = slot.rsplit("/", 1)[1]
        assert control("/standin/fitted", {key: None}) == 409  # it is on
        assert control(target, {"ResetType": "ForceOff"}) == 204
        assert client.get(system["@odata.id"]).dict["PowerState"] == "Off"
        assert control("/standin/fitted", {key: "64GB 2Rx4 PC5-4800B-RA0"}) == 204
        assert memory() == (32768, "OK")  # nothing is seen before it is started again
        assert control(target, {"ResetType": "On"}) == 204 and memory() == (65536, "OK")
        expected = {"half-size": (32768, "OK"), "badly-seated": (0, "OK"), "failed": (None, "Critical")}
        for fault, seen in expected.items():
            assert control("/standin/faults", {key: fault}) == 204 and memory() == seen
        assert control("/standin/faults", {key: "errors"}) == 204
        metrics = client.get(slot).dict["Metrics"]["@odata.id"]
        counts = [client.get(metrics).dict["LifeTime"]["CorrectableECCErrorCount"] for _ in range(2)]
        assert counts[1] > counts[0]
        assert (
            client.patch(system["@odata.id"], body={"LocationIndicatorActive": True}).dict["LocationIndicatorActive"]
            is True
        )
        assert control(target, {"ResetType": "Nonsense"}) == 400
    finally:
        client.logout()


def test_another_public_client_library_works_with_it_too(start: Start) -> None:
    address, folder = start("controller", demo_spec("hall-02"))
    # Signed out here: left to the garbage, it would be asked for long after its controller is gone, in another test.
    with sushy.auth.SessionOrBasicAuth("umbrak", "tide-gauge-7") as signed_in:
        client = sushy.Sushy(address, auth=signed_in, verify=str(folder / "controller.pem"))
        system = client.get_system()
        assert (system.name, system.memory_summary.size_gib) == ("System", 768)
        assert sorted(p.socket for p in system.processors.get_members() if p.model) == ["CPU1", "CPU2", "CPU3"]
        system.reset_system(sushy.RESET_FORCE_OFF)
        system.refresh(force=True)
        assert system.power_state == sushy.POWER_STATE_OFF


def test_a_certificate_is_known_or_nothing_is_sent(start: Start, tmp_path: Path) -> None:
    address, folder = start("controller", demo_spec("hall-03"))
    with pytest.raises(DeviceError) as unknown:
        collect(Service(address, "umbrak", "tide-gauge-7"), LOOPBACK)
    shown = ssl.PEM_cert_to_DER_cert((folder / "controller.pem").read_text())
    assert (unknown.value.code, unknown.value.detail) == ("certificate-unknown", fingerprint_of(shown))
    pinned = collect(Service(address, "umbrak", "tide-gauge-7", fingerprint=unknown.value.detail), LOOPBACK)
    assert len(pinned.documents) > 24
    other, _ = make_certificate(tmp_path)
    for wrong in (
        Service(address, "umbrak", "tide-gauge-7", fingerprint="00" * 32),
        Service(address, "umbrak", "tide-gauge-7", authority=other.read_text()),
        Service(address, "umbrak", "tide-gauge-7", authority="no certificate"),
    ):
        with pytest.raises(DeviceError) as refused:
            collect(wrong, LOOPBACK)
        assert refused.value.code == "certificate"


@pytest.mark.parametrize(
    ("made", "weak"),
    [({"days": -40}, "it is known by its fingerprint alone"), ({"rsa_bits": 1024}, "its key has 1024 bits")],
)
def test_a_pinned_certificate_may_be_old_or_short(tmp_path: Path, made: dict[str, int], weak: str) -> None:
    with hostile(tmp_path, tree(), **made) as at:  # type: ignore[arg-type]
        shown = fingerprint_of(ssl.PEM_cert_to_DER_cert((tmp_path / "controller.pem").read_text()))
        found = collect(replace(at, authority=None, fingerprint=shown), LOOPBACK, UNHURRIED)
        assert "/redfish/v1/Systems/1/Memory/b" in found.documents
        assert [words for _, words in found.notes if weak in words], found.notes
        with pytest.raises(DeviceError) as refused:  # who vouches for it by an authority wants it in order
            collect(at, LOOPBACK, UNHURRIED)
        assert refused.value.code in ("certificate", "unreachable")


def test_a_key_that_anybody_can_take_apart_is_not_known_by_its_fingerprint() -> None:
    short = rsa.RSAPublicNumbers(65537, (1 << 767) + 0x1B3).public_key()
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "bmc")])
    soon = datetime.now(UTC) + timedelta(days=9)
    made = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(short).serial_number(7)
    signed = made.not_valid_before(soon - timedelta(days=10)).not_valid_after(soon)
    certificate = signed.sign(ec.generate_private_key(ec.SECP256R1()), hashes.SHA256())
    with pytest.raises(DeviceError, match="768 bits: anybody could be it"):
        weak_points(certificate.public_bytes(Encoding.DER), "bmc")
    assert "cannot be read" in weak_points(b"\x30\x03abc", "bmc")[0]


def test_trouble_is_told_for_what_it_is(start: Start) -> None:
    address, folder = start("controller", demo_spec("hall-03"))
    trusted = ssl.create_default_context(cafile=str(folder / "controller.pem"))

    def manner(**what: float) -> None:
        httpx.post(f"{address}/standin/manner", json=what, verify=trusted)

    with pytest.raises(DeviceError, match="does not let umbrak in") as refused:
        collect(service(address, folder, "wrong"), LOOPBACK)
    assert refused.value.code == "refused"
    manner(slow=5)
    with pytest.raises(DeviceError) as slow:
        collect(service(address, folder), LOOPBACK, QUICK)
    assert slow.value.code == "too-slow"
    manner(drop=1)
    assert collect(service(address, folder), LOOPBACK, UNHURRIED).notes == ()  # a dropped link is tried again
    with pytest.raises(DeviceError) as away:
        collect(Service("https://127.0.0.1:9", "u", "p", fingerprint="0"), LOOPBACK)
    assert away.value.code == "unreachable"


def test_an_old_controller_is_met_as_it_is_and_its_light_is_switched(start: Start) -> None:
    """Without sessions, without members within their collections, with the light's older name: the same is read."""
    address, folder = start("controller", demo_spec("hall-03", faults={"CPU1.A1": "failed"}))
    trusted = ssl.create_default_context(cafile=str(folder / "controller.pem"))
    at, read = service(address, folder), {}
    for old in (False, True):
        httpx.post(f"{address}/standin/manner", json={"old": old}, verify=trusted)
        found = collect(at, LOOPBACK)
        read[old] = replace(read_documents(found.documents, Deadline()), warnings=())
        assert [words.partition(":")[0] for _, words in found.notes] == (["it has no sessions"] if old else [])
        for on in (True, True, False):
            before = collect(at, LOOPBACK).documents["/redfish/v1/Systems/1"]
            was_on = set_light(at, LOOPBACK, on)
            light = collect(at, LOOPBACK).documents["/redfish/v1/Systems/1"]
            name = "IndicatorLED" if old else "LocationIndicatorActive"
            assert light[name] == (("Blinking" if on else "Off") if old else on)
            assert was_on == (before[name] in (True, "Blinking"))
        with pytest.raises(DeviceError, match="does not let"):
            collect(service(address, folder, "wrong"), LOOPBACK)
    assert read[False] == read[True] and len(read[True].slots) == 24


def test_what_was_had_before_the_time_was_over_is_kept(tmp_path: Path) -> None:
    over = threading.Event()

    def late(path: str) -> Answer:
        if path.endswith("Metrics") and not path.endswith("/a/Metrics"):
            over.wait(30)
        if path.endswith("/Memory"):
            return ok({"Members": [{"@odata.id": f"/redfish/v1/Systems/1/Memory/{i}"} for i in "abcdefgh"]})
        name = path.rsplit("/", 1)[1]
        if path.rpartition("/")[0].endswith("/Memory"):
            return ok(
                {"Name": name, "CapacityMiB": 8192, "DeviceLocator": name, "Metrics": {"@odata.id": f"{path}/Metrics"}}
            )
        return tree()(path) if not path.endswith("Metrics") else ok({"LifeTime": {"CorrectableECCErrorCount": 3}})

    with hostile(tmp_path, late) as at:
        try:
            found = collect(at, LOOPBACK, replace(UNHURRIED, read=1, retries=0, patience=2))
        finally:
            over.set()
    reading = read_documents(found.documents, Deadline())
    assert [s.locator for s in reading.slots] == list("abcdefgh")
    assert [s.health and s.health.correctable for s in reading.slots] == [3, *[None] * 7]
    assert any("the rest stays unknown" in words for _, words in found.notes), found.notes


def test_a_foreign_service_without_sessions_is_read(tmp_path: Path) -> None:
    """An emulator that neither of us wrote: no sessions, no memory, a storage that fails, the light's older name."""
    certificate, key = make_certificate(tmp_path)
    hashed = bcrypt.hashpw(b"tide-gauge-7", bcrypt.gensalt(4)).decode()
    (tmp_path / "users").write_text(f"umbrak:{hashed}\n")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    given = {
        "LISTEN_IP": "127.0.0.1", "LISTEN_PORT": port, "SSL_CERT": str(certificate), "SSL_KEY": str(key),
        "AUTH_FILE": str(tmp_path / "users"), "STATE_DIR": str(tmp_path),
    }  # fmt: skip
    (tmp_path / "emulator.conf").write_text("".join(f"SUSHY_EMULATOR_{n}={v!r}\n" for n, v in given.items()))
    command = [
        str(Path(sys.executable).with_name("sushy-emulator")),
        "--fake",
        "--config",
        str(tmp_path / "emulator.conf"),
    ]
    emulator = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    try:
        assert emulator.stderr
        assert any("Running on" in line for line in iter(emulator.stderr.readline, ""))
        at = Service(f"https://127.0.0.1:{port}", "umbrak", "tide-gauge-7", authority=certificate.read_text())
        found = collect(at, LOOPBACK)
        reading = read_documents(found.documents, Deadline())
        assert reading.system and reading.system.maker and reading.slots == ()
        assert any("the slots stay unknown" in w.message for w in reading.warnings)
        assert {"no sessions" in w or "404" in w or "500" in w for _, w in found.notes} == {True}
        set_light(at, LOOPBACK, on=True)
        system = next(d for p, d in collect(at, LOOPBACK).documents.items() if "/Systems/" in p)
        assert system["IndicatorLED"] == "Blinking"
        with pytest.raises(DeviceError, match="does not let"):
            collect(replace(at, password="wrong"), LOOPBACK)
    finally:
        emulator.terminate()
        emulator.communicate()


#: What of the public validator's assertions the simulated controller does not meet, and why.
EXCEPTIONS = {"SEC_PRIV_SUPPORT_PREDEFINED_ROLES": "it has one account, and no account service that would list roles"}


def test_the_public_validator_finds_the_protocol_kept(start: Start, tmp_path: Path) -> None:
    address, _ = start("controller", demo_spec("hall-03"))
    validator = Path(sys.executable).with_name("rf_protocol_validator")
    subprocess.run(
        [
            *(str(validator), "-r", address, "-u", "umbrak", "-p", "tide-gauge-7", "--no-cert-check"),
            *("--avoid-http-redirect", "--report-type", "tsv", "--report-dir", str(tmp_path / "reports")),
        ],
        cwd=tmp_path, env={"PATH": "/usr/bin:/bin"}, capture_output=True,
    )  # fmt: skip
    report = next((tmp_path / "reports").glob("*.tsv")).read_text().splitlines()
    assertions = [dict(zip(report[0].split("\t"), line.split("\t"), strict=False)) for line in report[1:]]
    broken = {a["Assertion"]: a["Message"] for a in assertions if a["Result"] not in ("PASS", "NOT_TESTED")}
    assert broken.keys() == EXCEPTIONS.keys(), broken
    assert sum(a["Result"] == "PASS" for a in assertions) > 150


def test_only_allowed_networks_are_reached() -> None:
    def resolve(host: str, port: int) -> list[str]:
        return {"inside": ["10.4.0.7"], "both": ["10.4.0.7", "192.0.2.1"], "six": ["::1"]}[host]

    networks = Networks(Networks.parse("10.4.0.0/16, 127.0.0.0/8").allowed, resolve)
    assert networks.address_of("inside", 443) == "10.4.0.7"
    for host in ("both", "six"):  # every address of a name has to be allowed
        with pytest.raises(DeviceError, match="UMBRAK_NETWORKS") as refused:
            networks.address_of(host, 443)
        assert refused.value.code == "not-allowed"
    with pytest.raises(DeviceError, match="none"):
        Networks().address_of("127.0.0.1", 443)
    for odd in ("http://10.4.0.7", "https://", "https://10.4.0.7:notaport", "https://[::", "\x00", ""):
        with pytest.raises(DeviceError):
            collect(Service(odd, "u", "p"), LOOPBACK)


Answer = tuple[int, dict[str, str], bytes]


@contextmanager
def hostile(
    folder: Path,
    answer: Callable[[str], Answer],
    named: str | None = None,
    rsa_bits: int | None = None,
    days: int = 365,
) -> Iterator[Service]:
    """A service that signs anybody in and then answers as it pleases; its certificate is for `named` alone, if given."""

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def _send(self, status: int, headers: dict[str, str], body: bytes) -> None:
            self.send_response(status)
            for name, value in {
                "Content-Type": "application/json",
                "Content-Length": str(len(body)),
                **headers,
            }.items():
                self.send_header(name, value)
            self.end_headers()
            self.wfile.write(body)

        def do_POST(self) -> None:
            self.rfile.read(int(self.headers["Content-Length"]))
            self._send(201, {"X-Auth-Token": "t", "Location": "/redfish/v1/SessionService/Sessions/1"}, b"{}")

        def do_DELETE(self) -> None:
            self._send(204, {}, b"")

        def do_GET(self) -> None:
            self._send(*answer(self.path))

        def log_message(self, *_: object) -> None:
            pass

    certificate, key = make_certificate(folder, named, rsa_bits, days)
    asked_for: list[str | None] = []
    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.set_ciphers("DEFAULT:@SECLEVEL=0")  # else the library itself refuses to show a short key
    context.load_cert_chain(certificate, key)
    context.sni_callback = lambda _, name, __: asked_for.append(name)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        address = f"https://{named or '127.0.0.1'}:{server.server_address[1]}"
        yield Service(address, "u", "p", authority=certificate.read_text())
        assert named is None or named in asked_for
    finally:
        server.shutdown()
        server.server_close()
        thread.join()


def ok(document: object) -> Answer:
    return 200, {}, json.dumps(document).encode()


def test_a_certificate_that_names_the_host_only_by_dns_is_verified_by_that_name(tmp_path: Path) -> None:
    def anywhere(host: str, port: int) -> list[str]:
        return ["127.0.0.1"]

    here = Networks(LOOPBACK.allowed, anywhere)
    with hostile(tmp_path, tree(), "bmc.skerry.test") as known:
        assert "/redfish/v1/Systems/1" in collect(known, here).documents
        port = known.address.rsplit(":", 1)[1]
        with pytest.raises(DeviceError) as refused:
            collect(replace(known, address=f"https://other.skerry.test:{port}"), here)
        assert refused.value.code == "certificate"


SESSIONS = "/redfish/v1/SessionService/Sessions"
ROOT_DOCUMENT = {"Systems": {"@odata.id": "/redfish/v1/Systems"}, "Links": {"Sessions": {"@odata.id": SESSIONS}}}
SYSTEM = {
    "Memory": {"@odata.id": "/redfish/v1/Systems/1/Memory"},
    "@odata.type": "#ComputerSystem.v1_0_0.ComputerSystem",
}


def tree(**more: Answer) -> Callable[[str], Answer]:
    """A small service; `more`: last part of a path -> another answer."""

    def answer(path: str) -> Answer:
        name = path.rstrip("/").rsplit("/", 1)[1].split("?")[0]
        if name in more:
            return more[name]
        known = {"v1": ROOT_DOCUMENT, "Systems": {"Members": [{"@odata.id": "/redfish/v1/Systems/1"}]}, "1": SYSTEM}
        if name in known:
            return ok(known[name])
        if name == "Memory":
            return ok({"Members": [{"@odata.id": f"/redfish/v1/Systems/1/Memory/{i}"} for i in "ab"]})
        return ok({"Name": name, "CapacityMiB": 8192, "DeviceLocator": name})

    return answer


ELSEWHERE = {"Location": "https://192.0.2.1/redfish/v1/"}
LOOP = ok(
    {
        "Members": [{"@odata.id": "/redfish/v1/Systems/1/Memory/a"}],
        "Members@odata.nextLink": "/redfish/v1/Systems/1/Memory?page=2",
    }
)
OUT = ok(
    {"Members": [{"@odata.id": "/redfish/v1/Systems/1/Memory/a"}], "Members@odata.nextLink": "https://192.0.2.1/more"}
)


@pytest.mark.parametrize(
    ("answer", "code"),
    [
        (tree(v1=(302, ELSEWHERE, b"")), "redirected"),
        (tree(Systems=(302, ELSEWHERE, b"")), "redirected"),
        (tree(v1=(200, {"Content-Type": "text/html"}, b"<html>")), "wrong-type"),
        (tree(v1=ok([1, 2])), "wrong-type"),
        (tree(v1=(200, {}, b"[" * 100_000)), "wrong-type"),
        (tree(v1=(200, {}, b" " * (3 << 20))), "too-large"),
        (tree(v1=(404, {}, b"{}")), "not-found"),
        (tree(Systems=(403, {}, b"{}")), "refused"),
    ],
)  # fmt: skip
def test_a_service_that_misbehaves_is_left(tmp_path: Path, answer: Callable[[str], Answer], code: str) -> None:
    with hostile(tmp_path, answer) as at, pytest.raises(DeviceError) as left:
        collect(at, LOOPBACK, UNHURRIED)
    assert left.value.code == code


@pytest.mark.parametrize(
    ("answer", "note", "slots"),
    [
        (tree(Memory=LOOP), "the paging leads round or elsewhere", 1),
        (tree(Memory=OUT), "the paging leads round or elsewhere", 1),
        (tree(a=(302, ELSEWHERE, b"")), "sends on to https://192.0.2.1", 1),
        (tree(a=(500, {}, b"")), "answered /redfish/v1/Systems/1/Memory/a with 500", 1),
        (tree(a=(200, {}, b"no json")), "not with a JSON object", 1),
        (tree(a=ok({"CapacityMiB": 8192, "Metrics": {"@odata.id": "https://192.0.2.1/x"}})), "leads elsewhere", 2),
    ],
)  # fmt: skip
def test_what_is_broken_costs_itself_only(
    tmp_path: Path, answer: Callable[[str], Answer], note: str, slots: int
) -> None:
    with hostile(tmp_path, answer) as at:
        found = collect(at, LOOPBACK, UNHURRIED)
    assert any(note in words for _, words in found.notes), found.notes
    assert len(read_documents(found.documents, Deadline()).slots) == slots
