"""Artifacts of a bucket as files of this machine: an artifact never changes, so that it is fetched
once and then lies nearby."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

from fsspec import AbstractFileSystem


class Nearby:
    """Fetched files in ``folder``, of ``most`` bytes together at most: what nobody has asked for
    longest goes first. Several processes may have the same folder."""

    def __init__(self, fs: AbstractFileSystem, folder: Path, most: int) -> None:
        self.fs, self.folder, self.most = fs, folder, most

    def file(self, path: str) -> Path:
        """The file of this machine. Raises ``FileNotFoundError`` where there is no such one."""
        known = self.folder / hashlib.sha256(path.encode()).hexdigest()
        try:
            os.utime(known)
        except FileNotFoundError:
            self._fetch(path, known)
        return known

    def _fetch(self, path: str, to: Path) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=self.folder, suffix=".part")
        os.close(handle)
        part = Path(name)
        try:
            self.fs.get_file(path, name)
            self._make_room(part.stat().st_size)
            # Whoever else fetches it meanwhile has the same bytes.
            part.replace(to)
        finally:
            part.unlink(missing_ok=True)

    def _make_room(self, size: int) -> None:
        """A file that is open somewhere stays readable there after it has gone from the folder."""
        there = []
        for one in self.folder.iterdir():
            try:
                if one.suffix != ".part":
                    there.append((one.stat().st_mtime, one.stat().st_size, one))
            except FileNotFoundError:
                continue
        left = sum(own for _, own, _ in there) + size - self.most
        for _, own, one in sorted(there):
            if left <= 0:
                return
            one.unlink(missing_ok=True)
            left -= own
