"""Bytes to UTF-8, with every doubt told."""

from __future__ import annotations

import codecs
import re
from collections.abc import Sequence

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
    western, eastern = _covered(runs, "cp1252", _WESTERN), _covered(runs, "cp1250", _EASTERN)
    if high / len(runs) >= 2 and max(western, eastern) < 1:
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
    likely = central * 8 >= high or czech * 5 >= high * 2
    if likely and eastern > western:
        return "cp1250", "not UTF-8; the letters are Central European"
    try:
        head.decode("cp1252")
        return "cp1252", "not UTF-8; every byte is a Windows-1252 character"
    except UnicodeDecodeError:
        guess = from_bytes(head[:100_000]).best()
        name = guess.encoding if guess else "cp1252"
        return name, "not UTF-8; the closest single-byte code page"


#: Letters beyond ASCII of the languages that are written in either code page, a language a text.
_WESTERN = ("æøåéöäü", "äöüßåé", "éèêëàâîïôöùûüçœ", "áéíóúñü¿¡", "ãõáàâéêíóôúç", "àèéìòù", "ëïéèöü")
_EASTERN = ("áčďéěíňóřšťúůýž", "ľĺŕôäáčďéíňóšťúýž", "ąćęłńóśźż", "áéíóöőúüű", "čćđšž", "ăâîșțşţ")


def _covered(runs: Sequence[bytes], encoding: str, languages: Sequence[str]) -> float:
    """The share of signs beyond ASCII that are letters of the one language that has most of
    them."""
    signs = b"".join(runs).decode(encoding, errors="replace").lower()
    return max(sum(sign in letters for sign in signs) for letters in languages) / len(signs)


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
    decoder = Decoder(encoding)
    return decoder.take(data, last=True), decoder.problems()


class Decoder:
    """Turns bytes into UTF-8 without a byte order mark, in as many pieces as they come, and
    remembers what could not be read as stated. Lines that are not the UTF-8 they should be are
    read as Windows-1252.

    Raises ``UnreadableFile`` for an encoding nobody knows.
    """

    def __init__(self, encoding: str) -> None:
        try:
            known = codecs.lookup(encoding)
        except LookupError as error:
            raise UnreadableFile(
                f"There is no encoding called {encoding!r}.", remedy="Choose one from the list."
            ) from error
        self._encoding = encoding
        self._by_line = known.name == "utf-8"
        self._decoder = codecs.getincrementaldecoder(encoding)("replace")
        self._begun = False
        #: The beginning of a line whose end has not come yet.
        self._open = b""
        self._lines = 0
        #: Lines in another encoding, the first of them by number.
        self._odd: list[int] = []
        self._odd_in_all = 0
        self._lost, self._lost_line = 0, 0

    def take(self, data: bytes, last: bool) -> bytes:
        """The next bytes as UTF-8; of text that should be UTF-8, as far as whole lines go."""
        if not self._begun and data:
            self._begun = True
            mark = next((bom for bom, _ in _BOMS if data.startswith(bom)), b"")
            data = data[len(mark) :] if mark else data
        return self._mended(data, last) if self._by_line else self._decoded(data, last)

    def _decoded(self, data: bytes, last: bool) -> bytes:
        text = self._decoder.decode(data, last)
        if "\ufffd" in text:
            if not self._lost:
                self._lost_line = self._lines + text[: text.index("\ufffd")].count("\n") + 1
            self._lost += text.count("\ufffd")
        self._lines += text.count("\n")
        return text.encode("utf-8")

    def _mended(self, data: bytes, last: bool) -> bytes:
        data = self._open + data if self._open else data
        self._open = b""
        if not last:
            end = data.rfind(b"\n") + 1
            data, self._open = data[:end], data[end:]
        if not _is_utf8(data):
            data = self._line_by_line(data)
        self._lines += data.count(b"\n")
        return data

    def _line_by_line(self, data: bytes) -> bytes:
        lines = data.split(b"\n")
        for index, line in enumerate(lines):
            if not _is_utf8(line):
                lines[index] = line.decode("cp1252", errors="replace").encode("utf-8")
                self._odd_in_all += 1
                if len(self._odd) < _TOLD:
                    self._odd.append(self._lines + index + 1)
        return b"\n".join(lines)

    def problems(self) -> list[ReadingProblem]:
        """What could not be read as stated, of all that was taken."""
        found = [
            ReadingProblem(
                kind="mixed_encoding",
                line=line,
                message=f"Line {line} is not UTF-8; it was read as Windows-1252.",
            )
            for line in self._odd
        ]
        more = self._odd_in_all - len(self._odd)
        if more:
            found.append(
                ReadingProblem(kind="mixed_encoding", message=f"{more} more lines are not UTF-8.")
            )
        if self._lost:
            found.append(
                ReadingProblem(
                    kind="wrong_encoding",
                    line=self._lost_line,
                    message=f"{self._lost} bytes are no characters in {self._encoding}; "
                    "another encoding may fit better.",
                )
            )
        return found


def _is_utf8(data: bytes) -> bool:
    if data.isascii():
        return True
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True
