"""A watched folder of this machine."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from nomotax.intake.failures import FetchFailed
from nomotax.intake.model import FolderSource
from nomotax.intake.naming import Found, matching, on_days
from nomotax.intake.place import Asked
from nomotax.intake.spool import Spool
from nomotax.settings import settings

_PIECE = 1 << 20


class FolderPlace:
    """A folder inside one of those that may be watched (NOMOTAX_FOLDERS)."""

    resumes = False

    def __init__(self, source: FolderSource, asked: Asked) -> None:
        self.source, self.today = source, asked.today
        allowed = [Path(one).resolve() for one in settings().folders.split(":") if one]
        try:
            self._folder = Path(source.folder).resolve(strict=True)
        except OSError as error:
            raise _unreadable(source.folder, error) from error
        if not any(self._folder.is_relative_to(one) for one in allowed):
            raise FetchFailed(
                "This folder may not be watched.",
                where=source.folder,
                remedy="Whoever runs Nomotax can allow it in NOMOTAX_FOLDERS. Allowed are: "
                + (", ".join(map(str, allowed)) or "none") + ".",
            )  # fmt: skip

    def close(self) -> None:
        """Nothing is open."""

    def again(self) -> None:
        """There is no connection that lasts."""

    def look(self) -> Sequence[Found]:
        patterns = list(on_days(self.source.names, self.today, self.source.days_back))
        try:
            listed = [self._found(one) for one in self._folder.iterdir() if self._is_file(one)]
        except OSError as error:
            raise _unreadable(self.source.folder, error) from error
        return matching(listed, patterns)

    def _is_file(self, path: Path) -> bool:
        """A file, and no link that leads out of the folder."""
        return path.is_file() and path.resolve().is_relative_to(self._folder)

    def _found(self, path: Path) -> Found:
        stat = path.stat()
        modified = datetime.fromtimestamp(stat.st_mtime, UTC)
        # Nanoseconds tell two contents of one second apart.
        mark = f"{stat.st_ino} {stat.st_mtime_ns} {stat.st_size}"
        return Found(path.name, str(path), stat.st_size, modified, mark)

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        spool.restart()
        spool.expect(found.size)
        path = Path(found.where)
        if not self._is_file(path):
            raise FetchFailed("The file is not there any more.", where=found.where)
        try:
            with path.open("rb") as stream:
                while piece := stream.read(_PIECE):
                    spool.write(piece)
        except OSError as error:
            raise _unreadable(found.where, error) from error
        return found


def _unreadable(where: str, error: OSError) -> FetchFailed:
    return FetchFailed(
        f"It cannot be read: {(error.strerror or str(error)).lower()}.",
        where=where,
        remedy="Check that it is there on the machine of every worker, and may be read.",
    )
