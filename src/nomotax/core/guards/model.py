"""What a feed's guards are, and what they say of a changeset."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

GuardKind = Literal[
    "rows_fewer", "rows_rejected", "products_new", "prices_moved", "cells_empty",
    "products_gone", "price_moved", "under_cost", "under_margin", "stock_emptied",
    "scale_shifted", "new_words", "delivery_unusual", "contract_broken",
]  # fmt: skip
#: A guard holds the whole run, or the lines that it is about.
Holds = Literal["run", "lines"]


class Guard(BaseModel):
    """One guard of a feed. ``limit`` is a share in percent, or a number of words."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: GuardKind
    on: bool = True
    limit: Decimal = Field(ge=0, le=1_000_000, max_digits=10, decimal_places=2)


class GuardSort(BaseModel):
    """What a kind of guard is called, what it holds, and when: ``says`` has "{limit}" where its
    limit stands, null where it needs none. ``limit`` and ``on`` are what a feed has that says
    nothing else."""

    model_config = ConfigDict(frozen=True)

    kind: GuardKind
    name: str
    holds: Holds
    says: str
    limit: Decimal | None
    on: bool = True


def _sort(
    kind: GuardKind, name: str, holds: Holds, limit: str, says: str, on: bool = True
) -> GuardSort:
    least = Decimal(limit) if limit else None
    return GuardSort(kind=kind, name=name, holds=holds, says=says, limit=least, on=on)


SORTS: Mapping[GuardKind, GuardSort] = {
    sort.kind: sort
    for sort in (
        _sort("rows_fewer", "Fewer rows", "run", "30",
              "it has over {limit} % fewer rows than its last deliveries"),
        _sort("rows_rejected", "Rejected rows", "run", "20",
              "over {limit} % of its rows are rejected"),
        _sort("products_new", "New products", "run", "50",
              "over {limit} % of its rows are about products that the store does not have"),
        _sort("prices_moved", "All prices move", "run", "10",
              "the middle one of all its prices moves by over {limit} %"),
        _sort("cells_empty", "Empty cells", "run", "20",
              "a field is empty in over {limit} % more of its rows than the last time"),
        _sort("products_gone", "Products gone", "lines", "10",
              "that are gone, where those are over {limit} % of all that it brings"),
        _sort("price_moved", "Prices that jump", "lines", "50",
              "whose price moves by over {limit} %"),
        _sort("under_cost", "Under cost", "lines", "",
              "whose price comes to be their cost, or less"),
        _sort("under_margin", "Thin margin", "lines", "10",
              "whose margin comes to be under {limit} % of the price", on=False),
        _sort("stock_emptied", "Stock emptied", "lines", "30",
              "whose stock becomes nothing, where those are over {limit} % of all in stock"),
        _sort("scale_shifted", "Other unit or currency", "lines", "5",
              "with a number that is 100, 25.4, 0.4536 times … what it was, where those are over "
              "{limit} % of all"),
        _sort("new_words", "New words", "lines", "20",
              "with a word, maker or category that is new to the store, where there are over "
              "{limit} of those"),
        _sort("delivery_unusual", "Unusual delivery", "run", "",
              "it is so unlike the deliveries before it that something must be wrong with it"),
        _sort("contract_broken", "Broken contract", "run", "1",
              "its file breaks the feed's contract, as a whole or in over {limit} % of its rows"),
    )
}  # fmt: skip


def guards_of(said: Sequence[Guard]) -> list[Guard]:
    """All guards of a feed: what is ``said`` of them, the others as they are without that."""
    own = {guard.kind: guard for guard in said}
    return [
        own.get(sort.kind) or Guard(kind=sort.kind, on=sort.on, limit=sort.limit or Decimal(0))
        for sort in SORTS.values()
    ]


class Finding(BaseModel):
    """What a guard saw, and against what, in one sentence. ``lines`` are those that it is about;
    where it ``holds`` the run there may be none to show."""

    model_config = ConfigDict(frozen=True)

    kind: GuardKind
    field: str
    holds: Holds
    said: str
    lines: int

    @property
    def called(self) -> str:
        """What it is called among the findings of a run; the same when it is prepared again."""
        return f"{self.kind}:{self.field}"
