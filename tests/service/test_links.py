"""Links over HTTP: built, kept, counted, archived; CSV in and out; codes; the vocabulary."""

import base64
import csv
import io
import uuid

import numpy as np
import pytest
import zxingcpp
from PIL import Image

from tests.conftest import a_hit, now, sign_in

LINKS = "/api/v1/sites/mill/links"
DRAFT = {"address": "https://mill.example/courses", "source": "Spring Letter", "medium": "email", "content": "top"}
FILE = {"Content-Type": "text/csv"}


def test_a_link_is_built_kept_counted_and_archived(client):
    headers = sign_in(client, "analyst")
    built = client.post(f"{LINKS}/build", json=[DRAFT], headers=headers).json()[0]
    assert (built["channel"], built["source"]) == ("Email", "spring-letter")
    kept = client.post(LINKS, json={"drafts": [DRAFT, DRAFT | {"content": "foot"}], "note": "Spring"}, headers=headers)
    assert kept.status_code == 201
    first = kept.json()[0]
    moment = {"id": str(uuid.uuid4()), "visitor": "from-letter"}
    assert client.post("/collect?site=mill", json=[a_hit(url=built["url"], at=a_moment(), **moment)]).status_code == 204
    assert client.post("/collect?site=mill", json=[a_hit(id=str(uuid.uuid4()), visitor="card", at=a_moment())]).status_code == 204
    by_id = {one["id"]: one for one in client.get(LINKS, headers=headers).json()}
    assert (by_id[first]["url"], by_id[first]["by"], by_id[first]["note"], by_id[first]["came"]["visits"]) == (built["url"], "Analyst", "Spring", 1)
    assert by_id[kept.json()[1]]["came"]["visits"] == 0
    assert [one["label"] for one in client.get(f"{LINKS}/unregistered", headers=headers).json()] == ["card"]
    assert client.put(f"{LINKS}/{first}", json={"note": "Old", "archived": True}, headers=headers).status_code == 204
    assert [(one["note"], one["archived"]) for one in client.get(LINKS, headers=headers).json() if one["id"] == first] == [("Old", True)]
    assert client.put(f"{LINKS}/999999", json={"note": "", "archived": True}, headers=headers).status_code == 404
    again = client.post(f"{LINKS}/build", json=[{"address": "https://mill.example/", "source": "springletter", "medium": "email"}], headers=headers).json()[0]
    assert [one["use"] for one in again["remarks"] if one["field"] == "source"] == ["spring-letter"]


def a_moment():
    return now().isoformat(timespec="milliseconds")


def test_the_library_has_each_link_once_and_one_is_built_anew_in_its_place(client):
    headers = sign_in(client, "analyst")
    draft = {"address": "https://mill.example/shop", "source": "bag", "medium": "qr"}
    [first] = client.post(LINKS, json={"drafts": [draft, draft], "note": "On the bag"}, headers=headers).json()
    again = client.post(LINKS, json={"drafts": [draft]}, headers=headers)
    assert (again.status_code, again.json()["detail"]) == (409, "The library has this link already.")
    [other] = client.post(LINKS, json={"drafts": [draft, draft | {"content": "back"}]}, headers=headers).json()
    url = f"{LINKS}/{first}/draft"
    assert client.put(url, json=draft | {"content": "back"}, headers=headers).status_code == 409
    assert client.put(url, json=draft | {"content": "a=b"}, headers=headers).json()["errors"][0]["field"] == "content"
    assert client.put(url, json=draft | {"content": "front"}, headers=headers).status_code == 204
    by_id = {one["id"]: one for one in client.get(LINKS, headers=headers).json()}
    assert (by_id[first]["url"].endswith("utm_content=front"), by_id[first]["note"]) == (True, "On the bag")
    assert by_id[other]["url"].endswith("utm_content=back")
    assert client.put(f"{LINKS}/999999/draft", json=draft | {"content": "gone"}, headers=headers).status_code == 404
    assert client.put(url, json=draft, headers=sign_in(client, "viewer")).status_code == 403


