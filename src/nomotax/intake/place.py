"""What each kind of place can do: say what is there, and give it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Protocol

from nomotax.intake.model import SecretName
from nomotax.intake.naming import Found
from nomotax.intake.spool import Limits, Spool

Secrets = Mapping[SecretName, str]


@dataclass(frozen=True)
class Asked:
    """What a place is opened with: secrets in clear, the day by the source's time zone, limits."""

    secrets: Secrets
    today: date
    limits: Limits


class Place(Protocol):
    """A place that is open. Everything raises ``FetchFailed``."""

    #: Whether a file that broke off can be gone on with.
    resumes: bool

    def look(self) -> Sequence[Found]:
        """The files that are meant, the newest last."""

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        """Bring a file's bytes, going on where ``spool`` stands; gives what is known of it now.
        None when it is still the one marked ``known``."""

    def again(self) -> None:
        """Make the connection anew, after it broke."""

    def close(self) -> None: ...
