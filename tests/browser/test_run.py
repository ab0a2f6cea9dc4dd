"""Run, bench and Proof: the whole of the demo's story; and the bench without a connection."""

from __future__ import annotations

import re
import ssl
import subprocess
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import ROOT, Served, SignIn
from tests.browser.hands import go_to, see, serious_faults
from tests.devices.standins import Start, demo_spec


def begin_run(page: Page, lead: Page, machine: str) -> str:
    """A plan of the machine is approved and begun; its run's id."""
    page.get_by_role("link", name=machine, exact=True).click()
    go_to(page, "Run")
    expect(page.get_by_role("region", name="Begin")).to_contain_text("a lead has to approve it first")
    lead.get_by_role("link", name=machine, exact=True).click()
    go_to(lead, "Run")
    expect(lead.get_by_role("region", name="What it risks")).to_contain_text("when it is looked at otherwise")
    lead.get_by_role("button", name="I have seen the risk and take it").click()
    expect(lead.get_by_text("Approved by R. Holm")).to_be_visible()
    page.reload()
    page.get_by_role("button", name="Begin the run").click()
    bench = page.get_by_role("link", name="Open at the bench")
    expect(bench).to_be_visible()
    return str(bench.get_attribute("href")).rsplit("/", 1)[1]


def number_of(page: Page) -> int:
    return int(re.sub(r"\D.*", "", page.locator("header").get_by_text("step ").inner_text().removeprefix("step ")))


def tick(page: Page, second: Page | None = None) -> None:
    """Do the step at hand: look at each of its checks, then tick; at a hold point the second person does."""
    banner = page.locator("header")
    at = banner.get_by_text("step ").inner_text()
    hands = second if second is not None and page.locator(".held").count() else page
    expect(hands.locator("header")).to_contain_text(at)
    for box in hands.get_by_role("checkbox").all():
        box.check()
    hands.get_by_role("button", name="Done, next").click()
    expect(banner).not_to_contain_text(f"{at} ")
    expect(banner.get_by_text(at, exact=True)).to_have_count(0)


class Hands:
    """Somebody at the simulated machine: off, modules in and out, on."""

    def __init__(self, address: str, folder: Path) -> None:
        self.http = httpx.Client(
            base_url=address, verify=ssl.create_default_context(cafile=str(folder / "controller.pem"))
        )
        answer = self.http.post(
            "/redfish/v1/SessionService/Sessions", json={"UserName": "umbrak", "Password": "tide-gauge-7"}
        )
        self.http.headers["X-Auth-Token"] = answer.headers["X-Auth-Token"]

    def power(self, kind: str) -> None:
        done = self.http.post("/redfish/v1/Systems/1/Actions/ComputerSystem.Reset", json={"ResetType": kind})
        assert done.status_code == 204

    def fit(self, slots: dict[str, Any], faults: dict[str, str] | None = None) -> None:
        self.power("ForceOff")
        assert self.http.post("/standin/fitted", json=slots).status_code == 204
        if faults:
            assert self.http.post("/standin/faults", json=faults).status_code == 204
        self.power("On")


def api(page: Page, path: str) -> Any:
    return page.evaluate("path => fetch(path).then(r => r.json())", path)


