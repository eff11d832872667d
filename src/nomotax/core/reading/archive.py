"""ZIP archives and gzip files: what is in them, and the chosen files taken out safely."""

from __future__ import annotations

import fnmatch
import struct
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import IO, Literal

import pyzipper

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.problem import ReadingProblem

#: The most bytes the contents of one archive may unpack to.
MOST_BYTES = 8 << 30
#: Contents that unpack to more than this many times their packed size are no catalog.
_HIGHEST_RATIO = 300
_RATIO_FROM = 50 << 20
_MOST_ENTRIES = 200_000
#: Of those so many may be tables: each is looked at beside each.
_MOST_TABLES = 1_000
_CHUNK = 1 << 20
_PICTURES = {".png", ".jpg", ".jpeg", ".gif", ".webp", ".svg", ".tif", ".tiff", ".bmp"}
_TABLES = {
    ".csv", ".txt", ".tsv", ".tab", ".dat", ".asc", ".xlsx", ".xlsm", ".xls", ".ods", ".xml",
    ".json", ".jsonl", ".ndjson",
}  # fmt: skip
_ARCHIVES = {".zip", ".gz", ".7z", ".rar", ".tar", ".tgz", ".bz2", ".xz"}

#: What the library raises, one way or another, on an archive that is not whole.
_DAMAGE = (
    pyzipper.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError, ValueError, KeyError,
    struct.error,
)  # fmt: skip

Kind = Literal["table", "picture", "archive", "other"]


@dataclass(frozen=True)
class Entry:
    """A file inside an archive."""

    name: str
    size: int
    kind: Kind
    encrypted: bool = False


def is_zip(path: Path) -> bool:
    """Whether the file starts like a ZIP archive."""
    with path.open("rb") as stream:
        return stream.read(4) in (b"PK\x03\x04", b"PK\x05\x06")


def is_gzip(path: Path) -> bool:
    with path.open("rb") as stream:
        return stream.read(2) == b"\x1f\x8b"


def is_workbook_zip(path: Path) -> bool:
    """Whether a ZIP archive is an XLSX or ODS workbook. Raises ``UnreadableFile``."""
    with _opened(path) as archive:
        names = set(archive.namelist())
    return "xl/workbook.xml" in names or (
        "content.xml" in names and "META-INF/manifest.xml" in names
    )


@contextmanager
def _opened(path: Path) -> Iterator[pyzipper.AESZipFile]:
    try:
        with pyzipper.AESZipFile(path) as archive:
            yield archive
    except _DAMAGE as error:
        raise UnreadableFile(
            f"The ZIP archive is cut off or damaged: {str(error) or 'it ends too early'}.",
            where=f"{path.stat().st_size:,} bytes received",
            remedy="Ask the supplier for it again; nothing of it was taken.",
        ) from error


def entries(path: Path) -> list[Entry]:
    """The files of an archive.

    Raises ``UnreadableFile`` for a damaged archive, entries that climb out of the folder, and
    contents beyond all measure.
    """
    with _opened(path) as archive:
        infos = [i for i in archive.infolist() if not i.is_dir()]
        if len(infos) > _MOST_ENTRIES:
            raise UnreadableFile(f"The archive lists {len(infos):,} files.", where="its directory")
        for info in infos:
            _refuse_climbing(info.filename)
        _refuse_bomb(infos)
        found = [
            Entry(i.filename, i.file_size, _kind(i.filename), bool(i.flag_bits & 1)) for i in infos
        ]
    tables = sum(entry.kind == "table" for entry in found)
    if tables > _MOST_TABLES:
        raise UnreadableFile(
            f"The archive holds {tables:,} files that could be tables; the limit is "
            f"{_MOST_TABLES:,}.",
            where="its directory",
            remedy="Ask the supplier for the tables in fewer files.",
        )
    return sorted(found, key=lambda e: e.name)


def _kind(name: str) -> Kind:
    path = PurePosixPath(name)
    suffix = path.suffix.lower()
    if path.name.startswith(".") or name.startswith("__MACOSX/"):
        return "other"
    if suffix in _PICTURES:
        return "picture"
    if suffix in _ARCHIVES:
        return "archive"
    return "table" if suffix in _TABLES else "other"


def _refuse_climbing(name: str) -> None:
    flat = name.replace("\\", "/")
    parts = PurePosixPath(flat).parts
    if flat.startswith("/") or ".." in parts or (len(flat) > 1 and flat[1] == ":"):
        raise UnreadableFile(
            "The archive holds a file that would be written outside its folder; it is refused.",
            where=repr(name),
            remedy="Ask the supplier for a clean archive.",
        )


