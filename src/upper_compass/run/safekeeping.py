"""A whole installation in one file, and back: a tar that holds what `pg_dump` says of its database, the file with settings, and what it is.

The dump is written straight into the tar, whose head is written once its length is known; so the file is written once, whatever its size.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import subprocess
import tarfile
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

import sqlalchemy as sa
from sqlalchemy import make_url

from upper_compass import __version__
from upper_compass.run.cluster import binaries
from upper_compass.run.places import STATE, CannotRunError, say, step
from upper_compass.settings import settings_file
from upper_compass.store.database import connect, migrate, migration_of, newest_migration

FORMAT = 1
DUMP, ABOUT, SETTINGS = "database.dump", "about.json", "compass.toml"
BLOCK = tarfile.BLOCKSIZE
PART = 1 << 20
COUNTED = ("sites", "users", "hits", "goals", "changes")
PROBLEMS = (OSError, ValueError, KeyError, tarfile.TarError)


@dataclass(frozen=True)
class About:
    """What a backup is: of which version and migration, when it was begun, how many rows some tables had at least, and the digest of its dump."""

    format: int
    version: str
    migration: str
    made: str
    rows: dict[str, int]
    sha256: str


def note_of_last() -> Path:
    """Where it is written when the last backup was made."""
    return STATE / "last-backup"


def tool(name: str, url: str, *arguments: str) -> tuple[list[str], dict[str, str]]:
    """A tool of PostgreSQL for a database, and the environment that it needs; the password stands in no list of processes."""
    at = make_url(url)
    command = [str(binaries() / name), "-h", at.host or "127.0.0.1", "-p", str(at.port or 5432), "-U", at.username or "", "-d", at.database or "", *arguments]
    return command, os.environ | {"PGPASSWORD": at.password or ""}


def _state(url: str) -> tuple[str, dict[str, int]]:
    """(migration, rows of some tables) of a database; ("", {}) of an empty one."""
    engine = connect(url)
    try:
        with engine.connect() as connection:
            migration = migration_of(connection)
            if not migration:
                return "", {}
            return migration, {name: connection.execute(sa.text(f"SELECT count(*) FROM {name}")).scalar_one() for name in COUNTED}  # noqa: S608
    except sa.exc.OperationalError as why:
        raise CannotRunError(f"The database cannot be reached: {str(why.orig).strip()[:300]}") from why
    finally:
        engine.dispose()


def is_empty(url: str) -> bool:
    """Whether nothing was ever kept in a database, and nobody is known there. Raises CannotRunError."""
    return not any(_state(url)[1].get(name) for name in ("users", "sites", "hits"))


def backup(url: str, file: Path) -> About:
    """Write a backup of a database, while it is in use; it is of one moment. It is read back before it has its name. Raises CannotRunError."""
    migration, rows = _state(url)
    if not migration:
        raise CannotRunError("There is nothing to keep yet.")
    if file.exists():
        raise CannotRunError(f"{file} is there already; choose another name.")
    making = file.with_name(file.name + ".part")
    try:
        with step("Writing the backup"), making.open("xb") as out:
            making.chmod(0o600)
            out.seek(BLOCK)
            length = _dump(url, out)
            out.write(b"\0" * (-length % BLOCK))
            out.seek(0)
            out.write(_head(DUMP, length))
        with step("Reading it back"):
            about = About(FORMAT, __version__, migration, datetime.now(UTC).isoformat(timespec="seconds"), rows, _read_back(making, BLOCK, length))
        with making.open("ab") as out:
            for name, content in ((ABOUT, json.dumps(asdict(about), indent=1).encode()), (SETTINGS, _settings())):
                if content is not None:
                    out.write(_head(name, len(content)) + content + b"\0" * (-len(content) % BLOCK))
            out.write(b"\0" * (2 * BLOCK))
            out.flush()
            os.fsync(out.fileno())
        making.rename(file)
        note_of_last().write_text(about.made)
    except FileExistsError as why:
        raise CannotRunError(f"{making} is there already: another backup is being made, or broke off. Remove it, then try again.") from why
    except OSError as why:
        making.unlink(missing_ok=True)
        raise CannotRunError(f"{file} could not be written: {why}.") from why
    except CannotRunError:
        making.unlink(missing_ok=True)
        raise
    return about


def _dump(url: str, out: BinaryIO) -> int:
    """Write a database down; how long that is. Raises CannotRunError."""
    command, environment = tool("pg_dump", url, "-Fc", "-Z1", "--no-owner", "--no-privileges")
    length = 0
    # Through a pipe: into a file it would note where its parts begin, counted from the begin of the tar.
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        assert process.stdout is not None and process.stderr is not None  # noqa: S101
        while part := process.stdout.read(PART):
            length += out.write(part)
        complaint = process.stderr.read().decode(errors="replace")[:500]
    if process.returncode:
        raise CannotRunError(f"The database could not be written down: {complaint}")
    return length


def _settings() -> bytes | None:
    with suppress(OSError):
        return settings_file().read_bytes() or None
    return None


def _head(name: str, length: int) -> bytes:
    about = tarfile.TarInfo(name)
    about.size, about.mode, about.mtime = length, 0o600, int(datetime.now(UTC).timestamp())
    head = about.tobuf(tarfile.GNU_FORMAT)
    assert len(head) == BLOCK  # noqa: S101 (else what stands behind it is no longer where it was written)
    return head


def _read_back(file: Path, begin: int, length: int) -> str:
    """Read a whole dump as restoring would, and its digest. Raises CannotRunError."""
    command = [str(binaries() / "pg_restore"), "-f", os.devnull]
    digest = hashlib.sha256()
    with file.open("rb") as opened, subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        opened.seek(begin)
        complaint = _feed(process, opened, length, digest)
    if process.returncode:
        raise CannotRunError(f"What was written cannot be read back: {complaint}")
    return digest.hexdigest()


def _feed(process: subprocess.Popen[bytes], source: BinaryIO, length: int, digest: hashlib._Hash) -> str:
    """Hand a part of a file to a process; what it complained of."""
    assert process.stdin is not None and process.stderr is not None  # noqa: S101
    left = length
    with suppress(BrokenPipeError):
        while left and (part := source.read(min(PART, left))):
            digest.update(part)
            process.stdin.write(part)
            left -= len(part)
    with suppress(BrokenPipeError):
        process.stdin.close()
    return process.stderr.read().decode(errors="replace")[:500]


def about(file: Path) -> tuple[About, int, int, bytes | None]:
    """(what a backup is, where its dump begins, its length, the file with settings). Raises CannotRunError for what is none, or of a newer version."""
    try:
        with tarfile.open(file, "r:") as opened:
            dump = opened.getmember(DUMP)
            told = opened.extractfile(ABOUT)
            settings = opened.extractfile(SETTINGS) if SETTINGS in opened.getnames() else None
            found = About(**json.load(told or io.BytesIO()))
            kept = settings.read() if settings else None
    except (*PROBLEMS, TypeError) as why:
        raise CannotRunError(f"{file} is no whole backup: {why}.") from why
    if found.format > FORMAT or found.migration > newest_migration():
        raise CannotRunError(f"{file} was made by a newer version, {found.version}; this one, {__version__}, cannot read it. Install that version first.")
    return found, dump.offset_data, dump.size, kept


def restore(url: str, file: Path) -> About:
    """Fill an empty database from a backup, and bring it to the newest migration. Raises CannotRunError; nothing that was there is touched then."""
    found, begin, length, _ = about(file)
    if _state(url)[0]:
        raise CannotRunError("There is an installation in this database already; a backup goes into an empty one.")
    command, environment = tool("pg_restore", url, "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction")
    digest = hashlib.sha256()
    with step("Reading the backup"), file.open("rb") as opened:
        opened.seek(begin)
        with subprocess.Popen(command, env=environment, stdin=subprocess.PIPE, stderr=subprocess.PIPE) as process:
            complaint = _feed(process, opened, length, digest)
    if process.returncode or digest.hexdigest() != found.sha256:
        raise CannotRunError(f"{file} cannot be read whole{': ' + complaint if complaint else '; it is not what was written'}.")
    engine = connect(url)
    try:
        migrate(engine)
    finally:
        engine.dispose()
    rows = _state(url)[1]
    missing = [name for name in found.rows if rows.get(name, 0) < found.rows[name]]
    if missing:
        raise CannotRunError(f"Fewer rows came back than were written: {', '.join(missing)}.")
    say(f"Restored from {found.made}: {rows['sites']:,} sites, {rows['hits']:,} hits.")
    return found
