"""From an approved plan over the bench to a machine back on duty, and the ways that end earlier."""

from __future__ import annotations

import io
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import pytest
import vobject
from PIL import Image
from sqlalchemy import Engine, text

from tests.formats.smbios_facts import Device, table
from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.core.proof.compare import Seen
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.step import Phase
from umbrak.formats.documents import MachineDoc, StatementDoc, layout_json, module_json
from umbrak.formats.entries import ENTRY
from umbrak.formats.faults import InputError
from umbrak.services.bench.ending import Return, SignOff, back_out, sign_off
from umbrak.services.bench.entering import add_log, add_photo, compare_label, enter, see_attachment, set_window
from umbrak.services.bench.making import start_run
from umbrak.services.bench.paper import run_calendar, run_pdf
from umbrak.services.bench.view import RunView, see_run
from umbrak.services.errors import NotAllowed, NotFound, Refused, Stale
from umbrak.services.evidence.calibration import see_calibration
from umbrak.services.evidence.ceiling import add_statement
from umbrak.services.evidence.trials import list_trials
from umbrak.services.known.loading import load_machine
from umbrak.services.machines.making import MachineChanges, change_machine
from umbrak.services.machines.newer import changed_verdicts, newer_sheet, take_newer_sheet
from umbrak.services.machines.page import see_machine
from umbrak.services.plans.approval import approve, see_risk
from umbrak.services.plans.editing import edit_plan, set_runs_with, start_plan
from umbrak.services.plans.view import plan_cures, see_plan
from umbrak.services.proof.view import see_proof
from umbrak.services.sheets.doubts import accept_doubt, settle_doubt
from umbrak.services.sheets.drafts import see_draft
from umbrak.services.sheets.library import add_sheet
from umbrak.services.shelf.view import see_shelf
from umbrak.services.surveys.intake import take_in
from umbrak.store.accounts import Account

ROOT = Path(__file__).resolve().parents[2]
NOW = datetime(2031, 3, 1, 8, 0, tzinfo=UTC)
OFFICIAL = decode_label("16GB 1Rx8 PC5-4800B-RC0 P/N: HLV5R-16").module
THIRD = decode_label("16GB 1Rx8 PC5-4800B-RC0 P/N: QD5R-16").module
ROW = [f"CPU2.{c}2" for c in "ABCDEF"]


class Bench:
    """A run with somebody at it."""

    def __init__(self, engine: Engine, account: Account, run: RunView) -> None:
        self.engine, self.account, self.id = engine, account, run.id
        self.now = NOW

    def enter(self, kind: str, account: Account | None = None, key: UUID | None = None, **members: Any) -> UUID:
        key = key or uuid4()
        entry = ENTRY.validate_python({"kind": kind, **members})
        enter(self.engine, account or self.account, self.id, key, entry, self.now, self.now)
        return key

    @property
    def run(self) -> RunView:
        return see_run(self.engine, self.id, self.now)

    def tick(self, second: Account, until: Wanted | None = None) -> None:
        """The steps by hand that can be ticked now, up to the first that stands for `until`."""
        for step in self.run.steps:
            if step.proves is until or step.phase is Phase.AFTER:
                return
            if step.proves is None and step.done_at is None:
                self.now += timedelta(minutes=1)
                self.enter("done", second if step.hold else None, step=step.key)

    def count(self, **more: Any) -> None:
        """One reading of every slot that holds a module."""
        health = {"correctable": 4, "uncorrectable": 0, "temperature_c": 40, **more}
        self.enter("reading", slots=dict.fromkeys(self.run.goal, health))

    @property
    def proof(self) -> Any:
        return see_proof(self.engine, self.id, self.now)


def begin(
    engine: Engine,
    technician: Account,
    lead: Account,
    module: Any,
    name: str = "hall-03",
    slots: Any = ROW,
    called: str = "six",
) -> Bench:
    machine = key_of(engine, name)
    now = dict(see_machine(engine, machine).slots)
    plan = start_plan(engine, technician, machine, called, wanted=Layout({**now, **dict.fromkeys(slots, module)}))
    if see_risk(engine, plan.id).needed:
        approve(engine, lead, plan.id, plan.version)
    return Bench(engine, technician, start_run(engine, technician, plan.id))


