"""A feed's range: what it said of each of its articles last, as its crosswalk filled them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from threading import Lock
from typing import Literal

import polars as pl
from pydantic import BaseModel, Field

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.marks import NEW
from nomotax.core.changes.offers import OF_ARTICLE, PRINT, says, searched, texts_of
from nomotax.core.changes.picking import OF, Picked, PickRule, has_text, of_branch, says_value
from nomotax.core.errors import Conflict, NotFound
from nomotax.core.kinds import FieldKind
from nomotax.core.numbers import NUMBER
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.flows.changesets import changeset_name
from nomotax.flows.listing import listing_of
from nomotax.flows.picking import picked_of, rules_of
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import database_url, session
from nomotax.records.picks import Picks
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: All articles; those that are picked; with and without a product in the store; new, changed and
#: gone since the delivery before; and those that a run would not take as they are.
Group = Literal[
    "all", "picked", "in_store", "not_in_store", "new", "changed", "gone", "faulty"
]  # fmt: skip
_FAULTY = ["held", "rejected"]
#: Before the names of the fields that articles are shown by.
#: So many at most; first those of these roles, then others in their order.
_SHOWN = 6
_FIRST = (Role.TITLE, Role.COST, Role.PRICE, Role.STOCK)
_LONG = (FieldKind.LINK, FieldKind.LINKS)


class ShownField(BaseModel):
    """A field that articles are shown by."""

    name: str
    label: str
    numeric: bool


class RangeView(BaseModel):
    """``run_id`` is the run that filled it, null while none has; ``behind`` says why another one
    would fill it otherwise by now. ``counts`` are articles by group; those that are *new*,
    *changed* or *gone* are so since ``before``, the delivery before, null where there was none or
    it cannot be compared. ``shown`` are the fields that articles are shown by."""

    run_id: int | None
    file_name: str
    filled_at: datetime | None
    behind: str
    before: str | None
    only_picked: bool
    rules: list[PickRule]
    picks: int
    categories: list[str]
    shown: list[ShownField]
    counts: dict[Group, int]


class RangeRow(BaseModel):
    """What the feed says of an article; ``status`` is what a run makes of it, ``reason`` why. One
    that is picked ``by_rule`` stays so until the rule goes."""

    row: int | None
    article: str | None
    values: dict[str, str | None]
    key: str | None
    in_store: bool
    picked: bool
    by_rule: bool
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
    field: str = ""
    value: str = ""


@dataclass(frozen=True)
class Said:
    """What a feed says of its articles by a run, and said by the one ``before``; ``asked`` are
    fields that rules pick by, shown or not."""

    run: Run | None
    before: Run | None
    schema: StoreSchema
    asked: tuple[str, ...] = ()

    @cached_property
    def rows(self) -> pl.DataFrame:
        """A row for each article's row and for each article that is gone: row, article, key, since,
        status, reason, ``of:<field>``, category, and ``texts`` that they are searched by."""
        if self.run is None:
            return pl.DataFrame(schema=dict.fromkeys(_SAID, pl.String))
        here = self._read(self.run)
        found = here.with_columns(since=self._since(here))
        if self.compared is not None:
            gone = self.compared.join(here, on=OF_ARTICLE, how="anti")
            found = pl.concat([found, gone.with_columns(_GONE)], how="diagonal")
        return found

    @cached_property
    def compared(self) -> pl.DataFrame | None:
        """The articles of the delivery before, each once; None where they cannot be compared."""
        if self.run is None or self.before is None:
            return None
        # A hash of one version of the library says nothing beside one of another.
        if self.run.used.get("hashed") != self.before.used.get("hashed"):
            return None
        before = self._read(self.before).drop_nulls(OF_ARTICLE)
        return before.unique(OF_ARTICLE, keep="first", maintain_order=True)

    @cached_property
    def fields(self) -> list[StoreField]:
        """Fields that articles are shown by."""
        if self.run is None:
            return []
        filled = artifacts().scan(changeset_name(self.run)).collect_schema().names()
        there = [f for f in self.schema.fields if NEW + f.name in filled]
        first = [f for role in _FIRST for f in there if f.role == role]
        first += [f for f in [self.schema.category_field] if f in there and f]
        others = [f for f in there if f.role != Role.TEXT and f.kind not in _LONG]
        every = dict.fromkeys(f.name for f in [*first, *others] if f.name != self.schema.key)
        shown = set(list(every)[:_SHOWN])
        title = self.schema.with_role(Role.TITLE)
        # What it is called first, numbers last, as in any list of goods.
        return sorted(
            (f for f in there if f.name in shown), key=lambda f: (f is not title, f.numeric)
        )

    def _read(self, run: Run) -> pl.DataFrame:
        """What a run's changeset has of a feed's articles."""
        scan = artifacts().scan(changeset_name(run))
        columns = scan.collect_schema().names()
        place = self.schema.category_field
        texts = [says(columns, name) for name in searched(self.schema, self.schema.names)]
        read = scan.filter(pl.col("row").is_not_null()).select(
            "row", OF_ARTICLE, "key", "status", "reason", PRINT,
            says(columns, place.name if place else "").alias("category"),
            texts_of(pl.col(OF_ARTICLE), texts),
            *(says(columns, name).alias(OF + name)
              for name in dict.fromkeys([*(f.name for f in self.fields), *self.asked])),
        )  # fmt: skip
        return read.collect().sort("row")

    def _since(self, here: pl.DataFrame) -> pl.Series:
        if self.compared is None:
            return pl.Series([None], dtype=pl.String).new_from_index(0, here.height)
        before = self.compared.select(OF_ARTICLE, pl.col(PRINT).alias("was"))
        aside = here.join(before, on=OF_ARTICLE, how="left", maintain_order="left")
        new, same = pl.col("was").is_null(), pl.col("was") == pl.col(PRINT)
        said = pl.when(new).then(pl.lit("new")).when(same).then(pl.lit("same"))
        known = pl.col(OF_ARTICLE).is_not_null()
        return aside.select(pl.when(known).then(said.otherwise(pl.lit("changed")))).to_series()

    @cached_property
    def categories(self) -> list[str]:
        return sorted(self.rows["category"].drop_nulls().unique())


@dataclass(frozen=True)
class Range:
    """The same beside the catalog and what is picked; ``in_store`` is told of each row."""

    said: Said
    in_store: pl.Series
    picked: Picked

    @cached_property
    def rows(self) -> pl.DataFrame:
        """The rows with ``in_store``, ``picked`` and ``by_rule``."""
        said, ruled = self.said.rows, Picked(self.picked.articles.clear(), self.picked.rules)
        marks = [self.in_store.alias("in_store"), self.picked.of(said)]
        return said.with_columns(*marks, ruled.of(said).alias("by_rule"))

    @cached_property
    def _orders(self) -> OrderedDict[Hashable, pl.Series]:
        return OrderedDict()

    def places(self, shown: Shown, sort: str, descending: bool) -> pl.Series:
        """Where the rows stand that a filter chooses, in an order."""
        asked = (*(getattr(shown, name) for name in Shown.model_fields), sort, descending)
        if asked not in self._orders:
            rows = self.chosen(shown, self.rows.with_row_index("at"))
            if sort != "row" or descending:
                by = _sorted_by(self.said, sort)
                rows = rows.sort(by, descending=descending, nulls_last=True, maintain_order=True)
            while len(self._orders) >= _KEPT:
                self._orders.popitem(last=False)
            self._orders[asked] = rows["at"]
        return self._orders[asked]

    def chosen(self, shown: Shown, rows: pl.DataFrame | None = None) -> pl.DataFrame:
        """The rows that a filter chooses. Those that are gone are only seen among themselves."""
        rows = (self.rows if rows is None else rows).filter(_fits(shown.group))
        if shown.category:
            rows = rows.filter(of_branch(pl.col("category"), shown.category))
        if shown.field:
            if OF + shown.field not in rows.columns:
                raise NotFound(f"The range does not show {shown.field!r}.")
            rows = rows.filter(says_value(shown.field, shown.value))
        return rows.filter(has_text(pl.col("texts"), shown.search)) if shown.search else rows

    @cached_property
    def counts(self) -> dict[Group, int]:
        """Rows by group."""
        groups: tuple[Group, ...] = Group.__args__  # type: ignore[attr-defined]  # of a Literal
        counted = self.rows.select(_fits(group).sum().alias(group) for group in groups)
        return dict(zip(groups, counted.row(0), strict=True))


_SAID = ("row", "article", "key", "since", "status", "reason", "category", "texts")
#: Filters and orders of one range that are kept.
_KEPT = 8
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


@dataclass(frozen=True)
class _Stamp:
    """What a range is made of: the changesets and the store's rules, its catalog, what is
    picked."""

    files: tuple[str, ...]
    rules: int
    catalog: int
    picked: int


#: Ranges that are kept, each with its articles; of each feed the last one.
_OPEN = 4
_ranges: OrderedDict[Hashable, tuple[_Stamp, Range]] = OrderedDict()
_turn = Lock()


def range_of(feed_id: int) -> Range:
    """The range as the run has filled it that was prepared last. Of the one that was kept all is
    taken over that is still true."""
    key = (database_url(), artifacts().root, feed_id)
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed, store = feeds.get(feed_id), Stores(db).get(feeds.store_id)
        filled = [run for run in Runs(db, feeds.store_id).filling(feed_id) if _filled(run)]
        run = filled[0] if filled else None
        before = next((r for r in filled if run and r.delivery_id != run.delivery_id), None)
        files = tuple(one.changes for one in (run, before) if one)
        stamp = _Stamp(files, store.rules_revision, store.revision, feed.picked)
        with _turn:
            was, known = _ranges.get(key, (None, None))
        if known is not None and was == stamp:
            return known
        picked = picked_of(db, feed)
        same = known and was and (was.files, was.rules) == (stamp.files, stamp.rules)
        same = same and known and {*picked.fields} <= {*known.said.asked}
        schema = Stores(db).schema(feed.store_id)
        said = known.said if known and same else Said(run, before, schema, tuple(picked.fields))
        if known and same and was and was.catalog == stamp.catalog:
            there = known.in_store
        else:
            keys = listing_of(db, feed.store_id).frame["key"]
            there = said.rows["key"].is_in(keys.implode()).fill_null(False)
        made = Range(said, there, picked)
    with _turn:
        _ranges[key] = (stamp, made)
        _ranges.move_to_end(key)
        while len(_ranges) > _OPEN:
            _ranges.popitem(last=False)
    return made


def _filled(run: Run) -> bool:
    """Whether what a run made of a whole delivery is kept, with what its articles are."""
    return "hashed" in run.used and artifacts().exists(changeset_name(run))


def range_view(feed_id: int) -> RangeView:
    """What a feed's range amounts to. Raises ``NotFound``."""
    found = range_of(feed_id)
    bench = open_workbench(feed_id)
    said, run, before = found.said, found.said.run, found.said.before
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
    return RangeView(
        run_id=run.id if run else None,
        file_name=run.used.get("file_name", "") if run else "",
        filled_at=run.created_at if run else None,
        behind=_behind(feed_id, run, bench) if run else "",
        before=before.used.get("file_name", "") if before and said.compared is not None else None,
        only_picked=bench.crosswalk.policy.products == "picked",
        rules=rules_of(feed),
        picks=found.picked.articles.len(),
        categories=said.categories,
        shown=[ShownField(name=f.name, label=f.label, numeric=f.numeric) for f in said.fields],
        counts=found.counts,
    )


