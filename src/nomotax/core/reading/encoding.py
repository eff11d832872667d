"""Bytes to UTF-8, with every doubt told."""

from __future__ import annotations

import codecs
import re

from charset_normalizer import from_bytes

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.problem import ReadingProblem

_BOMS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
#: Encodings in which whole words are bytes beyond ASCII; the detector chooses among these.
_FOREIGN = [
    "cp1251", "koi8_r", "cp866", "iso8859_5", "cp1253", "shift_jis", "euc_jp", "gb18030", "big5",
    "euc_kr", "cp1255", "cp1256",
]  # fmt: skip
_TOLD = 50
#: Letters of Polish and its neighbours, which other code pages take for signs inside words.
_LATIN_2 = re.compile(rb"(?<=[a-z\xb1\xe6\xea\xf3\xb3])[\xb1\xb6\xbc]|[\xb6\xbc\xa6](?=[a-z])")
_CENTRAL = re.compile(rb"(?<=[a-zA-Z\xc0-\xff])[\xb3\xb9\xbf\x9c\x9f]|[\xb3\xa3](?=[a-z])")


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
    runs = re.findall(rb"[\x80-\xff]+", head)
    high = sum(map(len, runs))
    if high / len(runs) >= 2:
        # Letters beyond ASCII stand in rows: a script of its own, not a language with accents.
        guess = from_bytes(head[:100_000], cp_isolation=_FOREIGN).best()
        if guess:
            iso = guess.encoding == "cp1253" and _is_iso_greek(head)
            name = "iso8859_7" if iso else guess.encoding
            return name, "not UTF-8; the letters make words in this encoding"
    if len(re.findall(rb"[\xd0\xdd\xde\xf0\xfd\xfe]", head)) * 7 >= high:
        return "cp1254", "not UTF-8; many letters are Turkish"
    latin2 = len(_LATIN_2.findall(head))
    if latin2 * 8 >= high:
        return "iso8859_2", "not UTF-8; the letters are Central European (ISO 8859-2)"
    central = len(_CENTRAL.findall(head))
    czech = len(re.findall(rb"[\x8a\x8e\x9a\x9e\xec\xf8]", head))
    if central * 8 >= high or czech * 5 >= high * 2:
        return "cp1250", "not UTF-8; the letters are Central European"
    try:
        head.decode("cp1252")
        return "cp1252", "not UTF-8; every byte is a Windows-1252 character"
    except UnicodeDecodeError:
        guess = from_bytes(head[:100_000]).best()
        name = guess.encoding if guess else "cp1252"
        return name, "not UTF-8; the closest single-byte code page"


def _is_iso_greek(head: bytes) -> bool:
    """Both Greek code pages have the same letters but for a capital alpha with its accent: where
    one has it, the other has a pilcrow or a currency sign, which do not begin words."""
    iso = len(re.findall(rb"(?<![\xc1-\xfe])\xb6(?=[\xe0-\xfe])", head))
    windows = len(re.findall(rb"(?<![\xc1-\xfe])\xa2(?=[\xe0-\xfe])", head))
    return iso > windows


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
