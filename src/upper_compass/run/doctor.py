"""What is wrong with an installation, and how to mend it. Looks, and changes nothing."""

from __future__ import annotations

import json
import os
import shutil
import stat
import sys
import tomllib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

import sqlalchemy as sa

from upper_compass import __version__
from upper_compass.frames.dataset_cache import SHARDS
from upper_compass.run import instances
from upper_compass.run.cluster import MIN_VERSION
from upper_compass.run.places import STATE, CannotRunError
from upper_compass.run.safekeeping import note_of_last
from upper_compass.settings import settings_file
from upper_compass.store.database import connect, migration_of, newest_migration
from upper_compass.store.record_files import stored_files
from upper_compass.store.storage import Storage, StorageAwayError

MIN_FREE_BYTES, MIN_FREE_SHARE = 2 * 1024**3, 0.05
BACKUP_DAYS = 7
MAX_CLOCK_SECONDS = 5.0
MAX_NAMED = 10
SECRETS = ("database_url", "oidc_client_secret", "storage_secret")


@dataclass(frozen=True)
class Finding:
    """One thing that was looked at: a sentence, and what to do where it is wrong."""

    said: str
    mend: str = ""


def _count(number: int, thing: str) -> str:
    return f"{number} {thing}{'' if number == 1 else 's'}"


def told(instance: str) -> int:
    """Print what was found of an instance; 1 when anything is wrong, else 0."""
    found = list(examine(instance))
    for one in found:
        print(f"{'WRONG' if one.mend else 'right'}  {one.said}" + (f"\n       → {one.mend}" if one.mend else ""))
    wrong = sum(bool(one.mend) for one in found)
    print(f"\n{_count(wrong, 'thing')} to mend." if wrong else "\nNothing is wrong.")
    return 1 if wrong else 0


def examine(instance: str) -> Iterator[Finding]:
    """All that is looked at, one after the other; what cannot be looked at is wrong itself."""
    yield Finding(f"This is Upper Compass {__version__} on Python {sys.version.split()[0]}.")
    try:
        instances.installed(instance)
    except CannotRunError as why:
        yield Finding(str(why), f"Correct it; ./compass settings lists what can be set ({settings_file()}).")
        return
    yield from rights(STATE, settings_file())
    yield from disk(STATE)
    yield from last_backup(note_of_last(), datetime.now(UTC))
    try:
        engine = connect(instances.database_url(instance))
    except CannotRunError as why:
        yield Finding(str(why), "See the sentence.")
        return
    try:
        with engine.connect() as connection:
            for look in IN_DATABASE:
                yield from look(connection)
            yield from stored(connection, instances.storage_of(instance))
    except sa.exc.SQLAlchemyError as why:
        yield Finding(f"The database cannot be read: {str(getattr(why, 'orig', why)).strip()[:300]}", "Is it running, and is database_url right?")
    finally:
        engine.dispose()
    yield from process(instance)


def rights(folder: Path, settings: Path) -> Iterator[Finding]:
    """Whether others on the machine can read what they should not."""
    if folder.exists():
        open_ = [one for one in (folder, folder / "postgres.password") if one.exists() and stat.S_IMODE(one.stat().st_mode) & 0o077]
        for one in open_:
            yield Finding(f"Others on this machine may read {one}.", f"chmod go= {one}")
        if not os.access(folder, os.W_OK):
            yield Finding(f"This user may not write into {folder}.", f"Run the command as the user that it belongs to, or chown {folder}.")
        elif not open_:
            yield Finding(f"The data folder {folder} is for its user alone.")
    if settings.is_file() and stat.S_IMODE(settings.stat().st_mode) & 0o044:
        held = [name for name in SECRETS if name in tomllib.loads(settings.read_text())]
        if held:
            yield Finding(f"Others on this machine may read {' and '.join(held)} in {settings}.", f"chmod go= {settings}")


def disk(folder: Path) -> Iterator[Finding]:
    """Whether there is room for what comes."""
    usage = shutil.disk_usage(next(one for one in (folder, *folder.parents) if one.exists()))
    said = f"{usage.free / 1024**3:.1f} GB of the disk are free ({usage.free / usage.total:.0%})."
    full = usage.free < MIN_FREE_BYTES or usage.free < MIN_FREE_SHARE * usage.total
    yield Finding(said, "Make room, or set `data` to a larger disk: a database without room stops collecting." if full else "")


def last_backup(note: Path, now: datetime) -> Iterator[Finding]:
    """When all of it was last kept elsewhere."""
    try:
        made = datetime.fromisoformat(note.read_text())
    except (OSError, ValueError):
        yield Finding("No backup was made from here yet.", "./compass backup FILE, and best every day: deploy/upper-compass-backup.timer")
        return
    is_old = now - made > timedelta(days=BACKUP_DAYS)
    yield Finding(f"The last backup was made {made:%Y-%m-%d %H:%M} UTC.", "./compass backup FILE" if is_old else "")


def versions(connection: sa.Connection) -> Iterator[Finding]:
    """Whether the database is one that this version works with."""
    server = int(connection.execute(sa.text("SHOW server_version_num")).scalar_one())
    yield Finding(f"PostgreSQL is {server // 10_000}.{server % 10_000}.", f"{MIN_VERSION} or newer is needed." if server < MIN_VERSION * 10_000 else "")
    held, known = migration_of(connection), newest_migration()
    if held > known:
        yield Finding(f"The database was kept by a newer version (migration {held}; this one knows {known}).", "Install that version again.")
    elif held < known:
        yield Finding(f"The database is at migration {held or 'none'} of {known}.", "./compass backup FILE, then ./compass start, which brings it up to date.")
    else:
        yield Finding(f"The database is at the newest migration, {known}.")