def test_nothing_is_kept_when_one_link_is_wrong(client):
    headers = sign_in(client, "analyst")
    before = len(client.get(LINKS, headers=headers).json())
    answer = client.post(LINKS, json={"drafts": [DRAFT, {"address": "nowhere", "label": "a"}]}, headers=headers)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "drafts.1.address")
    assert len(client.get(LINKS, headers=headers).json()) == before
    assert client.post(LINKS, json={"drafts": [DRAFT]}, headers=sign_in(client, "viewer")).status_code == 403


def test_a_file_comes_back_finished_and_a_bad_one_is_named_by_line(client):
    headers = sign_in(client, "viewer") | FILE
    text = "address,utm_source,medium\nhttps://mill.example/,A B,email\nhttps://mill.example/,=cmd,email\n"
    answer = client.post(f"{LINKS}/csv/finished", content=text, headers=headers)
    assert answer.headers["content-type"].startswith("text/csv")
    rows = list(csv.DictReader(io.StringIO(answer.text)))
    assert (rows[0]["link"], rows[0]["channel"], rows[0]["to mind"].split(";")[0]) == (
        "https://mill.example/?utm_source=a-b&utm_medium=email",
        "Email",
        "source: becomes a-b",
    )
    assert (rows[1]["source"], rows[1]["link"]) == ("'=cmd", "")
    assert "leave out" in rows[1]["wrong"]
    for bad, line in (("smell\nx", 1), ("address\n" + "x\n" * 501, 502), ("address,url\nx,x", 1)):
        answer = client.post(f"{LINKS}/csv/finished", content=bad, headers=headers)
        assert (answer.status_code, answer.json()["errors"][0]["index"]) == (422, line)
    for encoding, told in (("utf-8", "UTF-8"), ("utf-8-sig", "UTF-8"), ("cp1252", "Windows-1252")):
        answer = client.post(f"{LINKS}/csv/finished", content="address,source\nhttps://mill.example/,Bäcker €5\n".encode(encoding), headers=headers)
        assert answer.headers["x-read-as"] == told
        assert [row["source"] for row in csv.DictReader(io.StringIO(answer.text))] == ["Bäcker €5"]
    for bad, status in ((b"\xff\xfe", 422), (b"address\n\x81", 422), (b"PK\x03\x04 address", 422), (b"a" * 1_100_000, 413)):
        assert client.post(f"{LINKS}/csv/finished", content=bad, headers=headers).status_code == status


def test_a_code_is_handed_out_as_svg_and_png(client):
    headers = sign_in(client, "viewer")
    made = client.post(f"{LINKS}/code", json={"text": "https://mill.example/?via=bag"}, headers=headers).json()
    picture = Image.open(io.BytesIO(base64.b64decode(made["png"])))
    assert [one.text for one in zxingcpp.read_barcodes(np.asarray(picture.convert("L")))] == ["https://mill.example/?via=bag"]
    assert made["svg"].startswith("<svg")
    answer = client.post(f"{LINKS}/code", json={"text": "x", "dark": "#888888"}, headers=headers)
    assert (answer.status_code, answer.json()["errors"][0]["field"]) == (422, "dark")
    assert "contrast" in answer.json()["detail"]


@pytest.mark.parametrize("wrong", [{"field": "term", "value": "x"}, {"field": "source", "value": ""}])
def test_the_vocabulary_is_the_owners(client, wrong):
    words = [{"field": "medium", "value": "email", "meaning": "Letters to those who asked for them"}]
    vocabulary = "/api/v1/sites/mill/vocabulary"
    assert client.put(vocabulary, json=words, headers=sign_in(client, "analyst")).status_code == 403
    headers = sign_in(client, "owner")
    assert client.put(vocabulary, json=[wrong], headers=headers).status_code == 422
    assert client.put(vocabulary, json=words, headers=headers).json() == words
    built = client.post(f"{LINKS}/build", json=[DRAFT | {"medium": "mail"}], headers=headers).json()[0]
    assert "is not in the site's vocabulary" in str(built["remarks"])
    assert client.get(vocabulary, headers=sign_in(client, "viewer")).json() == words
