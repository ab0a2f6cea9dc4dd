"""Run and Proof are one: what is lacking, what is waived, what speaks against it, and what follows from each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from uuid import UUID, uuid4

import pytest
from sqlalchemy import Engine

from tests.formats.smbios_facts import Device, listing
from tests.services.test_runs import OFFICIAL, ROW, Bench, as_seen, begin, prove
from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.proof.compare import Seen
from umbrak.core.proof.wanted import Wanted
from umbrak.core.rules.finding import Verdict
from umbrak.formats.documents import layout_json
from umbrak.formats.reading import read_any
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.services.bench.ending import SignOff, sign_off
from umbrak.services.bench.entering import add_log, enter_as
from umbrak.services.bench.making import start_run
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.evidence.trials import list_trials
from umbrak.services.known.loading import load_machine
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.page import see_machine
from umbrak.services.people.accounts import add_account
from umbrak.services.plans.approval import approve, see_risk
from umbrak.services.plans.editing import edit_plan, stage_plan, start_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.sheets.library import add_sheet
from umbrak.services.shelf.view import see_shelf
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.store.accounts import Account
from umbrak.store.machines import Listing

FINE = SignOff("fine", "", "", {})


def item(bench: Bench, what: Wanted) -> tuple[str, str]:
    """(how it stands, in words)"""
    return next((i.state, i.words) for i in bench.proof.items if i.what == what)


def test_what_is_waived_stays_visible_and_proves_nothing(engine: Engine, technician: Account, lead: Account) -> None:
    before = len(list_trials(engine))
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.tick(lead, Wanted.SLOTS)
    # Twenty-three of twenty-four seen: the one that nobody saw is named, and is not right.
    bench.enter("survey", slots={s: m for s, m in as_seen(bench).items() if s != "CPU2.A2"})
    bench.enter("memory-test", tool="stick", passes=1, errors=0)
    assert item(bench, Wanted.SLOTS) == ("lacking", "nobody saw CPU2 A2")
    with pytest.raises(Refused, match="nobody saw CPU2 A2"):
        sign_off(engine, technician, bench.id, FINE, bench.now)
    with pytest.raises(NotAllowed):
        bench.enter("waived", what="slots", reason="no time")
    with pytest.raises(Refused, match="Nothing is lacking there"):
        bench.enter("waived", lead, what="memory test", reason="no time")
    with pytest.raises(Refused, match="Nothing of that kind"):
        bench.enter("waived", lead, what="slots after closing", reason="no time")
    bench.enter("waived", lead, what="slots", reason="its listing leaves the last slot out")
    step = next(s for s in bench.run.steps if s.proves is Wanted.SLOTS)
    assert (step.proof, step.done_by, "leaves the last slot out" in step.proof_words) == ("waived", lead.shown_as, True)
    bench.enter("cleared")
    bench.tick(lead, Wanted.DUTY)
    bench.enter("soak", days=3)
    bench.enter("waived", lead, what="soak", reason="it is wanted on Monday")
    # Somebody counts, and something was: what was waived is no answer to that.
    for errors in (0, 4):
        bench.now += timedelta(hours=1)
        bench.count(uncorrectable=errors)
    assert item(bench, Wanted.SOAK)[0] == "against"
    with pytest.raises(Refused, match="the soak failed"):
        sign_off(engine, technician, bench.id, FINE, bench.now)
    bench.now += timedelta(hours=1)
    bench.enter("soak", days=3)
    run = sign_off(engine, technician, bench.id, FINE, bench.now)
    plan = see_plan(engine, run.plan_id)
    assert (run.state, plan.state, plan.verdict_proved) == ("waived", "waived", None)
    assert len(list_trials(engine)) == before, "who went on without knowing has tried nothing for others"
    with engine.connect() as db:
        sources = load_machine(db, run.machine_id).survey.content.sources
    assert (sources["CPU2.A2"].kind, sources["CPU2.B2"].kind) == ("run sheet", "proof")
    waived = {i.what: (i.state, i.reason) for i in bench.proof.items if i.reason}
    assert waived == {"slots": ("waived", "its listing leaves the last slot out"), "soak": ("waived", "it is wanted on Monday")}  # fmt: skip


def test_what_somebody_found_during_a_run_stands_where_the_proof_did_not_see_it(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.tick(lead, Wanted.SLOTS)
    machine, other = bench.run.machine_id, decode_label("16GB 1Rx8 PC5-4800B-RC0 P/N: FOUND-1").module
    survey_by_hand(
        engine, technician, machine, see_machine(engine, machine).survey.revision, Layout({"CPU1.B1": other}), []
    )
    bench.enter("survey", slots={s: m for s, m in as_seen(bench).items() if s != "CPU1.B1"})
    bench.enter("memory-test", tool="stick", passes=1, errors=0)
    bench.enter("waived", lead, what="slots", reason="its listing leaves a slot out")
    bench.enter("cleared")
    bench.tick(lead, Wanted.DUTY)
    bench.enter("soak", days=3)
    bench.enter("waived", lead, what="soak", reason="it is wanted on Monday")
    sign_off(engine, technician, bench.id, FINE, bench.now)
    slots = see_machine(engine, machine).slots
    assert slots["CPU1.B1"] == other and slots["CPU2.A2"] == bench.run.goal["CPU2.A2"]


def test_a_run_is_not_done_by_ticking_and_its_last_steps_come_after_it(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL, "hall-03", ["CPU1.A1"], "swap")
    for step in bench.run.steps:
        if step.proves is None:
            try:
                bench.enter("done", lead, step=step.key)
            except Refused:
                break
    assert bench.run.steps[bench.run.at_step - 1].proves is Wanted.SLOTS, "no tick leads past what nobody saw"
    prove(bench, lead)
    with pytest.raises(Refused, match="First: "):
        bench.enter("done", lead, step="after:shelf")
    run = sign_off(engine, technician, bench.id, FINE, bench.now)
    assert run.state == "proved" and run.steps[run.at_step - 1].key == "after:shelf"
    bench.enter("done", step="after:shelf")
    assert bench.run.at_step == len(bench.run.steps) + 1
    with pytest.raises(Refused, match="is proved"):
        bench.enter("survey", slots=as_seen(bench))


def test_what_was_seen_before_modules_were_handled_proves_nothing(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.enter("survey", slots=as_seen(bench))
    bench.enter("memory-test", tool="stick", passes=1, errors=0)
    bench.tick(lead, Wanted.SLOTS)
    assert bench.proof.seen.stale and bench.proof.tests[0].stale
    assert item(bench, Wanted.SLOTS)[0] == item(bench, Wanted.TEST)[0] == "lacking"
    prove(bench, lead)
    assert bench.proof.complete
    # One is drawn on the third day: its channel begins anew, once it was looked at and tested again.
    bench.enter("changed", slots=["CPU2.A2"], text="its latch stood")
    assert item(bench, Wanted.SLOTS)[0] == "lacking" and not bench.proof.complete
    bench.now += timedelta(minutes=30)
    bench.enter("survey", slots=as_seen(bench))
    bench.enter("memory-test", tool="stick", passes=1, errors=0)
    bench.count()
    soak = bench.proof.soak
    assert soak.anew == {"CPU2.A1": pytest.approx(3.02, abs=0.01), "CPU2.A2": pytest.approx(3.02, abs=0.01)}
    assert (soak.state.passed, soak.state.days_left) == (None, pytest.approx(3.0, abs=0.05))
    bench.now += timedelta(days=3, minutes=1)
    bench.count()
    assert bench.proof.complete
    bench.enter("changed", slots=["CPU2.A2"], rate=True)
    assert {s[:4] for s in bench.proof.soak.anew} == {"CPU2"} and len(bench.proof.soak.anew) == 12


def test_where_nobody_tells_the_channels_a_handled_module_is_of_the_whole_machine(
    engine: Engine, technician: Account, lead: Account
) -> None:
    # Its names leave open whether number or letter is the channel: the sheet draws a channel a slot, and claims none.
    devices = [Device(f"DIMM{n}{x}", size_mib=16384 if x == "A" else 0, serial=n) for n in "123" for x in "ABC"]
    kept = add_sheet(engine, technician, draft_sheet(read_any(listing(devices).encode()), "Tarn C3"))
    module = replace(decode_label("16GB 2Rx8 PC4-2400T-RE1-11").module, part="BR4R-16-24", maker="Brannoch")
    fitted = Layout({f"DIMM{n}A": module for n in "123"})
    emptied = [f"DIMM{n}{x}" for n in "123" for x in "BC"]
    machine = make_machine(
        engine, technician, NewMachine(name="tarn", sheet_hash=kept.sheet.hash, fitted=fitted, emptied=emptied)
    )
    plan = start_plan(engine, technician, machine, "one more", wanted=Layout({**fitted, "DIMM1B": module}))
    allow(engine, lead, plan.id)
    bench = Bench(engine, technician, start_run(engine, technician, plan.id))
    prove(bench, lead)
    with pytest.raises(Refused, match="share a channel is not told: enter the counters by slot"):
        bench.enter("reading", channels={"C DIMM1A": {"correctable": 0}})
    assert bench.proof.complete
    bench.enter("changed", slots=["DIMM1A"], text="drawn and pushed again")
    assert set(bench.proof.soak.anew) == {"DIMM1A", "DIMM1B", "DIMM2A", "DIMM3A"}


def allow(engine: Engine, lead: Account, plan_id: UUID) -> None:
    if see_risk(engine, plan_id).needed:
        approve(engine, lead, plan_id, see_plan(engine, plan_id).version)


def appliance(
    engine: Engine, technician: Account, lead: Account, label: str = "16GB 1Rx8 PC5-4800B-SC0 P/N: FJM5S-16A"
) -> Bench:
    machine = key_of(engine, "gauge-01")
    plan = start_plan(engine, technician, machine, "by the book", wanted=Layout({"B1": decode_label(label).module}))
    allow(engine, lead, plan.id)
    return Bench(engine, technician, start_run(engine, technician, plan.id))


def test_an_appliance_that_shows_only_its_total(engine: Engine, technician: Account, lead: Account) -> None:
    bench = appliance(engine, technician, lead)
    bench.tick(lead, Wanted.SLOTS)
    bench.enter("survey", usable_gib=39.2)
    assert item(bench, Wanted.SLOTS)[0] == "against", "the total of what was there before"
    bench.enter("label", slot="B1", text="8GB 1Rx16 PC5-4800B-SC0")
    bench.enter("survey", usable_gib=23.4)
    (slot,) = bench.proof.seen.comparison.slots
    assert (slot.seen, "hold its label" in slot.words) == (Seen.UNTOLD, True), "a label that is not the planned one"
    # The step at which its label was to be held was ticked; a label that agrees in its size alone is not against that.
    bench.enter("label", slot="B1", text="16GB")
    assert bench.proof.seen.comparison.slots[0].seen is Seen.BY_TOTAL
    bench.enter("label", slot="B1", text="16GB 1Rx8 PC5-4800B-SC0 P/N: FJM5S-16A", serial="F-77")
    (slot,) = bench.proof.seen.comparison.slots
    assert slot.seen is Seen.BY_TOTAL and item(bench, Wanted.SLOTS)[0] == "there"
    bench.enter("memory-test", tool="its own", passes=1, errors=0)
    bench.tick(lead, Wanted.AGAIN)
    assert item(bench, Wanted.AGAIN)[0] == "lacking", "its drives went back since"
    bench.enter("survey", usable_gib=23.4)
    bench.enter("cleared")
    bench.tick(lead, Wanted.DUTY)
    bench.enter("soak", days=3)
    bench.now += timedelta(days=3, minutes=1)
    # Its modules correct nothing, so nothing is counted; its array can be scrubbed, and was not.
    assert "no scrub" in item(bench, Wanted.SOAK)[1]
    bench.enter("scrub", clean=True)
    run = sign_off(engine, technician, bench.id, FINE, bench.now)
    assert run.state == "proved" and run.goal["B1"].serial is None
    seen = see_machine(engine, run.machine_id)
    assert seen.slots["B1"].serial == "F-77", "its serial was noted at the bench"
    with engine.connect() as db:
        assert load_machine(db, run.machine_id).survey.content.sources["B1"].kind == "total"


def test_nobody_said_whether_errors_are_counted(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    prove(bench, lead)
    bench.enter("soak", days=3)  # anew, and without a reading since
    bench.now += timedelta(days=3, minutes=1)
    words = item(bench, Wanted.SOAK)
    assert words[0] == "lacking" and "was read" in words[1]
    bench.enter("soak", days=1)
    other = appliance(engine, technician, lead)
    assert other.proof.counts is None and other.proof.corrects is False
    bench.enter("counting", counted=False, text="its log shows none")
    assert bench.proof.counts is False and item(bench, Wanted.SOAK)[0] == "lacking"


def test_no_later_test_takes_back_what_one_found_and_a_part_is_not_all(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.tick(lead, Wanted.SLOTS)
    bench.enter("survey", slots=as_seen(bench))

    other = add_account(engine, "ola", shown_as="Ola", password="a long one of many words", role="technician")

    def stands() -> tuple[str, str]:
        return item(bench, Wanted.TEST)

    # A slot that was dark for a while, and nobody touched.
    bench.enter("survey", slots={**as_seen(bench), "CPU2.C2": None})
    assert item(bench, Wanted.SLOTS)[0] == "against"
    bench.enter("survey", slots=as_seen(bench))
    (remark,) = bench.proof.seen.comparison.remarks
    assert remark.startswith("CPU2 C2 was not there when it was looked at before, and nothing was handled since")

    # A log of a test that was run within the system, over what it was given.
    log = b"want 1024MB\ngot 1024MB (1073741824 bytes)\nLoop 1/1:\n  Random Value : ok\nDone.\n"
    add_log(engine, technician, bench.id, uuid4(), "within", log, bench.now)
    assert stands() == ("lacking", "the memory test went over 1 of 576 GB alone")
    bench.enter("memory-test", tool="stick", passes=0, errors=0)
    assert stands()[0] == "lacking"
    bad = bench.enter("memory-test", tool="stick", passes=1, errors=1)
    for _ in range(2):
        bench.enter("memory-test", tool="stick", passes=4, errors=0)
        assert stands() == ("against", "a memory test found 1 error, and no module was handled since")
    with pytest.raises(NotAllowed, match="taken back by"):
        bench.enter("test-withdrawn", other, test=str(bad), text="of another machine")
    bench.enter("test-withdrawn", lead, test=str(bad), text="of another machine")
    assert stands() == ("there", "8 passes without an error")
    assert [t.withdrawn for t in bench.proof.tests if t.errors] == [f"of another machine ({lead.shown_as})"]
    for gone in (bad, uuid4()):
        with pytest.raises(Refused, match="no such memory test"):
            bench.enter("test-withdrawn", lead, test=str(gone), text="again")
    # What was found is of the machine as it was: a module that is handled begins it anew.
    bench.enter("memory-test", tool="stick", passes=1, errors=3)
    bench.now += timedelta(minutes=1)
    bench.enter("changed", slots=["CPU2.A2"], text="drawn and pushed again")
    bench.enter("survey", slots=as_seen(bench))
    assert bench.proof.seen.comparison.remarks == ()
    assert stands() == ("lacking", "no memory test since modules were handled")
    bench.now += timedelta(minutes=1)
    bench.enter("memory-test", tool="stick", passes=1, errors=0)
    assert stands()[0] == "there"


def test_a_failed_test_leads_to_its_culprit_and_to_the_shelf(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.tick(lead, Wanted.SLOTS)
    bench.enter("label", slot="CPU2.C2", text="", serial="S-9")
    bench.enter("survey", slots=as_seen(bench))
    bench.enter("memory-test", tool="stick", passes=1, errors=12)
    with pytest.raises(Refused, match="cannot be waived: a memory test found 12 errors"):
        bench.enter("waived", lead, what="memory test", reason="no time")
    with pytest.raises(Refused, match="No fault search is open"):
        bench.enter("found", module="CPU2.C2")
    bench.enter("symptom", symptom="memory test fails")
    assert item(bench, Wanted.SEARCH)[0] == "against"
    wrong, exchanged = None, 0
    for _ in range(60):
        faults = bench.proof.faults
        if faults.culprit:
            break
        trial = faults.trials[0]
        for slot, of in trial.arrangement.items():
            # Nobody has to guess which of the modules on the mat is meant.
            if of != slot and of not in faults.arrangement.values():
                exchanged += 1
                told = f"put the module planned for {of.replace('.', ' ')} into {slot.replace('.', ' ')}"
                assert told in trial.words or "as drawn" in trial.words, (
                    "the first of the words is another's: something went out"
                )
        where = next((s for s, name in trial.arrangement.items() if name == "CPU2.C2"), None)
        boot = {"arrangement": dict(trial.arrangement), "reseated": list(trial.reseated)}
        if wrong is None:
            # The first answer is tapped wrong, and taken back.
            before = faults.beliefs
            wrong = bench.enter("boot", **boot, showed=where is None)
            bench.enter("boot-undone", boot=str(wrong))
            assert bench.proof.faults.beliefs == before and len(bench.proof.faults.boots) == 1
            with pytest.raises(Refused, match="taken back already"):
                bench.enter("boot-undone", boot=str(wrong))
        bench.now += timedelta(minutes=20)
        bench.enter("boot", **boot, showed=where is not None)
    assert exchanged, "modules are tried in another's place"
    assert faults.culprit_modules == ("CPU2.C2",) and "module planned for CPU2 C2" in faults.culprit
    with pytest.raises(Refused, match="No module was planned"):
        bench.enter("found", module="nowhere")
    bench.enter("found", text=faults.culprit, module="CPU2.C2", fate="to-return", reference="R 7", due_on=date(2031, 5, 1), place="bench")  # fmt: skip
    (line,) = [s for s in see_shelf(engine).stock if s.reference == "R 7"]
    assert (line.state, line.part, line.due_on, line.place) == ("to-return", "HLV5R-16", date(2031, 5, 1), "bench")
    assert "hall-03, slot CPU2 C2" in line.note
    assert item(bench, Wanted.TEST)[0] == "lacking", "another module is in its slot: nothing before is of it"
    prove(bench, lead)
    assert sign_off(engine, technician, bench.id, FINE, bench.now).state == "proved"


def test_who_is_alone_waits_and_says_so_and_a_second_person_signs_for_one_tick(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    key = next(s.key for s in bench.run.steps if s.hold and s.proves is None)
    for step in bench.run.steps:
        if step.key == key:
            break
        bench.now += timedelta(minutes=1)
        bench.enter("done", step=step.key)
    with pytest.raises(NotAllowed, match="who is alone says why"):
        bench.enter("done", step=key)
    bench.now += timedelta(seconds=59)
    with pytest.raises(Refused, match="waits a minute"):
        bench.enter("done", step=key, alone="night shift")
    bench.now += timedelta(seconds=1)
    bench.enter("done", step=key, alone="night shift")
    assert next(s for s in bench.run.steps if s.key == key).alone == "night shift"
    bench.enter("undone", step=key)
    enter_as(engine, lead, bench.id, uuid4(), key, bench.now, bench.now)
    step = next(s for s in bench.run.steps if s.key == key)
    assert (step.done_by, step.alone) == (lead.shown_as, "")


def test_a_doubt_on_the_sheet_from_a_step(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    step = bench.run.steps[2]
    bench.enter("doubt", step=step.key, text="printed J7, not A2")
    (doubt,) = see_machine(engine, bench.run.machine_id).doubts
    assert (doubt.clause, doubt.words) == (step.text, "printed J7, not A2")
    assert [(r.kind, r.step) for r in bench.run.remarks] == [("doubt", step.key)]


def test_a_plans_verdict_after_its_proof_is_the_proofs(engine: Engine, technician: Account, lead: Account) -> None:
    bench = appliance(engine, technician, lead, "32GB 2Rx8 PC5-4800B-SB0 P/N: OTH5S-32")
    plan = see_plan(engine, bench.run.plan_id)
    assert plan.evaluation.verdict is Verdict.AT_RISK and plan.verdict_proved is None
    prove(bench, lead)
    bench.enter("scrub", clean=True)
    sign_off(engine, technician, bench.id, FINE, bench.now)
    plan = see_plan(engine, bench.run.plan_id)
    assert (plan.state, plan.verdict_proved) == ("proved", Verdict.GO)
    line = next(m for m in list_machines(engine, Listing(text="gauge-01")).machines if m.name == "gauge-01")
    assert (line.summary.verdict, line.summary.worst_severity in (None, "slow", "note")) == ("go", True)


def stage(engine: Engine, plan_id: object, account: Account, *stages: Mapping[str, Occupant | None]) -> None:
    plan = see_plan(engine, plan_id)  # type: ignore[arg-type]
    stage_plan(engine, account, plan.id, plan.version, stages)


def test_stages_are_as_somebody_set_them(engine: Engine, technician: Account, lead: Account) -> None:
    """A plan made by hand, in three stages; the first tries a smaller module in a slot that another one gets."""
    machine = key_of(engine, "hall-03")
    now = dict(see_machine(engine, machine).slots)
    small = decode_label("8GB 1Rx8 PC5-4800B-RC0 P/N: HLV5R-8").module
    goal = Layout({**now, **dict.fromkeys(ROW, OFFICIAL)})
    plan = start_plan(engine, technician, machine, "three", wanted=goal)
    stage(engine, plan.id, technician, {"CPU2.A2": small}, {"CPU2.A2": OFFICIAL, "CPU2.B2": OFFICIAL})
    plan = see_plan(engine, plan.id)
    assert [tuple(s.changes) for s in plan.stages] == [("CPU2.A2",), ("CPU2.A2", "CPU2.B2"), tuple(ROW[2:])]
    assert [s.again for s in plan.stages] == [("CPU2.A2",), (), ()]
    # A change of the goal drops no stage.
    plan = edit_plan(engine, technician, plan.id, plan.version, Layout({}), ["CPU2.F2"])
    assert [tuple(s.changes) for s in plan.stages][:2] == [("CPU2.A2",), ("CPU2.A2", "CPU2.B2")]
    with pytest.raises(Refused, match="has no slot"):
        stage(engine, plan.id, technician, {"X9": small})
    for number, changed in ((1, {"CPU2.A2"}), (2, {"CPU2.A2", "CPU2.B2"}), (3, {"CPU2.C2", "CPU2.D2", "CPU2.E2"})):
        allow(engine, lead, plan.id)
        bench = Bench(engine, technician, start_run(engine, technician, plan.id))
        assert (bench.run.stage, bench.run.stages) == (number, 3)
        assert {x for s in bench.run.steps if s.do for x in s.slots} == changed
        bench.now = datetime.now(UTC) + timedelta(days=10 * number)
        prove(bench, lead)
        sign_off(engine, technician, bench.id, FINE, bench.now)
    assert see_plan(engine, plan.id).state == "proved"
    assert layout_json(Layout(see_machine(engine, machine).slots)) == layout_json(
        Layout(see_plan(engine, plan.id).goal)
    )
