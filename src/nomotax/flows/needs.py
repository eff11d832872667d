"""What a product needs to be complete, and what of those that are shown is missing or wrong."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel
from sqlmodel import Session

from nomotax.core.errors import Conflict, NotFound
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.core.showing import PROBLEM, Condition, Selection
from nomotax.flows.headings import label_of
from nomotax.flows.listing import Asked, listing_of
from nomotax.flows.problems import Problems, flaws_of, problems_among
from nomotax.records.database import session
from nomotax.records.repositories import Stores

#: Roles whose fields a product is not sold without, beside those that the store requires.
_SOLD_BY = (Role.TITLE, Role.PRICE, Role.TEXT, Role.STOCK)


class Needs(BaseModel):
    """Names of the fields that every product needs."""

    fields: list[str]


class MissingField(BaseModel):
    """A field that products need, and how many of them lack it."""

    field: str
    label: str
    count: int


class Completeness(BaseModel):
    """Of ``total`` products that are shown, how many are ``complete``; what the others lack, that
    of most products first; and the fields that are needed."""

    total: int
    complete: int
    missing: list[MissingField]
    needs: list[str]


def needs_of(schema: StoreSchema, said: list[str] | None) -> tuple[str, ...]:
    """The fields that products need: those that are said, or where nothing is those that the store
    requires and that a product is sold by."""
    if said is not None:
        return tuple(name for name in said if name in schema)
    category = schema.category_field
    sold_by = {one.name for role in _SOLD_BY if (one := schema.with_role(role))}
    picture = schema.with_role(Role.PICTURE) or schema.with_role(Role.PICTURES)
    sold_by |= {one.name for one in (category, picture) if one}
    return tuple(f.name for f in schema.fields if f.required or f.name in sold_by)


def asked_of(db: Session, store_id: int, where: Sequence[Condition] = ()) -> Asked:
    """By what the products of a store are looked through for these conditions. Raises
    ``NotFound``."""
    stores = Stores(db)
    schema = stores.schema(store_id)
    wrong = any(one.field == PROBLEM for one in where)
    flaws = flaws_of(db, store_id) if wrong else None
    if wrong and flaws is None:
        raise Conflict(
            "The values of all products are still being looked at.",
            remedy="Try again in a minute; it is known from then on.",
        )
    return Asked(schema, needs_of(schema, stores.get(store_id).needs), flaws)


def completeness(store_id: int, shown: Selection) -> Completeness:
    """What the products that are shown lack. Raises ``NotFound``."""
    with session() as db:
        asked = asked_of(db, store_id, shown.where)
        total, complete, empty = listing_of(db, store_id).missing(shown, asked)
    missing = [
        MissingField(field=name, label=label_of(asked.schema, name), count=count)
        for name, count in sorted(empty.items(), key=lambda pair: -pair[1])
        if count
    ]
    return Completeness(total=total, complete=complete, missing=missing, needs=list(asked.needs))


def problems(store_id: int, shown: Selection) -> Problems:
    """What is wrong with the products that are shown. Raises ``NotFound``."""
    with session() as db:
        asked = asked_of(db, store_id, shown.where)
        keys = listing_of(db, store_id).shown(shown, asked)["key"]
    return problems_among(store_id, asked.schema, keys)


def set_needs(store_id: int, needs: Needs | None) -> None:
    """Say what products need; None for what is so of itself. Raises ``NotFound`` for a field that
    the store does not have."""
    with session() as db:
        stores = Stores(db)
        schema = stores.schema(store_id)
        strange = [name for name in needs.fields if name not in schema] if needs else []
        if strange:
            raise NotFound(f"The store schema has no field {strange[0]!r}.")
        store = stores.get(store_id)
        store.needs = list(dict.fromkeys(needs.fields)) if needs else None
        db.add(store)
