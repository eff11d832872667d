"""Pictures that come in an archive beside the tables: what is called how, and kept by contents.

A picture's address is ``picture:`` and the beginning of the SHA-256 of its bytes with its ending,
so that the same picture keeps its address from delivery to delivery.
"""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading import archive
from nomotax.core.reading.mending import mended
from nomotax.core.reading.signature import kind_of

PREFIX = "picture:"


@dataclass(frozen=True)
class Picture:
    """A picture of an archive: the name it has there, its address, and its bytes as a file that
    lasts until the next is asked for."""

    name: str
    address: str
    path: Path


@dataclass(frozen=True)
class PictureIndex:
    """Addresses by every name a cell may use for a picture, in small letters; ``doubled`` are
    names that several different pictures answer to."""

    addresses: Mapping[str, str] = field(default_factory=dict)
    doubled: frozenset[str] = frozenset()


def pictures_in(path: Path, password: str = "") -> Iterator[Picture | UnreadableFile]:
    """The pictures of a ZIP archive, one by one; for one that is damaged, what is wrong with it.
    Nothing for other files."""
    with mended(path) as (whole, _):
        if kind_of(whole) != "zip":
            return
        for entry in archive.entries(whole):
            if entry.kind != "picture":
                continue
            with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
                try:
                    taken = archive.take_out(whole, entry.name, Path(folder), password)
                except UnreadableFile as error:
                    error.where = repr(entry.name)
                    yield error
                    continue
                digest = hashlib.sha256(taken.read_bytes()).hexdigest()[:32]
                yield Picture(entry.name, f"{PREFIX}{digest}{taken.suffix}", taken)


def index_of(pictures: Iterable[tuple[str, str]]) -> PictureIndex:
    """The index of pictures given as name and address: each is found by its whole path, by every
    end of it, and by these without the ending."""
    found: dict[str, str] = {}
    doubled: set[str] = set()
    for name, address in pictures:
        for key in _names(name):
            if found.setdefault(key, address) != address:
                doubled.add(key)
    return PictureIndex({k: a for k, a in found.items() if k not in doubled}, frozenset(doubled))


def _names(name: str) -> set[str]:
    path = PurePosixPath(name.lower().replace("\\", "/"))
    ends = ["/".join(path.parts[at:]) for at in range(len(path.parts))]
    return {*ends, *(end.removesuffix(path.suffix) for end in ends)}
