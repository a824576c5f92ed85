"""Behind nginx on https, set up by the file that ships: cookies are secure, the client's address is the client's, and the address that was set is told."""

import re
import shutil
import socket
import ssl
import subprocess
import time

import httpx2 as httpx
import pytest

from tests.conftest import IN_ONE, PASSWORD, Server, a_hit, fill
from upper_compass.run.places import ROOT
from upper_compass.store.database import connect

NGINX = shutil.which("nginx", path="/usr/sbin:/usr/bin:/usr/local/sbin") or "nginx"
PEOPLE, VISITOR = "127.0.0.7", "127.0.0.8"


def free():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@pytest.fixture(scope="module")
def proxied(database, tmp_path_factory):
    """The application behind nginx; (port of https, port of http, the certificate)."""
    fill(database)
    folder = tmp_path_factory.mktemp("nginx")
    server = Server(database, folder / "frames", settings=IN_ONE | {"PUBLIC_URL": "https://compass.example"}).start()
    certificate, key, secure, plain = folder / "cert.pem", folder / "key.pem", free(), free()
    made = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=compass.example", "-addext", "subjectAltName=IP:127.0.0.1"]
    subprocess.run([*made, "-keyout", str(key), "-out", str(certificate)], check=True, capture_output=True)
    shipped = (ROOT / "deploy" / "nginx.conf").read_text()
    for was, becomes in {
        "listen 443 ssl": f"listen 127.0.0.1:{secure} ssl", "listen 80": f"listen 127.0.0.1:{plain}", "127.0.0.1:7400": f"127.0.0.1:{server.port}",
        "/etc/ssl/certs/compass.example.pem": str(certificate), "/etc/ssl/private/compass.example.key": str(key),
    }.items():  # fmt: skip
        assert was in shipped
        shipped = shipped.replace(was, becomes)
    temporary = "".join(f"{name}_temp_path {folder}/{name};" for name in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi"))
    around = f"daemon off; pid {folder}/nginx.pid; error_log {folder}/error.log; events {{}} http {{ access_log off; {temporary} {shipped} }}"
    (folder / "nginx.conf").write_text(around)
    process = subprocess.Popen([NGINX, "-c", str(folder / "nginx.conf"), "-e", str(folder / "error.log")])
    for _ in range(600):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", secure)) == 0:
                break
        assert process.poll() is None, (folder / "error.log").read_text()
        time.sleep(0.05)
    yield secure, plain, certificate
    process.terminate()
    process.wait()
    server.stop()


def client(proxied, address="127.0.0.1"):
    secure, _, certificate = proxied
    transport = httpx.HTTPTransport(local_address=address, verify=ssl.create_default_context(cafile=str(certificate)))
    return httpx.Client(base_url=f"https://127.0.0.1:{secure}", transport=transport)


def test_cookies_are_secure_and_the_address_that_was_set_is_told(proxied):
    with client(proxied) as browser:
        signed = browser.post("/api/v1/session", json={"email": "owner@mill.example", "password": PASSWORD})
        assert signed.json()["address"] == "https://compass.example"
        cookies = signed.headers.get_list("set-cookie")
        assert len(cookies) == 2
        assert all(re.search("; secure", cookie, re.IGNORECASE) for cookie in cookies)
        assert browser.get("/api/v1/sites").status_code == 200
        assert browser.get("/uc.js?site=mill").headers["content-type"].startswith("text/javascript")
    plain = httpx.get(f"http://127.0.0.1:{proxied[1]}/s/mill", headers={"Host": "compass.example"})
    assert (plain.status_code, plain.headers["location"]) == (301, "https://compass.example/s/mill")


def test_a_hit_has_the_address_of_its_client_whatever_the_client_says(proxied, database):
    with client(proxied) as browser:
        token = browser.post("/api/v1/session", json={"email": "owner@mill.example", "password": PASSWORD}).json()["csrf"]
        site = browser.get("/api/v1/sites/mill").json()
        rules = site["rules"] | {"internal_networks": [PEOPLE]}
        changed = {"name": site["name"], "rules": rules, "tagging": site["tagging"]}
        assert browser.put("/api/v1/sites/mill", json=changed, headers={"X-CSRF-Token": token}).status_code == 200
    for address, claimed in ((PEOPLE, None), (VISITOR, None), (VISITOR, PEOPLE)):
        with client(proxied, address) as visitor:
            sent = visitor.post("/collect?site=mill", json=[a_hit(title=f"{address} {claimed}")], headers={"X-Forwarded-For": claimed} if claimed else {})
            assert sent.status_code == 204, sent.text
    engine = connect(database)
    with engine.connect() as connection:
        own = dict(connection.exec_driver_sql("SELECT title, internal FROM hits WHERE title LIKE '127.%%'").all())
    engine.dispose()
    assert own == {f"{PEOPLE} None": True, f"{VISITOR} None": False, f"{VISITOR} {PEOPLE}": False}