def clock(connection: sa.Connection) -> Iterator[Finding]:
    """Whether the machine's time goes with the database's, and with what was stored before."""
    theirs = connection.execute(sa.text("SELECT clock_timestamp()")).scalar_one()
    apart = abs((datetime.now(UTC) - theirs).total_seconds())
    mend = "Set both machines by the same time (NTP): days begin and end by it." if apart > MAX_CLOCK_SECONDS else ""
    yield Finding(f"This machine and the database differ by {apart:.1f} seconds.", mend)
    if sa.inspect(connection).has_table("changes"):
        newest = connection.execute(sa.text("SELECT max(at) FROM changes")).scalar()
        if newest and newest > theirs + timedelta(seconds=MAX_CLOCK_SECONDS):
            yield Finding(f"The newest change was made {newest:%Y-%m-%d %H:%M}, which is yet to come.", "The clock was set back. Is it right now?")


def partitions(connection: sa.Connection) -> Iterator[Finding]:
    """Whether all hits lie where they are looked for."""
    if not sa.inspect(connection).has_table("hits"):
        return
    rows = connection.execute(
        sa.text(
            "SELECT c.relname, pg_get_expr(c.relpartbound, c.oid), (SELECT count(*) FROM pg_index i WHERE i.indrelid = c.oid AND i.indisvalid)"
            " FROM pg_inherits h JOIN pg_class c ON c.oid = h.inhrelid WHERE h.inhparent = 'hits'::regclass ORDER BY 1"
        )
    ).all()
    wanted = connection.execute(sa.text("SELECT count(*) FROM pg_index WHERE indrelid = 'hits'::regclass")).scalar_one()
    bare = [name for name, _, valid in rows if valid < wanted]
    loose = connection.execute(
        sa.text("SELECT relname FROM pg_class WHERE relname ~ '^hits_(older|[0-9]{4}_[0-9]{2})$' AND relkind = 'r' AND NOT relispartition ORDER BY 1")
    ).scalars()
    for name in bare:
        yield Finding(f"The partition {name} lacks a valid index.", f"REINDEX TABLE {name};  in the database")
    for name in loose:
        yield Finding(f"The table {name} is no part of the hits any more.", f"Attach it again, or drop it: nothing in it is read ({name}).")
    if not bare:
        yield Finding(f"The hits lie in {_count(len(rows), 'partition')}, all with their indexes.")
    waiting = connection.execute(sa.text("SELECT count(*) FROM pg_prepared_xacts WHERE database = current_database()")).scalar_one()
    if waiting:
        yield Finding(f"{_count(waiting, 'transaction')} were prepared and never ended.", "ROLLBACK PREPARED …;  in the database")


IN_DATABASE: tuple[Callable[[sa.Connection], Iterator[Finding]], ...] = (versions, clock, partitions)


def stored(connection: sa.Connection, storage: Storage) -> Iterator[Finding]:
    """Whether the storage has what the database handed on, and nothing of what is no more."""
    if not sa.inspect(connection).has_table("record_files"):
        return
    try:
        files = {one.name: one for one in stored_files(connection) if one.counts}
        held = set(storage.names())
    except StorageAwayError as why:
        yield Finding(str(why), "Is the service running, and are storage, storage_endpoint and its key right?")
        return
    lost = sorted(set(files) - held)
    for name in lost[:MAX_NAMED]:
        yield Finding(f"{name}, with {_count(files[name].hits, 'hit')}, is not in {storage.url}.", "Bring it back there from a backup; reports wait for it.")
    if len(lost) > MAX_NAMED:
        yield Finding(f"{_count(len(lost), 'file')} in all that were handed on are not there.", "Is storage set to where they lie?")
    orphans = sorted(_orphans(connection, held))
    for name in orphans:
        mend = f"rm -r {storage.folder / name}" if storage.folder else "Remove all that is below it."
        yield Finding(f"{name} in {storage.url} is of what is no more.", mend)
    if (earlier := STATE / "frames").is_dir():
        yield Finding(f"{earlier} is of an earlier version.", f"rm -r {earlier}")
    if not lost and not orphans:
        of = f", {_count(sum(one.hits for one in files.values()), 'hit')} in {_count(len(files), 'file')}" if files else ""
        yield Finding(f"The storage, {storage.url}, has what belongs there{of}.")


def _orphans(connection: sa.Connection, held: set[str]) -> set[str]:
    """Of which databases, sites and keys of sites something is in storage that are not there any more."""
    here = connection.execute(sa.text("SELECT oid::text FROM pg_database WHERE datname = current_database()")).scalar_one()
    databases = set(connection.execute(sa.text("SELECT oid::text FROM pg_database")).scalars())
    numbers = set(connection.execute(sa.text("SELECT id::text FROM sites")).scalars())
    found = set()
    for room, *path in (name.split("/") for name in held):
        if room == SHARDS and path[0] not in databases:
            found.add(f"{SHARDS}/{path[0]}")
        elif room == SHARDS and path[0] == here:
            above = path[: 2 if path[1].startswith("part-") else 1]
            if path[len(above)] not in numbers:
                found.add("/".join([SHARDS, *above, path[len(above)]]))
    return found


def process(instance: str) -> Iterator[Finding]:
    """Whether it runs, and is whole."""
    note = instances.running(instance)
    if note is None:
        yield Finding("The application does not run.", "./compass start")
        return
    health = instances.health_of(note["address"], instance) or {}
    whole = health.get("status") == "ok" and health.get("ready")
    mend = "" if whole else f"./compass start mends it; {STATE / instance}.log says why."
    yield Finding(f"The application runs on {note['address']} and is {'whole' if whole else 'not whole: ' + json.dumps(health)[:200]}.", mend)
