"""A formula as a tree. Each node knows where it stands in the text."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal, TypeAlias


@dataclass(frozen=True)
class Place:
    """From this character on, up to the one before ``end``; both count from 0."""

    start: int
    end: int


@dataclass(frozen=True)
class Constant:
    value: Decimal | str | bool
    place: Place


@dataclass(frozen=True)
class Missing:
    """An argument that was left out: ``IF(a;;b)``."""

    place: Place


@dataclass(frozen=True)
class Reference:
    """``[Column]``, ``[=field]`` or ``[=:fact]``."""

    kind: Literal["column", "field", "fact"]
    name: str
    place: Place


@dataclass(frozen=True)
class Call:
    """A function, or an operator under its sign, and its arguments."""

    name: str
    arguments: tuple[Node, ...]
    place: Place


Node: TypeAlias = Constant | Missing | Reference | Call


def references(node: Node) -> Iterator[Reference]:
    """Every column, field and fact that the formula asks for."""
    if isinstance(node, Reference):
        yield node
    elif isinstance(node, Call):
        for argument in node.arguments:
            yield from references(argument)
