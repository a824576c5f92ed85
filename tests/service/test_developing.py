"""Working on it: one address for everything, and a picture of the rooms that is drawn from their imports."""

import json
import os
import re
import subprocess
import sys
import urllib.request

import pytest

from tests.conftest import a_hit, fill, stored
from upper_compass.run import picture
from upper_compass.run.picture import Rooms, floors, needed
from upper_compass.run.places import ROOT, CannotRunError


def test_api_screens_script_and_collecting_are_behind_one_address(database, engine):
    fill(database)
    environment = os.environ | {"COMPASS_DATABASE_URL": database, "PYTHONPATH": str(ROOT / "src"), "PYTHONUNBUFFERED": "1"}
    command = [sys.executable, "-m", "upper_compass.cli", "dev", "--instance", "main"]
    with subprocess.Popen(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True) as process:
        try:
            address = next(found[1] for line in process.stdout if (found := re.search(r"^  open +(\S+)$", line)))
            assert b'src="/src/main.tsx"' in read(address, "/")
            assert json.loads(read(address, "/health"))["status"] == "ok"
            assert b'"mill.example"' in read(address, "/uc.js?site=mill")
            sent = urllib.request.Request(f"{address}/collect?site=mill", json.dumps(a_hit()).encode(), {"Content-Type": "text/plain"})
            with urllib.request.urlopen(sent, timeout=30) as answer:
                assert answer.status == 204
            assert stored(engine) == 1
        finally:
            process.terminate()
            process.wait(30)
    with pytest.raises(OSError, match="refused"):
        read(address, "/")


def read(address, path):
    with urllib.request.urlopen(address + path, timeout=30) as answer:
        return answer.read()


def test_the_picture_shows_each_room_once_above_what_it_stands_on():
    rooms = Rooms("", {"api": 1, "store": 1, "core": 1, "demo": 1}, {("api", "store"): 3, ("api", "core"): 9, ("store", "core"): 2, ("demo", "store"): 1})
    assert floors(rooms) == [["api", "demo"], ["store"], ["core"]]
    assert needed(rooms) == {("api", "store"): 3, ("store", "core"): 2, ("demo", "store"): 1}
    with pytest.raises(CannotRunError, match="circle"):
        floors(Rooms("", rooms.lines, rooms.imports | {("core", "store"): 1}))
    drawn = picture.text()
    assert re.findall(r'class="name"[^>]*>([a-z_]+)<', drawn).count("engine") == 1
