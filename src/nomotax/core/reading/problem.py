"""What a person should know about a file that was read."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel


class ReadingProblem(BaseModel):
    """Something in the file that a person should know; ``line`` counts from 1.

    ``level``: a "note" needs nobody, a "doubt" is worth a look, "broken" means that something of
    the file did not come through. ``examples`` are at most ten values or places.
    """

    kind: str
    message: str
    level: Literal["note", "doubt", "broken"] = "doubt"
    line: int | None = None
    row: int | None = None
    count: int | None = None
    examples: tuple[str, ...] = ()
