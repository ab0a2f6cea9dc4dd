"""Work at the bench and its proof."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import File, Form, Request, Response, UploadFile
from pydantic import AwareDatetime

from umbrak.formats.bounds import MAX_BYTES, MAX_FORM_BYTES
from umbrak.formats.documents import Name, ShortText
from umbrak.formats.photo import MAX_PHOTO_BYTES
from umbrak.server.bodies.base import LabelText
from umbrak.server.bodies.planning import PlanApproval
from umbrak.server.bodies.runs import BackOut, LightBody, RunEntry, RunStart, RunWindow, SecondTick, SignOffBody
from umbrak.server.bodies.sheets import SettleDoubt
from umbrak.server.deps import Browser, Db, Now, Out, Person
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.server.tries import COUNTING, HASHING, run_in
from umbrak.server.unchanged import while_unchanged
from umbrak.services.bench import ending, entering, making, paper
from umbrak.services.bench.entering import InHand, add_log, add_photo, compare_label, see_attachment, set_window
from umbrak.services.bench.labels import run_labels
from umbrak.services.bench.light import switch_light
from umbrak.services.bench.making import PreviewView
from umbrak.services.bench.view import RunView, see_run
from umbrak.services.errors import NotAllowed, NotSignedIn, Refused
from umbrak.services.people.accounts import admit, recognise
from umbrak.services.people.factor import CodeWantedError, check_factor
from umbrak.services.plans import approval
from umbrak.services.plans.approval import RiskView
from umbrak.services.proof import view as proving
from umbrak.services.proof.paper import proof_pdf
from umbrak.services.proof.peers import PeerView, list_peers
from umbrak.services.proof.view import ProofView
from umbrak.services.sheets.doubts import AcceptedDoubt, accept_doubt, settle_doubt

router = api_router(tags=["runs"])
At = Annotated[AwareDatetime, Form(description="by the clock at the bench")]


@router.get("/plans/{plan_id}/risk", responses=describe(401, 404, 422))
@while_unchanged
def risk(plan_id: UUID, engine: Db, _: Person) -> RiskView:
    """What the plan risks: reasons, trouble, break-even, what lowers it, and whether a lead took it."""
    return approval.see_risk(engine, plan_id)


@router.get("/machines/{machine_id}/peers", responses=describe(401, 404, 422))
@while_unchanged
def peers(machine_id: UUID, engine: Db, _: Person) -> tuple[PeerView, ...]:
    """Machines of the same model, with what they show, to hold this one against."""
    return list_peers(engine, machine_id)


@router.post("/plans/{plan_id}/approvals", responses=describe(401, 403, 404, 409, 422))
def approve(plan_id: UUID, body: PlanApproval, engine: Db, account: Person) -> RiskView:
    """A lead takes the plan's risk as it is now; a change afterwards asks again."""
    return approval.approve(engine, account, plan_id, body.version)


@router.get("/plans/{plan_id}/run-sheet", responses=describe(401, 404, 422))
@while_unchanged
def preview(plan_id: UUID, engine: Db, _: Person) -> PreviewView:
    """The run sheet that the plan's next stage would have today."""
    return making.preview(engine, plan_id)


@router.post("/plans/{plan_id}/runs", status_code=201, responses=describe(401, 403, 404, 422))
def start(plan_id: UUID, body: RunStart, engine: Db, account: Person) -> RunView:
    """Make the run sheet of the plan's next stage, and begin."""
    return making.start_run(engine, account, plan_id, body.soak_days)


@router.get("/runs/{run_id}", responses=describe(401, 404, 422))
@while_unchanged
def see(run_id: UUID, engine: Db, _: Person, now: Now) -> RunView:
    """A run: its steps and how each stands."""
    return see_run(engine, run_id, now)


@router.put("/runs/{run_id}/light", responses=describe(401, 403, 404, 422, 502))
def light(run_id: UUID, body: LightBody, engine: Db, outside: Out, account: Person, now: Now) -> RunView:
    """Switch the locator light of the run's machine by its management controller; it goes off when the run has ended."""
    return switch_light(engine, account, outside, run_id, body.on, now)


