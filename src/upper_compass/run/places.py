"""Where things lie in a checkout, and small tools every command needs."""

from __future__ import annotations

import fcntl
import os
import secrets
import socket
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from upper_compass.settings import CHECKOUT, Installed, UnfitSettingsError, fitting

ROOT = CHECKOUT


def _data_folder() -> Path:
    try:
        return fitting(Installed).data or ROOT / ".compass"
    except UnfitSettingsError:
        return ROOT / ".compass"  # what is wrong is said where the settings are needed


# What was built of the checkout: it belongs to that, wherever the data lies.
BUILT = ROOT / ".compass"
# All that is kept of an installation.
STATE = _data_folder()


class CannotRunError(Exception):
    """Something is missing that this user cannot install; the text says what to do."""


def say(text: str) -> None:
    """One line on what is being done."""
    print(text, file=sys.stderr, flush=True)


@contextmanager
def step(text: str) -> Iterator[None]:
    """Say what is being done, and how long it took when that was over a second."""
    began = time.monotonic()
    say(f"· {text} …")
    yield
    took = time.monotonic() - began
    if took > 1:
        say(f"  done in {took:.0f} s")


@contextmanager
def only_one(name: str, folder: Path | None = None) -> Iterator[None]:
    """Let one process at a time do this in a folder, that of the data unless another is named."""
    folder = folder or STATE
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)  # what is collected lies here, and passwords: nobody else's business
    with (folder / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


LASTING, TRIES = range(15_000, 30_000), 20


def free_port(wanted: int = 0) -> int:
    """The wanted port of the loopback address, or another when it is taken. Raises CannotRunError when none is free.

    Another is looked for first where the system takes none for connections that go out, which would hold it when it is wanted again.
    """
    others = [LASTING.start + secrets.randbelow(len(LASTING)) for _ in range(TRIES)]
    for port in (*([wanted] if wanted else []), *others, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise CannotRunError("No port is free on the loopback address.")


def run_quietly(command: Sequence[str], *, cwd: Path = ROOT, env: dict[str, str] | None = None) -> None:
    """Run a command; when it fails, show what it said and raise CannotRunError."""
    done = subprocess.run(command, cwd=cwd, env=os.environ | (env or {}), capture_output=True, text=True, check=False)
    if done.returncode:
        say(done.stdout[-6000:] + done.stderr[-6000:])
        raise CannotRunError(f"This command failed: {' '.join(command)}")


def install_packages(*names: str) -> None:
    """Install Debian packages. Raises CannotRunError with the one command to run where this user may not."""
    if os.geteuid() != 0:
        raise CannotRunError(f"Please run this once, then try again: sudo apt-get install {' '.join(names)}")
    with step(f"Installing {', '.join(names)} from Debian's packages"):
        quiet = {"DEBIAN_FRONTEND": "noninteractive"}
        run_quietly(["apt-get", "update", "-q"], env=quiet)
        run_quietly(["apt-get", "install", "-y", "-q", "--no-install-recommends", *names], env=quiet)


def alive(pid: int) -> bool:
    """Whether a process is running."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    stat = Path(f"/proc/{pid}/stat")
    return not (stat.exists() and stat.read_text().rpartition(")")[2].split()[0] == "Z")
