"""Files under names, in a folder or at anything with the S3 protocol. A file is there whole or not at all."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

from fsspec import AbstractFileSystem
from fsspec.implementations.local import LocalFileSystem

S3 = "s3://"
MAKING = ".part"
# How long a service may let us wait.
SECONDS = 30.0
PART = 1 << 22


class StorageAwayError(Exception):
    """The storage cannot be reached, or will not have us."""


@dataclass(frozen=True)
class Storage:
    """`url`: a folder, or s3://bucket/path; then `endpoint` is the service's address, `region` its name for where it is, `key` and `secret` let us in.

    Names have slashes between their parts. Holds no connection until it is used, so that it can be handed to another process or machine.
    """

    url: str
    endpoint: str = ""
    region: str = ""
    key: str = ""
    secret: str = ""

    def __reduce__(self) -> tuple[type[Storage], tuple[str, ...]]:
        return Storage, (self.url, self.endpoint, self.region, self.key, self.secret)

    @property
    def folder(self) -> Path | None:
        """Where it lies on this machine; None where that is elsewhere."""
        return None if self.url.startswith(S3) else Path(self.url)

    @cached_property
    def _files(self) -> tuple[AbstractFileSystem, str]:
        if self.folder:
            return LocalFileSystem(), str(self.folder.absolute())
        from fsspec.implementations.arrow import ArrowFSWrapper  # takes a third of a second, and most have a folder
        from pyarrow.fs import S3FileSystem

        scheme, _, host = self.endpoint.partition("://")
        service = {"scheme": scheme, "endpoint_override": host} if self.endpoint else {}
        let_in = {"access_key": self.key, "secret_key": self.secret} if self.key else {}
        waits = {"request_timeout": SECONDS, "connect_timeout": SECONDS}
        return ArrowFSWrapper(S3FileSystem(region=self.region or None, **service, **let_in, **waits)), self.url.removeprefix(S3)

    def below(self, name: str) -> Storage:
        """The same storage, from this name on."""
        return replace(self, url=f"{self.url.rstrip('/')}/{name}")

    def _path(self, name: str) -> str:
        return f"{self._files[1].rstrip('/')}/{name}"

    @contextmanager
    def making(self, name: str) -> Iterator[Path]:
        """A path on this machine to write to; what was written has its name afterwards, unless something was raised. Raises StorageAwayError."""
        if self.folder:
            file = self.folder / name
            self.folder.mkdir(parents=True, exist_ok=True)
            self.folder.chmod(0o700)  # what was collected is nobody else's business
            file.parent.mkdir(parents=True, exist_ok=True)
            making = file.with_name(file.name + MAKING)
            try:
                yield making
                with making.open("rb") as written:
                    os.fsync(written.fileno())
                making.replace(file)
            finally:
                making.unlink(missing_ok=True)
            return
        with tempfile.TemporaryDirectory(prefix="compass-") as near:
            making = Path(near) / "file"
            yield making
            with self._reaching(), making.open("rb") as written, self._files[0].open(self._path(name), "wb") as out:
                shutil.copyfileobj(written, out, PART)

    @contextmanager
    def near(self, name: str) -> Iterator[Path]:
        """A path on this machine to read a file from. Raises FileNotFoundError, StorageAwayError."""
        if self.folder:
            yield self.folder / name
            return
        with tempfile.TemporaryDirectory(prefix="compass-") as folder:
            file = Path(folder) / "file"
            with self._reaching():
                self._files[0].get_file(self._path(name), str(file))
            yield file

    def write(self, name: str, content: bytes) -> None:
        """Let a file hold this. Raises StorageAwayError."""
        with self.making(name) as file:
            file.write_bytes(content)

    def read(self, name: str) -> bytes:
        """What a file holds. Raises FileNotFoundError, StorageAwayError."""
        with self.near(name) as file:
            return file.read_bytes()

    def names(self, under: str = "") -> list[str]:
        """The names of all files below a name, sorted; none where there is nothing. Raises StorageAwayError."""
        root = self._path("")
        with self._reaching():
            try:
                found = self._files[0].find(self._path(under), on_error="raise")  # else what cannot be asked is taken for empty
            except FileNotFoundError:
                return []
        return sorted(path.removeprefix(root) for path in found)

    def remove(self, *names: str) -> None:
        """Let files be gone, as far as they are there. Raises StorageAwayError."""
        for name in names:
            with self._reaching():
                try:
                    self._files[0].rm_file(self._path(name))
                except FileNotFoundError:
                    continue
            if self.folder:
                with suppress(OSError):  # where there is more, it stays
                    for above in Path(name).parents[:-1]:
                        (self.folder / above).rmdir()

    def remove_below(self, under: str) -> None:
        """Let all files below a name be gone. Raises StorageAwayError."""
        self.remove(*self.names(under))

    @contextmanager
    def _reaching(self) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError:
            raise
        except Exception as why:  # each kind of storage raises its own
            raise StorageAwayError(f"{self.url} cannot be reached: {str(why)[:300]}") from why
