"""The OpenAPI document: whole, with examples that work, and true about who may call."""

import pytest

from tests.conftest import sign_in


@pytest.fixture
def document(client):
    return client.get("/api/v1/openapi.json").json()


def operations(document):
    for path, methods in document["paths"].items():
        for method, operation in methods.items():
            yield path, method, operation


def test_it_is_openapi_3_1_and_every_operation_is_explained(document):
    assert document["openapi"].startswith("3.1")
    for path, method, operation in operations(document):
        assert operation["x-role"], (path, method)
        assert operation["description"].strip().endswith("."), (path, method)
        # Where a browser is sent back to, it is sent on.
        assert any(status.startswith("2") or status == "303" for status in operation["responses"]), (path, method)


def test_every_reference_leads_somewhere(document):
    import json
    import re

    for name in re.findall(r'"#/components/schemas/([^"]+)"', json.dumps(document)):
        assert name in document["components"]["schemas"], name


def test_errors_are_problem_documents_everywhere(document):
    for path, method, operation in operations(document):
        for status, answer in operation["responses"].items():
            if status.startswith(("4", "5")) and "content" in answer and status != "422":
                assert list(answer["content"]) == ["application/problem+json"], (path, method, status)


def test_the_examples_work(client, document):
    headers = sign_in(client, "owner")
    goal = client.get("/api/v1/sites/mill/goals").json()[0]["id"]
    for name in ("table", "series", "answer"):
        content = document["paths"][f"/api/v1/sites/{{site}}/reports/{name}"]["post"]["requestBody"]["content"]["application/json"]
        schema = content["schema"]
        example = (content.get("examples") or schema.get("examples") or [content.get("example")])[0]
        answer = client.post(f"/api/v1/sites/mill/reports/{name}", json=example | ({"goal": goal} if "goal" in example else {}), headers=headers)
        assert answer.status_code == 200, answer.text
    for name, path in (("SiteIn", "/api/v1/sites"), ("GoalIn", "/api/v1/sites/mill/goals")):
        [example] = document["components"]["schemas"][name]["examples"]
        assert client.post(path, json=example, headers=headers).status_code == 201


def test_answers_guard_the_browser(client):
    sign_in(client, "viewer")
    answer = client.get("/api/v1/sites")
    assert answer.headers["x-content-type-options"] == "nosniff"
    assert answer.headers["cache-control"] == "no-store"
    assert "access-control-allow-origin" not in client.get("/api/v1/sites", headers={"Origin": "https://mill.example"}).headers
