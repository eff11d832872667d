"""What kind of file the first bytes say it is."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Literal

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.archive import is_gzip, is_workbook_zip, is_zip
from nomotax.core.reading.old_workbook import is_old_workbook

FileKind = Literal["delimited", "workbook", "xml", "json", "zip", "gzip"]

_SIGNATURES = (
    (b"\x89PNG", "a PNG picture"),
    (b"\xff\xd8\xff", "a JPEG picture"),
    (b"GIF8", "a GIF picture"),
    (b"RIFF", "a picture or sound"),
    (b"BM\x36", "a bitmap picture"),
    (b"II*\0", "a TIFF picture"),
    (b"MM\0*", "a TIFF picture"),
    (b"%PDF", "a PDF document"),
    (b"{\\rtf", "a text document (RTF)"),
    (b"Rar!", "a RAR archive"),
    (b"7z\xbc\xaf", "a 7z archive"),
    (b"\x7fELF", "a program"),
    (b"MZ\x90", "a program"),
)


#: A page's root element, behind what XML may have before it. An element ``html`` further down is
#: a value of a feed.
_WEB_PAGE = re.compile(
    r"(<\?xml[^>]*>\s*)?(<!--.*?-->\s*)*(<!doctype html|<html[\s>]|<head[\s>]|<body[\s>])",
    re.DOTALL,
)


def kind_of(path: Path) -> FileKind:
    """Raises ``UnreadableFile`` when the bytes are plainly no table of any kind."""
    with path.open("rb") as stream:
        head = stream.read(64 * 1024)
    if is_zip(path):
        return "workbook" if is_workbook_zip(path) else "zip"
    if is_gzip(path):
        return "gzip"
    if is_old_workbook(path):
        return "workbook"
    refuse_what_is_no_table(head)
    start = _plain_start(head)
    if start.startswith("<"):
        return "xml"
    if start.startswith(("{", "[")) and _reads_like_json(start):
        return "json"
    return "delimited"


def _reads_like_json(start: str) -> bool:
    """A delimited file may start with a bracket too: JSON goes on in JSON's way."""
    rest = start[1:].lstrip()
    return rest[:1] in ('"', "{", "[", "}", "]") or (start[0] == "[" and rest[:1].isdigit())


def _plain_start(head: bytes) -> str:
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        text = head[:4000].decode("utf-16", errors="replace")
    elif head[1:2] == b"\0" and head[3:4] == b"\0":
        text = head[:4000].decode("utf-16-le", errors="replace")
    else:
        text = head[:4000].decode("utf-8-sig", errors="replace")
    return text.lstrip()


#: Characters that stand in no text, but for line ends, tabs and signs between fields.
_CONTROLS = [bytes([code]) for code in (*range(1, 9), *range(14, 28), 127)]


def is_web_page(head: bytes) -> bool:
    """Whether a file begins as a web page does."""
    return bool(_WEB_PAGE.match(_plain_start(head)[:2000].lower()))


def refuse_what_is_no_table(head: bytes) -> None:
    """Raises ``UnreadableFile`` when the bytes are plainly something else."""
    if not head.strip(b"\r\n\t \xef\xbb\xbf\xff\xfe\0"):
        raise UnreadableFile(
            "The file is empty.",
            where="0 bytes of content",
            remedy="Ask the supplier for it again, or choose another file.",
        )
    for signature, what in _SIGNATURES:
        if head.startswith(signature):
            raise UnreadableFile(
                f"This is {what}, not a feed.",
                where="first bytes",
                remedy="Choose the file the supplier meant.",
            )
    if is_web_page(head):
        raise UnreadableFile(
            "This is a web page, not a feed; a download link may have expired.",
            where="first bytes",
            remedy="Fetch the file again.",
        )
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return
    zeros = head.count(b"\0")
    if zeros > len(head) // 200 + 8 and not _looks_like_utf16(head):
        raise UnreadableFile(
            "This is a binary file: it holds zero bytes.",
            where=f"byte {head.index(0)}",
            remedy="Choose the text file the supplier meant.",
        )
    noise = sum(map(head.count, _CONTROLS))
    if noise > len(head) // 50 + 8 and not _looks_like_utf16(head):
        raise UnreadableFile(
            "This is a binary file: it is full of control characters.",
            where="first bytes",
            remedy="Choose the text file the supplier meant.",
        )


def _looks_like_utf16(head: bytes) -> bool:
    even, odd = head[0:2000:2].count(0), head[1:2000:2].count(0)
    return abs(even - odd) > min(len(head), 2000) // 4
