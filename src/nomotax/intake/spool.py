"""A file on its way in: it counts, keeps to its limits, tells how far it is, hears of a stop."""

from __future__ import annotations

from pathlib import Path
from time import monotonic
from typing import Protocol, Self

from nomotax.core.errors import TooLarge
from nomotax.intake.failures import FetchFailed
from nomotax.settings import settings


class Tell(Protocol):
    """Hears how far a fetch is. Raises ``FetchStopped`` when a person has stopped it."""

    def __call__(self, stage: str, done: int = 0, total: int | None = None) -> None: ...


def nobody(stage: str, done: int = 0, total: int | None = None) -> None:
    """Tells nobody."""


class Limits:
    """The most bytes of one fetch, until when it may last, and how often a file is asked for."""

    def __init__(self, most_bytes: int, seconds: float, tries: int = 4) -> None:
        self.most_bytes, self.seconds, self.tries = most_bytes, seconds, tries
        self._until = monotonic() + seconds
        self.left = most_bytes

    @classmethod
    def usual(cls) -> Self:
        known = settings()
        return cls(known.upload_limit, known.fetch_minutes * 60)

    def check(self) -> None:
        """Raises ``FetchFailed`` when the time is over."""
        if monotonic() > self._until:
            raise FetchFailed(
                f"It was not there after {self.seconds / 60:.3g} minutes.",
                remedy="Ask the supplier for a quicker host or a smaller file, or have the limit "
                "raised (NOMOTAX_FETCH_MINUTES).",
            )

    def refuse(self, size: int | None, where: str) -> None:
        """Raises ``TooLarge`` for a file that is larger than what is left."""
        if size is not None and size > self.left:
            raise TooLarge(
                f"The file has {size / (1 << 20):,.0f} MB or more; at most "
                f"{self.most_bytes >> 20:,} MB are fetched.",
                where=where,
                remedy="Ask for a smaller one, or have the limit raised (NOMOTAX_UPLOAD_LIMIT_MB).",
            )


class Spool:
    """What has come of one file so far, in a file of this machine. ``told`` is what the other
    side said of the content that came, such as its ETag: by it a fetch goes on where it broke
    off."""

    def __init__(self, path: Path, limits: Limits, tell: Tell = nobody, name: str = "") -> None:
        self.path, self.limits, self.tell, self.name = path, limits, tell, name
        self.size, self.total, self.told = 0, None, ""  # type: int, int | None, str
        self._out = path.open("wb")

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self._out.close()

    def expect(self, total: int | None) -> None:
        """So many bytes there will be. Raises ``TooLarge``."""
        self.limits.refuse(total, self.name)
        self.total = total

    def write(self, piece: bytes) -> None:
        """Raises ``TooLarge``, ``FetchFailed`` when the time is over, ``FetchStopped``."""
        self.limits.check()
        self.limits.refuse(self.size + len(piece), self.name)
        self._out.write(piece)
        self.size += len(piece)
        self.tell(f"fetching {self.name}", self.size, self.total)

    def restart(self) -> None:
        """Let go of what has come: it is not of the same content, or cannot be gone on with."""
        self._out.seek(0)
        self._out.truncate()
        self.size, self.total, self.told = 0, None, ""

    def done(self) -> None:
        """All of it is there."""
        self._out.flush()
        self.limits.left -= self.size
