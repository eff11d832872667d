"""Immutable files: deliveries, parsed tables, changesets. Behind fsspec, so that the place can
be a local folder or a bucket."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache
from pathlib import Path, PurePosixPath
from typing import IO, Any

import fsspec
import polars as pl
from fsspec import AbstractFileSystem
from fsspec.utils import get_protocol

from nomotax.artifacts.nearby import Nearby
from nomotax.core.errors import NotFound, TooLarge
from nomotax.settings import settings

_CHUNK = 1 << 20
#: Of what tables hold, the quickest level takes no more room than the usual one does. Row groups
#: are small enough to read a page of a table quickly.
_KEPT: Mapping[str, Any] = {
    "row_group_size": 1 << 16,
    "compression": "zstd",
    "compression_level": 1,
}


@dataclass(frozen=True)
class Received:
    """Where received bytes were put, what they hash to, and how many there are."""

    name: str
    sha256: str
    size: int


class ArtifactStore:
    """Names are relative, with slashes. An artifact is written once and never changed. Those of a
    bucket are fetched into the folder ``nearby``, of ``most`` bytes."""

    def __init__(self, url: str, nearby: Path, most: int) -> None:
        self.fs: AbstractFileSystem
        apart = get_protocol(url) != "file"
        own = {} if apart else {"auto_mkdir": True}
        self.fs, self.root = fsspec.core.url_to_fs(url, **own)
        self.nearby = Nearby(self.fs, nearby, most) if apart else None

    def _path(self, name: str) -> str:
        if PurePosixPath(name).is_absolute() or ".." in PurePosixPath(name).parts:
            raise NotFound(f"{name!r} is no artifact name.")
        return f"{self.root}/{name}"

    def receive(self, stream: IO[bytes], limit: int) -> Received:
        """Take in a delivery. Raises ``TooLarge`` past ``limit`` bytes, keeping nothing."""
        digest, size = hashlib.sha256(), 0
        temporary = self._path(f"incoming/{os.getpid()}-{id(stream)}")
        try:
            with self.fs.open(temporary, "wb") as out:
                for chunk in _chunks(stream):
                    size += len(chunk)
                    if size > limit:
                        raise TooLarge(
                            f"The file is larger than {limit // (1 << 20):,} MB.",
                            remedy="Split it, or have the limit raised (NOMOTAX_UPLOAD_LIMIT_MB).",
                        )
                    digest.update(chunk)
                    out.write(chunk)
            name = f"deliveries/{digest.hexdigest()}"
            self.fs.makedirs(self._path("deliveries"), exist_ok=True)
            self.fs.mv(temporary, self._path(name))
        finally:
            if self.fs.exists(temporary):
                self.fs.rm(temporary)
        return Received(name, digest.hexdigest(), size)

    def read(self, name: str) -> bytes:
        """All bytes. Raises ``NotFound``."""
        try:
            return bytes(self.fs.cat_file(self._path(name)))
        except FileNotFoundError as error:
            raise NotFound(f"The file {name!r} is no longer kept.") from error

    def head(self, name: str, size: int) -> bytes:
        """The first ``size`` bytes. Raises ``NotFound``."""
        try:
            with self.fs.open(self._path(name), "rb") as stream:
                return bytes(stream.read(size))
        except FileNotFoundError as error:
            raise NotFound(f"The file {name!r} is no longer kept.") from error

    def write(self, name: str, data: bytes) -> None:
        """Keep some bytes."""
        path = self._path(name)
        self.fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        self.fs.pipe_file(f"{path}.{os.getpid()}.part", data)
        self.fs.mv(f"{path}.{os.getpid()}.part", path)

    def write_frame(
        self, name: str, frame: pl.DataFrame, metadata: Mapping[str, str] | None = None
    ) -> None:
        """Keep a table; with ``metadata`` of our own among that of the file."""
        path = self._path(name)
        self.fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        temporary = f"{path}.{os.getpid()}.part"
        with self.fs.open(temporary, "wb") as out:
            frame.write_parquet(out, metadata=dict(metadata or {}), **_KEPT)
        self.fs.mv(temporary, path)

    def write_lazy(self, name: str, table: pl.LazyFrame) -> None:
        """Keep a table that need not fit into memory."""
        with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
            path = Path(folder) / "table.parquet"
            table.sink_parquet(path, **_KEPT)
            target = self._path(name)
            self.fs.makedirs(target.rsplit("/", 1)[0], exist_ok=True)
            self.fs.put_file(str(path), f"{target}.{os.getpid()}.part")
            self.fs.mv(f"{target}.{os.getpid()}.part", target)

    def put_file(self, name: str, source: Path) -> None:
        """Keep a file of this machine, unless there is one of that name."""
        path = self._path(name)
        if self.fs.exists(path):
            return
        self.fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        self.fs.put_file(str(source), f"{path}.{os.getpid()}.part")
        self.fs.mv(f"{path}.{os.getpid()}.part", path)

    @contextmanager
    def local(self, name: str) -> Iterator[Path]:
        """An artifact as a file on this machine, fetched where it lies elsewhere. Raises
        ``NotFound``."""
        yield self._here(name, f"The file {name!r} is no longer kept.")

    def scan(self, name: str) -> pl.LazyFrame:
        """A table, lazily. Raises ``NotFound``."""
        return pl.scan_parquet(self._here(name, f"The table {name!r} is no longer kept."))

    def _here(self, name: str, gone: str) -> Path:
        """An artifact as a file of this machine. Raises ``NotFound``, saying that it is gone."""
        path = self._path(name)
        try:
            if self.nearby is not None:
                return self.nearby.file(path)
        except FileNotFoundError as error:
            raise NotFound(gone) from error
        if not self.fs.exists(path):
            raise NotFound(gone)
        return Path(path)

    def remove(self, name: str) -> None:
        """Let go of an artifact that nothing refers to any more."""
        if self.exists(name):
            self.fs.rm(self._path(name))

    def exists(self, name: str) -> bool:
        return bool(self.fs.exists(self._path(name)))


def _chunks(stream: IO[bytes]) -> Iterator[bytes]:
    while chunk := stream.read(_CHUNK):
        yield chunk


def artifacts() -> ArtifactStore:
    """The artifact store of this installation (NOMOTAX_ARTIFACTS, a path or an fsspec URL)."""
    own = settings()
    return _store_at(own.artifacts, own.nearby, own.nearby_gb << 30)


@cache
def _store_at(url: str, nearby: Path, most: int) -> ArtifactStore:
    return ArtifactStore(url, nearby, most)
