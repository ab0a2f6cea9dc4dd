"""What an installation may reach outside of itself, and how it keeps the secrets for that."""

from __future__ import annotations

import json
from dataclasses import dataclass, field

from cryptography.fernet import Fernet, InvalidToken

from umbrak.devices.networks import Networks
from umbrak.services.errors import Refused


class Vault:
    """Secrets under the installation's key: what lies in the database is of no use without it."""

    def __init__(self, key: bytes) -> None:
        self._cipher = Fernet(key)

    @staticmethod
    def new_key() -> bytes:
        return Fernet.generate_key()

    def seal(self, secrets: dict[str, str]) -> bytes:
        return self._cipher.encrypt(json.dumps(secrets).encode())

    def unseal(self, sealed: bytes) -> dict[str, str]:
        """Raises Refused when it was sealed with another key."""
        try:
            secrets: dict[str, str] = json.loads(self._cipher.decrypt(sealed))
        except InvalidToken as error:
            raise Refused("password", "The kept password was sealed with another key; enter it again.") from error
        return secrets


@dataclass(frozen=True, slots=True)
class Outside:
    #: None may be reached unless the operator lists some.
    networks: Networks = field(default_factory=Networks)
    vault: Vault = field(default_factory=lambda: Vault(Vault.new_key()))
