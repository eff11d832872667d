"""A feed's range: what it said of each of its articles last, as its crosswalk filled them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Literal

import polars as pl
from pydantic import BaseModel, Field

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.offers import OF_ARTICLE, PRINT, says, searched, texts_of
from nomotax.core.changes.picking import Picked, PickRule, has_text, of_branch
from nomotax.core.errors import Conflict
from nomotax.core.numbers import NUMBER
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.flows.changesets import changeset_name
from nomotax.flows.listing import listing_of
from nomotax.flows.picking import picked_of, rules_of
from nomotax.flows.workbench import Workbench, open_workbench, remembered
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.picks import Picks
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: All articles; those that are picked; with and without a product in the store; new, changed and
#: gone since the delivery before; and those that a run would not take as they are.
Group = Literal[
    "all", "picked", "in_store", "not_in_store", "new", "changed", "gone", "faulty"
]  # fmt: skip
Sort = Literal["row", "article", "title", "category", "cost", "price", "stock"]
_NUMBERS = {Role.COST: "cost", Role.PRICE: "price", Role.STOCK: "stock"}
_FAULTY = ["held", "rejected"]


class RangeView(BaseModel):
    """``run_id`` is the run that filled it, null while none has; ``behind`` says why another one
    would fill it otherwise by now. ``counts`` are articles by group; those that are *new*,
    *changed* or *gone* are so since ``before``, the delivery before, null where there was none or
    it cannot be compared. ``shown`` are the labels of the fields that articles are shown by."""

    run_id: int | None
    file_name: str
    filled_at: datetime | None
    behind: str
    before: str | None
    only_picked: bool
    rules: list[PickRule]
    picks: int
    categories: list[str]
    shown: dict[str, str]
    counts: dict[Group, int]


class RangeRow(BaseModel):
    """What the feed says of an article; ``status`` is what a run makes of it, ``reason`` why."""

    row: int | None
    article: str | None
    title: str | None
    category: str | None
    cost: str | None
    price: str | None
    stock: str | None
    key: str | None
    in_store: bool
    picked: bool
    since: Literal["new", "changed", "same", "gone"] | None
    status: str
    reason: str | None


class RangePage(BaseModel):
    total: int
    rows: list[RangeRow]


class Shown(BaseModel):
    """A filter over the range."""

    group: Group = "all"
    category: str = ""
    search: str = ""


@dataclass(frozen=True)
class Range:
    """A feed's range beside the catalog and what is picked."""

    run: Run | None
    before: Run | None
    schema: StoreSchema
    known: pl.Series
    picked: Picked

    @cached_property
    def rows(self) -> pl.DataFrame:
        """A row for each article's row and for each article that is gone, as ``RangeRow``, and
        ``texts`` that they are searched by."""
        if self.run is None:
            kinds = {"row": pl.UInt32, "in_store": pl.Boolean, "picked": pl.Boolean}
            return pl.DataFrame(schema=dict.fromkeys(_COLUMNS, pl.String) | kinds)
        here = _read(self.run, self.schema)
        found = here.with_columns(since=self._since(here))
        if self.compared is not None:
            gone = self.compared.join(here, on=OF_ARTICLE, how="anti")
            found = pl.concat([found, gone.with_columns(_GONE)], how="diagonal")
        return found.with_columns(
            in_store=pl.col("key").is_in(self.known.implode()).fill_null(False),
            picked=self.picked.of(found),
        )

    @cached_property
    def compared(self) -> pl.DataFrame | None:
        """The articles of the delivery before, each once; None where they cannot be compared."""
        if self.run is None or self.before is None:
            return None
        # A hash of one version of the library says nothing beside one of another.
        if self.run.used.get("hashed") != self.before.used.get("hashed"):
            return None
        before = _read(self.before, self.schema).drop_nulls(OF_ARTICLE)
        return before.unique(OF_ARTICLE, keep="first", maintain_order=True)

    def _since(self, here: pl.DataFrame) -> pl.Series:
        if self.compared is None:
            return pl.Series([None], dtype=pl.String).new_from_index(0, here.height)
        before = self.compared.select(OF_ARTICLE, pl.col(PRINT).alias("was"))
        aside = here.join(before, on=OF_ARTICLE, how="left", maintain_order="left")
        new, same = pl.col("was").is_null(), pl.col("was") == pl.col(PRINT)
        said = pl.when(new).then(pl.lit("new")).when(same).then(pl.lit("same"))
        known = pl.col(OF_ARTICLE).is_not_null()
        return aside.select(pl.when(known).then(said.otherwise(pl.lit("changed")))).to_series()

    def chosen(self, shown: Shown) -> pl.DataFrame:
        """The rows that a filter chooses. Those that are gone are only seen among themselves."""
        rows = self.rows.filter(_fits(shown.group))
        if shown.category:
            rows = rows.filter(of_branch(pl.col("category"), shown.category))
        return rows.filter(has_text(pl.col("texts"), shown.search)) if shown.search else rows

    def counts(self) -> dict[Group, int]:
        groups: tuple[Group, ...] = Group.__args__  # type: ignore[attr-defined]  # of a Literal
        return {group: self.rows.filter(_fits(group)).height for group in groups}


