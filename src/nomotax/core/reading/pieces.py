"""The text of a large file piece by piece, cut between records."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import BinaryIO

import numpy as np

from nomotax.core.reading.encoding import Decoder

#: So many bytes of a file are taken at a time.
PIECE = 64 << 20
#: Where the last record of a piece ends is looked for in its last bytes first.
_NEAR_END = 1 << 20


class Pieces:
    """Gives the text as UTF-8, each piece ending where a record does: behind a line end that an
    even number of quotes stands before. That holds where quotes stand as RFC 4180 puts them;
    whoever finds that they do not takes the ``rest`` as well."""

    def __init__(self, stream: BinaryIO, decoder: Decoder, quote: str) -> None:
        self._stream, self._decoder, self._quote = stream, decoder, quote
        self._pending = b""
        self._ended = False
        #: What comes next is read and decoded while somebody works on what was given.
        self._ahead = ThreadPoolExecutor(1)
        self._coming = self._ahead.submit(self._taken, PIECE)

    def next(self) -> bytes:
        """The next piece, nothing behind the last one."""
        if self._ended:
            return b""
        text, self._pending = self._pending + self._more(), b""
        if self._ended:
            return text
        end = _last_record_end(text, self._quote)
        if not end:
            return text + self.rest()
        self._pending = text[end:]
        return text[:end]

    def rest(self) -> bytes:
        """All that has not been given yet."""
        parts, self._pending = [self._pending], b""
        while not self._ended:
            parts.append(self._more())
        return b"".join(parts)

    def _more(self) -> bytes:
        text, self._ended = self._coming.result()
        if not self._ended:
            self._coming = self._ahead.submit(self._taken, PIECE)
        return text

    def _taken(self, most: int) -> tuple[bytes, bool]:
        """So many bytes, decoded, and whether they are the last."""
        data = self._stream.read(most)
        ended = len(data) < most
        return self._decoder.take(data, ended), ended


def _last_record_end(text: bytes, quote: str) -> int:
    """The place behind the last line end with an even number of quotes before it, 0 for none."""
    if not quote or not quote.isascii():
        return text.rfind(b"\n") + 1
    data = np.frombuffer(text, dtype=np.uint8)
    for start in (max(0, data.size - _NEAR_END), 0):
        near, odd_before = data[start:], text.count(quote.encode(), 0, start) & 1
        # Counting in one byte wraps at 256, which keeps the parity that matters here.
        odd = (np.cumsum(near == ord(quote), dtype=np.uint8) & 1) ^ np.uint8(odd_before)
        ends = np.flatnonzero((near == ord("\n")) & (odd == 0))
        if ends.size:
            return start + int(ends[-1]) + 1
    return 0