@router.put("/runs/{run_id}/window", responses=describe(401, 403, 404, 422))
def window(run_id: UUID, body: RunWindow, engine: Db, account: Person) -> RunView:
    """Set the maintenance window."""
    return set_window(engine, account, run_id, body.start, body.end)


@router.put("/runs/{run_id}/entries/{entry_id}", status_code=204, responses=describe(401, 403, 404, 422))
def enter(run_id: UUID, entry_id: UUID, body: RunEntry, engine: Db, account: Person, now: Now) -> None:
    """Keep what was ticked, noted or seen, under an id that the bench made; sent again it changes nothing."""
    entering.enter(engine, account, run_id, entry_id, body.entry, body.at, now)


@router.put(
    "/runs/{run_id}/entries/{entry_id}/second",
    status_code=204,
    responses=describe(401, 403, 404, 422, 429),
    max_body_size=8 << 10,
)
async def second(
    run_id: UUID,
    entry_id: UUID,
    body: SecondTick,
    engine: Db,
    outside: Out,
    _: Person,
    now: Now,
    request: Request,
    browser: Browser,
) -> None:
    """Tick a step as somebody else than who is signed in here, by their own name and password."""
    address = request.client.host if request.client else ""
    attempt = await run_in(COUNTING, lambda: admit(engine, body.name, address, browser=browser))
    try:
        account = await run_in(
            HASHING,
            lambda: recognise(
                engine, attempt, body.password, lambda a: check_factor(engine, outside.vault, a, body.code)
            ),
        )
    except CodeWantedError as error:
        raise Refused("code", str(error)) from error
    except NotSignedIn as error:
        # Whoever is signed in here stays so.
        raise NotAllowed(str(error)) from error
    await run_in(COUNTING, lambda: entering.enter_as(engine, account, run_id, entry_id, body.step, body.at, now))


@router.put(
    "/runs/{run_id}/photos/{entry_id}",
    status_code=204,
    responses=describe(400, 401, 403, 404, 422),
    max_body_size=MAX_FORM_BYTES,
)
def photo(
    run_id: UUID,
    entry_id: UUID,
    file: Annotated[UploadFile, File(description="JPEG, PNG or WebP")],
    at: At,
    engine: Db,
    account: Person,
    now: Now,
    step: Annotated[ShortText | None, Form()] = None,
) -> None:
    """Keep a photo; it is written anew, and where and with what it was taken stays behind."""
    moment: datetime = at
    add_photo(engine, account, run_id, entry_id, step, file.file.read(MAX_PHOTO_BYTES + 1), moment, now)


@router.put(
    "/runs/{run_id}/logs/{entry_id}",
    status_code=204,
    responses=describe(400, 401, 403, 404, 422),
    max_body_size=MAX_FORM_BYTES,
)
def log(
    run_id: UUID,
    entry_id: UUID,
    file: Annotated[UploadFile, File(description="a memory test's log")],
    engine: Db,
    account: Person,
    now: Now,
    tool: Annotated[ShortText, Form()] = "",
) -> None:
    """Keep a memory test's log and search it for the verdict."""
    name = tool.strip() or file.filename or "memory test"
    add_log(engine, account, run_id, entry_id, name[:200], file.file.read(MAX_BYTES + 1), now)


@router.post("/runs/{run_id}/slots/{slot}/label", responses=describe(401, 404, 422))
def in_hand(run_id: UUID, slot: Name, body: LabelText, engine: Db, _: Person) -> InHand:
    """What the label of the module in hand says beside what the slot is to get."""
    return compare_label(engine, run_id, slot, body.text)


@router.get("/runs/{run_id}/attachments/{entry_id}", response_class=Response, responses=describe(401, 404, 422))
def attachment(run_id: UUID, entry_id: UUID, engine: Db, _: Person) -> Response:
    """A photo or a log."""
    raw, kind = see_attachment(engine, run_id, entry_id)
    policy = {"Content-Security-Policy": "default-src 'none'; sandbox", "Cache-Control": "private, max-age=86400"}
    return Response(raw, media_type=kind, headers=policy)