def test_from_survey_to_duty(sign_in: SignIn, served: Served, start: Start) -> None:
    """The machine is asked, a route chosen and approved, the work done by its sheet; one module is badly seated, the search
    finds it; proof, soak, sign-off."""
    address, folder = start("controller", demo_spec("hall-03"))
    hands = Hands(address, folder)
    page, lead = sign_in("technician"), sign_in("lead")
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Survey")
    page.get_by_role("button", name="Survey it again").click()
    page.get_by_role("button", name="Ask it over the network").click()
    form = page.get_by_role("form", name="Ask it over the network")
    form.get_by_label("Address").fill(address)
    form.get_by_label("User").fill("umbrak")
    form.get_by_label("Password").fill("tide-gauge-7")
    form.get_by_role("button", name="Ask it").click()
    form.get_by_role("button", name="It is the same: trust it and ask").click()
    page.get_by_role("button", name="Take all").click()
    page.get_by_role("button", name="Keep this survey").click()
    expect(page.get_by_text("24 of 24 known")).to_be_visible()

    go_to(page, "Routes")
    page.get_by_label("at least GB usable").fill("478")
    page.get_by_label("at least GB usable").press("Enter")
    page.get_by_role("button", name=re.compile("^A cheapest")).locator("circle").last.click()
    page.get_by_role("button", name="Plan it: route A", exact=True).click()
    expect(page.get_by_role("heading", name="Verdict")).to_be_visible()
    page.get_by_role("link", name="Machines", exact=True).click()
    run = begin_run(page, lead, "hall-03")

    page.goto(f"/bench/{run}")
    lead.goto(f"/bench/{run}")
    while page.get_by_role("heading", name="Compare what it sees with the plan").count() == 0:
        tick(page, lead)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
    seen = api(page, f"/api/runs/{run}")
    goal, new = seen["goal"], [s for s in seen["goal"] if s not in seen["now"]]
    assert len(new) == 6
    bad = new[2]
    hands.fit({s: goal[s] for s in new}, {bad: "badly-seated"})

    page.goto("/machines")
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Proof")
    page.get_by_role("button", name="What does it show?").click()
    page.get_by_role("button", name="Ask it by Redfish").click()
    expect(page.get_by_text("23 of 24 right")).to_be_visible()
    see(page, bad, "missing: not seen")
    expect(page.get_by_role("region", name="Totals")).to_contain_text("16 GB short")

    page.get_by_role("button", name="Search for the fault").click()
    search = page.get_by_role("region", name="Fault search")
    cured = False
    for _ in range(12):
        expect(search.get_by_role("heading", level=3)).to_be_visible()
        faults = api(page, f"/api/runs/{run}/proof")["faults"]
        if faults["culprit"]:
            break
        trial = faults["trials"][0]
        touched = {s: goal[trial["arrangement"][s]] if s in trial["arrangement"] else None for s in trial["touched"]}
        hands.fit(touched)
        cured = cured or bad in touched
        boots = len(faults["boots"])
        search.get_by_role("button", name="all seen" if cured else re.compile(" not seen$")).first.click()
        expect(search).to_contain_text(f"{boots + 1} boots so far")
    expect(search).to_contain_text(f"seating in {bad.replace('.', ' ')}")
    search.get_by_role("button", name="Done: look at it again").click()
    expect(search).to_contain_text("Ended: seating in")
    hands.fit({s: goal[s] for s in goal})
    page.get_by_role("button", name="Look again").click()
    page.get_by_role("button", name="Ask it by Redfish").click()
    expect(page.get_by_text("24 of 24 right")).to_be_visible()

    page.get_by_role("button", name="Memory test").click()
    log = {"name": "stick.log", "mimeType": "text/plain", "buffer": b"Pass 1 complete\nPass 2 complete, 0 errors\n"}
    page.get_by_label("Or its log: searched for the verdict").set_input_files(log)
    evidence = page.get_by_role("region", name="Evidence")
    expect(evidence).to_contain_text("2 passes, 0 errors")
    page.get_by_role("button", name="Alerts cleared").click()
    page.get_by_role("button", name="Nothing came back").click()
    expect(evidence).to_contain_text("and nothing came back")
    page.get_by_role("button", name="Begin the soak").click()
    soak = page.get_by_role("region", name="Soak")
    expect(soak).to_contain_text("3 d left")
    served.ahead.write_text("3.01")
    page.get_by_role("button", name="Read the counters").click()
    expect(soak).to_contain_text("passed")
    expect(soak.get_by_role("img", name="Correctable errors since it began: none")).to_be_visible()
    expect(page.get_by_role("region", name="1 thing lacking")).to_contain_text("“Switch monitoring on again” is open")
    page.goto(f"/bench/{run}")
    expect(page.get_by_role("heading", name="Switch monitoring on again")).to_be_visible()
    tick(page)
    page.get_by_role("link", name="hall-03").click()
    go_to(page, "Proof")
    page.get_by_role("button", name="Sign off: back on duty").click()
    expect(page.get_by_role("heading", name="Proved and signed off")).to_be_visible()
    expect(page.get_by_text("on the bench")).to_have_count(0)

    go_to(page, "Survey")
    expect(page.get_by_text("576", exact=True)).to_be_visible()
    page.get_by_role("link", name="Shelf", exact=True).click()
    expect(page.get_by_role("row", name=re.compile("HLV5R-16")).first).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("QD5R-16.*out of hall-04"))).to_have_count(0)
    page.get_by_role("link", name="Field notes").click()
    expect(page.get_by_role("row", name=re.compile("fine.*QD5R-16")).first).to_contain_text("Halvard R24")


def test_a_tick_just_before_the_bench_is_left_arrives_from_any_page(sign_in: SignIn) -> None:
    page, lead = sign_in("technician"), sign_in("lead")
    run = begin_run(page, lead, "store-01")
    page.goto(f"/bench/{run}")
    expect(page.get_by_role("heading", name="Check every new module")).to_be_visible()
    page.route("**/entries/*", lambda route: route.abort())
    tick(page)
    expect(page.get_by_role("status")).to_contain_text("1 tick kept here")
    page.unroute("**/entries/*")
    page.goto("/shelf")
    lead.wait_for_function("async run => (await (await fetch(`/api/runs/${run}`)).json()).at_step === 2", arg=run)


