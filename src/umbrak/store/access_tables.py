"""Tables: who there is, by what they come in, and who is told what happens."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Column,
    ForeignKey,
    Identity,
    Index,
    Integer,
    LargeBinary,
    Table,
    Text,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import TIMESTAMP, UUID

from umbrak.store.columns import at, key, metadata

account = Table(
    "account",
    metadata,
    key(),
    Column("name", Text, nullable=False, unique=True),
    Column("shown_as", Text, nullable=False),
    Column("password_hash", Text, nullable=False),
    Column("role", Text, CheckConstraint("role IN ('viewer', 'technician', 'lead')", name="role"), nullable=False),
    at(),
    Column("active", Boolean, nullable=False, server_default=text("true")),
    #: By which the directory tells whose it is; NULL: it signs in by password alone.
    Column("subject", Text, nullable=True, unique=True),
    #: Whether who has its name in the directory may have it: a lead said so.
    Column("awaits_directory", Boolean, nullable=False, server_default=text("false")),
)

#: Tries to sign in that failed, or whose password is being looked at; kept for as long as they count.
sign_in_failure = Table(
    "sign_in_failure",
    metadata,
    Column("id", BigInteger, Identity(always=True), primary_key=True),
    at("at"),
    Column("name", Text, nullable=False, index=True),
    #: Where from: an address, or a browser that the account is known by.
    Column("address", Text, nullable=False, index=True),
)
Index("ix_sign_in_failure_at", sign_in_failure.c.at)

#: Browsers that somebody has signed in from: others' failed tries do not lock them out.
known_browser = Table(
    "known_browser",
    metadata,
    #: SHA-256 of its cookie's token.
    Column("token_hash", LargeBinary, primary_key=True),
    Column("account_id", ForeignKey("account.id", ondelete="CASCADE"), primary_key=True, index=True),
    at("used_at"),
)

session = Table(
    "session",
    metadata,
    #: SHA-256 of the cookie's token: who reads the table cannot sign in with it.
    Column("token_hash", LargeBinary, primary_key=True),
    Column("account_id", ForeignKey("account.id", ondelete="CASCADE"), nullable=False, index=True),
    at(),
    Column("expires_at", TIMESTAMP(timezone=True), nullable=False),
    #: By which it is told apart from others; who knows it cannot use it.
    Column("id", UUID(as_uuid=True), nullable=False, unique=True, server_default=text("gen_random_uuid()")),
    at("used_at"),
    #: Where it was begun from, and by which browser, as that says itself.
    Column("address", Text, nullable=False, server_default=""),
    Column("agent", Text, nullable=False, server_default=""),
)

#: An authenticator that an account's sign-in asks for beside its password.
second_factor = Table(
    "second_factor",
    metadata,
    Column("account_id", ForeignKey("account.id", ondelete="CASCADE"), primary_key=True),
    #: Its secret, under the installation's key.
    Column("sealed", LargeBinary, nullable=False),
    #: When a first code showed that the authenticator has it; NULL: nothing is asked for yet.
    Column("confirmed_at", TIMESTAMP(timezone=True), nullable=True),
    #: The last step of time whose code was taken: no code is taken twice (RFC 6238, 5.2).
    Column("last_step", BigInteger, nullable=False, server_default=text("0")),
)

#: Codes for when the authenticator is lost, each good once.
recovery_code = Table(
    "recovery_code",
    metadata,
    Column("account_id", ForeignKey("account.id", ondelete="CASCADE"), primary_key=True),
    #: SHA-256: each code has 80 random bits.
    Column("code_hash", LargeBinary, primary_key=True),
)

#: Tokens by which scripts ask.
script_token = Table(
    "script_token",
    metadata,
    key(),
    Column("account_id", ForeignKey("account.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("name", Text, nullable=False),
    Column("role", Text, CheckConstraint("role IN ('viewer', 'technician', 'lead')", name="role"), nullable=False),
    Column("token_hash", LargeBinary, nullable=False, unique=True),
    at(),
    Column("expires_at", TIMESTAMP(timezone=True), nullable=False),
    Column("used_at", TIMESTAMP(timezone=True), nullable=True),
)

#: Addresses at which a person's calendar asks for what comes, without signing in.
calendar_feed = Table(
    "calendar_feed",
    metadata,
    Column("account_id", ForeignKey("account.id", ondelete="CASCADE"), primary_key=True),
    #: SHA-256 of the address's secret part.
    Column("token_hash", LargeBinary, nullable=False, unique=True),
    at(),
)

#: Addresses that are told what happens.
webhook = Table(
    "webhook",
    metadata,
    key(),
    Column("address", Text, nullable=False),
    #: Which lines of the history: machines and their plans, who may come in, or every line.
    Column(
        "about", Text, CheckConstraint("about IN ('machines', 'access', 'everything')", name="about"), nullable=False
    ),
    #: The secret that signs, under the installation's key.
    Column("sealed", LargeBinary, nullable=False),
    Column("active", Boolean, nullable=False, server_default=text("true")),
    Column("account_id", ForeignKey("account.id"), nullable=False),
    at(),
)

#: What is to be told, written with the line that it tells of: neither is there without the other.
webhook_delivery = Table(
    "webhook_delivery",
    metadata,
    key(),
    Column("webhook_id", ForeignKey("webhook.id", ondelete="CASCADE"), nullable=False),
    #: The line of the history; NULL: a test.
    Column("line_id", BigInteger, nullable=True),
    at(),
    Column("tries", Integer, nullable=False, server_default=text("0")),
    #: When it is tried next; NULL: it is delivered, or given up.
    Column("next_at", TIMESTAMP(timezone=True), nullable=True, server_default=func.now()),
    Column("delivered_at", TIMESTAMP(timezone=True), nullable=True),
    #: What came of the last try, in words.
    Column("outcome", Text, nullable=False, server_default=""),
)
Index("ix_webhook_delivery_webhook_id", webhook_delivery.c.webhook_id, webhook_delivery.c.created_at)
Index(
    "ix_webhook_delivery_next_at", webhook_delivery.c.next_at, postgresql_where=webhook_delivery.c.next_at.is_not(None)
)
