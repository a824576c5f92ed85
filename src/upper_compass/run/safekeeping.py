"""A whole installation in one file, and back: a tar that holds what `pg_dump` says of its database, the months that it handed on to a folder, the file with
settings, and what it is. Months that lie at a service stay there, and are named.

The dump is written straight into the tar, whose head is written once its length is known; so the file is written once, whatever its size.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import subprocess
import tarfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass, field, replace
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
from upper_compass.store.record_files import KEEPING_LOCK, NAME, StoredFile, adopt, missing, stored_files
from upper_compass.store.storage import Storage, StorageAwayError

FORMAT = 1
DUMP, ABOUT, SETTINGS = "database.dump", "about.json", "compass.toml"
BLOCK = tarfile.BLOCKSIZE
PART = 1 << 20
COUNTED = ("sites", "users", "hits", "goals", "changes")
PROBLEMS = (OSError, ValueError, KeyError, tarfile.TarError)


@dataclass(frozen=True)
class About:
    """What a backup is: of which version and migration, when it was begun, how many rows some tables had at least, and the digest of its dump.

    `record`: the files that the database had handed on to; `with_record`: whether they are in the backup.
    """

    format: int
    version: str
    migration: str
    made: str
    rows: dict[str, int]
    sha256: str
    record: list[StoredFile] = field(default_factory=list)
    with_record: bool = False

    @property
    def hits(self) -> int:
        """All hits, wherever they lie."""
        return self.rows["hits"] + sum(one.hits for one in self.record if one.counts)


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


def backup(url: str, file: Path, storage: Storage | None = None) -> About:
    """Write a backup of a database, while it is in use; it is of one moment. It is read back before it has its name. Raises CannotRunError."""
    migration, rows = _state(url)
    if not migration:
        raise CannotRunError("There is nothing to keep yet.")
    if file.exists():
        raise CannotRunError(f"{file} is there already; choose another name.")
    making = file.with_name(file.name + ".part")
    try:
        with _files_stay(url) as connection, step("Writing the backup"), making.open("xb") as out:
            making.chmod(0o600)
            out.seek(BLOCK)
            length = _dump(url, out)
            out.write(b"\0" * (-length % BLOCK))
            # All that the dump names, and no less: none is removed meanwhile.
            files = stored_files(connection)
            with_record = storage is not None and storage.folder is not None
            if storage is not None and with_record:
                out.writelines(part for one in files for part in _of_file(storage, one))
            out.seek(0)
            out.write(_head(DUMP, length))
        with step("Reading it back"):
            digest = _read_back(making, BLOCK, length)
        about = About(FORMAT, __version__, migration, datetime.now(UTC).isoformat(timespec="seconds"), rows, digest, files, with_record)
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


@contextmanager
def _files_stay(url: str) -> Iterator[sa.Connection]:
    """Nothing that was handed on is removed from storage meanwhile."""
    engine = connect(url)
    try:
        with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(sa.select(sa.func.pg_advisory_lock_shared(KEEPING_LOCK)))
            yield connection
    finally:
        engine.dispose()


def _of_file(storage: Storage, file: StoredFile) -> Iterator[bytes]:
    """A file of the storage, as it stands in a tar. Raises CannotRunError where it is not as it was written."""
    digest = hashlib.sha256()
    yield _head(file.name, file.bytes)
    with suppress(OSError), storage.near(file.name) as near, near.open("rb") as opened:
        while part := opened.read(PART):
            digest.update(part)
            yield part
    if digest.hexdigest() != file.sha256:
        raise CannotRunError(f"{file.name} in {storage.url} is not there, or not as it was written; ./compass doctor says more.")
    yield b"\0" * (-file.bytes % BLOCK)


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
            found = replace(found, record=[StoredFile(**one) for one in found.record])  # type: ignore[arg-type]
            kept = settings.read() if settings else None
        if strange := next((one.name for one in found.record if not NAME.fullmatch(one.name)), None):
            raise ValueError(f"{strange[:100]} is no name of a file that was handed on")
    except (*PROBLEMS, TypeError) as why:
        raise CannotRunError(f"{file} is no whole backup: {why}.") from why
    if found.format > FORMAT or found.migration > newest_migration():
        raise CannotRunError(f"{file} was made by a newer version, {found.version}; this one, {__version__}, cannot read it. Install that version first.")
    return found, dump.offset_data, dump.size, kept


def restore(url: str, file: Path, storage: Storage | None = None) -> About:
    """Fill an empty database from a backup, bring it to the newest migration, and the storage what it lacks.

    Raises CannotRunError; nothing that was there is touched then.
    """
    found, begin, length, _ = about(file)
    if _state(url)[0]:
        raise CannotRunError("There is an installation in this database already; a backup goes into an empty one.")
    if found.record and storage is None:
        raise CannotRunError("Of this installation, months were handed on to a storage; set it (storage), then try again.")
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
        if storage is not None and found.record:
            _bring_files(engine, file, found, storage)
    finally:
        engine.dispose()
    rows = _state(url)[1]
    missing = [name for name in found.rows if rows.get(name, 0) < found.rows[name]]
    if missing:
        raise CannotRunError(f"Fewer rows came back than were written: {', '.join(missing)}.")
    say(f"Restored from {found.made}: {rows['sites']:,} sites, {found.hits:,} hits.")
    return found


def _bring_files(engine: sa.Engine, file: Path, found: About, storage: Storage) -> None:
    """Let what was handed on be in storage again, but for what took its place there since. Raises CannotRunError."""
    try:
        counting = [one for one in found.record if one.counts]
        gone = missing(storage, [one.name for one in found.record])
        if found.with_record:
            with step("Bringing what was handed on"), tarfile.open(file, "r:") as opened:
                for one in found.record:
                    if one.name in gone and gone[one.name] is None:
                        _bring(opened, one, storage)
        elif counting and all(one.name in gone and gone[one.name] is None for one in counting):
            raise CannotRunError(f"None of the files that were handed on is in {storage.url}, such as {counting[0].name}. Is that the right storage?")
        with engine.begin() as connection:
            changed = adopt(connection, storage)
        if changed:
            say(f"In {changed} of {len(counting)} files that were handed on something was erased after this backup was made; it stays erased.")
    except (*PROBLEMS, StorageAwayError) as why:
        raise CannotRunError(f"What was handed on cannot be brought back: {why}.") from why


def _bring(opened: tarfile.TarFile, one: StoredFile, storage: Storage) -> None:
    source = opened.extractfile(one.name)
    assert source is not None  # noqa: S101 (it is a file, or KeyError was raised)
    with storage.making(one.name) as file:
        with file.open("wb") as out:
            shutil.copyfileobj(source, out, PART)
        with file.open("rb") as written:
            if hashlib.file_digest(written, "sha256").hexdigest() != one.sha256:
                raise ValueError(f"{one.name} is not what was written")
