"""What categories are called in other languages."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Collection, Mapping

from nomotax.core.errors import UnreadableFile
from nomotax.core.listing import read_listing

HEADER = ("category", "language", "name")
#: A language tag as in BCP 47: ``fr``, ``pt-BR``.
_TAG = re.compile(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*")

#: Names by language tag, of each category by its path.
Names = Mapping[str, Mapping[str, str]]


def read_names(data: bytes, places: Collection[str]) -> dict[str, dict[str, str]]:
    """The names of a CSV file (UTF-8) with the columns category, language and name, in any order:
    ``Painting > Oil,fr,Huile``. The name is that of the path's last part; an empty one takes the
    name away.

    Raises ``UnreadableFile`` naming the line; then none is taken.
    """
    found: dict[str, dict[str, str]] = {}
    for number, (path, tag, name) in read_listing(data, HEADER, "names"):
        if path not in places or not _TAG.fullmatch(tag):
            said = f"no category {path!r}" if path not in places else f"no language {tag!r}"
            raise UnreadableFile(
                f"There is {said}.",
                where=f"line {number}",
                remedy="Write a category of this store as it is, then a tag such as fr.",
            )
        found.setdefault(path, {})[tag] = name
    return found


def write_names(names: Names) -> bytes:
    """The same list, with a mark at its start, so that spreadsheets read it right."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADER)
    writer.writerows((p, tag, name) for p, own in names.items() for tag, name in own.items())
    return out.getvalue().encode("utf-8-sig")


def translated(path: str, names: Names, separator: str = " > ") -> dict[str, str]:
    """The whole path in each language that has a name for any of its parts; parts without one
    stay as they are."""
    parts = path.split(separator)
    above = [separator.join(parts[: n + 1]) for n in range(len(parts))]
    tags = dict.fromkeys(tag for place in above for tag in names.get(place, {}))
    return {
        tag: separator.join(
            names.get(place, {}).get(tag, part) for place, part in zip(above, parts, strict=True)
        )
        for tag in tags
    }