def test_the_bench_loses_and_doubles_no_tick(sign_in: SignIn, served: Served) -> None:
    """Twenty ticks without a connection, answers that get lost on the way back, two people at it."""
    page, lead = sign_in("lead", width=390, height=844), sign_in("technician")
    run = begin_run(lead, page, "store-01")
    page.goto(f"/bench/{run}")
    expect(page.get_by_role("heading", name="Check every new module")).to_be_visible()
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    # Once more through the worker, so that it has kept what the bench needs.
    page.reload()
    expect(page.get_by_role("heading", name="Check every new module")).to_be_visible()
    tick(page)
    lead.wait_for_function("async run => (await (await fetch(`/api/runs/${run}`)).json()).at_step === 2", arg=run)
    page.context.set_offline(True)
    for _ in range(20):
        tick(page)
    expect(page.get_by_role("status")).to_contain_text("No connection: 20 ticks kept here")
    at = number_of(page)
    assert at == 22
    page.reload()  # the page itself comes from what was kept, and so do the ticks
    expect(page.locator("header")).to_contain_text("step 22 of")
    assert api(lead, f"/api/runs/{run}")["at_step"] == 2, "nothing has come through"

    # Meanwhile somebody else ticks one of them too.
    lead.goto(f"/bench/{run}")
    tick(lead)
    lead.wait_for_function("async run => (await (await fetch(`/api/runs/${run}`)).json()).at_step === 3", arg=run)
    lost: list[str] = []

    def lose(route: Route) -> None:
        """The server keeps the entry, and its answer never arrives."""
        if len(lost) < 3 and route.request.url not in lost:
            lost.append(route.request.url)
            route.fetch()
            route.abort()
        else:
            route.continue_()

    page.context.route(re.compile("/entries/"), lose)
    page.context.set_offline(False)
    expect(page.get_by_role("status")).to_have_text("Every tick is sent")
    view = api(lead, f"/api/runs/{run}")
    assert len(lost) == 3 and view["at_step"] == 22
    assert view["entries"] == 22, "one, twenty, and the other person's: none lost, none doubled"
    assert view["steps"][1]["done_by"] == "I. Mar", "who was first counts"
    # Both see each other.
    expect(lead.locator("header")).to_contain_text("step 22 of")
    tick(page)
    expect(lead.locator("header")).to_contain_text("step 23 of")


def test_notes_photos_what_is_not_right_and_the_way_back(sign_in: SignIn, served: Served) -> None:
    page, lead = sign_in("technician"), sign_in("lead")
    run = begin_run(page, lead, "store-01")
    page.get_by_role("button", name="Window").click()
    page.get_by_role("textbox", name="Begins").fill("2031-07-01T20:00")
    page.get_by_role("textbox", name="Ends").fill("2031-07-01T23:00")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_text("window 1 Jul 2031, 20:00")).to_be_visible()
    calendar = page.request.get(f"{served.url}/api/runs/{run}/window.ics").text()
    assert "DTSTART:20310701T190000Z" in calendar, "Faroe summer time"

    page.goto(f"/bench/{run}")
    page.get_by_role("button", name="Not right").click()
    page.get_by_label("What is not right?").fill("the test found errors")
    page.get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("the test found errors")).to_be_visible()
    png = bytes.fromhex(
        "89504e470d0a1a0a0000000d4948445200000001000000010802000000907753de0000000c49444154789c63606060000000040001f61738550000000049454e44ae426082"
    )
    page.get_by_label("Photo").set_input_files({"name": "p.png", "mimeType": "image/png", "buffer": png})
    expect(page.get_by_role("img", name="Photo by I. Mar")).to_be_visible()
    ready = page.get_by_role("heading", name="Everything is ready: switch off now?")
    while ready.count() == 0:
        tick(page)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
    held = number_of(page)
    expect(page.get_by_text("somebody else than who did the steps before")).to_be_visible()
    expect(page.get_by_role("button", name="Done, next")).to_have_count(0)
    page.get_by_role("button", name="Before").click()
    page.get_by_role("button", name="Untick").click()
    expect(page.locator("header")).to_contain_text(f"step {held - 1} of")

    page.goto("/machines")
    page.get_by_role("link", name="store-01", exact=True).click()
    go_to(page, "Run")
    page.get_by_role("button", name="Back out").click()
    dialog = page.get_by_role("form", name="Back out")
    expect(dialog).to_contain_text("Tell monitoring that nothing happens.")
    dialog.get_by_label("Why", exact=True).fill("the machine was not clean before")
    dialog.get_by_role("button", name="It is as it was: end the run").click()
    expect(page.get_by_text("backed out").first).to_be_visible()


