"""What can go wrong on the way to a file."""

from __future__ import annotations

from nomotax.core.errors import NomotaxError


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
        super().__init__(message, where=where, remedy=remedy)


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
