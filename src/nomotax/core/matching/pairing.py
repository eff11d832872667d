"""What a person decides of a supplier's article."""

from __future__ import annotations

from typing import Literal, NamedTuple

#: Paired with a product of the store, let make a product of its own, or left out.
Decision = Literal["product", "new", "leave"]


class Decided(NamedTuple):
    """What is decided of an article: the key of its product where it has one."""

    article: str
    decision: Decision
    key: str | None = None
