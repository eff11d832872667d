"""ZIP archives that break off: what stands before the break, with a directory of its own.

A ZIP archive keeps its directory at its end, so that one which was cut off has none; but each
file in it is preceded by a header of its own (APPNOTE.TXT 4.3.7), by which it is found again.
"""

from __future__ import annotations

import mmap
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.archive import is_zip
from nomotax.core.reading.problem import ReadingProblem

_LOCAL = struct.Struct("<4s5H3I2H")
_LOCAL_MARK = b"PK\x03\x04"
_DESCRIPTOR_MARK = b"PK\x07\x08"
_DIRECTORY_MARK = b"PK\x01\x02"
#: General purpose bits: encrypted; sizes follow the data; the name is UTF-8.
_ENCRYPTED, _SIZES_FOLLOW, _UTF8 = 1, 8, 0x800
_ZIP64 = 0xFFFFFFFF
_CHUNK = 1 << 20
#: The most that is unpacked of a file that breaks off.
_MOST_OF_BROKEN = 1 << 30


@dataclass(frozen=True)
class _Found:
    """A file found by its own header; ``end`` is where the next begins, or None where the
    archive stops before."""

    info: zipfile.ZipInfo
    start: int
    end: int | None


@contextmanager
def mended(path: Path) -> Iterator[tuple[Path, list[ReadingProblem]]]:
    """The file as it is; or, for a ZIP archive whose directory is missing or damaged, one with
    everything that stands before the break, and what is to be said about it.

    Raises ``UnreadableFile`` when nothing of it can be had.
    """
    if not is_zip(path) or _has_directory(path):
        yield path, []
        return
    with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
        target = Path(folder) / "mended.zip"
        yield target, [_mend(path, target)]


def _has_directory(path: Path) -> bool:
    try:
        with zipfile.ZipFile(path) as archive:
            at = [i.header_offset for i in archive.infolist()]
        with path.open("rb") as stream:
            return all(_starts_with_header(stream, offset) for offset in at[:1] + at[-1:])
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, struct.error):
        return False


def _starts_with_header(stream: IO[bytes], offset: int) -> bool:
    stream.seek(offset)
    return stream.read(4) == _LOCAL_MARK


def _mend(path: Path, target: Path) -> ReadingProblem:
    with (
        path.open("rb") as stream,
        mmap.mmap(stream.fileno(), 0, access=mmap.ACCESS_READ) as data,
    ):
        found = list(_walk(data))
        whole = [f for f in found if f.end is not None]
        _refuse_workbook(whole, len(data))
        broken = [f for f in found if f.end is None]
        with target.open("w+b") as out:
            for at in range(0, (whole[-1].end or 0) if whole else 0, _CHUNK):
                out.write(data[at : min(at + _CHUNK, whole[-1].end or 0)])
            kept = _directory(out, whole, [(f, _readable(data, f)) for f in broken])
        if not whole and not kept:
            raise UnreadableFile(
                "The ZIP archive is cut off or damaged, and nothing of it can be read.",
                where=f"{len(data):,} bytes received",
                remedy="Ask the supplier for it again.",
            )
        return _told(len(data), whole, broken, kept)


def _refuse_workbook(whole: list[_Found], size: int) -> None:
    """A workbook keeps the texts of its cells and the list of its sheets apart from the cells,
    mostly at its end: with some of them missing, what is there means nothing."""
    names = {f.info.filename for f in whole}
    parts = ("[Content_Types].xml", "xl/workbook.xml", "xl/sharedStrings.xml", "xl/styles.xml")
    if any(name.startswith("xl/") for name in names):
        missing = [part for part in parts if part not in names]
    else:
        missing = ["content.xml"] if "mimetype" in names and "content.xml" not in names else []
    if missing:
        raise UnreadableFile(
            f"The workbook is cut off or damaged: {', '.join(missing)}, without which its cells "
            "mean nothing, did not arrive.",
            where=f"{size:,} bytes received",
            remedy="Ask the supplier for it again.",
        )


def _told(size: int, whole: list[_Found], broken: list[_Found], kept: int) -> ReadingProblem:
    said = f"The archive is cut off or damaged ({size:,} bytes received): "
    said += f"{len(whole):,} of its files are whole"
    for one in broken:
        name = one.info.filename
        said += f"; {name!r} stops after {kept:,} bytes" if kept else f"; {name!r} cannot be read"
    return ReadingProblem(
        kind="broken_off",
        level="broken",
        message=said + ". Other files may be missing. What stands here can be looked at; ask the "
        "supplier for the whole archive.",
        examples=tuple(f.info.filename for f in (*whole, *broken))[:10],
    )


def _walk(data: mmap.mmap) -> Iterator[_Found]:
    """The files of an archive by their own headers, as far as they go."""
    at = 0
    while data[at : at + 4] == _LOCAL_MARK and len(data) >= at + _LOCAL.size:
        one = _at(data, at)
        if one is None:
            return
        yield one
        if one.end is None:
            return
        at = one.end


