"""The cookies: over TLS under names that no other host and no plain connection can set (`__Host-`, RFC 6265bis 4.1.3.2)."""

from __future__ import annotations

from http.cookies import CookieError, SimpleCookie

from fastapi import Request, Response
from starlette.types import Scope

SESSION, BROWSER = "umbrak_session", "umbrak_browser"
#: From asking the directory to its answer: what was asked, sealed.
ASKED = "umbrak_asked"
#: Characters of what we set, and more.
_MOST = 3000


def named(scheme: str, name: str) -> str:
    return f"__Host-{name}" if scheme == "https" else name


def cookie_of(scope: Scope, name: str) -> str | None:
    """What a request brings of a cookie; over TLS only what came under the name that is set there."""
    wanted = named(scope.get("scheme", "http"), name)
    for header, value in scope["headers"]:
        if header == b"cookie":
            cookies: SimpleCookie = SimpleCookie()
            try:
                cookies.load(value.decode("latin-1"))
            except CookieError:
                continue
            if wanted in cookies and len(cookies[wanted].value) <= _MOST:
                return cookies[wanted].value
    return None


def set_cookie(
    request: Request, response: Response, name: str, token: str, seconds: int, *, from_elsewhere: bool = False
) -> None:
    """`from_elsewhere`: it comes along when another site's page leads here."""
    secure = request.url.scheme == "https"
    response.set_cookie(
        named(request.url.scheme, name),
        token,
        max_age=seconds,
        httponly=True,
        samesite="lax" if from_elsewhere else "strict",
        secure=secure,
        path="/",
    )


def drop_cookie(request: Request, response: Response, name: str) -> None:
    secure = request.url.scheme == "https"
    response.delete_cookie(named(request.url.scheme, name), path="/", secure=secure, httponly=True, samesite="strict")
