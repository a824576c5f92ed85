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
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from upper_compass.run.build import TRACKER, WEB, build
from upper_compass.run.cluster import start_cluster, stop_cluster
from upper_compass.run.places import STATE, CannotRunError, alive, free_port, only_one, say, step
from upper_compass.settings import Clock, Installed, Settings, UnfitSettingsError, fitting, held, settings_file, source_of
from upper_compass.store import accounts, sites, tokens
from upper_compass.store.database import NewerDatabaseError, connect, migrate
from upper_compass.store.tokens import Scope

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
    return found.model_copy(update={"database_url": None}) if instance == "demo" else found


def database_url(instance: str) -> str:
    """The address of an instance's database; where it is one of this checkout, its server is started and the database made."""
    given = installed(instance).database_url
    if given:
        return given
    cluster = start_cluster()
    cluster.ensure_database(database(instance))
    return cluster.url(database(instance))


def settings(instance: str) -> Settings:
    """How an instance is set up. Raises CannotRunError with what is wrong."""
    url = database_url(instance)
    return Settings(database_url=url, snapshots=STATE / "frames", web=WEB, tracker=TRACKER, demo=instance == "demo", instance=instance)


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


def serve(instance: str, port: int) -> None:
    """Serve an instance in this process until it is told to stop."""
    from upper_compass.api.app import create_app
    from upper_compass.run.serving import serve_app

    loaded = settings(instance)
    serve_app(create_app(loaded), port, loaded, STATE / f"{instance}.log")


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
# What large reports gave back goes back to the system: one heap of the C allocator for all threads, for each with its own would hold on to it, and
# Polars' own allocator waits for nothing (by itself it keeps what is free for ten seconds, twice what is held while shards are made).
HEAP = {"MALLOC_ARENA_MAX": "1", "_RJEM_MALLOC_CONF": "dirty_decay_ms:0,muzzy_decay_ms:0"}


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
        wanted = installed(instance)
        port = free_port(wanted.port or PORTS[instance])
        if wanted.port not in (None, port):
            raise CannotRunError(f"Port {wanted.port} is taken ({source_of('port')}).")
        address = f"http://{reached(wanted.address)}:{port}"
        with step("Starting the application"), (STATE / f"{instance}.out").open("wb") as log:
            command = [sys.executable, "-m", "upper_compass.cli", "serve", instance, str(port)]
            process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True, env=os.environ | HEAP)
            _note(instance).write_text(json.dumps({"pid": process.pid, "port": port, "address": address}))
            for _ in range(600):
                if _is_whole(address, instance):
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
    with prepared("main") as engine, engine.begin() as connection:
        made = None
        if not accounts.anyone(connection):
            made = secrets.token_urlsafe(12)
            accounts.add_user(connection, email, "Owner", made)
    address = launch("main")
    print(f"\nUpper Compass\n\n  open      {address}")
    if made:
        print(f"  address   {email}\n  password  {made}\n\nThis password is shown once.")


def _named(file: Path) -> Path:
    """A file, named from the folder that the command was called in."""
    return Path(os.environ.get("COMPASS_CALLED_FROM", ".")) / file


def backup(file: Path, instance: str | None) -> None:
    """Write a backup of an instance, while it runs or not. Raises CannotRunError."""
    from upper_compass.run import safekeeping  # whoever stops or looks need not wait for it

    made = safekeeping.backup(database_url(instance or "main"), _named(file))
    say(f"{file} holds {made.rows['sites']:,} sites and {made.rows['hits']:,} hits. It holds secrets too: keep it where only you can read it.")


