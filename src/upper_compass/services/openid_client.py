"""Signing in by a provider of identities: OpenID Connect, the code flow with PKCE (Authlib). Only the provider that was set is ever asked."""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import httpx2 as httpx
from authlib.integrations.base_client.errors import OAuthError
from authlib.integrations.httpx_client import OAuth2Client
from authlib.oidc.core import CodeIDToken
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet
from pydantic import BaseModel, ValidationError

from upper_compass.services.openid import Begun, Identity, ProviderError
from upper_compass.settings import ProviderUrl

SCOPE = "openid email profile"
SECONDS = 10.0
# How long what a provider says of itself is taken for true.
KEPT_SECONDS = 3600.0
LEEWAY = 120
# Only keys that the provider alone has.
ALGORITHMS = ("RS256", "RS384", "RS512", "ES256", "ES384", "ES512", "PS256", "PS384", "PS512", "EdDSA")


class _Endpoints(BaseModel):
    issuer: str
    authorization_endpoint: ProviderUrl
    token_endpoint: ProviderUrl
    jwks_uri: ProviderUrl


@dataclass
class OpenIdProvider:
    """See Provider."""

    issuer: str
    client_id: str
    client_secret: str
    name: str
    now: Callable[[], float]

    def __post_init__(self) -> None:
        """Nothing is known of it yet."""
        self._lock = threading.Lock()
        self._known: tuple[float, _Endpoints, dict[str, Any]] | None = None

    def begin(self, back: str, invitation: str | None) -> tuple[str, Begun]:
        """See Provider."""
        endpoints, _ = self._endpoints()
        begun = Begun(state=secrets.token_urlsafe(24), nonce=secrets.token_urlsafe(24), verifier=secrets.token_urlsafe(48), invitation=invitation)
        with self._client(back) as client:
            address, _ = client.create_authorization_url(endpoints.authorization_endpoint, state=begun.state, nonce=begun.nonce, code_verifier=begun.verifier)
        return address, begun

    def finish(self, back: str, begun: Begun, code: str) -> Identity:
        """See Provider."""
        endpoints, keys = self._endpoints()
        try:
            with self._client(back) as client:
                token = client.fetch_token(endpoints.token_endpoint, code=code, code_verifier=begun.verifier)
            try:
                said = jwt.decode(token["id_token"], KeySet.import_key_set(keys), algorithms=list(ALGORITHMS))  # type: ignore[arg-type]
            except JoseError:  # its keys may be others by now
                _, keys = self._endpoints(anew=True)
                said = jwt.decode(token["id_token"], KeySet.import_key_set(keys), algorithms=list(ALGORITHMS))  # type: ignore[arg-type]
            options = {"iss": {"values": [endpoints.issuer]}, "aud": {"values": [self.client_id]}}
            claims = CodeIDToken(said.claims, said.header, options, {"nonce": begun.nonce, "client_id": self.client_id})
            if "nonce" not in claims:
                raise ProviderError("the identity bears no nonce")
            claims.validate(now=int(self.now()), leeway=LEEWAY)
        except (httpx.HTTPError, OAuthError, JoseError, KeyError, ValueError, TypeError) as why:
            raise ProviderError(f"{type(why).__name__}: {why}"[:300]) from why
        email = claims.get("email") if claims.get("email_verified") is True else None
        told = (claims.get("name"), claims.get("preferred_username"), email)
        name = next((one.strip() for one in told if isinstance(one, str) and one.strip()), "Somebody")
        return Identity(endpoints.issuer, str(claims["sub"])[:300], email.strip()[:200] if isinstance(email, str) else None, name[:100])

    def _client(self, back: str) -> OAuth2Client:
        return OAuth2Client(
            self.client_id, self.client_secret, scope=SCOPE, redirect_uri=back, code_challenge_method="S256", timeout=SECONDS, follow_redirects=False
        )

    def _endpoints(self, *, anew: bool = False) -> tuple[_Endpoints, dict[str, Any]]:
        """What the provider says of itself, and its keys."""
        with self._lock:
            if self._known and not anew and time.monotonic() - self._known[0] < KEPT_SECONDS:
                return self._known[1:]
            try:
                with httpx.Client(timeout=SECONDS, follow_redirects=False) as client:
                    found = client.get(f"{self.issuer}/.well-known/openid-configuration").raise_for_status()
                    endpoints = _Endpoints.model_validate_json(found.content)
                    keys = client.get(endpoints.jwks_uri).raise_for_status().json()
            except (httpx.HTTPError, ValidationError, ValueError) as why:
                raise ProviderError(f"{type(why).__name__}: {why}"[:300]) from why
            if endpoints.issuer.rstrip("/") != self.issuer or not isinstance(keys, dict):
                raise ProviderError(f"it says that it is {endpoints.issuer[:200]}")
            self._known = time.monotonic(), endpoints, keys
            return self._known[1:]
