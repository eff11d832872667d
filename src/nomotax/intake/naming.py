"""Which of the files in a place are meant: by pattern, by date, by age."""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Any

_DATE = re.compile(r"\{([YMD][YMD._ -]*)\}")
_PARTS = re.compile(r"YYYY|YY|MM|DD")
_MEANS = {"YYYY": "%Y", "YY": "%y", "MM": "%m", "DD": "%d"}
_DIGITS = re.compile(r"(\d+)")
#: What has changed so shortly before it was looked at may change once more within the same
#: moment of a clock that counts whole seconds, or whole minutes as FTP listings do.
SETTLED = timedelta(minutes=2)


@dataclass(frozen=True)
class Found:
    """A file in a place, as it is told of: ``mark`` is what the place knows this very content by,
    such as an ETag; "" for none. ``where`` is what the place calls it, in full."""

    name: str
    where: str
    size: int | None = None
    modified: datetime | None = None
    mark: str = ""
    more: Any = field(default=None, compare=False, repr=False)

    @property
    def identity(self) -> tuple[str, int | None, datetime | None, str]:
        """What is the same as long as nobody has changed the file."""
        return self.where, self.size, self.modified, self.mark


def has_date(pattern: str) -> bool:
    """Whether a name has a date in it."""
    return bool(_DATE.search(pattern))


def on(pattern: str, day: date) -> str:
    """The name on one day: ``list-{YYYY-MM-DD}.csv``, ``{YYMMDD}.txt``."""

    def written(found: re.Match[str]) -> str:
        return _PARTS.sub(lambda part: day.strftime(_MEANS[part[0]]), found[1])

    return _DATE.sub(written, pattern)


def on_days(pattern: str, today: date, back: int) -> Iterator[str]:
    """The names of today and of so many days before; one, where no date is in them."""
    days = range(back + 1) if has_date(pattern) else range(1)
    yield from dict.fromkeys(on(pattern, today - timedelta(days=n)) for n in days)


def matching(found: Iterable[Found], patterns: Sequence[str]) -> list[Found]:
    """The files whose name is of a pattern, whatever the case of their letters; by age and, of
    one moment, by name as a person counts, the newest last."""
    rules = [re.compile(fnmatch.translate(one), re.IGNORECASE) for one in patterns]
    return sorted((f for f in found if any(r.match(f.name) for r in rules)), key=_age)


_EVER = datetime(1, 1, 1, tzinfo=UTC)


def _age(found: Found) -> tuple[datetime, list[tuple[int, str]]]:
    # Digits are compared as numbers: list-10 is newer than list-9.
    parts = [(int(p), "") if p.isdecimal() else (-1, p.lower()) for p in _DIGITS.split(found.name)]
    return found.modified or _EVER, parts


def is_settled(found: Found, looked_at: datetime) -> bool:
    """Whether a file that tells nothing new has not been changed since it was looked at."""
    if found.mark:
        return True
    if found.modified is None or found.size is None:
        return False
    return found.modified + SETTLED < looked_at
