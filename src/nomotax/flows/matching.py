"""Who is who: which products the rows of a delivery are about, as its crosswalk says by now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import polars as pl
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.crosswalk.compiler import ARTICLE, TOLD, Plan, compile_plan
from nomotax.core.crosswalk.identity import Identity, Way
from nomotax.core.kinds import FieldKind
from nomotax.core.matching.finder import BY, FOUND, PAIRED
from nomotax.core.matching.partners import Partners
from nomotax.core.matching.rows import MATCHED, fated
from nomotax.core.schema.model import Role
from nomotax.core.table import ROW
from nomotax.flows.listing import listing_of
from nomotax.flows.workbench import Workbench, open_workbench, remembered
from nomotax.records.database import session
from nomotax.records.pairings import Pairings

#: Fields that may tell a product.
_TELLING = (FieldKind.TEXT, FieldKind.GTIN, FieldKind.IDENTIFIER)
#: Roles of texts that tell none.
_SAYING = (Role.TEXT, Role.PICTURE, Role.PICTURES, Role.PICTURE_TEXT, Role.PICTURE_TEXTS,
           Role.GROUP, Role.OPTIONS, Role.STOCK)  # fmt: skip
#: Columns that an article may be known by are more often different than this.
_DISTINCT = 0.8
#: Products that a row is shown with.
_CANDIDATES = 10
#: Fields that rows are shown by beside those that find their products.
_SHOWN = 6

#: Rows that find one product, several, or none; whose article is left out, or paired with a
#: product that is gone; those with the key of a product that they are not about; and those for a
#: product that another row is for, too.
Group = Literal["all", "found", "several", "none", "left_out", "lost", "key_taken", "together"]
_FATES: dict[str, Group] = {
    "found": "found", "doubled": "several", "waits": "none", "none": "none", "new": "none",
    "left out": "left_out", "lost": "lost",
}  # fmt: skip


class TellingField(BaseModel):
    """A store field that may tell a product, and whether the crosswalk fills it."""

    name: str
    label: str
    filled: bool


class WayCount(BaseModel):
    """A way, and the rows that find one product by it, or several."""

    way: Way
    found: int
    several: int


class MatchingView(BaseModel):
    """How the rows of a delivery find products. ``ways`` are those of ``identity``, each with what
    it decides after those before it; ``counts`` are rows by group; ``columns`` are those that the
    supplier's own number may stand in, the likeliest first; ``pairings`` counts what is decided of
    the supplier's articles, ``paired`` the rows that a pairing decides."""

    delivery_id: int
    file_name: str
    supplier: str
    revision: int
    rows: int
    identity: Identity
    key_label: str
    makes: bool
    fields: list[TellingField]
    columns: list[str]
    ways: list[WayCount]
    paired: int
    pairings: int
    counts: dict[Group, int]


class Candidate(BaseModel):
    """A product that a row is about, or may be; ``why`` says so of one that is only likely."""

    key: str
    title: str
    why: str = ""


class MatchedRow(BaseModel):
    """A row with what tells its product by field. ``by`` is the number of the way that has found
    its product, -1 a pairing, null none."""

    row: int
    article: str | None
    title: str | None
    told: dict[str, str | None]
    group: Group
    by: int | None
    found: int
    products: list[Candidate]


class MatchedPage(BaseModel):
    total: int
    rows: list[MatchedRow]


