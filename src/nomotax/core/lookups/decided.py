"""What was decided for arriving words and paths, as a list that goes out and comes in as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection, Mapping

from nomotax.core.errors import UnreadableFile
from nomotax.core.listing import read_listing
from nomotax.core.lookups.tree import written

HEADER = ("arriving", "store")


def write_decided(decided: Mapping[str, str]) -> bytes:
    """Answers by what arrives (UTF-8 with a mark, so that spreadsheets read it right)."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADER)
    writer.writerows(decided.items())
    return out.getvalue().encode("utf-8-sig")


def read_words(data: bytes) -> dict[str, str]:
    """Store words by arriving word, out of a CSV file with the columns arriving and store; an
    empty store word says that nothing is to come of it.

    Raises ``UnreadableFile`` naming the line; then none is taken.
    """
    return dict(pair for _, pair in _pairs(data, "words"))


def read_places(data: bytes, places: Collection[str]) -> dict[str, str]:
    """Store categories by arriving path; an empty one says that the branch is not sold.

    Raises ``UnreadableFile`` naming the line; then none is taken.
    """
    found: dict[str, str] = {}
    for number, (path, place) in _pairs(data, "placements"):
        found[path] = written(place) if place else ""
        if found[path] and found[path] not in places:
            raise UnreadableFile(
                f"There is no category {place!r} in this store.",
                where=f"line {number}",
                remedy="Write a category as it stands in the tree, parts ' > ' apart, or add it to "
                "the tree first; leave the cell empty for a branch that is not sold.",
            )
    return found


def _pairs(data: bytes, what: str) -> list[tuple[int, tuple[str, str]]]:
    found = [(n, (a, b)) for n, (a, b) in read_listing(data, HEADER, what) if a or b]
    wrong = next((number for number, (arriving, _) in found if not arriving), None)
    if wrong is not None:
        raise UnreadableFile(
            "This line does not say what arrives.",
            where=f"line {wrong}",
            remedy="Each line holds what arrives and the store's answer to it.",
        )
    return found
