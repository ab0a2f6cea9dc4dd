"""The role that the server works as: it reads and writes rows, owns nothing, and cannot switch off what guards the history."""

from __future__ import annotations

from psycopg import sql
from sqlalchemy import create_engine, text
from sqlalchemy.engine import make_url

from umbrak.store.engine import setting_up

APPLICATION = "umbrak_app"


def grant(owner_url: str, *, role: str, password: str | None = None, anew: bool = False) -> None:
    """Let a role do what the server does in a database, and no more. To be repeated after each migration.

    Parameters
        owner_url   of whoever owns the tables
        password    of a role that is made where it is not there; None: it is there
        anew        the password is another than before
    """
    engine = create_engine(owner_url, isolation_level="AUTOCOMMIT")
    database = make_url(owner_url).database or ""
    try:
        # Several processes may start at once: rights are given one after another.
        with setting_up(engine), engine.connect() as db:
            connection = db.connection.driver_connection
            assert connection is not None

            def run(statement: str, **names: str) -> None:
                named = {n: sql.Literal(v) if n == "password" else sql.Identifier(v) for n, v in names.items()}
                connection.execute(sql.SQL(statement).format(**named))

            if password is not None:
                there = db.execute(text("SELECT 1 FROM pg_roles WHERE rolname = :r"), {"r": role}).scalar()
                make = ("ALTER" if anew else "") if there else "CREATE"
                if make:
                    may = "LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION"
                    run(f"{make} ROLE {{role}} {may} PASSWORD {{password}}", role=role, password=password)
            run("GRANT CONNECT ON DATABASE {database} TO {role}", database=database, role=role)
            run("GRANT USAGE ON SCHEMA public TO {role}", role=role)
            run("GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO {role}", role=role)
            run("GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {role}", role=role)
            # What was done is written once; what the schema is, is the owner's.
            run("REVOKE UPDATE, DELETE ON history FROM {role}", role=role)
            run("REVOKE INSERT, UPDATE, DELETE ON alembic_version FROM {role}", role=role)
    finally:
        engine.dispose()