_COLUMNS = (
    "row", "article", "title", "category", "cost", "price", "stock", "key", "in_store", "picked",
    "since", "status", "reason", "texts",
)  # fmt: skip
_GONE = pl.lit("gone").alias("since"), pl.lit("gone").alias("status")


def _fits(group: Group) -> pl.Expr:
    here = pl.col("status") != "gone"
    if group in ("new", "changed", "gone"):
        return (pl.col("since") == group).fill_null(False)
    if group == "faulty":
        return pl.col("status").is_in(_FAULTY)
    chosen = {
        "picked": pl.col("picked"), "in_store": pl.col("in_store"),
        "not_in_store": ~pl.col("in_store"),
    }  # fmt: skip
    return here & chosen.get(group, pl.lit(True))


def _read(run: Run, schema: StoreSchema) -> pl.DataFrame:
    """What a run's changeset has of a feed's articles."""
    scan = artifacts().scan(changeset_name(run))
    columns = scan.collect_schema().names()
    title = schema.with_role(Role.TITLE)
    place = schema.category_field
    fields = {"title": title.name if title else "", "category": place.name if place else ""}
    roles = {name: schema.with_role(role) for role, name in _NUMBERS.items()}
    fields |= {name: field.name if field else "" for name, field in roles.items()}
    texts = [says(columns, name) for name in searched(schema, schema.names)]
    read = scan.filter(pl.col("row").is_not_null()).select(
        "row", OF_ARTICLE, "key", "status", "reason", PRINT,
        *(says(columns, field).alias(name) for name, field in fields.items()),
        texts_of(pl.col(OF_ARTICLE), texts),
    )  # fmt: skip
    return read.collect().sort("row")


def range_of(feed_id: int) -> Range:
    """The range as the run has filled it that was prepared last."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed, store_id = feeds.get(feed_id), feeds.store_id
        last = [run for run in Runs(db, store_id).filling(feed_id) if _filled(run)]
        run = last[0] if last else None
        before = next((r for r in last if run and r.delivery_id != run.delivery_id), None)
        schema, revision = Stores(db).schema(store_id), Stores(db).get(store_id).revision
        made_of = (
            run and run.changes, before and before.changes, feed.picked, revision, schema.key,
        )  # fmt: skip

        def look() -> Range:
            known = listing_of(db, store_id).frame["key"]
            return Range(run, before, schema, known, picked_of(db, feed))

        key = ("range", artifacts().root, feed_id, *made_of)
        return remembered(key, look)


def _filled(run: Run) -> bool:
    """Whether what a run made of a whole delivery is kept, with what its articles are."""
    return "hashed" in run.used and artifacts().exists(changeset_name(run))


def range_view(feed_id: int) -> RangeView:
    """What a feed's range amounts to. Raises ``NotFound``."""
    found = range_of(feed_id)
    bench = open_workbench(feed_id)
    run, before = found.run, found.before
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
    roles = {name: found.schema.with_role(role) for role, name in _NUMBERS.items()}
    return RangeView(
        run_id=run.id if run else None,
        file_name=run.used.get("file_name", "") if run else "",
        filled_at=run.created_at if run else None,
        behind=_behind(feed_id, run, bench) if run else "",
        before=before.used.get("file_name", "") if before and found.compared is not None else None,
        only_picked=bench.crosswalk.policy.products == "picked",
        rules=rules_of(feed),
        picks=found.picked.articles.len(),
        categories=sorted(found.rows["category"].drop_nulls().unique()),
        shown={name: field.label for name, field in roles.items() if field},
        counts=found.counts(),
    )