def test_the_paper_holds_steps_map_and_labels(sign_in: SignIn, served: Served, tmp_path: Path) -> None:
    """Read by Debian's own reader of PDF."""
    page, lead = sign_in("technician"), sign_in("lead")
    run = begin_run(page, lead, "store-01")
    paper = page.request.get(f"{served.url}/api/runs/{run}/sheet.pdf")
    assert paper.headers["content-type"] == "application/pdf"
    (tmp_path / "sheet.pdf").write_bytes(paper.body())
    done = subprocess.run(
        ["pdftotext", "-layout", str(tmp_path / "sheet.pdf"), "-"], capture_output=True, text=True, check=True
    )
    words = " ".join(done.stdout.split())
    for said in (
        "store-01: Open it up",
        "HOLD Opening this ends the warranty: go on?",
        "earthing strip first",
        "Slot map",
        "Bay labels to cut out",
        "store-01, bay 4",
        "1 of ",
    ):
        assert said in words, said
    steps = api(page, f"/api/runs/{run}")["steps"]
    assert all(" ".join(s["text"].split()) in words for s in steps)


@pytest.mark.parametrize("theme", ["light", pytest.param("dark", marks=pytest.mark.wide)])
def test_no_serious_accessibility_fault_at_the_bench_and_in_proof(sign_in: SignIn, theme: str) -> None:
    page, lead = sign_in("technician", theme), sign_in("lead", theme)
    page.get_by_role("link", name="store-01", exact=True).click()
    go_to(page, "Run")
    expect(page.get_by_role("region", name="What it risks")).to_be_visible()
    check(page, "before the run")
    page.goto("/machines")
    run = begin_run(page, lead, "store-01")
    check(page, "Run")
    page.goto(f"/bench/{run}")
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    check(page, "bench")
    page.get_by_role("link", name="store-01").click()
    go_to(page, "Proof")
    page.get_by_role("button", name="What does it show?").click()
    page.get_by_role("button", name="By hand", exact=True).click()
    page.get_by_role("button", name="all are as planned").click()
    page.get_by_role("combobox", name="DIMM A").select_option("not seen")
    check(page, "what it shows, by hand")
    page.get_by_role("button", name="That is what it shows").click()
    expect(page.get_by_text("1 of 2 right")).to_be_visible()
    page.get_by_role("button", name="Counters by hand").click()
    check(page, "counters by hand")
    page.get_by_role("button", name="Are its errors counted?").click()
    page.get_by_role("button", name="It proposes other positions").click()
    check(page, "Proof")
    page.get_by_role("button", name="Search for the fault").click()
    expect(page.get_by_text("Next boot", exact=True)).to_be_visible()
    check(page, "fault search")


def check(page: Page, where: str) -> None:
    found = serious_faults(page)
    assert found == [], f"{where}: {found}"


def test_a_route_is_planned_in_two_stages(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Routes")
    page.get_by_role("button", name=re.compile("^In two stages: plan route")).first.click()
    expect(page.get_by_role("heading", name="Verdict")).to_be_visible()
    go_to(page, "Run")
    expect(page.get_by_text("stage 1 of 2")).to_be_visible()
    steps = (
        page.get_by_role("listitem")
        .filter(has_text=re.compile(r"(Put|Move) \d+ GB"))
        .filter(has_not=page.locator("ol"))
    )
    expect(steps).to_have_count(1)


def test_what_is_judged_otherwise_is_on_machines_and_a_corrected_sheet_taken(sign_in: SignIn) -> None:
    page = sign_in()
    page.get_by_role("link", name="hall-03", exact=True).click()
    go_to(page, "Fit")
    machine = page.url.split("/")[-2]
    stated = """async machine => (await fetch(`/api/machines/${machine}/statements`, {method: 'POST', headers: {'content-type': 'application/json'},
        body: JSON.stringify({statement: {scope: 'machine', capacity_gib: 500, hard: true, source: {title: 'a notice', kind: 'machine-maker', date: '2026-01-01'}}, of_model: false})})).status"""
    assert page.evaluate(stated, machine) in (200, 201, 204)
    page.goto("/machines")
    page.get_by_text("1 verdict changed").click()
    expect(page.get_by_role("listitem").filter(has_text="Even out CPU 2")).to_contain_text("go → no go")

    text = (ROOT / "src/umbrak/demo/sheets/fjell-n2.yaml").read_text() + "notes: corrected\n"
    kept = "async text => (await fetch('/api/sheets', {method: 'POST', headers: {'content-type': 'application/json'}, body: JSON.stringify({text})})).status"
    assert page.evaluate(kept, text) == 201
    page.get_by_role("link", name="gauge-01", exact=True).click()
    expect(page.get_by_text("Its sheet has a newer revision (2)")).to_be_visible()
    page.get_by_role("button", name="Judge by it from now on").click()
    expect(page.get_by_text("Its sheet has a newer revision")).to_have_count(0)
