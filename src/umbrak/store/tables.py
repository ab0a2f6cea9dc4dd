"""Every table but those of access. Columns for what is asked about, JSONB for documents (each with a `schema` number inside)."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Column,
    Date,
    Float,
    ForeignKey,
    Identity,
    Index,
    Integer,
    LargeBinary,
    Numeric,
    SmallInteger,
    Table,
    Text,
    UniqueConstraint,
    func,
    text,
)  # fmt: skip
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP, UUID

import umbrak.store.access_tables  # noqa: F401  # whose account it was, most tables say
from umbrak.store.columns import at, key, metadata

site = Table(
    "site",
    metadata,
    key(),
    Column("name", Text, nullable=False, unique=True),
    #: IANA zone, such as Atlantic/Faroe: the wall clock at the rack.
    Column("zone", Text, nullable=False),
)

sheet = Table(
    "sheet",
    metadata,
    #: Content hash; plans and machines pin it.
    Column("hash", Text, primary_key=True),
    Column("sheet_id", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("title", Text, nullable=False),
    Column("kind", Text, nullable=False),
    Column("archetype", Boolean, nullable=False),
    Column("text", Text, nullable=False),
    Column("document", JSONB, nullable=False),
    #: None: it came with the tool.
    Column("kept_by", ForeignKey("account.id"), nullable=True),
    #: Why it differs from the revision before, in its keeper's words.
    Column("why", Text, nullable=False, server_default=""),
    at(),
    UniqueConstraint("sheet_id", "revision"),
)

#: Sheets that nobody should begin with any more; what is under them stays readable.
retired_sheet = Table(
    "retired_sheet",
    metadata,
    Column("sheet_id", Text, primary_key=True),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    Column("why", Text, nullable=False, server_default=""),
    at("at"),
)

#: What is written of a sheet and not kept yet: one draft a sheet, which several may write.
sheet_draft = Table(
    "sheet_draft",
    metadata,
    key(),
    Column("sheet_id", Text, nullable=False, unique=True),
    #: The revision that it began from; NULL: from none.
    Column("base", ForeignKey("sheet.hash"), nullable=True),
    #: Of its newest text.
    Column("version", Integer, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
)

#: Every text that a draft had: what somebody writes against an older one is put together with what came after it.
sheet_draft_text = Table(
    "sheet_draft_text",
    metadata,
    Column("draft_id", ForeignKey("sheet_draft.id", ondelete="CASCADE"), primary_key=True),
    Column("version", Integer, primary_key=True),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    Column("text", Text, nullable=False),
    #: The question that was answered; "": the text itself was written.
    Column("what", Text, nullable=False, server_default=""),
    at("at"),
)

#: Who has a draft before them, and when they last had.
sheet_draft_reader = Table(
    "sheet_draft_reader",
    metadata,
    Column("draft_id", ForeignKey("sheet_draft.id", ondelete="CASCADE"), primary_key=True),
    Column("account_id", ForeignKey("account.id"), primary_key=True),
    at("at"),
)

intake = Table(
    "intake",
    metadata,
    key(),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    Column("source_name", Text, nullable=False),
    Column("kind", Text, nullable=False),
    #: As it came, so that a better decoder can read it again; NULL: it was removed by its age.
    Column("raw", LargeBinary, nullable=True),
    Column("document", JSONB, nullable=False),
    at(),
)

#: Which slot of a model a reported locator is, as people told.
locator = Table(
    "locator",
    metadata,
    Column("sheet_id", Text, primary_key=True),
    Column("bank", Text, primary_key=True),
    Column("locator", Text, primary_key=True),
    Column("slot", Text, nullable=False),
)

machine = Table(
    "machine",
    metadata,
    key(),
    Column("name", Text, nullable=False),
    Column("site_id", ForeignKey("site.id"), nullable=True),
    Column("place", Text, nullable=False, server_default=""),
    Column("sheet_hash", ForeignKey("sheet.hash"), nullable=False),
    #: MachineDoc: processors per socket, firmware, system, width, mode, rail setting.
    Column("facts", JSONB, nullable=False),
    Column("version", Integer, nullable=False, server_default="1"),
    at(),
    at("updated_at"),
    #: Machines of one group carry each other's loads; "" = none.
    Column("duty_group", Text, nullable=False, server_default=""),
    Column("retired_at", TIMESTAMP(timezone=True), nullable=True),
    #: Who looks after it; "" = nobody named.
    Column("keeper", Text, nullable=False, server_default=""),
    Column("warranty_end", Date, nullable=True),
    #: The machine's own serial number, by which its reports are known; "" = not known.
    Column("serial", Text, nullable=False, server_default=""),
    #: Its number in the owner's books; "" = nobody said.
    Column("asset_tag", Text, nullable=False, server_default=""),
    #: Columns of the installation's own tables -> what stands there.
    Column("own", JSONB, nullable=False, server_default=text("'{}'")),
    #: Serial numbers that it reports instead, with commas between.
    Column("other_serials", Text, nullable=False, server_default=""),
)
Index("ix_machine_serial", machine.c.serial)
#: People write one name in several ways.
Index("uq_machine_lower_name", func.lower(machine.c.name), unique=True)

#: Machines that are kept before any sheet knows their model: what the plate says, and what they report.
waiting_machine = Table(
    "waiting_machine",
    metadata,
    key(),
    Column("name", Text, nullable=False),
    Column("site_id", ForeignKey("site.id"), nullable=True),
    #: appliance, server or workstation; "" = nobody said. So too make and model.
    Column("kind", Text, nullable=False, server_default=""),
    Column("make", Text, nullable=False, server_default=""),
    Column("model", Text, nullable=False, server_default=""),
    Column("intake_id", ForeignKey("intake.id"), nullable=True),
    Column("place", Text, nullable=False, server_default=""),
    Column("duty_group", Text, nullable=False, server_default=""),
    Column("keeper", Text, nullable=False, server_default=""),
    Column("warranty_end", Date, nullable=True),
    Column("serial", Text, nullable=False, server_default=""),
    at(),
    Column("asset_tag", Text, nullable=False, server_default=""),
    Column("own", JSONB, nullable=False, server_default=text("'{}'")),
    #: Cells of a table that only a sheet gives a meaning: column -> what stands there.
    Column("told", JSONB, nullable=False, server_default=text("'{}'")),
    Column("other_serials", Text, nullable=False, server_default=""),
)
Index("uq_waiting_machine_lower_name", func.lower(waiting_machine.c.name), unique=True)

#: How a machine can be asked over the network.
machine_service = Table(
    "machine_service",
    metadata,
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), primary_key=True),
    Column("kind", Text, CheckConstraint("kind IN ('redfish', 'snmp')", name="kind"), primary_key=True),
    Column("address", Text, nullable=False),
    #: {"user": ...} and what else may be read by all; never a secret.
    Column("document", JSONB, nullable=False),
    #: Its secrets, encrypted with the installation's key.
    Column("sealed", LargeBinary, nullable=False),
    #: When it was asked last, and what came of it: "" = it answered.
    Column("asked_at", TIMESTAMP(timezone=True), nullable=True),
    Column("trouble", Text, nullable=False, server_default=""),
    #: Since when its locator light is on by us, when switching it off was tried last, and what came of that.
    Column("light_since", TIMESTAMP(timezone=True), nullable=True),
    Column("light_tried_at", TIMESTAMP(timezone=True), nullable=True),
    Column("light_trouble", Text, nullable=False, server_default=""),
)

#: Limits that people state, of one machine or of every machine of a model.
statement = Table(
    "statement",
    metadata,
    key(),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), nullable=True, index=True),
    Column("sheet_id", Text, nullable=True, index=True),
    #: StatementDoc.
    Column("document", JSONB, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("withdrawn_at", TIMESTAMP(timezone=True), nullable=True),
    CheckConstraint("(machine_id IS NULL) <> (sheet_id IS NULL)", name="subject"),
)

#: What was tried where, and how it went.
trial = Table(
    "trial",
    metadata,
    key(),
    #: The model it was tried on.
    Column("sheet_id", Text, nullable=False, index=True),
    Column("processor", Text, nullable=True),
    Column("part", Text, nullable=True),
    Column("revision", Text, nullable=True),
    #: The module, as `ModuleDoc` reads it.
    Column("module", JSONB, nullable=True),
    Column("total_gib", Numeric, nullable=True),
    Column(
        "outcome",
        Text,
        CheckConstraint("outcome IN ('fine', 'quirks', 'not-seen', 'unstable')", name="outcome"),
        nullable=False,
    ),
    #: Who says so: a kind of source.
    Column("who", Text, nullable=False),
    Column("tried_on", Date, nullable=False),
    Column("soak_days", Numeric, nullable=False, server_default="0"),
    Column("note", Text, nullable=False, server_default=""),
    #: Where it is told: a thread, a document, a machine; "" = nobody said.
    Column("source", Text, nullable=False, server_default=""),
    #: What the machine held besides, as `formats.kept.HELD` writes it.
    Column("held", JSONB, nullable=True),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("withdrawn_at", TIMESTAMP(timezone=True), nullable=True),
)

#: The document or picture behind a statement or a trial: kept, or linked.
exhibit = Table(
    "exhibit",
    metadata,
    key(),
    Column("statement_id", ForeignKey("statement.id", ondelete="CASCADE"), nullable=True, index=True),
    Column("trial_id", ForeignKey("trial.id", ondelete="CASCADE"), nullable=True, index=True),
    Column("name", Text, nullable=False),
    Column("link", Text, nullable=False, server_default=""),
    Column("content", LargeBinary, nullable=True),
    Column("media_type", Text, nullable=False, server_default=""),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    CheckConstraint("(statement_id IS NULL) <> (trial_id IS NULL)", name="subject"),
    CheckConstraint("(content IS NULL) <> (link = '')", name="what"),
)

#: Modules on hand; a line is so many alike in one state and place.
stock = Table(
    "stock",
    metadata,
    key(),
    Column("part", Text, nullable=True),
    #: As `ModuleDoc` reads it, without serial and date where there are several.
    Column("module", JSONB, nullable=False),
    #: Equal for modules that are alike (formats.documents.like_key).
    Column("kind", Text, nullable=False, index=True),
    Column("count", Integer, CheckConstraint("count > 0", name="count"), nullable=False),
    Column("state", Text, CheckConstraint("state IN ('new', 'pulled', 'suspect', 'to-return')", name="state"), nullable=False),
    Column("place", Text, nullable=False, server_default=""),
    Column("note", Text, nullable=False, server_default=""),
    Column("version", Integer, nullable=False, server_default="1"),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    at("updated_at"),
    Column("gone_at", TIMESTAMP(timezone=True), nullable=True),
    #: Of what goes back: under which reference, and by when it must have been answered.
    Column("reference", Text, nullable=False, server_default=""),
    Column("due_on", Date, nullable=True),
    #: Of its serial number (core.memory.parts.serial_key); "" = none is known.
    Column("serial_key", Text, nullable=False, server_default="", index=True),
)  # fmt: skip

#: What suppliers ask for a kit.
offer = Table(
    "offer",
    metadata,
    key(),
    Column("part", Text, nullable=False),
    Column("module", JSONB, nullable=False),
    Column("kind", Text, nullable=False),
    Column("supplier", Text, nullable=False),
    #: Of one kit, in the installation's currency.
    Column("price", Numeric(14, 3), nullable=False),
    Column("kit", Integer, CheckConstraint("kit > 0", name="kit"), nullable=False),
    #: Modules to be had; null = as many as wanted.
    Column("stock", Integer, nullable=True),
    Column("lead_days", Integer, nullable=True),
    Column("listed", Boolean, nullable=True),
    Column("priced_on", Date, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("gone_at", TIMESTAMP(timezone=True), nullable=True),
)

#: What each plan puts in beyond what is fitted, by kind: reserved from the stock, older plans first.
plan_need = Table(
    "plan_need",
    metadata,
    Column("plan_id", ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
    Column("kind", Text, primary_key=True),
    Column("count", Integer, nullable=False),
)
Index("ix_plan_need_kind", plan_need.c.kind)

#: What was ordered of one supplier; closed once nothing of it is waited for any more.
purchase = Table(
    "purchase",
    metadata,
    key(),
    Column("supplier", Text, nullable=False),
    Column("reference", Text, nullable=False, server_default=""),
    Column("ordered_on", Date, nullable=False),
    Column("due_on", Date, nullable=True),
    Column("currency", Text, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("closed_at", TIMESTAMP(timezone=True), nullable=True),
)

purchase_line = Table(
    "purchase_line",
    metadata,
    key(),
    Column("purchase_id", ForeignKey("purchase.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("part", Text, nullable=False),
    Column("module", JSONB, nullable=False),
    #: The module that the plans have: one without a part number is any of its kind.
    Column("wanted", JSONB, nullable=False),
    #: Whole kits, what one holds and costs.
    Column("kits", Integer, CheckConstraint("kits > 0", name="kits"), nullable=False),
    Column("kit", Integer, CheckConstraint("kit > 0", name="kit"), nullable=False),
    Column("price", Numeric(14, 3), nullable=False),
    #: Plan -> how many of the modules are for it.
    Column("plans", JSONB, nullable=False, server_default=text("'{}'")),
)

#: A module that came of a line, as it was read.
arrival = Table(
    "arrival",
    metadata,
    key(),
    Column("line_id", ForeignKey("purchase_line.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("module", JSONB, nullable=False),
    #: As core.buying.arrival has it.
    Column("came", Text, nullable=False),
    #: What is done with it: kept on the Shelf, or sent back.
    Column("kept", Boolean, nullable=False),
    Column("reference", Text, nullable=False, server_default=""),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    #: As in `stock`.
    Column("serial_key", Text, nullable=False, server_default="", index=True),
)

#: What each machine is to carry.
sizing = Table(
    "sizing",
    metadata,
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), primary_key=True),
    #: {"schema": 1, "workloads": [...], ...}
    Column("document", JSONB, nullable=False),
    Column("version", Integer, nullable=False, server_default="1"),
    at("updated_at"),
)

#: What a machine showed of its memory's use, as somebody saw it.
figures_seen = Table(
    "figures_seen",
    metadata,
    key(),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    #: {"schema": 1, "used_gib": ..., ...}
    Column("document", JSONB, nullable=False),
    #: What it could use then. [GiB]
    Column("usable_gib", Float, nullable=False),
    at("at"),
    Index("ix_figures_seen_machine_id", "machine_id", "at"),
)

#: What an installation sets for itself: currency, costs.
setting = Table(
    "setting",
    metadata,
    Column("name", Text, primary_key=True),
    #: {"schema": 1, ...}
    Column("document", JSONB, nullable=False),
    Column("version", Integer, nullable=False, server_default="1"),
    at("updated_at"),
)

#: Names of makers by their JEP106 code, as surveys gave both.
maker_name = Table(
    "maker_name",
    metadata,
    Column("bank", Integer, primary_key=True),
    Column("code", Integer, primary_key=True),
    Column("name", Text, primary_key=True),
    Column("seen", Integer, nullable=False),
)

#: Work in the background, in steps that are each done whole or not at all.
job = Table(
    "job",
    metadata,
    key(),
    Column(
        "kind", Text, CheckConstraint("kind IN ('read', 'poll', 'round', 'table', 'bulk')", name="kind"), nullable=False
    ),
    Column(
        "state",
        Text,
        CheckConstraint("state IN ('waiting', 'running', 'done', 'stopped')", name="state"),
        nullable=False,
        server_default="waiting",
    ),
    Column("stop_asked", Boolean, nullable=False, server_default=text("false")),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    Column("title", Text, nullable=False),
    #: {"make": whether machines are made of reports whose model is clear}
    Column("document", JSONB, nullable=False),
    at(),
    Column("ended_at", TIMESTAMP(timezone=True), nullable=True),
)
Index("ix_job_created_at", job.c.created_at)

job_step = Table(
    "job_step",
    metadata,
    Column("job_id", ForeignKey("job.id", ondelete="CASCADE"), primary_key=True),
    Column("number", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column(
        "state",
        Text,
        CheckConstraint("state IN ('waiting', 'done', 'failed', 'left')", name="state"),
        nullable=False,
        server_default="waiting",
    ),
    #: What a step works on: a file's bytes until it is read, or a machine.
    Column("raw", LargeBinary, nullable=True),
    Column("machine_id", ForeignKey("machine.id", ondelete="SET NULL"), nullable=True, index=True),
    Column("intake_id", ForeignKey("intake.id"), nullable=True),
    #: What came of it, in words.
    Column("outcome", Text, nullable=False, server_default=""),
)
Index("ix_job_step_waiting", job_step.c.job_id, job_step.c.number, postgresql_where=job_step.c.state == "waiting")

survey = Table(
    "survey",
    metadata,
    key(),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), nullable=False),
    Column("revision", Integer, nullable=False),
    Column("kind", Text, nullable=False),
    Column("intake_id", ForeignKey("intake.id"), nullable=True, index=True),
    Column("account_id", ForeignKey("account.id"), nullable=True),
    Column("taken_at", TIMESTAMP(timezone=True), nullable=False),
    #: {"schema": 1, and the members of store.surveys.SurveyContent}
    Column("document", JSONB, nullable=False),
    UniqueConstraint("machine_id", "revision"),
)

#: Modules of machines by their part number, as the newest survey of each tells them: what `survey` has, to be found by number.
fitted_part = Table(
    "fitted_part",
    metadata,
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), primary_key=True),
    #: By what it was seen: spd, read, reported.
    Column("seen", Text, primary_key=True),
    #: Equal for modules that are alike (formats.documents.like_key).
    Column("kind", Text, primary_key=True),
    #: Equal for spellings of one number (core.memory.parts.key_of).
    Column("key", Text, nullable=False, index=True),
    Column("number", Text, nullable=False),
    Column("module", JSONB, nullable=False),
    Column("count", Integer, nullable=False),
    Column("seen_on", Date, nullable=False),
)

#: Modules that have a serial number, each for as long as it was seen in one slot.
stay = Table(
    "stay",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    #: Equal for spellings of one number (core.memory.parts.serial_key).
    Column("key", Text, nullable=False, index=True),
    Column("serial", Text, nullable=False),
    Column("part", Text, nullable=False, server_default=""),
    #: The module in a few words.
    Column("words", Text, nullable=False),
    Column("capacity_gib", Float, nullable=True),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), nullable=False),
    Column("slot", Text, nullable=False),
    #: By what it was seen first: a kind of report.
    Column("seen_by", Text, nullable=False),
    Column("since", TIMESTAMP(timezone=True), nullable=False),
    #: When it was seen there last.
    Column("seen_at", TIMESTAMP(timezone=True), nullable=False),
    #: When something else was seen in its slot; NULL: it is there, as far as is known.
    Column("until", TIMESTAMP(timezone=True), nullable=True),
    #: When it was found at fault there.
    Column("failed_at", TIMESTAMP(timezone=True), nullable=True),
    #: The most errors that its machine counted of it; NULL: it told of none.
    Column("correctable", BigInteger, nullable=True),
    Column("uncorrectable", BigInteger, nullable=True),
)
Index("ix_stay_open", stay.c.machine_id, postgresql_where=stay.c.until.is_(None))

#: What somebody told of a part number: what it is, or another number of the same thing.
part_word = Table(
    "part_word",
    metadata,
    key(),
    Column("key", Text, nullable=False, index=True),
    Column("number", Text, nullable=False),
    Column("same_key", Text, nullable=True, index=True),
    Column("same_number", Text, nullable=True),
    Column("module", JSONB, nullable=True),
    #: Where it is written.
    Column("source", Text, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("withdrawn_at", TIMESTAMP(timezone=True), nullable=True),
    CheckConstraint("(same_key IS NULL) <> (module IS NULL)", name="word"),
)

#: Lines of qualified lists that name a model of which there is no sheet yet.
waiting_line = Table(
    "waiting_line",
    metadata,
    key(),
    Column("model", Text, nullable=False),
    #: formats.qualified.ListLine.
    Column("document", JSONB, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("done_at", TIMESTAMP(timezone=True), nullable=True),
)

plan = Table(
    "plan",
    metadata,
    key(),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), nullable=False),
    Column("name", Text, nullable=False),
    Column(
        "state",
        Text,
        CheckConstraint("state IN ('draft', 'approved', 'under way', 'proved', 'waived', 'backed out')", name="state"),
        nullable=False,
        server_default="draft",
    ),
    Column("sheet_hash", ForeignKey("sheet.hash"), nullable=False),
    Column("survey_id", ForeignKey("survey.id"), nullable=False),
    #: {"schema": 1, "slots": {...}}: the goal, as the sum of the commands.
    Column("goal", JSONB, nullable=False),
    Column("version", Integer, nullable=False, server_default="1"),
    at(),
    at("updated_at"),
    Column("discarded_at", TIMESTAMP(timezone=True), nullable=True),
    #: {"schema": 1, "stages": [{...}]}: what is fitted after each stage but the last; null = all at once.
    Column("stages", JSONB, nullable=True),
    #: {"schema": 1, "facts": {...}}: what the machine will run with, where that is not what it runs with today.
    Column("runs_with", JSONB, nullable=True),
)
#: A discarded plan gives its name free.
Index(
    "uq_plan_machine_id_name",
    plan.c.machine_id,
    plan.c.name,
    unique=True,
    postgresql_where=plan.c.discarded_at.is_(None),
)

plan_command = Table(
    "plan_command",
    metadata,
    Column("plan_id", ForeignKey("plan.id", ondelete="CASCADE"), primary_key=True),
    #: The plan's version that the command made.
    Column("version", Integer, primary_key=True),
    Column("kind", Text, CheckConstraint("kind IN ('edit', 'undo', 'redo')", name="kind"), nullable=False),
    #: {slot: {"from": occupant or null, "to": occupant or null}}
    Column("changes", JSONB, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=True),
    at("at"),
)

#: Many machines upgraded together: what is asked, and what was proposed last.
round_ = Table(
    "round",
    metadata,
    key(),
    Column("name", Text, nullable=False, unique=True),
    #: services.rounds.asked.Asked, .proposal.Proposal.
    Column("asked", JSONB, nullable=False),
    Column("proposal", JSONB, nullable=True),
    #: How far the search is that goes on.
    Column("progress", JSONB, nullable=True),
    Column("job_id", ForeignKey("job.id", ondelete="SET NULL"), nullable=True, index=True),
    Column("version", Integer, nullable=False, server_default="1"),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    at("updated_at"),
    Column("accepted_at", TIMESTAMP(timezone=True), nullable=True),
    Column("closed_at", TIMESTAMP(timezone=True), nullable=True),
)

#: What was made of a round that was accepted: a plan a machine, and the wave that it is for.
round_plan = Table(
    "round_plan",
    metadata,
    Column("round_id", ForeignKey("round.id", ondelete="CASCADE"), primary_key=True),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), primary_key=True, index=True),
    Column("plan_id", ForeignKey("plan.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("day", Date, nullable=False),
    Column("hours", Float, nullable=False),
    #: Machine of the round -> {kind of module: how many} that come out of it for this plan.
    Column("expects", JSONB, nullable=False, server_default=text("'{}'")),
)

#: One stage of a plan at the bench: its run sheet as it was made, and how it went.
run = Table(
    "run",
    metadata,
    key(),
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), nullable=False),
    Column("plan_id", ForeignKey("plan.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("stage", Integer, nullable=False),
    Column("stages", Integer, nullable=False),
    Column("state", Text, CheckConstraint("state IN ('under way', 'proved', 'waived', 'backed out')", name="state"), nullable=False, server_default="under way"),
    #: {"schema": 1, "sheet": the run sheet, "now", "goal", "failed", "verdict", ...}
    Column("document", JSONB, nullable=False),
    Column("window_start", TIMESTAMP(timezone=True), nullable=True),
    Column("window_end", TIMESTAMP(timezone=True), nullable=True),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
    Column("ended_at", TIMESTAMP(timezone=True), nullable=True),
    #: What came of what was planned, as a trial has it; none while it goes on, or where nobody can say.
    Column("outcome", Text, CheckConstraint("outcome IN ('fine', 'quirks', 'not-seen', 'unstable')", name="outcome"), nullable=True),
)  # fmt: skip
#: A machine is on one bench at a time.
Index("uq_run_machine_id", run.c.machine_id, unique=True, postgresql_where=run.c.state == "under way")

#: What was ticked, noted, photographed and measured: append-only, under ids that whoever was at the bench made.
run_entry = Table(
    "run_entry",
    metadata,
    key(),
    Column("run_id", ForeignKey("run.id", ondelete="CASCADE"), nullable=False),
    #: In the order of arrival.
    Column("number", BigInteger, Identity(always=True), nullable=False),
    Column("kind", Text, nullable=False),
    Column("step", Text, nullable=True),
    Column("document", JSONB, nullable=False),
    Column("attachment", LargeBinary, nullable=True),
    Column("media_type", Text, nullable=False, server_default=""),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    #: By the clock at the bench.
    Column("at", TIMESTAMP(timezone=True), nullable=False),
    at("received_at"),
    #: Of the module that it names by its serial number, as in `stock`.
    Column("serial_key", Text, nullable=False, server_default=""),
)
Index("ix_run_entry_serial_key", run_entry.c.serial_key, postgresql_where=run_entry.c.serial_key != "")
Index("ix_run_entry_run_id", run_entry.c.run_id, run_entry.c.number)

#: A lead's word that a plan's risk is taken, for just the risk that was seen.
approval = Table(
    "approval",
    metadata,
    key(),
    Column("plan_id", ForeignKey("plan.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("fingerprint", Text, nullable=False),
    #: What was seen: {"schema": 1, "trouble", "reasons", ...}
    Column("document", JSONB, nullable=False),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at("at"),
)

#: Clauses of a sheet that a machine's own proposal contradicted.
doubt = Table(
    "doubt",
    metadata,
    key(),
    Column("sheet_id", Text, nullable=False, index=True),
    Column("code", Text, nullable=False),
    Column("clause", Text, nullable=False),
    Column("words", Text, nullable=False),
    #: The place of the sheet's text that it is about, as questions are named; "": none.
    Column("question", Text, nullable=False, server_default=""),
    #: [[path, value], ...] that would make the sheet say it; NULL: somebody has to say how.
    Column("edits", JSONB, nullable=True),
    #: The draft that it was accepted into; where that is left, it is open again.
    Column("draft_id", ForeignKey("sheet_draft.id", ondelete="SET NULL"), nullable=True),
    #: Why it is not so, where somebody looked and it was not.
    Column("refused", Text, nullable=False, server_default=""),
    Column("run_id", ForeignKey("run.id", ondelete="SET NULL"), nullable=True),
    #: The machine that it was seen at, where that was not in a run.
    Column("machine_id", ForeignKey("machine.id", ondelete="SET NULL"), nullable=True),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at("at"),
    Column("settled_at", TIMESTAMP(timezone=True), nullable=True),
)

machine_summary = Table(
    "machine_summary",
    metadata,
    Column("machine_id", ForeignKey("machine.id", ondelete="CASCADE"), primary_key=True),
    #: What it was computed from: any difference makes it stale.
    Column("key", Text, nullable=False),
    Column("installed_gib", Numeric, nullable=False),
    Column("document", JSONB, nullable=False),
    at("computed_at"),
    Column("rules_version", Integer, nullable=False),
    #: Rank of the worst severity; 9 = nothing against it.
    Column("worst_rank", Integer, nullable=False),
    #: Failed modules.
    Column("failed", Integer, nullable=False),
)

history = Table(
    "history",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    at("at"),
    Column("account_id", ForeignKey("account.id"), nullable=True),
    Column("machine_id", UUID(as_uuid=True), nullable=True),
    Column("plan_id", UUID(as_uuid=True), nullable=True),
    Column("action", Text, nullable=False),
    Column("detail", JSONB, nullable=False, server_default=text("'{}'")),
)
Index("ix_history_machine", history.c.machine_id, history.c.id)
Index("ix_history_at", history.c.at)
Index("ix_history_action", history.c.action, history.c.id)
Index("ix_plan_machine", plan.c.machine_id)

#: When readiness was last asked for: a row that can be written says that the database can.
heartbeat = Table(
    "heartbeat",
    metadata,
    Column("id", SmallInteger, primary_key=True, autoincrement=False),
    Column("at", TIMESTAMP(timezone=True), nullable=False),
)
