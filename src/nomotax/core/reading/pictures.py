"""Pictures that come in an archive beside the tables: what is called how, and kept by contents.

A picture's address is ``picture:`` and the beginning of the SHA-256 of its bytes with its ending,
so that the same picture keeps its address from delivery to delivery.
"""

from __future__ import annotations

import hashlib
import re
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading import archive
from nomotax.core.reading.lists import list_items
from nomotax.core.reading.mending import mended
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.signature import kind_of
from nomotax.core.table import HIDDEN

PREFIX = "picture:"
_EXAMPLES = 10
_ENDING = r"\.(?:png|jpe?g|gif|webp|svg|tiff?)"
_FILE = rf"(?i){_ENDING}(\W|$)"
_WHOLE_FILE = rf"(?i)[^<>|;]+{_ENDING}"


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


def tell_pictures(names: Sequence[str], table: pl.LazyFrame, told: list[ReadingProblem]) -> None:
    """What does not fit between the pictures of an archive and the cells that name some: names
    without a picture, pictures that no cell names, names of several, names that differ by case."""
    cells = _named_in(table)
    if not cells:
        return
    # The index of names alone: any two pictures are taken for different ones here.
    index = index_of((n, n) for n in names)
    keys = {c: c.lower().replace("\\", "/").removeprefix("./").removeprefix("/") for c in cells}
    used = {index.addresses[k] for k in keys.values() if k in index.addresses}
    cases = [
        c for c, k in keys.items() if k in index.addresses and not _spelled(c, index.addresses[k])
    ]
    groups = [
        ("missing_pictures", "doubt", [c for c, k in keys.items()
                                       if k not in index.addresses and k not in index.doubled],
         "names in the table have no picture in the archive"),
        ("doubled_pictures", "doubt", [c for c, k in keys.items() if k in index.doubled],
         "names in the table are those of several pictures; give more of the path"),
        ("unused_pictures", "note", [n for n in names if n not in used],
         "pictures of the archive are named nowhere in the table"),
        ("picture_case", "note", cases, "names in the table differ from the picture's by case"),
    ]  # fmt: skip
    for kind, level, found, what in groups:
        if found:
            told.append(
                ReadingProblem.model_validate(
                    {"kind": kind, "level": level, "count": len(found),
                     "examples": found[:_EXAMPLES],
                     "message": f"{len(found):,} {what} (as {found[0]!r})."}
                )
            )  # fmt: skip


def _spelled(cell: str, name: str) -> bool:
    """Whether a cell writes a picture's name as the archive does, as far as it writes it."""
    bare = cell.replace("\\", "/").removeprefix("./").removeprefix("/")
    path = PurePosixPath(name)
    return name.endswith(bare) or str(path.with_suffix("")).endswith(bare)


def _named_in(table: pl.LazyFrame) -> list[str]:
    """Every file name of a picture in the table's cells, each once; lists taken apart."""
    names = [n for n in table.collect_schema().names() if n not in HIDDEN]
    found: dict[str, None] = {}
    for name in names:
        cells = table.select(pl.col(name).drop_nulls().unique(maintain_order=True))
        hits = cells.filter(pl.col(name).str.contains(_FILE)).collect(engine="streaming")
        for cell in hits.to_series():
            for entry in list_items(cell, "" if cell.startswith("[") else _sign(cell)):
                if entry and re.fullmatch(_WHOLE_FILE, entry.strip()) and "://" not in entry:
                    found[entry.strip()] = None
    return list(found)


def _sign(cell: str) -> str:
    return next((s for s in ("|", ";", ",") if s in cell), "")


def _names(name: str) -> set[str]:
    path = PurePosixPath(name.lower().replace("\\", "/"))
    ends = ["/".join(path.parts[at:]) for at in range(len(path.parts))]
    return {*ends, *(end.removesuffix(path.suffix) for end in ends)}
