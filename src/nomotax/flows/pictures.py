"""Pictures that came in archives: kept by their contents, found by their names."""

from __future__ import annotations

import re
from functools import lru_cache

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.errors import NotFound, UnreadableFile
from nomotax.core.reading.pictures import PREFIX, PictureIndex, index_of, pictures_in
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.read import Source
from nomotax.records.tables import Delivery

_NAME = re.compile(r"[0-9a-f]{32}\.[a-z]+")


def keep_pictures(source: Source, name: str) -> tuple[str | None, list[ReadingProblem]]:
    """Keep the pictures of an archive, each once, and their index as the artifact ``name``; gives
    its name (None without pictures) and what is wrong with any of them."""
    store, known, damaged = artifacts(), [], []
    for picture in pictures_in(source.path, source.password):
        if isinstance(picture, UnreadableFile):
            damaged.append(picture.where)
            continue
        store.put_file(_artifact(picture.address), picture.path)
        known.append((picture.name, picture.address))
    told = [_damaged(damaged)] if damaged else []
    if not known:
        return None, told
    store.write_frame(name, pl.DataFrame(known, schema=["name", "address"], orient="row"))
    return name, told


def _artifact(address: str) -> str:
    return f"pictures/{address.removeprefix(PREFIX)}"


def _damaged(names: list[str]) -> ReadingProblem:
    return ReadingProblem(
        kind="damaged_picture",
        level="broken",
        count=len(names),
        examples=tuple(names[:10]),
        message=f"{len(names):,} pictures of the archive are damaged and were not kept.",
    )


def pictures_of(delivery: Delivery) -> PictureIndex:
    """The pictures that came with a delivery."""
    if delivery.pictures_artifact is None:
        return PictureIndex()
    return _index(artifacts().root, delivery.pictures_artifact)


@lru_cache(maxsize=8)
def _index(root: str, artifact: str) -> PictureIndex:
    return index_of(artifacts().scan(artifact).collect().iter_rows())


def picture_bytes(name: str) -> bytes:
    """A picture by its address without the prefix. Raises ``NotFound``."""
    if not _NAME.fullmatch(name):
        raise NotFound(f"{name!r} is no picture's name.")
    return artifacts().read(f"pictures/{name}")
