"""Instances of the application in this checkout: `main` (an installation of one's own) and `demo`."""

from __future__ import annotations

import json
import os
import secrets
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from upper_compass.run.build import TRACKER, WEB, build
from upper_compass.run.cluster import mend_cluster, start_cluster, stop_cluster
from upper_compass.run.places import STATE, CannotRunError, alive, free_port, only_one, say, step
from upper_compass.settings import Clock, Installed, Settings, UnfitSettingsError, fitting, source_of
from upper_compass.store import accounts
from upper_compass.store.database import NewerDatabaseError, connect, migrate
from upper_compass.store.storage import Storage

INSTANCES = ("main", "demo")
PORTS = {"main": 7400, "demo": 7300}


def database(instance: str) -> str:
    """Name of an instance's database."""
    return f"compass_{instance}"


def installed(instance: str) -> Installed:
    """What was set for an instance; the demo has a database of its own, whatever was set. Raises CannotRunError with what is wrong."""
    try:
        found: Installed = fitting(Installed)
    except UnfitSettingsError as why:
        raise CannotRunError(str(why)) from why
    if found.runner == "ray" and not find_spec("ray"):
        raise CannotRunError("Ray is not installed here; ./compass build --runner ray does that.")
    return found.model_copy(update={"database_url": None}) if instance == "demo" else found


def database_url(instance: str) -> str:
    """The address of an instance's database; where it is one of this checkout, its server is started and the database made."""
    given = installed(instance).database_url
    if given:
        return given
    cluster = start_cluster()
    cluster.ensure_database(database(instance))
    return cluster.url(database(instance))


def storage_of(instance: str) -> Storage:
    """Where an instance keeps its shards and what was handed on; the demo here, whatever was set. Raises CannotRunError."""
    given = installed(instance)
    here = given.model_copy(update={"storage": str(STATE / "storage")})
    found = given.storage_at if given.storage_at and instance != "demo" else here.storage_at
    assert found is not None  # noqa: S101 (one of the two has a folder)
    return found


def settings(instance: str) -> Settings:
    """How an instance is set up. Raises CannotRunError with what is wrong."""
    url = database_url(instance)
    return Settings(database_url=url, storage=storage_of(instance).url, web=WEB, tracker=TRACKER, demo=instance == "demo", instance=instance)


@contextmanager
def prepared(instance: str) -> Iterator[sa.Engine]:
    """An engine on the instance's database, at the newest migration. Raises CannotRunError where it cannot be reached."""
    engine = connect(database_url(instance))
    try:
        migrate(engine)
        yield engine
    except NewerDatabaseError as why:
        raise CannotRunError(f"{why} Nothing was touched. Install that version again, or restore a backup from before it.") from why
    except sa.exc.OperationalError as why:
        raise CannotRunError(f"The database cannot be reached: {str(why.orig).strip()[:300]}") from why
    finally:
        engine.dispose()


def serve(instance: str, port: int, collector: int | None = None) -> None:
    """Serve an instance in this process until it is told to stop; `collector`: only collect, as this one of the processes that do."""
    from upper_compass.api.app import create_app
    from upper_compass.run.serving import serve_app

    loaded = settings(instance)
    if collector is None:
        serve_app(create_app(loaded), port, loaded, STATE / f"{instance}.log")
        return
    only = loaded.model_copy(update={"part": "collecting"})
    log = STATE / f"{instance}-collecting-{collector + 1}.log"
    serve_app(create_app(only), port, only, log, own_port=port + 1 + collector)


def _collecting(instance: str) -> Installed | None:
    """What is set for processes that only collect, where there are any; the demo's application collects itself."""
    found = installed(instance)
    return found if found.collecting and instance == "main" else None


def parts_of(instance: str, port: int) -> list[str]:
    """The processes of an instance, each by where it answers and the arguments of its command."""
    apart = _collecting(instance)
    shared = apart.collect_port if apart else 0
    collectors = [f"127.0.0.1:{shared + 1 + number} serve {instance} {shared} --collector {number}" for number in range(apart.collecting if apart else 0)]
    return [f"{reached(installed(instance).address)}:{port} serve {instance} {port}", *collectors]


def reached(address: str) -> str:
    """Where this machine reaches what listens on an address."""
    reached = {"0.0.0.0": "127.0.0.1", "::": "[::1]"}.get(address, address)  # noqa: S104
    return f"[{reached}]" if ":" in reached and not reached.startswith("[") else reached


def _note(instance: str) -> Path:
    return STATE / f"{instance}.json"


def running(instance: str) -> dict[str, Any] | None:
    """{"pid", "port", "address"} of a running instance, whether or not its database answers."""
    try:
        noted: dict[str, Any] = json.loads(_note(instance).read_text())
    except (OSError, ValueError):
        return None
    return noted if alive(noted["pid"]) and health_of(noted["address"], instance) else None


def health_of(address: str, instance: str) -> dict[str, Any] | None:
    """What an instance says of itself; None when nobody, or somebody else, answers."""
    try:
        with urllib.request.urlopen(f"{address}/health", timeout=4) as answer:  # noqa: S310
            health: dict[str, Any] = json.load(answer)
    except urllib.error.HTTPError as refused:
        try:
            health = json.load(refused)
        except ValueError:
            return None
    except (OSError, ValueError):
        return None
    return health if health.get("instance") == instance else None


def _is_whole(address: str, instance: str) -> bool:
    """Whether an instance is ready, and its database answers it."""
    health = health_of(address, instance)
    return bool(health and health["status"] == "ok" and health["ready"])


# How long a running instance has to find its database again.
MEND_SECONDS = 10.0


