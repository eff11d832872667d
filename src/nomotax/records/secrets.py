"""Passwords that are needed again, and so cannot be hashed: locked with a key of our own."""

from __future__ import annotations

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from nomotax.core.errors import UnreadableFile
from nomotax.settings import settings

_LOCKED = "fernet:"


def lock(text: str) -> str:
    """The text locked; "" stays "", and what is locked already stays as it is."""
    if not text or text.startswith(_LOCKED):
        return text
    return _LOCKED + Fernet(_key()).encrypt(text.encode()).decode()


def unlock(locked: str) -> str:
    """The text again. Raises ``UnreadableFile`` where another key has locked it."""
    if not locked.startswith(_LOCKED):
        return locked
    try:
        return Fernet(_key()).decrypt(locked.removeprefix(_LOCKED).encode()).decode()
    except InvalidToken as error:
        raise UnreadableFile(
            "A saved password of this feed was locked with another key.",
            where=str(settings().secret_file),
            remedy="Enter the password again.",
        ) from error


def _key() -> bytes:
    """The installation's key, made once and readable by its owner alone."""
    file: Path = settings().secret_file
    if not file.exists():
        file.parent.mkdir(parents=True, exist_ok=True)
        descriptor = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "wb") as stream:
            stream.write(Fernet.generate_key())
    return file.read_bytes().strip()
