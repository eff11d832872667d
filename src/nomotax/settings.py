"""What the surroundings decide: every setting, in one typed place. See docs/operation.md."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Read from environment variables that begin with ``NOMOTAX_``.

    Artifacts of a bucket are kept at hand in the folder ``nearby``, of so many ``nearby_gb``;
    ``hosts`` are names under which the application may be reached beside the loopback ones;
    ``fetch_inside`` are hosts (``name`` or ``name:port``) inside our own network that may be
    fetched from, ``folders`` those of this machine, separated by colons, that may be watched, and
    a fetch lasts ``fetch_minutes`` at most; ``stand_ins`` is the folder of the demo's stand-ins;
    ``smtp`` is the server that mail is sent by, from ``mail_from``, with links below ``address``;
    ``secret_file`` holds the key that passwords are locked with, and is made where it is missing.
    """

    model_config = SettingsConfigDict(env_prefix="NOMOTAX_", frozen=True)

    database_url: str = ""
    artifacts: str = "var/artifacts"
    nearby: Path = Path("var/nearby")
    nearby_gb: int = Field(default=20, ge=1)
    home: Path = Path("var")
    web: Path = Path(__file__).parents[2] / "web" / "dist"
    upload_limit_mb: int = Field(default=1024, ge=1)
    secret_file: Path = Path("var/secret.key")
    hosts: str = ""
    fetch_inside: str = ""
    fetch_minutes: int = Field(default=30, ge=1)
    folders: str = ""
    stand_ins: str = ""
    smtp: str = ""
    mail_from: str = "nomotax@localhost"
    address: str = "http://127.0.0.1:8420"

    @property
    def upload_limit(self) -> int:
        """The largest delivery taken, in bytes."""
        return self.upload_limit_mb << 20

    def names(self, listed: str) -> frozenset[str]:
        """A comma-separated list as a set of small letters."""
        return frozenset(n.strip().lower() for n in listed.split(",") if n.strip())


def settings() -> Settings:
    """The settings as they are now. Raises ``ValidationError`` for a value that is none."""
    return _read(tuple(os.environ.get(name) for name in _NAMES))


_NAMES = tuple(f"NOMOTAX_{name.upper()}" for name in Settings.model_fields)


@lru_cache(maxsize=8)
def _read(values: tuple[str | None, ...]) -> Settings:
    """Read once for each state of the environment: it is asked for many times a request."""
    return Settings()