def _place(instance: str) -> tuple[int, str]:
    """(the port where an instance shall listen, the address by which this machine reaches it). Raises CannotRunError where what was set is taken."""
    wanted = installed(instance)
    port = free_port(wanted.port or PORTS[instance])
    if wanted.port not in (None, port):
        raise CannotRunError(f"Port {wanted.port} is taken ({source_of('port')}).")
    apart = _collecting(instance)
    for needed in range(apart.collect_port, apart.collect_port + apart.collecting + 1) if apart else ():
        if free_port(needed) != needed:
            raise CannotRunError(f"Port {needed} is taken ({source_of('collect_port')}); {apart.collecting + 1 if apart else 0} in a row are needed.")
    return port, f"http://{reached(wanted.address)}:{port}"


def _collectors(instance: str) -> list[str]:
    """Where each process that only collects answers for itself."""
    apart = _collecting(instance)
    return [f"http://127.0.0.1:{apart.collect_port + 1 + number}" for number in range(apart.collecting)] if apart else []


def _all_whole(instance: str, address: str) -> bool:
    return all(_is_whole(one, instance) for one in (address, *_collectors(instance)))


def _write_note(instance: str, pid: int, port: int, address: str) -> None:
    _note(instance).write_text(json.dumps({"pid": pid, "port": port, "address": address}))


def stay(email: str) -> int:
    """An installation of one's own in the foreground, for whoever starts and watches processes; ends with its PostgreSQL when it is told to."""
    from upper_compass.run.supervising import supervise

    build()
    _greet(email)
    with only_one("launch-main"):
        if running("main"):
            raise CannotRunError("It runs already; ./compass stop ends it.")
        port, address = _place("main")
        _write_note("main", os.getpid(), port, address)

    def is_up() -> str | None:
        return f"Upper Compass answers on {address}." if _all_whole("main", address) else None

    is_own = installed("main").database_url is None
    try:
        return supervise(parts_of("main", port), is_up, mend_cluster if is_own else _nothing)
    finally:
        _note("main").unlink(missing_ok=True)
        if is_own:
            stop_cluster()


def _nothing() -> None:
    """Nothing of a database that is somebody else's is mended."""


def _greet(email: str) -> None:
    """The first user, where there is none; their password is told this once."""
    with prepared("main") as engine, engine.begin() as connection:
        if not accounts.anyone(connection):
            made = secrets.token_urlsafe(12)
            accounts.add_user(connection, email, "Owner", made)
            print(f"\n  address   {email}\n  password  {made}\n\nThis password is shown once.\n", flush=True)


def launch(instance: str) -> str:
    """Start an instance in the background unless it runs; its address. Raises CannotRunError when it does not answer."""
    with only_one(f"launch-{instance}"):
        note = running(instance)
        if note:
            for _ in range(round(MEND_SECONDS * 5)):  # its database may have been started again just now
                if _is_whole(note["address"], instance):
                    return str(note["address"])
                time.sleep(0.2)
            say("· What runs has lost its database; it is started again …")
            halt(instance)
        port, address = _place(instance)
        with step("Starting the application"), (STATE / f"{instance}.out").open("wb") as log:
            mended = ["--own-postgres"] if installed(instance).database_url is None else []
            command = [sys.executable, "-m", "upper_compass.cli", "supervise", *mended, *parts_of(instance, port)]
            process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True)
            _write_note(instance, process.pid, port, address)
            for _ in range(600):
                if _all_whole(instance, address):
                    return address
                if process.poll() is not None:
                    break
                time.sleep(0.05)
        raise CannotRunError(f"The application did not start; {STATE / instance}.out and {instance}.log say why.")


def halt(instance: str) -> bool:
    """Stop an instance; whether it ran. Raises CannotRunError when it does not end."""
    note = running(instance)
    if not note:
        return False
    os.kill(note["pid"], signal.SIGTERM)
    for _ in range(300):
        if not alive(note["pid"]):
            _note(instance).unlink(missing_ok=True)
            return True
        time.sleep(0.1)
    raise CannotRunError("The application did not stop within 30 seconds.")


def demo() -> None:
    """Everything up, with the demo data."""
    from upper_compass.demo.laying import ACCOUNT, PASSWORD, seed_demo, seeded_today

    build()
    now = Clock().now()
    with only_one("demo"):
        with prepared("demo") as engine:
            fresh = seeded_today(engine, now)
        if not fresh:
            halt("demo")
            with prepared("demo") as engine, step("Laying thirteen months of Fennmoor Mill's history"):
                seed_demo(engine, start_cluster().url(database("demo")), now)
        address = launch("demo")
    print(f"\nUpper Compass with the demo data of Fennmoor Mill\n\n  open      {address}\n  address   {ACCOUNT}\n  password  {PASSWORD}\n")
    print(f"The sample site, to try the tags on:\n  {address}/mill/?utm_source=letter&utm_medium=email&utm_campaign=try-it\n\n./compass stop ends it.")


def start(email: str) -> None:
    """An installation of one's own."""
    build()
    _greet(email)
    print(f"\nUpper Compass\n\n  open      {launch('main')}")


def stop() -> None:
    """Stop all that runs in this checkout."""
    stopped = [instance for instance in INSTANCES if halt(instance)]
    if stop_cluster():
        stopped.append("PostgreSQL")
    say(f"Stopped: {', '.join(stopped)}." if stopped else "Nothing was running.")


def status() -> dict[str, Any]:
    """What runs."""
    return {instance: note["address"] if (note := running(instance)) else "not running" for instance in INSTANCES}
