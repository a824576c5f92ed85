"""A stand-in for a provider of identities: OpenID Connect on loopback, with keys of its own. A test says who is there, and what it gets wrong."""

import base64
import hashlib
import json
import secrets
import threading
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import OctKey, RSAKey

CLIENT, SECRET = "compass", "a secret between the two"


class IdentityProvider:
    """`person`: the claims of whoever is there. `claims`: what is said besides, or instead. `key`: what is signed with, `algorithm`: how."""

    def __init__(self, now, issuer=""):
        self.person = {"sub": "42", "email": "ruth@mill.example", "email_verified": True, "name": "Ruth Averdieck"}
        self.claims = {}
        self.key = self.published = RSAKey.generate_key(2048, {"kid": "one"})
        self.algorithm = "RS256"
        self.issuer, self.says_it_is = issuer, ""
        self.now = now
        self.asked = {}
        self.breaks_off = False

    def turn_keys(self):
        """Other keys than before."""
        self.key = self.published = RSAKey.generate_key(2048, {"kid": "two"})

    def forge(self):
        """Sign with a secret that the client has too, as whoever else knows it could."""
        self.key, self.algorithm = OctKey.import_key(SECRET), "HS256"

    def configuration(self):
        at = self.issuer
        return {
            "issuer": self.says_it_is or at,
            "authorization_endpoint": f"{at}/authorize",
            "token_endpoint": f"{at}/token",
            "jwks_uri": f"{at}/keys",
        }

    def authorize(self, query):
        """Whoever is there says yes at once: where the browser goes next."""
        code = secrets.token_urlsafe(8)
        self.asked[code] = query
        return f"{query['redirect_uri']}?{urlencode({'code': code, 'state': query['state']})}"

    def token(self, given, authorization):
        asked = self.asked.pop(given["code"], None)
        challenge = base64.urlsafe_b64encode(hashlib.sha256(given.get("code_verifier", "").encode()).digest()).rstrip(b"=").decode()
        known = authorization == "Basic " + base64.b64encode(f"{CLIENT}:{SECRET}".encode()).decode()
        if asked is None or challenge != asked["code_challenge"] or not known or given["redirect_uri"] != asked["redirect_uri"]:
            return {"error": "invalid_grant"}
        now = int(self.now().timestamp())
        claims = {"iss": self.issuer, "aud": CLIENT, "iat": now, "exp": now + 300, "nonce": asked["nonce"]} | self.person | self.claims
        claims = {name: value for name, value in claims.items() if value is not None}
        header = {"alg": self.algorithm} | ({"kid": self.key.kid} if self.key.kid else {})
        return {"access_token": "opaque", "token_type": "Bearer", "id_token": jwt.encode(header, claims, self.key, algorithms=["RS256", "HS256"])}


def _handler(provider):
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):
            path, query = urlsplit(self.path).path, {name: values[0] for name, values in parse_qs(urlsplit(self.path).query).items()}
            if path == "/authorize":
                self.send_response(302)
                self.send_header("Location", provider.authorize(query))
                self.end_headers()
            elif path == "/keys":
                self._answer({"keys": [provider.published.as_dict(private=False)]})
            else:
                self._answer(provider.configuration())

        def do_POST(self):
            given = {name: values[0] for name, values in parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode()).items()}
            if provider.breaks_off:
                return
            told = provider.token(given, self.headers.get("Authorization"))
            self._answer(told, 400 if "error" in told else 200)

        def _answer(self, told, status=200):
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.end_headers()
            self.wfile.write(json.dumps(told).encode())

        def log_message(self, *_):
            """Nothing is written between the lines of the tests."""

    return Handler


@contextmanager
def running(now):
    """A provider on a free port, as long as it is needed."""
    provider = IdentityProvider(now)
    server = ThreadingHTTPServer(("127.0.0.1", 0), _handler(provider))
    provider.issuer = f"http://127.0.0.1:{server.server_address[1]}"
    thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True)
    thread.start()
    try:
        yield provider
    finally:
        server.shutdown()
        server.server_close()
        thread.join()


def settings_of(provider):
    """What an installation is told of it."""
    return {"oidc_issuer": provider.issuer, "oidc_client_id": CLIENT, "oidc_client_secret": SECRET, "oidc_name": "Fennmoor ID"}
