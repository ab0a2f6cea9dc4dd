"""Who somebody is, by a directory that speaks OpenID Connect (Core 1.0): the authorization code flow with PKCE (RFC 7636).

The directory is one that the operator names, so it needs to be in no list of networks; its answers are believed only as
far as they are signed with its keys, for us, now, and for this very sign-in.

DirectoryError      it cannot be asked, or what it says does not hold
"""

from __future__ import annotations

import base64
import hashlib
import secrets
import ssl
from collections.abc import Mapping
from dataclasses import dataclass, field
from threading import Lock
from time import monotonic
from typing import Any
from urllib.parse import quote_plus, urlencode, urlsplit

import httpx
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

#: What the directory tells of itself is asked for again after this. [s]
_FRESH = 3600.0
_TIMEOUT = httpx.Timeout(10.0, connect=5.0)
_MOST_BYTES = 1 << 20
#: Signatures by a key that only the directory has; "none" and shared secrets are not among them.
_ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "ES256", "ES384", "EdDSA"]
_SCOPE = "openid profile email"


class DirectoryError(Exception):
    """`str()` is for the log and for leads; who signs in is told by `code` alone: away, not-so."""

    def __init__(self, code: str, words: str) -> None:
        super().__init__(words)
        self.code = code


@dataclass(frozen=True, slots=True)
class Settings:
    """A directory as the operator names it."""

    issuer: str
    client: str
    secret: str = field(repr=False)
    #: As the page for signing in names it.
    name: str = "the directory"
    #: The claim that lists somebody's groups, and role -> group; no roles: leads say who may do what.
    claim: str = "groups"
    roles: Mapping[str, str] = field(default_factory=dict)
    #: Beyond `openid profile email`.
    scope: str = ""
    #: Of an authority of one's own: certificates in PEM.
    authority: str | None = None


@dataclass(frozen=True, slots=True)
class Asked:
    """What is remembered, sealed at the browser, from asking to answering."""

    url: str
    state: str
    nonce: str
    verifier: str


@dataclass(frozen=True, slots=True)
class Recognised:
    #: By which the directory tells this person from others, for good.
    subject: str
    name: str
    shown_as: str
    groups: frozenset[str]


class Directory:
    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self._lock, self._told, self._told_at = Lock(), {}, -_FRESH  # type: tuple[Lock, dict[str, Any], float]

    def ask(self, returns_to: str) -> Asked:
        """Where to send a browser so that its owner signs in. Raises DirectoryError."""
        state, nonce, verifier = (secrets.token_urlsafe(32) for _ in range(3))
        challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
        asked = {
            "response_type": "code",
            "client_id": self.settings.client,
            "redirect_uri": returns_to,
            "scope": f"{_SCOPE} {self.settings.scope}".strip(),
            "state": state,
            "nonce": nonce,
            "code_challenge": challenge,
            "code_challenge_method": "S256",
        }
        at = self._endpoint("authorization_endpoint")
        return Asked(f"{at}{'&' if '?' in at else '?'}{urlencode(asked)}", state, nonce, verifier)

    def answer(self, asked: Asked, returns_to: str, state: str, code: str) -> Recognised:
        """Who signed in. Raises DirectoryError."""
        if not secrets.compare_digest(state.encode(), asked.state.encode()):
            raise DirectoryError("not-so", "the answer is to another question than was asked from this browser")
        s = self.settings
        given = {
            "grant_type": "authorization_code",
            "code": code,
            "redirect_uri": returns_to,
            "code_verifier": asked.verifier,
        }
        # RFC 6749, 2.3.1: both are encoded as a form's values before they go as user and password.
        told = self._json(self._endpoint("token_endpoint"), given, (quote_plus(s.client), quote_plus(s.secret)))
        return self._recognised(str(told.get("id_token") or ""), asked.nonce)

    def _recognised(self, id_token: str, nonce: str) -> Recognised:
        s = self.settings
        rules = jwt.JWTClaimsRegistry(
            leeway=60,
            iss={"essential": True, "value": s.issuer},
            aud={"essential": True, "value": s.client},
            nonce={"essential": True, "value": nonce},
            sub={"essential": True},
            exp={"essential": True},
            iat={"essential": True},
        )
        try:
            keys = KeySet.import_key_set(self._json(self._endpoint("jwks_uri")))  # type: ignore[arg-type]
            claims = jwt.decode(id_token, keys, algorithms=_ALGORITHMS).claims
            rules.validate(claims)
        except (JoseError, ValueError, KeyError, TypeError) as error:
            raise DirectoryError("not-so", f"the directory's word does not hold: {error}") from error
        several = isinstance(claims["aud"], list) and len(claims["aud"]) > 1
        if claims.get("azp", s.client) != s.client or (several and "azp" not in claims):
            raise DirectoryError("not-so", "the directory's word is for another program")
        subject = str(claims["sub"])
        name = str(claims.get("preferred_username") or claims.get("email") or subject)
        listed = claims.get(s.claim)
        groups = frozenset(map(str, listed)) if isinstance(listed, list) else frozenset([str(listed)] if listed else [])
        return Recognised(subject[:300], name[:100], str(claims.get("name") or name)[:200], groups)

    def _endpoint(self, name: str) -> str:
        with self._lock:
            if monotonic() - self._told_at > _FRESH:
                told = self._json(f"{self.settings.issuer.rstrip('/')}/.well-known/openid-configuration")
                if told.get("issuer") != self.settings.issuer:
                    raise DirectoryError("not-so", f"the directory calls itself {told.get('issuer')}: name it so")
                self._told, self._told_at = told, monotonic()
            found = str(self._told.get(name) or "")
        split = urlsplit(found)
        if split.scheme != "https" and not (
            split.scheme == "http" and split.hostname in ("127.0.0.1", "localhost", "::1")
        ):
            raise DirectoryError("not-so", f"the directory tells of no {name} over TLS")
        return found

    def _json(self, url: str, form: dict[str, str] | None = None, who: tuple[str, str] | None = None) -> dict[str, Any]:
        """A document of the directory's, asked for with a form if there is one."""
        context = ssl.create_default_context(cadata=self.settings.authority)
        try:
            with httpx.Client(timeout=_TIMEOUT, trust_env=False, verify=context, auth=who) as client:
                answer = client.get(url) if form is None else client.post(url, data=form)
            found = answer.json() if len(answer.content) <= _MOST_BYTES else None
        except (httpx.HTTPError, ValueError) as error:
            raise DirectoryError("away", f"{url} cannot be asked: {error}") from error
        if not isinstance(found, dict) or not answer.is_success:
            why = found.get("error") if isinstance(found, dict) else None
            raise DirectoryError("not-so", f"{url} answers with {answer.status_code} {why or ''}".rstrip())
        return found