def replacing(engine: Engine, technician: Account, lead: Account) -> Bench:
    """The failed module of hall-02 is replaced by another of its kind."""
    plan = start_plan(engine, technician, key_of(engine, "hall-02"), "replace")
    # As it is it will not do: its cure is another of its kind, from the Shelf.
    cure = plan_cures(engine, plan.id).cures[0]
    assert plan.evaluation.findings[0].code == "fit.failed" and cure is not None
    plan = edit_plan(engine, technician, plan.id, plan.version, Layout(cure.changes), [])
    plan = set_runs_with(engine, technician, plan.id, plan.version, {"firmware": "4.3"})
    if see_risk(engine, plan.id).needed:
        approve(engine, lead, plan.id, plan.version)
    return Bench(engine, technician, start_run(engine, technician, plan.id))


def as_seen(bench: Bench, **other: Any) -> dict[str, Any]:
    return {**layout_json(Layout(bench.run.goal)), **other}


def prove(bench: Bench, second: Account, **seen: Any) -> None:
    """The work by its sheet, and everything that signing off wants, by hand."""
    bench.tick(second, Wanted.SLOTS)
    bench.enter("survey", slots=as_seen(bench, **seen))
    bench.enter("memory-test", tool="stick", passes=2, errors=0)
    bench.tick(second, Wanted.AGAIN if any(s.proves is Wanted.AGAIN for s in bench.run.steps) else Wanted.ALERTS)
    bench.enter("survey", slots=as_seen(bench, **seen))
    bench.enter("cleared")
    bench.tick(second, Wanted.DUTY)
    bench.count()
    bench.enter("soak", days=3)
    bench.now += timedelta(days=3, minutes=1)
    bench.count()


def test_a_plan_at_risk_waits_for_a_lead_and_a_change_asks_again(
    engine: Engine, technician: Account, lead: Account
) -> None:
    machine = key_of(engine, "hall-03")
    now = dict(see_machine(engine, machine).slots)
    plan = start_plan(engine, technician, machine, "risky", wanted=Layout({**now, **dict.fromkeys(ROW, THIRD)}))
    with pytest.raises(Refused, match="a lead has to approve it first"):
        start_run(engine, technician, plan.id)
    with pytest.raises(NotAllowed):
        approve(engine, technician, plan.id, plan.version)
    risk = see_risk(engine, plan.id)
    assert (
        risk.needed
        and risk.beliefs
        and risk.levers
        and 0 < risk.trouble_range.low < risk.trouble < risk.trouble_range.high
    )
    # Six of 61 each, all on the shelf but none to pay for; by its maker six of 148, of which four lie on the shelf.
    assert risk.saving and (risk.saving.cost, risk.saving.official_cost) == (0, 296)
    with pytest.raises(Stale):
        approve(engine, lead, plan.id, plan.version + 1)
    approved = approve(engine, lead, plan.id, plan.version)
    assert approved.approval and approved.approval.stands and see_plan(engine, plan.id).state == "approved"
    changed = edit_plan(engine, technician, plan.id, plan.version, Layout({}), ["CPU2.F2"])
    assert (again := see_risk(engine, plan.id).approval) and not again.stands
    with pytest.raises(Refused, match="changed since it was approved"):
        start_run(engine, technician, plan.id)
    approve(engine, lead, plan.id, changed.version)
    start_run(engine, technician, plan.id)
    with pytest.raises(Refused, match="is under way"):
        edit_plan(engine, technician, plan.id, see_plan(engine, plan.id).version, Layout({}), ["CPU2.A2"])


