"""Nested records to flat ones: names joined with dots, repeated children as lists.

Lists of one repeated element are aligned: entry *n* of each of its columns belongs to child *n*.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeAlias

#: A flat value: text, or a list whose entries are texts, lists or nothing.
Value: TypeAlias = "str | list[Value | None]"
Flat: TypeAlias = dict[str, Value]


def put(into: Flat, name: str, parts: Flat) -> None:
    """Hang a flat child under ``name``; "" and "@attribute" are the child's own."""
    for key, value in parts.items():
        glue = "" if not key or key[0] == "@" else "."
        into[name + glue + key] = value


def put_all(into: Flat, name: str, children: Iterable[Flat]) -> None:
    """Hang repeated children under ``name`` as aligned lists."""
    rows = list(children)
    keys = dict.fromkeys(k for row in rows for k in row)
    put(into, name, {k: [row.get(k) for row in rows] for k in keys})
