"""What can go wrong on the way to a file."""

from __future__ import annotations

import re

from nomotax.core.errors import NomotaxError

#: What is shown in place of a secret.
MASK = "…"
_VALUE = re.compile(r"([?&;][^=&;#\s]+=)([^&;#\s]+)")
#: A date, a number or a short word says nothing that must not be known.
_HARMLESS = re.compile(r"\d{1,12}|[\d.:-]{1,25}|[A-Za-z_-]{1,8}|\{[YMD ._-]+\}")
_TELLING = re.compile(r"(?i)token|key|sig|secret|pass|pwd|auth|code|session")


def masked(address: str) -> str:
    """An address without what may let somebody in: values behind its question mark that are named
    as secrets, or look like some."""

    def shown(found: re.Match[str]) -> str:
        harmless = _HARMLESS.fullmatch(found[2]) and not _TELLING.search(found[1])
        return found[0] if harmless else f"{found[1]}{MASK}"

    return _VALUE.sub(shown, address)


class FetchFailed(NomotaxError):
    """Nothing could be fetched."""

    status = 422
    #: Whether it may well be otherwise a little later.
    passing = False

    def __init__(
        self, message: str, *, where: str = "", remedy: str = "", after: float = 0
    ) -> None:
        """``after`` is how many seconds the other side asks to be left alone."""
        self.after = after
        super().__init__(message, where=masked(where), remedy=remedy)


class PassingFailure(FetchFailed):
    """Nothing could be fetched just now."""

    passing = True


class FetchStopped(NomotaxError):
    """A person has stopped this."""

    status = 409


class StrangeHost(FetchFailed):
    """The host is not known yet, or is another one than it was."""

    def __init__(self, message: str, *, where: str, remedy: str, host_key: str) -> None:
        """``host_key`` is the fingerprint of the key that it shows."""
        self.host_key = host_key
        super().__init__(message, where=where, remedy=remedy)