def _behind(feed_id: int, run: Run, bench: Workbench) -> str:
    if run.delivery_id != bench.source.id:
        return f"{bench.source.delivery.file_name} has come since"
    with session() as db:
        walks = Crosswalks(db, bench.store_id)
        same = walks.bundle(Runs(db, bench.store_id).version(run)) == bench.bundle()
    return "" if same else "the crosswalk has changed since"


def range_page(
    feed_id: int, shown: Shown, sort: str, descending: bool, offset: int, limit: int
) -> RangePage:
    """Articles of the range, in the order of their rows, of their numbers, or of a field that is
    shown; those of which it says nothing come last. Raises ``NotFound`` for another."""
    found = range_of(feed_id)
    places = found.places(shown, sort, descending)
    page = found.rows[places.slice(offset, limit)]
    return RangePage(total=places.len(), rows=[_row(one) for one in page.iter_rows(named=True)])


def _sorted_by(said: Said, sort: str) -> pl.Expr:
    if sort in ("row", OF_ARTICLE):
        return pl.col(sort)
    field = next((f for f in said.fields if f.name == sort), None)
    if field is None:
        raise NotFound(f"The range is not shown by {sort!r}.")
    return pl.col(OF + sort).cast(NUMBER, strict=False) if field.numeric else pl.col(OF + sort)


