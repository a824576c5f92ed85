"""The commands of docs/running.md, one after the other, as they stand there: it is on https, with a backup that is whole.

They run below a folder of the test's own: a path such as /etc is one there. What a test may not do to a machine is done by stand-ins (`systemctl`, which reads the unit
that was installed and starts what it says; `adduser`, `apt-get`, `chown`, `runuser`, `journalctl`). nginx is the real one, the installation too, but for what was installed and built here before.
"""

import json
import os
import re
import shutil
import socket
import ssl
import subprocess
import urllib.request

import pytest

from tests.service.test_processes import ports_in_a_row
from upper_compass.run.places import ROOT

PATHS = ("/opt/upper-compass", "/var/lib/upper-compass", "/var/backups/upper-compass", "/etc/upper-compass.toml", "/etc/systemd/system", "/etc/nginx/sites")
SYSTEMCTL = r"""#!/usr/bin/env python3
import os, pathlib, re, shlex, signal, socket, subprocess, sys, time
top, words = pathlib.Path(os.environ["TOP"]), [one for one in sys.argv[1:] if not one.startswith("-")]
if words[0] == "daemon-reload" or words[-1].endswith(".timer"):
    assert words[0] == "daemon-reload" or (top / "etc/systemd/system" / words[-1]).is_file()
    sys.exit(0)
if words == ["reload", "nginx"]:
    sys.exit(subprocess.run(["nginx", "-s", "reload"]).returncode)
unit, note = (top / "etc/systemd/system" / words[-1]).read_text(), top / f"{words[-1]}.pid"
def said(name):
    return [value.replace("%%", "%") for value in re.findall(rf"^{name}=(.*)$", unit, re.M)]
if words[0] == "stop":
    os.kill(pid := int(note.read_text()), signal.SIGTERM)
    while pathlib.Path(f"/proc/{pid}").exists():
        time.sleep(0.1)
    sys.exit(0)
environment = os.environ | dict(one.split("=", 1) for one in said("Environment"))
where = {"cwd": said("WorkingDirectory")[0], "env": environment}
commands = [shlex.split(one) for one in said("ExecStart") + said("ExecStartPost")]
if said("Type") == ["oneshot"]:
    for command in commands:
        subprocess.run(command, check=True, **where)
    sys.exit(0)
assert said("Type") == ["notify"]
told = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
told.settimeout(120)
(top / "notify").unlink(missing_ok=True)
told.bind(str(top / "notify"))
environment["NOTIFY_SOCKET"] = str(top / "notify")
journal = (top / "journal").open("wb")
process = subprocess.Popen(commands[0], stdin=subprocess.DEVNULL, stdout=journal, stderr=journal, start_new_session=True, **where)
note.write_text(str(process.pid))
assert told.recv(100) == b"READY=1"
"""
STAND_INS = {
    "systemctl": SYSTEMCTL,
    "journalctl": '#!/bin/sh\ncat "$TOP/journal"\n',
    "runuser": '#!/bin/sh\nwhile [ "$1" != -- ]; do shift; done\nshift\nexec "$@"\n',
} | dict.fromkeys(("adduser", "apt-get", "chown"), "#!/bin/sh\nexit 0\n")


def blocks(heading):
    """The commands below a heading of the page."""
    page = (ROOT / "docs" / "running.md").read_text()
    [part] = re.findall(rf"^## {heading}\n(.*?)(?=^## |\Z)", page, re.M | re.S)
    return re.findall(r"^```sh\n(.*?)^```", part, re.M | re.S)


