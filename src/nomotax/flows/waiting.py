"""Values that hold from a day on, while they wait for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date

from pydantic import BaseModel
from sqlmodel import Session

from nomotax.core.changes.states import STATE, said
from nomotax.core.errors import UnfitValue
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.headings import label_of
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.dated import DatedValues
from nomotax.records.products import DatedValue, Product
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id


class DatedLine(BaseModel):
    """A value that waits for its day, or (with a ``reason``) could not be written on it;
    ``holds`` is what the field holds until then."""

    id: int
    key: str
    title: str
    field: str
    label: str
    value: str | None
    holds: str | None
    day: date
    author: str
    reason: str


class DatedLines(BaseModel):
    """A page of them, by their days; ``total`` counts all."""

    total: int
    values: list[DatedLine]


def today() -> date:
    """The day, by UTC."""
    return now().date()


def refuse_past(day: date) -> None:
    """Raises ``UnfitValue`` for a day that has come already."""
    if day <= today():
        raise UnfitValue(
            f"{day.isoformat()} has come already.",
            where="day",
            remedy="Give a later day, or none: then it is written at once.",
        )


def dated_of(store_id: int, offset: int = 0, limit: int = 50) -> DatedLines:
    """What waits for its day in a store. Raises ``NotFound``."""
    with session() as db:
        schema, repo = Stores(db).schema(store_id), DatedValues(db, store_id)
        page = repo.waiting(offset=offset, limit=limit)
        products = list({known_id(product) for _, product in page})
        shown = {one.id for one, _ in page}
        lines = lines_of(db, store_id, schema, products)
        return DatedLines(total=repo.how_many(), values=[one for one in lines if one.id in shown])


def lines_of(
    db: Session, store_id: int, schema: StoreSchema, product_ids: Sequence[int]
) -> Iterator[DatedLine]:
    """The same of some products. What holds until a day is what waits for an earlier one, if
    anything does."""
    until: dict[tuple[int, str], str | None] = {}
    for one, product in DatedValues(db, store_id).waiting(product_ids):
        which = (one.product_id, one.field)
        yield _line(one, product, until.get(which, product.content.get(one.field)), schema)
        if one.status == "waiting":
            until[which] = one.value


def _line(one: DatedValue, product: Product, before: str | None, schema: StoreSchema) -> DatedLine:
    sides = one.value, before
    value, holds = map(said, sides) if one.field == STATE else sides
    return DatedLine(
        id=known_id(one),
        key=product.key,
        title=product.title,
        field=one.field,
        label=label_of(schema, one.field),
        value=value,
        holds=holds,
        day=one.day,
        author=one.author if one.given_by is None else f"run {one.given_by}",
        reason=one.reason,
    )


def take_back(store_id: int, key: int) -> None:
    """A value does not wait any more. Raises ``NotFound``, ``Conflict`` where it is written."""
    with session() as db:
        DatedValues(db, store_id).take_back(key)