def _row(one: dict[str, object]) -> RangeRow:
    values = {c.removeprefix(OF): value for c, value in one.items() if c.startswith(OF)}
    return RangeRow.model_validate(one | {"values": values})


def range_csv(feed_id: int, shown: Shown) -> bytes:
    """The same as CSV (UTF-8 with a mark), in the order of the rows."""
    found = range_of(feed_id)
    values = [pl.col(OF + f.name).alias(f"their {f.name}") for f in found.said.fields]
    own = ("key", "in_store", "picked", "by_rule", "since", "status", "reason")
    out = found.chosen(shown).select("row", OF_ARTICLE, *values, *own)
    return out.write_csv(include_bom=True).encode()


#: Articles that can be named in one request.
MOST = 20_000


class PickEdit(BaseModel):
    """Articles that are picked, or no more: named one by one, or all that a filter shows."""

    pick: bool = True
    articles: list[str] | None = Field(default=None, max_length=MOST)
    shown: Shown | None = None


class PickedNow(BaseModel):
    """How many are picked now that were not, or the other way round; ``articles`` names them,
    unless there are too many to be sent back. ``unknown`` are named ones that the range does not
    have: nothing is changed of them."""

    changed: int
    articles: list[str] | None
    unknown: list[str]


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
    there = found.said.rows[OF_ARTICLE] if edit.pick else found.picked.articles
    # The few are looked for among the many, not the other way round: that would hash them all.
    known = asked.is_in(there.filter(there.is_in(asked.implode())).implode())
    return asked.filter(known), asked.filter(~known).to_list()
