"""Bytes to UTF-8, with every doubt told."""

from __future__ import annotations

import codecs

from charset_normalizer import from_bytes

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.model import ReadingProblem

_BOMS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
#: Single-byte encodings suppliers in our trade use; the detector chooses among these.
_LIKELY = ["cp1252", "cp1250", "cp1251", "iso8859_2", "iso8859_15", "cp437", "cp850", "mac_roman"]
_TOLD = 50


def detect_encoding(head: bytes) -> tuple[str, str]:
    """The encoding of ``head`` and the reason for it, in plain words."""
    for bom, name in _BOMS:
        if head.startswith(bom):
            return name, "the file starts with a byte order mark"
    if head[:400].count(b"\0") > len(head[:400]) // 4:
        return "utf-16-le", "every second byte is zero"
    if head.isascii():
        return "utf-8", "only ASCII characters so far"
    broken = _broken_lines(head)
    wide = [line for line in head.split(b"\n") if not line.isascii()]
    if len(broken) * 2 <= len(wide):
        if broken:
            return "utf-8", f"most lines are UTF-8, {len(broken)} are not"
        return "utf-8", "all of it is valid UTF-8"
    return _single_byte(head)


def _single_byte(head: bytes) -> tuple[str, str]:
    # Bytes 0x80-0x9F are letters and signs (the euro among them) in Windows-1252 only; text with
    # many bytes that it leaves undefined is something else, and then the detector's guess helps.
    try:
        head.decode("cp1252")
        western = True
    except UnicodeDecodeError:
        western = False
    guess = from_bytes(head[:100_000], cp_isolation=_LIKELY).best()
    if guess and guess.encoding in ("cp1251", "cp1250") and guess.chaos < 0.02 and not western:
        return guess.encoding, "not UTF-8; the letters fit this code page best"
    if western:
        return "cp1252", "not UTF-8; every byte is a Windows-1252 character"
    return (guess.encoding if guess else "cp1252"), "not UTF-8; the closest single-byte code page"


def _broken_lines(data: bytes) -> list[int]:
    """Numbers (from 1) of lines that are not valid UTF-8, a cut last line forgiven."""
    broken = []
    lines = data.split(b"\n")
    for number, line in enumerate(lines, 1):
        try:
            line.decode("utf-8")
        except UnicodeDecodeError as error:
            if number == len(lines) and error.end >= len(line) - 1:
                continue
            broken.append(number)
    return broken


def to_utf8(data: bytes, encoding: str) -> tuple[bytes, list[ReadingProblem]]:
    """``data`` as UTF-8 without a byte order mark, and what could not be read as stated.

    Raises ``UnreadableFile`` for an encoding nobody knows.
    """
    try:
        codecs.lookup(encoding)
    except LookupError as error:
        raise UnreadableFile(
            f"There is no encoding called {encoding!r}.", remedy="Choose one from the list."
        ) from error
    for bom, _ in _BOMS:
        if data.startswith(bom):
            data = data[len(bom) :]
            break
    if codecs.lookup(encoding).name == "utf-8":
        return _mend_utf8(data)
    text = data.decode(encoding, errors="replace")
    problems = []
    if "�" in text:
        line = text[: text.index("�")].count("\n") + 1
        problems.append(
            ReadingProblem(
                kind="wrong_encoding",
                line=line,
                message=f"{text.count(chr(0xFFFD))} bytes are no characters in {encoding}; "
                "another encoding may fit better.",
            )
        )
    return text.encode("utf-8"), problems


def _mend_utf8(data: bytes) -> tuple[bytes, list[ReadingProblem]]:
    """Lines that are not UTF-8 are read as Windows-1252 and told one by one."""
    if data.isascii():
        return data, []
    try:
        data.decode("utf-8")
        return data, []
    except UnicodeDecodeError:
        pass
    lines = data.split(b"\n")
    problems = []
    for index, line in enumerate(lines):
        try:
            line.decode("utf-8")
        except UnicodeDecodeError:
            lines[index] = line.decode("cp1252", errors="replace").encode("utf-8")
            problems.append(
                ReadingProblem(
                    kind="mixed_encoding",
                    line=index + 1,
                    message=f"Line {index + 1} is not UTF-8; it was read as Windows-1252.",
                )
            )
    more = len(problems) - _TOLD
    if more > 0:
        problems = problems[:_TOLD]
        problems.append(
            ReadingProblem(kind="mixed_encoding", message=f"{more} more lines are not UTF-8.")
        )
    return b"\n".join(lines), problems
