"""What signing in by a provider of identities is about.

Who talks with one (`openid_client`) is read in only where a provider is set: that takes a third of a second.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from pydantic import BaseModel


class ProviderError(Exception):
    """The provider does not answer, or with what is none: a sentence for the log."""


class Begun(BaseModel):
    """What the browser keeps while its reader is with the provider. `invitation`: the secret of a link by which they come in."""

    state: str
    nonce: str
    verifier: str
    invitation: str | None = None


@dataclass(frozen=True)
class Identity:
    """Who somebody is. `email` only where the provider has made sure of it."""

    issuer: str
    subject: str
    email: str | None
    name: str


class Provider(Protocol):
    """The one that was set, by its name for people. Its calls take a while: never from the event loop."""

    name: str

    def begin(self, back: str, invitation: str | None) -> tuple[str, Begun]:
        """(the address where the provider asks who one is, what is kept meanwhile). Raises ProviderError."""

    def finish(self, back: str, begun: Begun, code: str) -> Identity:
        """Who came back with a code. Raises ProviderError."""
