"""`./compass test` and `./compass bench`."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from upper_compass.run import build, document
from upper_compass.run.cluster import start_cluster
from upper_compass.run.places import ROOT, install_packages, say, step

PYTHON = ("src", "tests", "bench")
BENCHES = ("asking", "collect", "comparing", "importing", "page", "planted", "reports", "tagging", "together", "views")


def _ensure_chromium() -> None:
    # The browser without a window is quicker to start and to draw; the whole one keeps pages that were left.
    missing = [name for name in ("chromium", "chromium-headless-shell") if not shutil.which(name)]
    if missing:
        install_packages(*missing)


def _run(name: str, command: Sequence[str], env: dict[str, str] | None = None) -> bool:
    with step(name):
        done = subprocess.run(command, cwd=ROOT, env=os.environ | (env or {}), capture_output=True, text=True, check=False)
    if done.returncode:
        say(done.stdout[-8000:] + done.stderr[-4000:])
    return done.returncode == 0


def _generated_in_step(node: dict[str, str]) -> bool:
    with step("Comparing the OpenAPI document and its types with the code"):
        if document.DOCUMENT.read_text() != document.text():
            say("web/openapi.json is not that of the code; make it anew: PYTHONPATH=src .venv/bin/python -m upper_compass.run.document && npm run types")
            return False
    types = ROOT / "web" / "src" / "generated" / "schema.d.ts"
    made = ROOT / ".compass" / "schema.d.ts"
    if not _run("Generating the types", ["npx", "openapi-typescript", "web/openapi.json", "-o", str(made)], node):
        return False
    if types.read_text() != made.read_text():
        say("web/src/generated/schema.d.ts is not that of web/openapi.json; make it anew: npm run types")
        return False
    return True


def test(rest: Sequence[str]) -> int:
    """Every check, then every test; with arguments, pytest alone with these. The exit status."""
    _ensure_chromium()
    build.build()
    start_cluster()
    pytest = [sys.executable, "-m", "pytest", *rest]
    if rest:
        return subprocess.run(pytest, cwd=ROOT, check=False).returncode
    node = build.install_front_end()
    tools = Path(sys.prefix) / "bin"
    python = [
        ("Format of Python", [str(tools / "ruff"), "format", "--check", *PYTHON], None),
        ("Lint of Python", [str(tools / "ruff"), "check", *PYTHON], None),
        ("Types of the core", [str(tools / "mypy")], None),
        ("Layers", [str(tools / "lint-imports"), "--no-cache"], {"PYTHONPATH": str(ROOT / "src")}),
    ]
    front = [
        ("Types, format and lint of the front end", ["npm", "run", "--silent", "check"], node),
        ("Tests of the front end that need no browser", ["npm", "run", "--silent", "unit"], node),
    ]
    # Two at a time: none of them uses more than one core.
    with ThreadPoolExecutor(2) as pool:
        made = pool.submit(lambda: [_run(*one) for one in python] + [_generated_in_step(node)])
        passed = [*pool.submit(lambda: [_run(*one) for one in front]).result(), *made.result()]
    say("· Tests …")
    # Their columns are short, so that threads of their own gain nothing.
    few_threads = os.environ | {"POLARS_MAX_THREADS": "1"}
    passed.append(subprocess.run([*pytest, "-n", "2", "--dist", "loadscope"], cwd=ROOT, env=few_threads, check=False).returncode == 0)
    return 0 if all(passed) else 1


def bench(rest: Sequence[str]) -> int:
    """Measure; the exit status."""
    chosen = [name for name in rest if name in BENCHES] or list(BENCHES)
    arguments = [one for one in rest if one not in BENCHES]
    if {"page", "views"} & set(chosen):
        _ensure_chromium()
        build.build()
    environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
    return max(subprocess.run([sys.executable, "-m", f"bench.{name}", *arguments], cwd=ROOT, env=environment, check=False).returncode for name in chosen)