@dataclass(frozen=True)
class _Matching:
    """A workbench's whole delivery beside the catalog."""

    bench: Workbench

    @property
    def plan(self) -> Plan:
        return self.bench.plan

    @cached_property
    def fields(self) -> list[str]:
        """What rows are shown by: what finds their products, and what else is filled that might."""
        filled = [f.name for f in telling_fields(self.bench) if f.filled]
        own = [self.title] if self.title else []
        return list(dict.fromkeys([*self.plan.identity.fields, *filled[:_SHOWN], *own]))

    @property
    def title(self) -> str:
        """The field that a product is called by; "" where the store has none."""
        return title_field(self.bench)

    @cached_property
    def rows(self) -> pl.DataFrame:
        """Row, key, what was told, ``__by``, ``__found``, ``group``, and ``together`` where
        another row is about the same product."""
        plan, fields = self.plan, self.fields
        arriving = artifacts().scan(self.bench.source.artifact).collect()
        finder = self.bench.finder
        rows = fated(told_of(self.bench, arriving, fields), plan, finder)
        found, new = pl.col(MATCHED) == "found", pl.col(MATCHED) == "new"
        own = pl.when(found).then(pl.col(FOUND).list.first()).when(new).then("key")
        strange = new & pl.col("key").is_in(finder.keys.implode())
        group = pl.col(MATCHED).replace_strict(_FATES, return_dtype=pl.String)
        return rows.with_columns(
            (own.is_not_null() & own.is_duplicated()).alias("together"),
            pl.when(strange).then(pl.lit("key_taken")).otherwise(group).alias("group"),
        )

    def chosen(self, group: Group, search: str) -> pl.DataFrame:
        """The rows of a group that have a text in what is told of them."""
        rows = self.rows
        if search:
            rows = rows.filter(self._told.str.contains(search.lower(), literal=True))
        if group == "together":
            return rows.filter("together")
        return rows if group == "all" else rows.filter(pl.col("group") == group)

    @cached_property
    def _told(self) -> pl.Series:
        """What is told of each row, to be searched; a line each, as nobody searches for breaks."""
        texts = [c for c in self.rows.columns if c.startswith(TOLD) or c == ARTICLE]
        whole = pl.concat_str(texts, separator="\n", ignore_nulls=True)
        return self.rows.select(whole.str.to_lowercase()).to_series()


def _matching(bench: Workbench) -> _Matching:
    """Kept while nothing that it is made of has changed."""
    return bench.remembered("matching", lambda: _Matching(bench))


def matching(feed_id: int, delivery_id: int | None = None) -> MatchingView:
    """How many rows find what. Raises ``NotFound``."""
    bench = open_workbench(feed_id, delivery_id)
    found = _matching(bench)
    rows = found.rows
    counts: dict[Group, int] = {"all": rows.height, "together": int(rows["together"].sum())}
    counts |= dict.fromkeys([*_FATES.values(), "key_taken"], 0)
    counts |= dict(rows["group"].value_counts().iter_rows())
    by = {(way, group): n for way, group, n in rows.group_by(BY, "group").len().iter_rows()}
    with session() as db:
        pairings = Pairings(db, bench.store_id).count(bench.source.feed.supplier_id)
    return MatchingView(
        delivery_id=bench.source.id,
        file_name=bench.source.delivery.file_name,
        supplier=bench.source.supplier,
        revision=bench.record.revision,
        rows=rows.height,
        identity=bench.crosswalk.identity,
        key_label=bench.schema[bench.schema.key].label,
        makes=bench.crosswalk.policy.products != "change",
        fields=telling_fields(bench),
        columns=_columns(bench),
        ways=[
            WayCount(way=way, found=by.get((n, "found"), 0), several=by.get((n, "several"), 0))
            for n, way in enumerate(found.plan.identity.ways)
        ],
        paired=by.get((PAIRED, "found"), 0),
        pairings=pairings,
        counts=counts,
    )


def telling_fields(bench: Workbench) -> list[TellingField]:
    """The store's fields that may tell a product."""
    fills = bench.crosswalk.all_fills()
    fields = [
        f
        for f in bench.schema.fields
        if f.name == bench.schema.key or (f.kind in _TELLING and f.role not in _SAYING)
    ]
    return [TellingField(name=f.name, label=f.label, filled=f.name in fills) for f in fields]


def _columns(bench: Workbench) -> list[str]:
    """Columns whose cells are different, those first that fill what tells a product."""
    key = bench.crosswalk.all_fills().get(bench.schema.key)
    first = [c for c in key.columns if c in bench.source.columns] if key else []
    several = [
        p.name
        for p in bench.profiles
        if p.filled and p.distinct >= _DISTINCT * p.filled and p.name not in first
    ]
    return [*first, *several]


def matched_rows(
    feed_id: int,
    group: Group,
    search: str = "",
    offset: int = 0,
    limit: int = 50,
    delivery_id: int | None = None,
) -> MatchedPage:
    """Rows of a group, with their products, or with those that they are likely about."""
    bench = open_workbench(feed_id, delivery_id)
    found = _matching(bench)
    chosen = found.chosen(group, search)
    page = chosen.slice(offset, limit)
    return MatchedPage(total=chosen.height, rows=_shown(found, page))


