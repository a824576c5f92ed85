"""`./compass test`, `check`, `fix` and `bench`."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from upper_compass.run import build, document, picture
from upper_compass.run.cluster import start_cluster
from upper_compass.run.places import ROOT, CannotRunError, install_packages, say

PYTHON = ("src", "tests", "bench")
# The last takes half an hour and forty GB of the disk; it runs when it is named.
BENCHES = (
    "asking", "attribution", "collect", "comparing", "importing", "keeping", "page", "planted", "reports", "sequences", "splitting", "tagging",
    "together", "views", "scale",
)  # fmt: skip
LONG = ("scale",)


# Tests of reports over HTTP, which run once on each runner.
REPORTS = ("api", "comparing", "explaining", "exports", "figures", "findings", "insights", "links", "naming", "segments", "sorting", "upgrade", "watching")


def _ensure_nginx() -> None:
    # Debian puts it where users' paths do not lead.
    if not shutil.which("nginx", path=f"{os.environ.get('PATH', '')}:/usr/sbin"):
        install_packages("nginx-light")


def _ensure_chromium() -> None:
    # The browser without a window is quicker to start and to draw; the whole one keeps pages that were left.
    missing = [name for name in ("chromium", "chromium-headless-shell") if not shutil.which(name)]
    if missing:
        install_packages(*missing)


@dataclass(frozen=True)
class _Check:
    name: str
    command: Sequence[str]
    env: Mapping[str, str] = field(default_factory=dict)

    def complaint(self) -> str:
        """What it says that is wrong; nothing when it passes."""
        done = subprocess.run(["nice", *self.command], cwd=ROOT, env=os.environ | self.env, capture_output=True, text=True, check=False)
        return f"{self.name}:\n{done.stdout[-8000:]}{done.stderr[-4000:]}" if done.returncode else ""


def _generated_in_step(node: Mapping[str, str]) -> str:
    if document.DOCUMENT.read_text() != document.text():
        return "web/openapi.json is not that of the code; ./compass fix makes it anew"
    if not picture.PICTURE.exists() or picture.PICTURE.read_text() != picture.text():
        return "docs/rooms.svg is not that of the code's imports; ./compass fix draws it anew"
    types = ROOT / "web" / "src" / "generated" / "schema.d.ts"
    made = ROOT / ".compass" / "schema.d.ts"
    complaint = _Check("Generating the types", ["npx", "openapi-typescript", "web/openapi.json", "-o", str(made)], node).complaint()
    if complaint or types.read_text() == made.read_text():
        return complaint
    return "web/src/generated/schema.d.ts is not that of web/openapi.json; ./compass fix makes it anew"


def _complaints() -> list[str]:
    """Of every check, one after the other."""
    node = build.install_front_end()
    tools = Path(sys.prefix) / "bin"
    checks = [
        _Check("Format of Python", [str(tools / "ruff"), "format", "--check", *PYTHON]),
        _Check("Lint of Python", [str(tools / "ruff"), "check", *PYTHON]),
        _Check("Types of Python", [str(tools / "mypy")]),
        _Check("Hooks", [str(tools / "pre-commit"), "validate-config"]),
        _Check("Layers", [str(tools / "lint-imports"), "--no-cache"], {"PYTHONPATH": str(ROOT / "src")}),
        _Check("Types, format and lint of the front end", ["npm", "run", "--silent", "check"], node),
        _Check("Tests of the front end that need no browser", ["npm", "run", "--silent", "unit"], node),
    ]
    return [complaint for complaint in (*(one.complaint() for one in checks), _generated_in_step(node)) if complaint]


def _said(complaints: Sequence[str]) -> int:
    for complaint in complaints:
        say(complaint)
    say(f"· Checks: {len(complaints)} found something wrong" if complaints else "· Checks: all passed")
    return 1 if complaints else 0


def check() -> int:
    """Every check, without the tests; the exit status."""
    build.build()
    return _said(_complaints())


def fix() -> int:
    """Mend what needs nobody to think: format, lint, what is generated. The exit status."""
    node = build.install_front_end()
    document.DOCUMENT.write_text(document.text())
    picture.PICTURE.write_text(picture.text())
    tools = Path(sys.prefix) / "bin"
    front_end = ("web/src", "tracker/src", "tests/web")
    mends = [
        _Check("Lint of Python", [str(tools / "ruff"), "check", "--fix", *PYTHON]),
        _Check("Format of Python", [str(tools / "ruff"), "format", *PYTHON]),
        _Check("Types of the API", ["npm", "run", "--silent", "types"], node),
        _Check("Lint of the front end", ["npx", "eslint", "--fix", *front_end], node),
        _Check("Format of the front end", ["npx", "prettier", "--write", "--log-level", "warn", *front_end], node),
    ]
    return _said([complaint for mend in mends if (complaint := mend.complaint())])


def test(rest: Sequence[str]) -> int:
    """Every check and every test; with arguments, pytest alone with these, after `scale` on Ray. The exit status."""
    if rest and rest[0] == "scale":
        return _scale(rest[1:])
    _ensure_chromium()
    _ensure_nginx()
    build.build()
    start_cluster()
    pytest = [sys.executable, "-m", "pytest", *rest]
    if rest:
        return subprocess.run(pytest, cwd=ROOT, check=False).returncode
    say("· Checks and tests …")
    # Their columns are short, so that threads of their own gain nothing.
    few_threads = os.environ | {"POLARS_MAX_THREADS": "1"}
    # Tests wait now and then; the checks, which are nicer, take that time.
    with ThreadPoolExecutor(1) as pool:
        checking = pool.submit(_complaints)
        tested = subprocess.run([*pytest, "-n", "2", "--dist", "loadscope", "--no-loadscope-reorder"], cwd=ROOT, env=few_threads, check=False).returncode
        complaints = checking.result()
    return 1 if _said(complaints) or tested else 0


def _scale(rest: Sequence[str]) -> int:
    """What is beyond one machine, and every report there; other arguments go to pytest."""
    start_cluster()
    every = ["tests/scale", *(f"tests/service/test_{name}.py" for name in REPORTS)]
    files = [*([] if any(one.startswith("tests") for one in rest) else every), *rest]
    # Ray's workers import the tests' own functions, if any, from here; each machine has so many parts as it has cores.
    environment = os.environ | {"COMPASS_RUNNER": "ray", "POLARS_MAX_THREADS": "1", "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
    return subprocess.run([sys.executable, "-m", "pytest", *files], cwd=ROOT, env=environment, check=False).returncode


def bench(rest: Sequence[str]) -> int:
    """Measure; the exit status."""
    chosen = [name for name in rest if name in BENCHES] or [name for name in BENCHES if name not in LONG]
    arguments = [one for one in rest if one not in BENCHES]
    if strange := [one for one in arguments if one.isalpha()]:
        raise CannotRunError(f"Nothing measures {strange[0]}; there are {', '.join(BENCHES)}.")
    if {"page", "views"} & set(chosen):
        _ensure_chromium()
        build.build()
    environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
    return max(subprocess.run([sys.executable, "-m", f"bench.{name}", *arguments], cwd=ROOT, env=environment, check=False).returncode for name in chosen)
