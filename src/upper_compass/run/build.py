"""Building the screens and the site script, when their sources changed."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

from upper_compass.run.places import BUILT, ROOT, only_one, run_quietly, say, step

WEB = ROOT / "web" / "dist"
TRACKER = ROOT / "tracker" / "dist" / "uc.js"
MIN_NODE = (20, 19)


def _digest(paths: list[Path]) -> str:
    found = hashlib.sha256()
    for path in sorted(paths):
        found.update(str(path.relative_to(ROOT)).encode() + b"\0" + path.read_bytes() + b"\0")
    return found.hexdigest()


def _sources() -> list[Path]:
    folders = [ROOT / "web", ROOT / "tracker"]
    kept = [p for folder in folders for p in folder.rglob("*") if p.is_file() and not {"node_modules", "dist"} & set(p.relative_to(ROOT).parts)]
    return [*kept, ROOT / "package.json", ROOT / "package-lock.json"]


def _node_fits() -> bool:
    if not (shutil.which("node") and shutil.which("npm")):
        return False
    output = subprocess.run(["node", "--version"], capture_output=True, text=True, check=False).stdout.strip().removeprefix("v")
    try:
        major, minor = (int(part) for part in output.split(".")[:2])
    except ValueError:
        return False
    return (major, minor) >= MIN_NODE


def node_environment() -> dict[str, str]:
    """An environment whose PATH has a Node.js that is new enough; it comes from PyPI's wheel where the machine has none."""
    scripts = Path(sys.prefix) / "bin"
    if _node_fits():
        return {}
    if not (scripts / "node").exists():
        with step("Installing Node.js from its Python package"):
            lock = ROOT / "requirements" / "node.lock"
            run_quietly([sys.executable, "-m", "pip", "install", "-q", "--require-hashes", "--no-deps", "-r", str(lock)])
    return {"PATH": f"{scripts}{os.pathsep}{os.environ['PATH']}"}


def install_front_end() -> dict[str, str]:
    """Install what the lock file names, when it changed; the environment for Node.js."""
    environment = node_environment()
    stamp = BUILT / "npm.stamp"
    wanted = _digest([ROOT / "package-lock.json", ROOT / "package.json"])
    if not (ROOT / "node_modules").exists() or not stamp.exists() or stamp.read_text() != wanted:
        with step("Installing the front end's packages"):
            run_quietly(["npm", "ci", "--no-audit", "--no-fund", "--ignore-scripts"], env=environment)
        stamp.write_text(wanted)
    return environment


def build() -> None:
    """Build the screens and the site script, unless what is there was built from the same sources."""
    with only_one("build", BUILT):
        stamp = BUILT / "build.stamp"
        wanted = _digest(_sources())
        if WEB.exists() and TRACKER.exists() and stamp.exists() and stamp.read_text() == wanted:
            return
        environment = install_front_end()
        with step("Building the screens and the site script"):
            run_quietly(["npm", "run", "--silent", "build"], env=environment)
        stamp.write_text(wanted)
        say("  built")
