"""What the suppliers' files are made with."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterable
from typing import TypeVar

from nomotax.core.gtin import check_digit

Goods = TypeVar("Goods")
#: What has become of goods between two lists.
Moved = Callable[[list[Goods]], list[Goods]]


def gtin(number: int) -> str:
    """A GTIN-13 under the demonstration prefix."""
    digits = f"952{number:09d}"
    return digits + str(check_digit(digits))


def wrong(code: str) -> str:
    """The same GTIN with a wrong check digit."""
    return code[:-1] + str((int(code[-1]) + 4) % 10)


def archive(files: Iterable[tuple[str, bytes]]) -> bytes:
    """A ZIP of files, stored as they are and dated alike, so that the bytes never differ."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as book:
        for name, data in files:
            book.writestr(zipfile.ZipInfo(name, (2026, 11, 16, 6, 0, 0)), data)
    return out.getvalue()