def _at(data: mmap.mmap, at: int) -> _Found | None:
    """The file whose header stands at ``at``, or None where the header itself breaks off."""
    _, needs, flags, method, time, date, crc, packed, size, names, extras = _LOCAL.unpack(
        data[at : at + _LOCAL.size]
    )
    start = at + _LOCAL.size + names + extras
    if start > len(data):
        return None
    name = data[at + _LOCAL.size : start - extras]
    extra = data[start - extras : start]
    info = zipfile.ZipInfo(name.decode("utf-8" if flags & _UTF8 else "cp437", "replace"))
    info.date_time = _moment(date, time)
    info.compress_type, info.flag_bits, info.header_offset = method, flags, at
    info.extract_version = info.create_version = needs & 0xFF
    info.extra = _without_zip64(extra)
    end: int | None
    if flags & _SIZES_FOLLOW:
        crc, packed, size, end = _descriptor(data, start)
    else:
        packed, size = _sizes(extra, packed, size)
        end = start + packed if start + packed <= len(data) else None
    info.CRC, info.compress_size, info.file_size = crc, packed, size
    return _Found(info, start, end)


def _moment(date: int, time: int) -> tuple[int, int, int, int, int, int]:
    """A date and time as MS-DOS packs them."""
    return (
        (date >> 9) + 1980, max(date >> 5 & 15, 1), max(date & 31, 1),
        time >> 11, time >> 5 & 63, (time & 31) * 2,
    )  # fmt: skip


def _fields(extra: bytes) -> Iterator[tuple[int, bytes]]:
    at = 0
    while at + 4 <= len(extra):
        kind, size = struct.unpack_from("<HH", extra, at)
        yield kind, extra[at : at + 4 + size]
        at += 4 + size


def _without_zip64(extra: bytes) -> bytes:
    """The extra fields but the one of large sizes, which the new directory writes itself."""
    return b"".join(field for kind, field in _fields(extra) if kind != 1)


def _sizes(extra: bytes, packed: int, size: int) -> tuple[int, int]:
    """Packed and unpacked size, out of the ZIP64 field where they stand there."""
    if _ZIP64 not in (packed, size):
        return packed, size
    for kind, field in _fields(extra):
        if kind == 1 and len(field) >= 20:
            size, packed = struct.unpack_from("<QQ", field, 4)
    return packed, size


def _descriptor(data: mmap.mmap, start: int) -> tuple[int, int, int, int | None]:
    """Checksum, sizes and end of a file whose sizes follow it: at the mark that names as many
    bytes as stand before it."""
    at = data.find(_DESCRIPTOR_MARK, start)
    while at >= 0:
        for sizes in (struct.Struct("<III"), struct.Struct("<IQQ")):
            end = at + 4 + sizes.size
            if end <= len(data):
                crc, packed, size = sizes.unpack_from(data, at + 4)
                if packed == at - start and _goes_on(data, end):
                    return crc, packed, size, end
        at = data.find(_DESCRIPTOR_MARK, at + 1)
    return 0, 0, 0, None


def _goes_on(data: mmap.mmap, at: int) -> bool:
    return at == len(data) or data[at : at + 4] in (_LOCAL_MARK, _DIRECTORY_MARK)


def _readable(data: mmap.mmap, one: _Found) -> bytes:
    """What can be unpacked of a file that breaks off; nothing of an encrypted one."""
    if one.info.flag_bits & _ENCRYPTED:
        return b""
    rest = data[one.start :]
    if one.info.compress_type == zipfile.ZIP_STORED:
        return _without_descriptor(rest) if one.info.flag_bits & _SIZES_FOLLOW else rest
    if one.info.compress_type != zipfile.ZIP_DEFLATED:
        return b""
    try:
        return zlib.decompressobj(-15).decompress(rest, _MOST_OF_BROKEN)
    except zlib.error:
        return b""


def _without_descriptor(rest: bytes) -> bytes:
    """Stored bytes without the beginning of the sizes that would follow them. Up to three bytes
    that only look like it may be lost; none is made up."""
    tail = max(len(rest) - 24, 0)
    at = rest.find(_DESCRIPTOR_MARK, tail)
    if at >= 0:
        return rest[:at]
    begun = next((n for n in (3, 2, 1) if rest.endswith(_DESCRIPTOR_MARK[:n])), 0)
    return rest[: len(rest) - begun]


def _directory(out: IO[bytes], whole: list[_Found], broken: list[tuple[_Found, bytes]]) -> int:
    """Add what there is of broken files, and write the directory of all; gives the bytes that
    could be read of broken ones."""
    kept = 0
    with zipfile.ZipFile(out, "w") as archive:
        for one in whole:
            archive.filelist.append(one.info)
            archive.NameToInfo[one.info.filename] = one.info
        for one, contents in broken:
            if contents:
                archive.writestr(one.info.filename, contents)
                kept += len(contents)
    return kept
