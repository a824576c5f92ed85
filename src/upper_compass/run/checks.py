"""`./compass test` and `./compass bench`."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from upper_compass.run import build, document
from upper_compass.run.cluster import start_cluster
from upper_compass.run.places import ROOT, install_packages, say

PYTHON = ("src", "tests", "bench")
BENCHES = ("asking", "attribution", "collect", "comparing", "importing", "page", "planted", "reports", "sequences", "tagging", "together", "views")


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
        return "web/openapi.json is not that of the code; make it anew: PYTHONPATH=src .venv/bin/python -m upper_compass.run.document && npm run types"
    types = ROOT / "web" / "src" / "generated" / "schema.d.ts"
    made = ROOT / ".compass" / "schema.d.ts"
    complaint = _Check("Generating the types", ["npx", "openapi-typescript", "web/openapi.json", "-o", str(made)], node).complaint()
    if complaint or types.read_text() == made.read_text():
        return complaint
    return "web/src/generated/schema.d.ts is not that of web/openapi.json; make it anew: npm run types"


def _complaints() -> list[str]:
    """Of every check, one after the other."""
    node = build.install_front_end()
    tools = Path(sys.prefix) / "bin"
    checks = [
        _Check("Format of Python", [str(tools / "ruff"), "format", "--check", *PYTHON]),
        _Check("Lint of Python", [str(tools / "ruff"), "check", *PYTHON]),
        _Check("Types of Python", [str(tools / "mypy")]),
        _Check("Layers", [str(tools / "lint-imports"), "--no-cache"], {"PYTHONPATH": str(ROOT / "src")}),
        _Check("Types, format and lint of the front end", ["npm", "run", "--silent", "check"], node),
        _Check("Tests of the front end that need no browser", ["npm", "run", "--silent", "unit"], node),
    ]
    return [complaint for complaint in (*(one.complaint() for one in checks), _generated_in_step(node)) if complaint]


def test(rest: Sequence[str]) -> int:
    """Every check and every test; with arguments, pytest alone with these. The exit status."""
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
    for complaint in complaints:
        say(complaint)
    say(f"· Checks: {len(complaints)} found something wrong" if complaints else "· Checks: all passed")
    return 1 if tested or complaints else 0


def bench(rest: Sequence[str]) -> int:
    """Measure; the exit status."""
    chosen = [name for name in rest if name in BENCHES] or list(BENCHES)
    arguments = [one for one in rest if one not in BENCHES]
    if {"page", "views"} & set(chosen):
        _ensure_chromium()
        build.build()
    environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
    return max(subprocess.run([sys.executable, "-m", f"bench.{name}", *arguments], cwd=ROOT, env=environment, check=False).returncode for name in chosen)
