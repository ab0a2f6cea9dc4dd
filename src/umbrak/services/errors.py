"""What can go wrong in a use case.

ServiceError
├── NotSignedIn     nobody is signed in, or name and password do not match
├── TooMany         too many tries; says how long to wait
├── NotAllowed      the account's role does not reach so far
├── NotFound        there is no such thing
├── Refused         the input is wrong; names the field
└── Stale           somebody else changed it meanwhile; carries both sides
"""

from __future__ import annotations

from typing import Any


class ServiceError(Exception):
    """The base; `str()` is a sentence for people."""


class NotSignedIn(ServiceError):
    pass


class TooMany(ServiceError):
    def __init__(self, seconds: int) -> None:
        self.seconds = seconds
        minutes = -(-seconds // 60)
        wait = f"{minutes} minutes" if minutes > 1 else "a minute"
        super().__init__(f"Too many tries failed. Wait {wait}, then try again.")


class NotAllowed(ServiceError):
    pass


class NotFound(ServiceError):
    def __init__(self, what: str) -> None:
        super().__init__(f"There is no such {what}.")


class Refused(ServiceError):
    def __init__(self, field: str, message: str) -> None:
        self.field = field
        super().__init__(message)


class Stale(ServiceError):
    """A write made against an older version. `theirs` is what is kept now, `yours` what was asked for."""

    def __init__(self, message: str, theirs: Any, yours: Any) -> None:
        self.theirs = theirs
        self.yours = yours
        super().__init__(message)
