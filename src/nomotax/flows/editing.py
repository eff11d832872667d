"""What a person writes into the catalog: a run of its own, applied as it is written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import polars as pl
from pydantic import BaseModel, Field, model_validator
from sqlmodel import Session

from nomotax.core.changes.by_hand import as_written, changeset_of
from nomotax.core.changes.staging import deltas_of
from nomotax.core.changes.states import LIVE, STATE, STATE_LABEL, State
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.errors import Conflict, UnfitValue
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.changesets import keep_changeset, together
from nomotax.flows.headings import headings_of, label_of
from nomotax.flows.waiting import refuse_past
from nomotax.records.catalog import Catalog
from nomotax.records.changes import Changes
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.dated import DatedValues
from nomotax.records.products import Product
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run


class ProductEdit(BaseModel):
    """Values of a product's fields, null to empty one, and its state, where they are to be others;
    and what the person ``saw`` in them."""

    values: dict[str, str | None] = Field(default={}, max_length=200)
    saw: dict[str, str | None] = {}
    state: State | None = None
    saw_state: State | None = None
    day: date | None = Field(default=None, description="From when on; at once where left out.")

    @model_validator(mode="after")
    def _something(self) -> ProductEdit:
        if not self.values and self.state is None:
            raise ValueError("nothing to write is given")
        return self


def edit_product(store_id: int, key: str, edit: ProductEdit) -> Run | None:
    """Write values into a product, as a run that is applied at once; or have them wait for their
    day: then there is no run yet.

    Raises ``UnfitValue`` for a value that its field does not take or another product has where all
    must differ, ``Conflict`` where another value is there than the person saw or where nothing
    would change, ``NotFound``.
    """
    if edit.day is not None:
        refuse_past(edit.day)
    with session() as db:
        stores = Stores(db)
        store = stores.locked(store_id)
        schema = stores.schema(store_id)
        categories = frozenset(stores.category_paths(store_id))
        product = Catalog(db, store_id).product(key)
        _refuse_unseen(product, edit, schema)
        written = as_written(schema, key, edit.values, categories)
        if edit.state is not None:
            written[STATE] = None if edit.state == LIVE else edit.state
        after = {f: v for f, v in written.items() if v != product.content.get(f)}
        _refuse_twice(db, product, after, schema)
        if edit.day is not None:
            DatedValues(db, store_id).wait(known_id(product), written, edit.day)
            return None
        if not after:
            where = ", ".join(label_of(schema, name) for name in written)
            raise Conflict("This is what the product holds already.", where=where)
        store.revision += 1
        db.add(store)
        before = {f: product.content[f] for f in after if f in product.content}
        edits = [Edit(product.key, product.title, before, after)]
        return write_edits(db, store_id, edits, schema, product.key)


def _refuse_unseen(product: Product, edit: ProductEdit, schema: StoreSchema) -> None:
    seen = {
        label_of(schema, name): (saw, product.content.get(name))
        for name, saw in edit.saw.items()
        if name in edit.values
    }
    if edit.saw_state is not None:
        seen[STATE_LABEL] = (edit.saw_state, product.state)
    for label, (saw, there) in seen.items():
        if there != saw:
            raise Conflict(
                f"{label} is {there or 'empty'} by now.",
                where=product.key,
                remedy="Look at it again, then write what is right.",
            )


def _refuse_twice(
    db: Session, product: Product, after: Mapping[str, str | None], schema: StoreSchema
) -> None:
    """A value that all products must differ in is no other's."""
    for name, value in after.items():
        if name in schema and schema[name].unique and value is not None:
            other = Catalog(db, product.store_id).key_with(name, value)
            if other is not None:
                said = f"{schema[name].label}: '{value}' is that of {other} already."
                raise UnfitValue(said, where=name)


@dataclass(frozen=True)
class Edit:
    """What a person writes into a product: the values of some fields ``before`` and ``after``."""

    key: str
    title: str
    before: Mapping[str, str]
    after: Mapping[str, str | None]


def write_edits(
    db: Session, store_id: int, edits: Sequence[Edit], schema: StoreSchema, called: str
) -> Run:
    """A run of edits, applied as it is written."""
    runs = Runs(db, store_id)
    run = runs.add(
        kind="edit",
        used={"file_name": called},
        status="applied",
        progress=100,
        counts={"changed": len(edits)},
        finished_at=now(),
    )
    changes = Changes(db, store_id, known_id(run))
    changes.stage(deltas_of({one.key: (one.before, one.after) for one in edits}), lambda done: None)
    changes.write(headings_of(schema))
    frame = changeset_of([(one.key, one.title, one.before, one.after) for one in edits])
    keep_changeset(run, together(frame), pl.DataFrame(schema=PROBLEM_SCHEMA))
    names = dict.fromkeys(name for one in edits for name in one.after)
    said = ", ".join(label_of(schema, name) for name in names)
    db.add(run)
    runs.note(run, f"written by hand: {said}")
    return run