def test_ticks_are_kept_once_in_order_and_held_for_a_second_person(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    first, second = bench.run.steps[0].key, bench.run.steps[1].key
    key = bench.enter("done", step=first)
    bench.enter("done", step=first, key=key)
    bench.enter("done", step=first, account=lead)
    run = bench.run
    assert run.entries == 2 and run.steps[0].done_by != "" and run.at_step == 2
    by = run.steps[0].done_by
    bench.enter("not-right", step=first, text="the backup is old")
    assert bench.run.steps[0].not_right == "the backup is old" and bench.run.steps[0].done_at is None
    bench.enter("done", step=first)
    bench.enter("undone", step=first)
    bench.enter("done", step=first)
    assert bench.run.steps[0].done_by == by
    bench.enter("done", step=second)

    hold = next(s for s in bench.run.steps if s.hold)
    beyond = bench.run.steps[hold.number]
    with pytest.raises(Refused, match="First: "):
        bench.enter("done", step=beyond.key)
    with pytest.raises(NotAllowed, match="Somebody else"):
        bench.enter("done", step=hold.key)
    bench.enter("done", step=hold.key, account=lead)
    bench.enter("done", step=beyond.key)
    with pytest.raises(NotFound):
        bench.enter("done", step="no-such")
    # A clock that is ahead is not believed.
    late = bench.now
    bench.now += timedelta(hours=5)
    enter(engine, technician, bench.id, uuid4(), ENTRY.validate_python({"kind": "note", "text": "x"}), bench.now, late)
    assert bench.run.remarks[-1].at == late
    other = replacing(engine, technician, lead)
    with pytest.raises(Refused, match="Another run"):
        other.enter("done", step=other.run.steps[0].key, key=key)


def test_the_label_in_hand_is_held_beside_the_plan(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    same = compare_label(engine, bench.id, "CPU2.A2", "16GB 1Rx8 PC5-4800B-RC0 QD5R-16")
    assert (same.matches, same.differs) == (True, ())
    other = compare_label(engine, bench.id, "CPU2.A2", "16GB 2Rx8 PC5-4800B-RC0")
    assert not other.matches and "ranks" in other.differs
    # What it says agrees, and it says too little: that is no match.
    little = compare_label(engine, bench.id, "CPU2.A2", "16GB DDR5 RDIMM")
    assert (little.matches, little.differs, little.untold) == (False, (), ("ranks", "device width", "rated data rate"))
    with pytest.raises(NotFound):
        compare_label(engine, bench.id, "nowhere", "16GB")
    with pytest.raises(Refused, match="Nothing in it"):
        compare_label(engine, bench.id, "CPU2.A2", "hello")


def test_a_machine_is_on_one_bench(engine: Engine, technician: Account, lead: Account) -> None:
    begin(engine, technician, lead, OFFICIAL)
    with pytest.raises(Refused, match="on the bench already"):
        begin(engine, technician, lead, OFFICIAL, "hall-03", ROW[:3], "another")


def test_from_the_bench_to_duty(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    assert see_machine(engine, bench.run.machine_id).runs[0].state == "under way"
    bench.tick(lead, Wanted.SLOTS)
    assert bench.run.taken_min is not None and bench.run.taken_min > 5
    with pytest.raises(Refused, match=r"nobody has looked at what it shows.*no memory test.*(is|are) open"):
        sign_off(engine, technician, bench.id, SignOff("fine", "", "", {}), bench.now)
    hold = next(s for s in bench.run.steps if s.proves is Wanted.SLOTS)
    assert (hold.done_at, hold.proof) == (None, "lacking")
    with pytest.raises(Refused, match="Nobody ticks this step"):
        bench.enter("done", lead, step=hold.key)
    with pytest.raises(Refused, match="First: Compare what it sees"):
        bench.enter("done", lead, step="back:monitoring")

    bench.enter("survey", slots=as_seen(bench, **{"CPU2.A2": None, "CPU2.B2": "8GB 1Rx8 PC5-4800B-RC0"}))
    slots = {p.slot: p.seen for p in bench.proof.seen.comparison.slots}
    assert (slots["CPU2.A2"], slots["CPU2.B2"], slots["CPU2.C2"]) == (Seen.MISSING, Seen.SMALLER, Seen.RIGHT)
    assert next(s for s in bench.run.steps if s.proves is Wanted.SLOTS).proof == "against"
    with pytest.raises(Refused, match="speaks against it cannot be waived"):
        bench.enter("waived", lead, what="slots", reason="no time")
    with pytest.raises(Refused, match="soak cannot begin yet: not as planned: CPU2 A2 missing"):
        bench.enter("soak", days=3)
    prove(bench, lead)
    proof = bench.proof
    assert proof.complete and proof.soak.state.passed and proof.soak.state.rates["CPU2.A2"].count == 0
    told = next(s for s in bench.run.steps if s.proves is Wanted.SLOTS)
    assert (told.proof, told.done_by, "24 of 24" in told.proof_words) == ("there", bench.account.shown_as, True)
    bench.enter("allocation", share_gib=100, used_gib=40)
    bench.enter("alert", text="Memory in B2 is not certified")
    bench.enter("alert", text="Fan 2 fault")
    assert [a.expected for a in bench.proof.alerts] == [None, False], "of the parts that were there before nobody says"
    assert [a.given for a in bench.proof.allocations] == [False]

    run = sign_off(engine, technician, bench.id, SignOff("fine", "quiet", "cupboard", {}), bench.now)
    assert run.state == "proved"
    machine = see_machine(engine, run.machine_id)
    assert (
        machine.survey.kind == "proof" and machine.evaluation.installed_gib == 576 and machine.runs[0].state == "proved"
    )
    plan = see_plan(engine, run.plan_id)
    assert plan.state == "proved" and all(a.do == "keep" for a in plan.actions) and not plan.survey_changed
    trial = list_trials(engine)[0]
    assert (trial.part, trial.outcome, trial.who, trial.soak_days >= 3) == ("HLV5R-16", "fine", "own-proof", True)
    # Four lay on the shelf; what else came was bought.
    assert not [s for s in see_shelf(engine).stock if s.part == "HLV5R-16"]
    with pytest.raises(Refused, match="is proved"):
        bench.enter("note", text="late")


def test_a_failed_module_is_replaced_and_returned(engine: Engine, technician: Account, lead: Account) -> None:
    bench = replacing(engine, technician, lead)
    prove(bench, lead)
    assert [a.do for a in see_plan(engine, bench.run.plan_id).actions if a.do != "keep"] == ["take-out", "put-in"]
    assert bench.run.steps[0].text.startswith("Find the failed module")
    back = {"CPU2.11": Return("RMA 5120", date(2031, 4, 1))}
    run = sign_off(engine, technician, bench.id, SignOff("fine", "", "bench", back), bench.now)
    seen = see_machine(engine, run.machine_id)
    # It runs with what the plan said: bringing it there was a step of the run.
    assert (seen.failed, seen.facts.firmware) == ((), "4.3")
    (line,) = [s for s in see_shelf(engine).stock if s.reference == "RMA 5120"]
    assert (line.state, line.due_on, line.place, line.note) == (
        "to-return",
        date(2031, 4, 1),
        "bench",
        "from hall-02, slot CPU2 11",
    )


def test_a_staged_plan_stops_until_its_first_stage_is_proved(
    engine: Engine, technician: Account, lead: Account
) -> None:
    machine = key_of(engine, "hall-03")
    now = dict(see_machine(engine, machine).slots)
    goal = Layout({**now, **dict.fromkeys(ROW, THIRD)})
    plan = start_plan(engine, technician, machine, "staged", wanted=goal, stages=[Layout({**now, "CPU2.A2": THIRD})])
    assert [tuple(s.changes) for s in plan.stages] == [("CPU2.A2",), tuple(ROW[1:])]
    approve(engine, lead, plan.id, plan.version)
    bench = Bench(engine, technician, start_run(engine, technician, plan.id))
    assert (bench.run.stage, bench.run.stages) == (1, 2)
    assert [s.slots for s in bench.run.steps if s.do] == [("CPU2.A2",)]
    serial = {"CPU2.A2": {**module_json(bench.run.goal["CPU2.A2"]), "serial": "S-1"}}
    prove(bench, lead, **serial)
    sign_off(engine, technician, bench.id, SignOff("fine", "", "", {}), bench.now)
    plan = see_plan(engine, plan.id)
    assert plan.state == "under way"
    assert not see_risk(engine, plan.id).needed, "what the first module showed is not claimed any more"
    second = Bench(engine, technician, start_run(engine, technician, plan.id))
    assert (second.run.stage, second.run.stages) == (2, 2) and "stage 1 is proved" in second.run.steps[0].text
    assert sorted(x for s in second.run.steps if s.do for x in s.slots) == ROW[1:]


def test_what_does_not_come_up_is_searched_or_backed_out(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    bench.enter("survey", slots=as_seen(bench, **{"CPU2.A2": None}))
    bench.enter("symptom", symptom="total short", dark=["CPU2.A2"])
    cured = False
    for _ in range(20):
        faults = bench.proof.faults
        if faults.culprit:
            break
        trial = faults.trials[0]
        assert trial.words and trial.minutes > 0 and set(trial.touched) <= set(bench.run.now) | set(bench.run.goal)
        cured = cured or "CPU2.A2" in trial.touched
        dark = [] if cured else ["CPU2.A2"]
        bench.enter("boot", arrangement=dict(trial.arrangement), reseated=list(trial.reseated), dark=dark)
    assert faults.culprit == "seating in CPU2 A2" and faults.odds >= 0.9 and "cured" in faults.to_do[0]
    assert faults.boots[0].result == "CPU2 A2 dark" and faults.boots[-1].result == "all seen"
    assert faults.lights.endswith("at fault (whether they show with the cover on is not told)")
    for wrong, why in (
        ({"arrangement": {"CPU1.A1": "nowhere"}}, "No module was planned"),
        ({"arrangement": {"CPU1.A1": "CPU1.A1", "CPU1.B1": "CPU1.A1"}}, "one slot only"),
        ({"arrangement": {"CPU1.A1": "CPU1.A1"}, "dark": ["CPU1.B1"]}, "is empty"),
    ):
        with pytest.raises(Refused, match=why):
            bench.enter("boot", **wrong)
    with pytest.raises(Refused, match="Say why"):
        back_out(engine, technician, bench.id, " ", bench.now)
    run = back_out(engine, technician, bench.id, "no time left", bench.now, "not-seen")
    assert run.state == "backed out" and see_plan(engine, run.plan_id).state == "backed out"
    assert list_trials(engine)[0].outcome == "not-seen"
    assert see_machine(engine, run.machine_id).survey.kind != "proof"
    assert [s.free for s in see_shelf(engine).stock if s.part == "HLV5R-16"] == [4], "nothing is reserved any more"


def test_what_was_predicted_is_laid_beside_what_came(engine: Engine, technician: Account, lead: Account) -> None:
    """At approval, whether it ended well or not; one that says nothing of the outcome is no line. One of the older model is
    shown and does not count."""
    bench = begin(engine, technician, lead, THIRD)
    predicted = see_risk(engine, bench.run.plan_id).trouble
    # The demo's past: upgrades that were approved and proved, each long before it was laid beside its outcome.
    before = see_calibration(engine).lines
    assert {(x.machine, x.outcome.value) for x in before} == {("gauge-01", "quirks"), ("radar-01", "fine")}
    assert all(x.approved_at < x.ended_at < bench.now - timedelta(days=100) and x.counts for x in before)
    back_out(engine, technician, bench.id, "it never saw them", bench.now, "not-seen")
    again = begin(engine, technician, lead, THIRD, called="again")
    back_out(engine, technician, again.id, "no time left", again.now)
    line, *rest = see_calibration(engine).lines
    assert tuple(rest) == before, "one that says nothing of the outcome is no line"
    assert (line.machine, line.outcome.value, line.counts) == ("hall-03", "not-seen", True)
    assert line.trouble == pytest.approx(predicted, abs=0.02)
    told = see_calibration(engine)
    assert (sum(b.count for b in told.bands), sum(b.failed for b in told.bands), told.brier) == (3, 1, None)
    with engine.begin() as db:
        db.execute(text("UPDATE approval SET document = document - 'model'"))
    assert not any(x.counts for x in see_calibration(engine).lines) and see_calibration(engine).counted == 0


def test_the_machines_own_proposal_puts_a_clause_in_doubt(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    with pytest.raises(Refused, match="is full"):
        bench.enter("proposal", moves={"CPU2.A2": "CPU2.A1"})
    bench.enter("proposal", moves={"CPU1.A1": "CPU1.A2", "CPU1.A2": "CPU1.A1"})
    (proposal,) = bench.proof.proposals
    assert proposal.contradicts
    machine = see_machine(engine, bench.run.machine_id)
    assert machine.doubts and machine.doubts == see_plan(engine, bench.run.plan_id).doubts
    bench.enter("proposal", moves={"CPU1.A1": "CPU1.A2", "CPU1.A2": "CPU1.A1"})
    assert len(see_machine(engine, bench.run.machine_id).doubts) == len(machine.doubts), "each once"
    for d in machine.doubts:
        settle_doubt(engine, technician, d.id)
    assert see_machine(engine, bench.run.machine_id).doubts == ()


def test_what_a_machine_proposes_is_accepted_into_its_sheet(engine: Engine, technician: Account, lead: Account) -> None:
    pair = decode_label("16GB 1Rx8 PC5-5600B-UA0").module
    bench = begin(engine, technician, lead, pair, "desk-06", ["A2", "B2"], "smaller pair")
    bench.enter("proposal", moves={"A2": "A1", "B2": "B1"})
    doubt = see_machine(engine, bench.run.machine_id).doubts[0]
    assert [c.ask for c in doubt.changes] == ["@population"]
    draft = see_draft(engine, technician, accept_doubt(engine, technician, doubt.id))
    assert "fill: [[A1, B1], [A2, B2]]" in draft.text


def test_evidence_by_file(engine: Engine, technician: Account, lead: Account) -> None:
    """A table, a log, a photo: what they tell is used, what they carry beside it is not kept."""
    bench = begin(engine, technician, lead, OFFICIAL)
    devices = [
        Device(f"CPU{n}_DIMM_{c}{i}", 32768 if i == 1 else 16384) for n in (1, 2) for c in "ABCDEF" for i in (1, 2)
    ]
    intake = take_in(engine, technician, "after.bin", table([*devices[:-1], Device("CPU2_DIMM_F2", 0)]))
    slots = {s.locator: i for i, s in enumerate(intake.reading.slots)}
    reports = {f"CPU{n}.{c}{i}": slots[f"CPU{n}_DIMM_{c}{i}"] for n in (1, 2) for c in "ABCDEF" for i in (1, 2)}
    # Two machines of one model lie side by side, and one's report is given for the other.
    with engine.begin() as db:
        db.execute(text("UPDATE machine SET serial = 'LK12-00999' WHERE id = :id"), {"id": bench.run.machine_id})
    for kind in ("survey", "reading"):
        with pytest.raises(Refused, match="of another machine: it says serial number LK12-00417"):
            bench.enter(kind, intake_id=str(intake.id))
    with engine.begin() as db:
        db.execute(text("UPDATE machine SET serial = 'LK12-00417' WHERE id = :id"), {"id": bench.run.machine_id})
    bench.enter("survey", intake_id=str(intake.id), reports=reports)
    seen = {p.slot: p.seen for p in bench.proof.seen.comparison.slots}
    assert seen["CPU2.F2"] is Seen.MISSING and bench.proof.seen.source == "after.bin"

    add_log(
        engine,
        technician,
        bench.id,
        uuid4(),
        "stick",
        b"Pass 1 complete, 0 errors\nPass 2 complete, 3 errors\n",
        bench.now,
    )
    (test,) = bench.proof.tests
    assert (test.passes, test.errors, test.has_log) == (2, 3, True) and not bench.proof.complete
    assert see_attachment(engine, bench.id, test.id)[0].startswith(b"Pass 1")
    with pytest.raises(InputError, match="nothing in this log"):
        add_log(engine, technician, bench.id, uuid4(), "stick", b"hello", bench.now)

    picture = Image.new("RGB", (3000, 200), "red")
    exif = picture.getexif()
    exif[0x010E] = "where it was taken"
    raw = io.BytesIO()
    picture.save(raw, "JPEG", exif=exif)
    key = uuid4()
    step = bench.run.steps[0].key
    for _ in range(2):
        add_photo(engine, technician, bench.id, key, step, raw.getvalue(), bench.now, bench.now)
    kept, kind = see_attachment(engine, bench.id, key)
    assert kind == "image/jpeg" and b"where it was" not in kept and Image.open(io.BytesIO(kept)).size == (1600, 107)
    assert [r.is_photo for r in bench.run.remarks] == [True]
    for bad in (b"no picture", raw.getvalue()[:300], b"GIF89a" + bytes(200)):
        with pytest.raises(InputError, match="no JPEG"):
            add_photo(engine, technician, bench.id, uuid4(), step, bad, bench.now, bench.now)


def test_the_window_as_an_appointment_and_the_sheet_on_paper(
    engine: Engine, technician: Account, lead: Account
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    with pytest.raises(Refused, match="Set the maintenance window"):
        run_calendar(engine, bench.id, NOW)
    with pytest.raises(Refused, match="ends before it begins"):
        set_window(engine, technician, bench.id, NOW, NOW)
    set_window(engine, technician, bench.id, NOW, NOW + timedelta(hours=3))
    name, raw = run_calendar(engine, bench.id, NOW)
    # Read by another program than the one that wrote it.
    event = vobject.readOne(raw.decode()).vevent
    assert (name, event.summary.value) == ("hall-03-window.ics", "Memory: hall-03")
    assert (event.dtstart.value, event.dtend.value) == (NOW, NOW + timedelta(hours=3))
    assert event.location.value == "Skerry Watch, computing hall, rack B"
    assert all(len(line) <= 75 for line in raw.split(b"\r\n")) and raw.endswith(b"END:VCALENDAR\r\n")
    name, pdf = run_pdf(engine, bench.id, NOW)
    assert name == "hall-03-run-sheet.pdf" and pdf.startswith(b"%PDF-")


def test_what_is_judged_otherwise_is_told(engine: Engine, technician: Account, lead: Account) -> None:
    """A limit by firmware, a statement and a corrected sheet: the plan and what is proved did not change, their verdict did."""
    machine = key_of(engine, "hall-03")
    plan = begin(engine, technician, lead, OFFICIAL).run.plan_id
    assert list(changed_verdicts(engine, 30).changes) == []
    source = {"title": "a notice", "kind": "machine-maker", "date": "2031-01-01"}
    below = StatementDoc(scope="machine", capacity_gib=500, hard=True, source=source, firmware={"from": "3.0"})
    add_statement(engine, technician, machine, below, False)
    assert list(changed_verdicts(engine, 30).changes) == [], "not at this firmware"
    view = see_machine(engine, machine)
    facts = MachineDoc(
        **{**MachineDoc().model_dump(), "firmware": "3.1", "os_bits": 64, "processors": dict(view.facts.processors)}
    )
    change_machine(engine, technician, machine, view.version, MachineChanges(facts=facts))
    changed = list(changed_verdicts(engine, 30).changes)
    assert {c.name for c in changed} == {"six", "Even out CPU 2"}, "what is fitted stays below it"
    told = next(c for c in changed if c.plan_id == plan)
    assert (told.machine, told.plan_id, told.was, told.verdict) == (
        "hall-03",
        plan,
        "go",
        "no-go",
    ) and "500" in told.because

    text = (ROOT / "src/umbrak/demo/sheets/fjell-n2.yaml").read_text()
    gauge = key_of(engine, "gauge-01")
    with engine.connect() as db:
        assert newer_sheet(db, load_machine(db, gauge)) is None
    add_sheet(
        engine,
        technician,
        text + "os_notes: [{text: corrected, source: guide}]\n" if "os_notes" not in text else text + "# corrected\n",
    )
    with engine.connect() as db:
        newer = newer_sheet(db, load_machine(db, gauge))
    assert newer and newer.revision == 2 and next(w.name for w in newer.layouts) == "what is fitted"
    take_newer_sheet(engine, technician, gauge, see_machine(engine, gauge).version)
    assert see_machine(engine, gauge).sheet_hash == newer.hash
    with pytest.raises(Refused, match="newest revision"):
        take_newer_sheet(engine, technician, gauge, see_machine(engine, gauge).version)
