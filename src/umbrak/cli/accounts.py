"""user add and token add: the commands that need a database, and nothing of the server."""

from __future__ import annotations

import getpass
import sys

from umbrak.cli.reaching import database
from umbrak.cli.trouble import Trouble
from umbrak.services.errors import Refused, ServiceError
from umbrak.services.people.access import new_token
from umbrak.services.people.accounts import add_account
from umbrak.store.accounts import find_credentials
from umbrak.store.engine import open_engine


def add_user(name: str, *, shown_as: str, role: str) -> None:
    """An account in the served database. The password is asked for twice, or is standard input's first line."""
    if sys.stdin.isatty():
        password = getpass.getpass("Password: ")
        if getpass.getpass("Again: ") != password:
            raise Trouble("the two differ; nothing was added")
    else:
        password = sys.stdin.readline().rstrip("\n")
    with database("umbrak") as url:
        engine = open_engine(url)
        try:
            account = add_account(engine, name, shown_as=shown_as, password=password, role=role)
        except Refused as error:
            raise Trouble(str(error)) from error
        finally:
            engine.dispose()
    print(f"{account.name} added as {account.role}")


def add_token(name: str, purpose: str, *, role: str, days: int) -> None:
    """A token of an account in the served database, on standard output alone."""
    with database("umbrak") as url:
        engine = open_engine(url)
        try:
            with engine.connect() as db:
                known = find_credentials(db, name)
            if known is None or not known.account.active:
                raise Trouble(f"nobody signs in as {name}")
            made = new_token(engine, known.account, purpose, role, days)
        except ServiceError as error:
            raise Trouble(str(error)) from error
        finally:
            engine.dispose()
    print(made.token)
    print(f"for {purpose}, as a {role}, until {made.kept.expires_at:%Y-%m-%d}", file=sys.stderr)