def restore(file: Path) -> None:
    """Make an installation of a backup where there is none yet. Raises CannotRunError; what was there is as it was then."""
    from upper_compass.run import safekeeping

    named = _named(file)
    if running("main"):
        raise CannotRunError("The application runs; ./compass stop ends it, then try again.")
    kept = safekeeping.about(named)[3]
    if kept is not None and not settings_file().exists():
        settings_file().write_bytes(kept)
        say(f"{settings_file()} was not there and is restored too.")
    url = installed("main").database_url
    if url:
        safekeeping.restore(url, named)
        return
    cluster, name = start_cluster(), database("main")
    if cluster.has_database(name) and not safekeeping.is_empty(cluster.url(name)):
        raise CannotRunError("There is an installation here already; a backup goes where there is none. Move the data folder away, or set another one (data).")
    # Under another name until it is whole, so that what breaks off leaves nothing behind.
    making = f"{name}_restored"
    cluster.drop_database(making)
    cluster.ensure_database(making)
    try:
        safekeeping.restore(cluster.url(making), named)
    except CannotRunError:
        cluster.drop_database(making)
        raise
    cluster.drop_database(name)
    cluster.rename_database(making, name)


def told_settings() -> str:
    """Which settings hold, where each comes from, and what it is. Raises CannotRunError with what is wrong."""
    try:
        found = held()
    except UnfitSettingsError as why:
        raise CannotRunError(str(why)) from why
    wide = max(len(one.name) for one in found)
    lines = [f"{one.name:{wide}}  {one.value or '-'}  ({one.source})\n{'':{wide}}  {one.meaning}" for one in found]
    return "\n".join([f"Settings are read from the environment (COMPASS_ and the name in capitals), then from {settings_file()}.", "", *lines])


def stop() -> None:
    """Stop all that runs in this checkout."""
    stopped = [instance for instance in INSTANCES if halt(instance)]
    if stop_cluster():
        stopped.append("PostgreSQL")
    say(f"Stopped: {', '.join(stopped)}." if stopped else "Nothing was running.")


def status() -> dict[str, Any]:
    """What runs."""
    return {instance: note["address"] if (note := running(instance)) else "not running" for instance in INSTANCES}


def _chosen(instance: str | None) -> str:
    if instance:
        return instance
    up = [name for name in INSTANCES if running(name)]
    if len(up) == 1:
        return up[0]
    raise CannotRunError(
        "Say which one with --instance main or --instance demo." if up else "Nothing runs; say which one with --instance main or --instance demo."
    )


def import_file(file: Path, site_key: str, instance: str | None) -> int:
    """Import hits from a file, named from the folder that the command was called in; the exit status.

    Raises CannotRunError when the file, the site or the application is not there.
    """
    from upper_compass.collect.importing import into_site
    from upper_compass.services import imports

    file = _named(file)
    if not file.is_file():
        raise CannotRunError(f"There is no file {file}.")
    chosen = _chosen(instance)
    with prepared(chosen) as engine:
        with engine.connect() as connection:
            site = sites.site_by_key(connection, site_key)
        if site is None:
            raise CannotRunError(f"There is no site with the key {site_key!r}.")
        with file.open("rb") as opened, step(f"Importing {file.name}"):
            given = imports.GivenFile(opened, file.name, file.stat().st_size)
            _, report = imports.import_file(engine, given, into_site(site, Clock().now()), None)
    for line, field, text in report.refused[:20]:
        say(f"  line {line}: {field + ': ' if field else ''}{text}")
    say(f"{report.lines:,} lines: {report.stored:,} stored, {report.already_there:,} there already, {report.bad:,} refused.")
    if report.broken_off:
        say(report.broken_off)
    return 1 if report.bad or report.broken_off else 0


def token(email: str | None, name: str, scope: Scope, days: int | None, instance: str | None) -> str:
    """A new API token for all sites of a user. Raises CannotRunError when it is not known whose, or when they have too many."""
    with prepared(_chosen(instance)) as engine, engine.begin() as connection:
        if email is None:
            addresses = connection.execute(sa.text("SELECT email FROM users ORDER BY id LIMIT 2")).scalars().all()
            if len(addresses) != 1:
                raise CannotRunError("Say whose token it is with --email.")
            email = addresses[0]
        user = accounts.user_by_email(connection, email)
        if user is None:
            raise CannotRunError(f"There is no user with the address {email}.")
        try:
            return tokens.add_token(connection, user.id, name, scope, days=days)
        except tokens.TooManyTokensError as error:
            raise CannotRunError(f"{user.email} has {tokens.MAX_TOKENS} tokens; one has to be revoked first.") from error