@router.get("/runs/{run_id}/labels.pdf", response_class=Response, responses=describe(401, 404, 422))
def labels(run_id: UUID, engine: Db, _: Person) -> Response:
    """Labels for the bags of what comes out and the slots of what goes in, as PDF."""
    name, raw = run_labels(engine, run_id)
    return Response(
        raw, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{_plain(name)}"'}
    )


@router.get("/runs/{run_id}/sheet.pdf", response_class=Response, responses=describe(401, 404, 422))
def pdf(run_id: UUID, engine: Db, _: Person, now: Now) -> Response:
    """The run sheet on paper: steps, slot map, bay labels."""
    name, raw = paper.run_pdf(engine, run_id, now)
    return Response(
        raw, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{_plain(name)}"'}
    )


@router.get("/runs/{run_id}/proof.pdf", response_class=Response, responses=describe(401, 404, 422))
def proof_on_paper(run_id: UUID, engine: Db, _: Person, now: Now) -> Response:
    """The proof as it stands on one page: before, after, evidence, who signed."""
    name, raw = proof_pdf(engine, run_id, now)
    return Response(
        raw, media_type="application/pdf", headers={"Content-Disposition": f'inline; filename="{_plain(name)}"'}
    )


@router.get("/runs/{run_id}/window.ics", response_class=Response, responses=describe(401, 404, 422))
def calendar(run_id: UUID, engine: Db, _: Person, now: Now) -> Response:
    """The maintenance window as iCalendar."""
    name, raw = paper.run_calendar(engine, run_id, now)
    headers = {"Content-Disposition": f'attachment; filename="{_plain(name)}"'}
    return Response(raw, media_type="text/calendar; charset=utf-8", headers=headers)


def _plain(name: str) -> str:
    return "".join(c if c.isascii() and (c.isalnum() or c in "-_.") else "_" for c in name)


@router.get("/runs/{run_id}/proof", responses=describe(401, 404, 422))
@while_unchanged
def proof(run_id: UUID, engine: Db, _: Person, now: Now) -> ProofView:
    """What is proved of a run, and what is lacking."""
    return proving.see_proof(engine, run_id, now)


@router.post("/runs/{run_id}/sign-off", responses=describe(401, 403, 404, 422))
def sign_off(run_id: UUID, body: SignOffBody, engine: Db, account: Person, now: Now) -> RunView:
    """End a proved run: fitted is what was planned, the Shelf and Field notes learn of it, the machine is back on duty."""
    returns = {s: ending.Return(r.reference, r.due_on) for s, r in body.returns.items()}
    said = ending.SignOff(body.outcome, body.note, body.place, returns)
    return ending.sign_off(engine, account, run_id, said, now)


@router.post("/runs/{run_id}/back-out", responses=describe(401, 403, 404, 422))
def back_out(run_id: UUID, body: BackOut, engine: Db, account: Person, now: Now) -> RunView:
    """End a run with the machine as it was before."""
    return ending.back_out(engine, account, run_id, body.reason, now, body.outcome)


@router.post("/doubts/{doubt_id}/settlement", status_code=204, responses=describe(401, 403, 404, 422))
def settle(doubt_id: UUID, engine: Db, account: Person, body: SettleDoubt | None = None) -> None:
    """A clause in doubt was looked into; with a reason where it stands as it is."""
    settle_doubt(engine, account, doubt_id, body.refused if body else "")


@router.post("/doubts/{doubt_id}/acceptance", responses=describe(401, 403, 404, 422))
def accept(doubt_id: UUID, engine: Db, account: Person) -> AcceptedDoubt:
    """Write what it proposes into the draft of the sheet's next revision; the draft's id."""
    return AcceptedDoubt(draft_id=accept_doubt(engine, account, doubt_id))