@pytest.fixture(scope="module")
def machine(tmp_path_factory):
    """A folder that stands for a machine: with the files, a certificate, nginx running, and what a newcomer would have to type as a function."""
    top = tmp_path_factory.mktemp("machine")
    port, collecting, secure, plain = (ports_in_a_row(6) + one for one in (0, 1, 4, 5))
    here = top / "opt/upper-compass"
    held = subprocess.run(["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"], cwd=ROOT, capture_output=True, text=True, check=True)
    for name in filter(None, held.stdout.split("\0")):
        if (ROOT / name).is_file():
            (here / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, here / name)
    # What takes minutes was done once for all tests.
    for name in (".venv", "node_modules"):
        (here / name).symlink_to(ROOT / name)
    for name in ("web/dist", "tracker/dist", *(str(one.relative_to(ROOT)) for one in (ROOT / "src").rglob("__pycache__"))):
        shutil.copytree(ROOT / name, here / name)
    (here / ".compass").mkdir(mode=0o700)
    for stamp in (ROOT / ".compass").glob("*.stamp"):
        shutil.copy2(stamp, here / ".compass")
    for folder in (
        "bin",
        "etc/nginx/sites-available",
        "etc/nginx/sites-enabled",
        "etc/systemd/system",
        "etc/ssl/certs",
        "etc/ssl/private",
        "var/lib",
        "var/backups",
    ):
        (top / folder).mkdir(parents=True, exist_ok=True)
    certificate, key = top / "etc/ssl/certs/compass.example.pem", top / "etc/ssl/private/compass.example.key"
    made = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=compass.example", "-addext", "subjectAltName=IP:127.0.0.1"]
    subprocess.run([*made, "-keyout", str(key), "-out", str(certificate)], check=True, capture_output=True)
    temporary = "".join(f"{name}_temp_path {top}/{name};" for name in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi"))
    around = f"pid {top}/nginx.pid; error_log {top}/error.log; events {{}} http {{ access_log off; {temporary} include {top}/etc/nginx/sites-enabled/*; }}"
    (top / "nginx.conf").write_text(around)
    nginx = shutil.which("nginx", path="/usr/sbin:/usr/bin") or "nginx"
    for name, text in (STAND_INS | {"nginx": f'#!/bin/sh\nexec {nginx} -c {top}/nginx.conf -e {top}/error.log "$@"\n'}).items():
        (top / "bin" / name).write_text(text)
        (top / "bin" / name).chmod(0o755)
    environment = {name: value for name, value in os.environ.items() if not name.startswith("COMPASS_") or name == "COMPASS_CLOCK_SHIFT"}
    # In one process, which starts in half the time: how reading stands apart has tests of its own.
    environment |= {"TOP": str(top), "PATH": f"{top}/bin:{os.environ['PATH']}", "COMPASS_READING_APART": "false"}

    def typed(commands):
        """Run commands of the page; what they print. Each must succeed."""
        for path in PATHS:
            commands = commands.replace(path, f"{top}{path}")
        done = subprocess.run(["bash", "-euo", "pipefail", "-c", commands], cwd=top, env=environment, capture_output=True, text=True, check=False, timeout=180)
        assert done.returncode == 0, f"{commands}\n{done.stdout}\n{done.stderr}"
        return done.stdout

    # The files of the checkout name places of a machine, and ports that others here may have.
    for file in sorted((here / "deploy").iterdir()):
        text = file.read_text()
        for was in (*PATHS, "/etc/ssl"):
            text = text.replace(was, f"{top}{was}")
        text = text.replace("7400", str(port)).replace("7401", str(collecting))
        file.write_text(text.replace("listen 443 ssl", f"listen 127.0.0.1:{secure} ssl").replace("listen 80;", f"listen 127.0.0.1:{plain};"))
    subprocess.run([top / "bin/nginx"], check=True, env=environment)
    yield typed, secure, certificate, top, port
    subprocess.run([top / "bin/nginx", "-s", "stop"], check=True, env=environment)
    subprocess.run([here / "compass", "stop"], env=environment | {"COMPASS_SETTINGS": str(top / "etc/upper-compass.toml")}, check=True, capture_output=True)


def test_a_newcomer_has_it_on_https_with_backups(machine):
    typed, secure, certificate, top, port = machine
    [packages, settings, service, proxy, backups, doctor] = blocks("Standing it up")
    assert "postgresql-15" in packages
    typed(packages)
    typed(settings.replace("7400", str(port)))
    password = typed(service).split("password")[1].split()[0]
    typed(proxy)
    with socket.socket() as probe:
        assert probe.connect_ex(("127.0.0.1", secure)) == 0
    opener = urllib.request.build_opener(
        urllib.request.HTTPSHandler(context=ssl.create_default_context(cafile=str(certificate))), urllib.request.HTTPCookieProcessor()
    )
    signing_in = json.dumps({"email": "owner@localhost", "password": password}).encode()
    asked = urllib.request.Request(f"https://127.0.0.1:{secure}/api/v1/session", signing_in, {"Content-Type": "application/json"})
    with opener.open(asked, timeout=30) as answer:
        assert json.load(answer)["address"] == "https://compass.example"
        assert "secure" in answer.headers["set-cookie"].lower()
    [kept] = typed(backups).split()
    assert kept.endswith(".tar")
    assert "\nNothing is wrong.\n" in typed(doctor)

    [keep, again] = blocks("Upgrading")
    typed(keep)
    typed(again)
    with opener.open(f"https://127.0.0.1:{secure}/api/v1/session", timeout=30) as answer:
        assert json.load(answer)["email"] == "owner@localhost"
    [recover] = blocks("Taking over an installation")
    assert "password" in typed(recover)

    typed("systemctl stop upper-compass.service")
    newest = sorted((top / "var/backups/upper-compass").glob("*.tar"))[-1]
    shutil.rmtree(top / "var/lib/upper-compass")  # another machine
    [restore] = blocks("Moving to another machine")
    typed(restore.replace("NEWEST.tar", newest.name))
    typed("systemctl start upper-compass.service")
    with opener.open(f"https://127.0.0.1:{secure}/api/v1/session", timeout=30) as answer:
        assert json.load(answer)["email"] == "owner@localhost"
    typed("systemctl stop upper-compass.service")