def _behind(feed_id: int, run: Run, bench: Workbench) -> str:
    if run.delivery_id != bench.source.id:
        return f"{bench.source.delivery.file_name} has come since"
    with session() as db:
        walks = Crosswalks(db, bench.store_id)
        same = walks.bundle(Runs(db, bench.store_id).version(run)) == bench.bundle()
    return "" if same else "the crosswalk has changed since"


def range_page(
    feed_id: int, shown: Shown, sort: Sort, descending: bool, offset: int, limit: int
) -> RangePage:
    """Articles of the range, in the order of the delivery or of what is said of them; those of
    which nothing is said come last."""
    rows = range_of(feed_id).chosen(shown)
    if sort != "row" or descending:
        number = pl.col(sort).cast(NUMBER, strict=False)
        by = number if sort in _NUMBERS.values() else pl.col(sort)
        rows = rows.sort(by, descending=descending, nulls_last=True, maintain_order=True)
    page = rows.slice(offset, limit).select(_COLUMNS[:-1])
    return RangePage(
        total=rows.height, rows=[RangeRow.model_validate(r) for r in page.iter_rows(named=True)]
    )


def range_csv(feed_id: int, shown: Shown) -> bytes:
    """The same as CSV (UTF-8 with a mark)."""
    rows = range_of(feed_id).chosen(shown)
    return rows.select(_COLUMNS[:-1]).write_csv(include_bom=True).encode()


class PickEdit(BaseModel):
    """Articles that are picked, or no more: named one by one, or all that a filter shows."""

    pick: bool = True
    articles: list[str] | None = Field(default=None, max_length=20_000)
    shown: Shown | None = None


class PickedNow(BaseModel):
    """How many are picked now that were not, or the other way round; ``articles`` names them,
    unless there are too many to be sent back. ``unknown`` are named ones that the range does not
    have: nothing is changed of them."""

    changed: int
    articles: list[str] | None
    unknown: list[str]


#: Articles that can be named in one request.
MOST = 20_000


def pick(feed_id: int, edit: PickEdit) -> PickedNow:
    """Pick articles of the range, or pick them no more. Raises ``Conflict`` where none is
    named."""
    found = range_of(feed_id)
    articles, unknown = _asked(found, edit)
    with session() as db:
        picks = Picks(db, Feeds.holding(db, feed_id).store_id)
        changed = (picks.pick if edit.pick else picks.drop)(feed_id, articles)
    named = changed.to_list() if changed.len() <= MOST else None
    return PickedNow(changed=changed.len(), articles=named, unknown=unknown)


def _asked(found: Range, edit: PickEdit) -> tuple[pl.Series, list[str]]:
    if edit.shown is not None:
        return found.chosen(edit.shown)[OF_ARTICLE].drop_nulls(), []
    named = [a for a in dict.fromkeys(a.strip() for a in edit.articles or []) if a]
    if not named:
        raise Conflict("No article is named.", remedy="Name articles, or a filter.")
    asked = pl.Series(OF_ARTICLE, named, pl.String)
    there = found.rows[OF_ARTICLE] if edit.pick else found.picked.articles
    known = asked.is_in(there.implode())
    return asked.filter(known), asked.filter(~known).to_list()
