"""`./compass dev`: the API and the screens, each made anew as its files change, with the demo's data, behind one address."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from contextlib import suppress

from fastapi import FastAPI

from upper_compass.api.app import create_app
from upper_compass.demo.laying import ACCOUNT, PASSWORD, seed_demo, seeded_today
from upper_compass.run import build, instances
from upper_compass.run.cluster import start_cluster
from upper_compass.run.places import BUILT, ROOT, CannotRunError, free_port, only_one, step
from upper_compass.settings import Clock

SCREENS_PORT = 7310
INSTANCE = "COMPASS_DEV_INSTANCE"
# Beside what is built for all others: it is empty for a moment at each change.
SCRIPT = BUILT / "dev"


def application() -> FastAPI:
    """What is made anew whenever a file of the application changes."""
    return create_app(instances.settings(os.environ[INSTANCE]).model_copy(update={"tracker": SCRIPT / build.TRACKER.name}))


def dev(instance: str) -> int:
    """Serve until it is stopped; the exit status. Raises CannotRunError."""
    build.build()
    if instance == "demo":
        with only_one("demo"), instances.prepared("demo") as engine:
            if not seeded_today(engine, Clock().now()):
                with step("Laying thirteen months of Fennmoor Mill's history"):
                    seed_demo(engine, start_cluster().url(instances.database("demo")), Clock().now())
    else:
        with instances.prepared(instance):
            pass  # its tables are brought up to date
    node = build.install_front_end()
    api, screens = free_port(), free_port(SCREENS_PORT)
    # A process of its own for reports would be started anew at each change.
    os.environ |= {INSTANCE: instance, "COMPASS_READING_APART": "false"}
    environment = os.environ | node | {"COMPASS_API": f"http://127.0.0.1:{api}", "COMPASS_TRACKER_OUT": str(SCRIPT)}
    serving = [sys.executable, "-m", "uvicorn", f"{__name__}:application", "--factory", "--port", str(api), "--reload", "--reload-dir", "src"]
    vite = str(ROOT / "node_modules" / ".bin" / "vite")
    commands = [
        ([*serving, "--log-level", "warning"], ROOT),
        ([vite, "build", "--watch", "--logLevel", "warn"], ROOT / "tracker"),
        ([vite, "--host", "127.0.0.1", "--port", str(screens), "--strictPort", "--logLevel", "warn"], ROOT / "web"),
    ]
    # Told to end in whatever way, nothing is left running.
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    processes = [subprocess.Popen(command, cwd=folder, env=environment, start_new_session=True) for command, folder in commands]
    try:
        _await(f"http://127.0.0.1:{api}/health/live", processes[0])
        _await(f"http://127.0.0.1:{screens}/src/main.tsx", processes[-1])
        signing_in = f"\n  address   {ACCOUNT}\n  password  {PASSWORD}" if instance == "demo" else ""
        print(f"\n  open      http://127.0.0.1:{screens}{signing_in}\n\nCtrl+C ends it.", flush=True)
        return processes[0].wait()
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            with suppress(subprocess.TimeoutExpired):
                process.wait(5)
            with suppress(ProcessLookupError):  # and what it may have left
                os.killpg(process.pid, signal.SIGKILL)


def _await(address: str, process: subprocess.Popen[bytes]) -> None:
    for _ in range(300):
        try:
            urllib.request.urlopen(address, timeout=2).close()  # noqa: S310
        except (OSError, urllib.error.URLError):
            if process.poll() is not None:
                break
            time.sleep(0.1)
        else:
            return
    raise CannotRunError("It does not come up; what stands above says why.")