def matched_csv(feed_id: int, group: Group, delivery_id: int | None = None) -> bytes:
    """The rows of a group as CSV: row, article, what was told, and the keys of their products."""
    found = _matching(open_workbench(feed_id, delivery_id))
    rows = found.chosen(group, "")
    article = [pl.col(ARTICLE).alias("article")] if ARTICLE in rows.columns else []
    told = [pl.col(TOLD + f).alias(f"their {f}") for f in found.fields]
    own = pl.col(FOUND).list.join(" | ").alias("products")
    out = rows.select(pl.col(ROW).alias("row"), *article, *told, "group", own)
    return out.write_csv(include_bom=True).encode()


def told_of(bench: Workbench, arriving: pl.DataFrame, fields: Sequence[str]) -> pl.DataFrame:
    """Row, key, ``__article`` and ``__told:<field>`` of rows, null where nothing says so."""
    columns = bench.source.columns
    plan = compile_plan(
        bench.runnable, bench.schema, bench.context, columns, {}, telling=list(fields)
    )
    told = plan.told(arriving)
    nothing = pl.lit(None, pl.String).alias(ARTICLE)
    return told if ARTICLE in told.columns else told.with_columns(nothing)


def _shown(found: _Matching, page: pl.DataFrame) -> list[MatchedRow]:
    """Rows with the titles of their products; those without one with likely partners."""
    fields = [f for f in found.fields if f not in (found.title, found.bench.schema.key)]
    likely = _likely(found, page.filter(pl.col("group").is_in(["none", "lost"])))
    keys = page[FOUND].explode(empty_as_null=False).drop_nulls().unique()
    titles = dict(_titles(found.bench, keys).iter_rows())
    return [
        MatchedRow(
            row=row[ROW],
            article=row.get(ARTICLE),
            title=row[TOLD + found.title] if found.title else None,
            told={f: row[TOLD + f] for f in fields},
            group=row["group"],
            by=row[BY],
            found=len(row[FOUND] or []),
            products=[
                Candidate(key=key, title=titles.get(key) or "")
                for key in (row[FOUND] or [])[:_CANDIDATES]
            ]
            or likely.get(row[ROW], []),
        )
        for row in page.iter_rows(named=True)
    ]


def title_field(bench: Workbench) -> str:
    """The field that products are called by, or the first text that may be."""
    title = bench.schema.with_role(Role.TITLE)
    texts = [f for f in telling_fields(bench) if f.name != bench.schema.key]
    return title.name if title else next((f.name for f in texts), "")


def _titles(bench: Workbench, keys: pl.Series) -> pl.DataFrame:
    """What some products are called, by their keys."""
    name = title_field(bench)
    with session() as db:
        products = listing_of(db, bench.store_id).values([name] if name else [])
    called = pl.col(TOLD + name) if name else pl.lit(None, pl.String)
    return products.filter(pl.col("key").is_in(keys.implode())).select("key", called.alias("title"))


def _likely(found: _Matching, rows: pl.DataFrame) -> dict[int, list[Candidate]]:
    """Of rows without a product, those that they are likely about."""
    if rows.is_empty():
        return {}
    bench = found.bench
    title = title_field(bench)
    labels = {f.name: f.label for f in telling_fields(bench) if f.name != title}
    partners = remembered(
        ("partners", artifacts().root, bench.store_id, bench.target.revision, title, *labels),
        lambda: _partners(bench.store_id, title, labels),
    )
    scan = artifacts().scan(bench.source.artifact)
    own = pl.col(ROW).is_in(rows[ROW].implode())
    arriving = scan.filter(own).collect()
    asked = [*labels, title] if title else list(labels)
    told = told_of(bench, arriving, asked).rename({ROW: "row"})
    best = partners.likely(told)
    titles = dict(_titles(bench, best["key"]).iter_rows())
    shown: dict[int, list[Candidate]] = {}
    for row, key, _, why in best.iter_rows():
        shown.setdefault(row, []).append(Candidate(key=key, title=titles.get(key) or "", why=why))
    return shown


def _partners(store_id: int, title: str, labels: Mapping[str, str]) -> Partners:
    with session() as db:
        products = listing_of(db, store_id).values([*labels, title] if title else list(labels))
    return Partners(products, title, labels)
