"""Whatever is sent, nothing becomes a 500, and no answer is one that the OpenAPI document does not name: its examples, the edges of what it allows, and any."""

import json
import os
import subprocess
import sys

import httpx2 as httpx
import pytest

from tests.conftest import IN_ONE, Server, fill
from upper_compass.store import accounts, tokens
from upper_compass.store.database import connect

# Bodies that are no JSON are sent as they stand, under the content types that the document names.
HOOKS = """
import schemathesis

@schemathesis.serializer("application/x-ndjson", "application/gzip", "text/csv", "text/plain")
def as_it_stands(_, value):
    return value if isinstance(value, bytes) else (value if isinstance(value, str) else repr(value)).encode("utf-8", "replace")
"""
# All edges of what the document allows, and more (COMPASS_SCHEMA_PHASES=examples,coverage,fuzzing), take five minutes.
PHASES = os.environ.get("COMPASS_SCHEMA_PHASES", "examples,fuzzing")
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


@pytest.fixture
def server(database, tmp_path):
    fill(database)
    running = Server(database, tmp_path / "frames", settings=IN_ONE | {"HITS_PER_NETWORK": "100000000", "HITS_PER_SITE": "100000000"}).start()
    yield running
    running.stop()


def test_whatever_is_sent_is_answered_as_the_document_says(server, database, tmp_path):
    engine = connect(database)
    with engine.begin() as connection:
        token = tokens.add_token(connection, accounts.user_by_email(connection, "owner@mill.example").id, "schema")
    engine.dispose()
    document = httpx.get(f"{server.address}/api/v1/openapi.json").json()
    for operations in document["paths"].values():
        for operation in operations.values():
            for parameter in operation.get("parameters", []):
                if parameter["name"] == "site":  # others are nobody's; what happens then has tests of its own
                    parameter["schema"] = {"enum": ["mill"]}
                    parameter.pop("examples", None)
    (tmp_path / "document.json").write_text(json.dumps(document))
    (tmp_path / "hooks.py").write_text(HOOKS)
    command = [
        f"{sys.prefix}/bin/schemathesis", "run", "document.json", "--url", server.address, "-H", f"Authorization: Bearer {token}", "--no-color", "-c", CHECKS,
        "--phases", PHASES, "-n", "2", "--generation-deterministic", "--continue-on-failure",
        "--exclude-path-regex", "now/stream",  # it does not end
        "--request-timeout", "30", "--warnings", "off",
    ]  # fmt: skip
    environment = os.environ | {"SCHEMATHESIS_HOOKS": "hooks", "PYTHONPATH": str(tmp_path)}
    done = subprocess.run(command, cwd=tmp_path, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-6000:]
    tried = next(int(line.split()[0].replace(",", "")) for line in done.stdout.splitlines() if "generated" in line)
    assert tried > 150
