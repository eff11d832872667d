"""A run's lines by what they have in common: a maker, a category of the supplier, a new word."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.verdicts import Chosen
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.flows.changesets import changeset_name
from nomotax.flows.lines import FILE, WORD, places_of, prepared_run, with_word
from nomotax.records.database import session
from nomotax.records.repositories import Stores
from nomotax.records.tables import Run


class Grouping(BaseModel):
    """What lines can be grouped by: a field, or with ``file:`` before it a column that arrived."""

    by: str
    label: str


class Group(BaseModel):
    """A word, and how many of the lines hold it."""

    word: str
    count: int


class Groups(BaseModel):
    """The largest groups, and how many there are in all."""

    groups: list[Group]
    total: int


class StrangeWords(BaseModel):
    """Words of a field that no product of the store has yet; only ``some`` of many are named."""

    field: str
    label: str
    count: int
    some: list[str]


class NewProducts(BaseModel):
    """How many products the new lines are: ``variants`` of them belong to ``products`` that have
    several."""

    products: int
    variants: int


#: So many groups are listed.
_LISTED = 200
_GROUPED = (FieldKind.CATEGORY, FieldKind.CHOICE, FieldKind.TEXT)


def groupings_of(run: Run, schema: StoreSchema) -> list[Grouping]:
    """What lines can be grouped by: fields that hold words, and all columns that arrived."""
    there = artifacts().scan(changeset_name(run)).collect_schema()
    fields = [one for one in schema.fields if _is_grouped(one) and NEW + one.name in there]
    fields.sort(key=lambda one: _GROUPED.index(one.kind))
    own = [Grouping(by=one.name, label=one.label) for one in fields]
    columns = run.used.get("columns", []) if run.kind == "delivery" else []
    return own + [Grouping(by=FILE + column, label=column) for column in columns]


def _is_grouped(one: StoreField) -> bool:
    told_apart = one.unique or one.role in (Role.KEY, Role.TITLE, Role.TEXT, Role.OPTIONS)
    return one.kind in _GROUPED and not told_apart


def groups(run_id: int, by: str, chosen: Chosen) -> Groups:
    """The words of a field or column among the lines that are chosen, the most frequent first.
    Raises ``NotFound`` before a run is prepared."""
    run = prepared_run(run_id)
    with session() as db:
        schema = Stores(db).schema(run.store_id)
    if by not in {one.by for one in groupings_of(run, schema)}:
        return Groups(groups=[], total=0)
    places = places_of(run, chosen)
    scan = artifacts().scan(changeset_name(run))
    names = {*scan.collect_schema()}
    wanted = [c for c in ("row", NEW + by, OLD + by) if c in names]
    words = with_word(scan.select(wanted), run.used.get("table_artifact") or "", by)
    told = words.select(WORD).collect()[WORD].gather(places)
    counted = told.value_counts(sort=True)
    return Groups(
        groups=[Group(word=word, count=n) for word, n in counted.head(_LISTED).iter_rows()],
        total=counted.height,
    )


def strange_of(run: Run, schema: StoreSchema) -> list[StrangeWords]:
    """The words of a run that are new to the store, by field."""
    found = run.used.get("strange", {})
    return [
        StrangeWords(field=name, label=schema[name].label, **own)
        for name, own in found.items()
        if name in schema
    ]


def new_products(run: Run, schema: StoreSchema) -> NewProducts | None:
    """How many products the new lines are; None where none of them belong together."""
    group, scan = schema.with_role(Role.GROUP), artifacts().scan(changeset_name(run))
    if group is None or NEW + group.name not in scan.collect_schema():
        return None
    new = scan.filter(pl.col("status") == "new").select(pl.col(NEW + group.name).alias("group"))
    sizes = new.collect()["group"].value_counts(name="n")
    several = sizes.filter(pl.col("group").is_not_null() & (pl.col("n") > 1))
    if not several.height:
        return None
    variants = int(several["n"].sum())
    return NewProducts(products=sizes["n"].sum() - variants + several.height, variants=variants)