def _refuse_bomb(infos: list[pyzipper.ZipInfo]) -> None:
    total = sum(i.file_size for i in infos)
    if total > MOST_BYTES:
        raise UnreadableFile(
            f"The archive would unpack to {total >> 20:,} MB; at most {MOST_BYTES >> 20:,} are "
            "taken.",
            where="its directory",
            remedy="Ask for it in parts.",
        )
    for info in infos:
        ratio = info.file_size / max(info.compress_size, 1)
        if info.file_size > _RATIO_FROM and ratio > _HIGHEST_RATIO:
            raise UnreadableFile(
                f"A file of the archive would unpack to {ratio:,.0f} times its size; that is "
                "made to fill a disk, and is refused.",
                where=repr(info.filename),
                remedy="Ask the supplier for a clean archive.",
            )


def chosen(names: list[str], patterns: tuple[str, ...]) -> list[str]:
    """The names that a pattern fits, in the order of the patterns."""
    found: dict[str, None] = {}
    for pattern in patterns:
        exact = [n for n in names if n == pattern]
        found.update(dict.fromkeys(exact or fnmatch.filter(names, pattern)))
    return list(found)


def take_out(path: Path, name: str, folder: Path, password: str = "") -> Path:
    """Unpack one file of an archive into ``folder``.

    Raises ``UnreadableFile`` when the password is missing or wrong, or the contents are damaged.
    """
    target = folder / f"{len(list(folder.iterdir()))}{PurePosixPath(name).suffix.lower()}"
    with _opened(path) as archive:
        info = archive.getinfo(name)
        if info.flag_bits & 1 and not password:
            raise UnreadableFile(
                "The archive is protected by a password.",
                where=repr(name),
                remedy="Give the password of this feed.",
            )
        try:
            with archive.open(info, pwd=password.encode() or None) as source:
                _copy(source, target, info.file_size)
        except RuntimeError as error:
            raise _wrong_password(name) from error
        except pyzipper.BadZipFile as error:
            if info.flag_bits & 1:
                raise _wrong_password(name) from error
            raise
        except zlib.error as error:
            if info.flag_bits & 1:
                raise _wrong_password(name) from error
            raise
    return target


def _wrong_password(name: str) -> UnreadableFile:
    return UnreadableFile(
        "The password does not open the archive.",
        where=repr(name),
        remedy="Check the password with the supplier.",
    )


def _copy(source: IO[bytes], target: Path, announced: int) -> None:
    """Write at most what was announced, so that a lying directory fills no disk."""
    written = 0
    with target.open("wb") as out:
        while chunk := source.read(_CHUNK):
            written += len(chunk)
            if written > announced:
                raise UnreadableFile("A file of the archive is larger than its directory says.")
            out.write(chunk)


def _inflated(source: IO[bytes]) -> Iterator[bytes]:
    """The contents of a gzip file (RFC 1952), all its members, as far as they go. Raises
    ``EOFError`` where it breaks off."""
    decoder = zlib.decompressobj(31)
    whole = False
    while raw := source.read(_CHUNK >> 4):
        while raw:
            whole = False
            yield decoder.decompress(raw, _CHUNK)
            raw = decoder.unconsumed_tail
            if decoder.eof:
                raw, decoder, whole = decoder.unused_data, zlib.decompressobj(31), True
    if not whole:
        raise EOFError("it ends too early")


def gunzip(path: Path, folder: Path, name: str) -> tuple[Path, list[ReadingProblem]]:
    """Unpack a gzip file. What stands before a break is kept, and told."""
    suffix = PurePosixPath(name.removesuffix(".gz")).suffix.lower()
    target = folder / f"unpacked{suffix}"
    written, packed = 0, path.stat().st_size
    problems: list[ReadingProblem] = []
    with path.open("rb") as source, target.open("wb") as out:
        try:
            for chunk in _inflated(source):
                written += len(chunk)
                if written > MOST_BYTES or (
                    written > _RATIO_FROM and written > packed * _HIGHEST_RATIO
                ):
                    raise UnreadableFile(
                        f"The file unpacks to more than {written >> 20:,} MB; it is refused.",
                        where=f"{packed:,} bytes packed",
                    )
                out.write(chunk)
        except (EOFError, zlib.error) as error:
            if written == 0:
                raise UnreadableFile(
                    f"The gzip file is damaged: {error}.",
                    where="its first bytes",
                    remedy="Ask the supplier for it again.",
                ) from error
            problems.append(
                ReadingProblem(
                    kind="broken_off",
                    level="broken",
                    message=f"The gzip file breaks off after {written:,} bytes ({error}). What "
                    "stands before can be looked at; ask the supplier for the whole file.",
                )
            )
    return target, problems
