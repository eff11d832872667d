"""Every error the product raises on purpose. Each says what is wrong, where, and what to do."""

from __future__ import annotations


class NomotaxError(Exception):
    """Something went wrong in Nomotax."""

    status = 400

    def __init__(self, message: str = "", *, where: str = "", remedy: str = "") -> None:
        self.message = message or (type(self).__doc__ or "").strip()
        self.where = where
        self.remedy = remedy
        super().__init__(self.message)

    @property
    def title(self) -> str:
        """The class docstring: the kind of error in one sentence."""
        return (type(self).__doc__ or "").strip().splitlines()[0]

    def __str__(self) -> str:
        parts = [self.message]
        if self.where:
            parts.append(f"({self.where})")
        if self.remedy:
            parts.append(self.remedy)
        return " ".join(parts)


class UnreadableFile(NomotaxError):
    """The file cannot be read as a table."""

    status = 422


class SchemaError(NomotaxError):
    """The store schema is not usable."""

    status = 422


class CrosswalkError(NomotaxError):
    """The crosswalk cannot be run."""

    status = 422


class UnfitValue(NomotaxError):
    """A value is none that can be kept."""

    status = 422


class NotFound(NomotaxError):
    """There is no such thing here."""

    status = 404


class Conflict(NomotaxError):
    """Somebody else changed this in the meantime."""

    status = 409


class StaleChangeset(Conflict):
    """The catalog has changed since this changeset was prepared."""


class Overtaken(NomotaxError):
    """Another worker has taken this up meanwhile, or somebody has stopped it."""


class HeldRun(Conflict):
    """A guard holds this run."""


class TooLarge(NomotaxError):
    """The file is larger than this server takes."""

    status = 413


class DatabaseUnavailable(NomotaxError):
    """The database cannot be reached."""

    status = 503


class OtherVersion(DatabaseUnavailable):
    """The database is of another version than the program."""


class FormulaError(CrosswalkError):
    """The formula has a mistake."""

    def __init__(self, message: str, *, start: int, end: int, remedy: str = "") -> None:
        """``start`` and ``end`` mark the mistake in the text, from 0, ``end`` exclusive."""
        self.start, self.end = start, end
        super().__init__(message, where=f"character {start + 1} of the formula", remedy=remedy)
