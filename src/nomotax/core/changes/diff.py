"""What a delivery would do to the catalog, product by product and field by field."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import polars as pl

from nomotax.core.changes.allowed import key_of_another, not_allowed, not_picked, unpicked
from nomotax.core.changes.fitting import unfit
from nomotax.core.changes.handed import handed_over
from nomotax.core.changes.later import AT_ONCE, DAY, LATER, Days, now_differs, touches
from nomotax.core.changes.marks import MOVED_BY, NEW, OLD, OWNER
from nomotax.core.changes.offers import (
    ASIDE,
    HOLDS,
    OF_ARTICLE,
    PRINT,
    SAID,
    article_of,
    told_aside,
)
from nomotax.core.changes.picking import Picked
from nomotax.core.changes.policy import Gone, may_be_written, ruled, stock_of
from nomotax.core.changes.remembered import (
    DECLINED_BEFORE,
    NOT_MADE,
    NOT_MADE_BEFORE,
    not_made,
    without_declined,
)
from nomotax.core.changes.states import HIDDEN, STATE, TAKEN_OUT
from nomotax.core.changes.uniqueness import KEY_OF, must_differ, not_unique
from nomotax.core.crosswalk.compiler import TOLD, FilledField, Plan, as_text
from nomotax.core.crosswalk.problems import (
    CONTENT,
    FATE,
    PROBLEM_SCHEMA,
    SUMS,
    across_rows,
    fates,
    narrow,
    of_rows,
    own_problems,
    stock_summed,
    sums,
    without_missing,
)
from nomotax.core.matching.finder import FOUND, Finder, Known
from nomotax.core.matching.numbering import GIVEN, Numbers, in_words, unfit_keys, with_given
from nomotax.core.matching.rows import Matched, match
from nomotax.core.resolve.offers import TAKEN, Standing
from nomotax.core.schema.model import Role
from nomotax.core.table import ROW

STATUSES = ("new", "changed", "same", "held", "rejected", "left out", "gone")
#: Whether the catalog has the product of a row.
_KNOWN = "__known"
#: Where a line lies in its piece; a row may have several.
_AT = "__at"
#: What is said of sound rows.
_NOTES = (HOLDS, AT_ONCE, DECLINED_BEFORE)


class Catalog(Protocol):
    """The products that a delivery is compared with."""

    def beside(self, keys: pl.Series, fields: Sequence[str]) -> pl.DataFrame:
        """``__owner``, the state, ``__moved_by`` and ``old:<field>`` of the product of each key, in
        their order, all text but ``__moved_by``; null where there is none."""

    def pieces(
        self, fields: Sequence[str], keys: pl.Series | None = None
    ) -> Iterator[pl.DataFrame]:
        """The same with their keys, of all products or of some, piece by piece."""


@dataclass(frozen=True)
class Noted:
    """What is kept of a piece until all are taken: how many rows it had, what other rows have to do
    with of each, the problems that rows have by themselves and with the catalog, the keys of
    products that rows which wait may be about, and in how many rows each field is filled."""

    rows: int
    seen: pl.DataFrame
    own: pl.DataFrame
    beyond: pl.DataFrame
    meant: pl.Series
    filled: Mapping[str, int]


def fields_beside(plan: Plan) -> list[str]:
    """The fields of the catalog's products that a comparison looks at."""
    return list(dict.fromkeys([*plan.fields, *stock_of(plan), *plan.identity.fields]))


class Comparison:
    """A delivery beside the catalog, piece by piece: each is filled and compared by itself; what
    one row has to do with another is told when all have been seen, out of what little of each row
    that takes; then each piece is judged.

    What may change is the plan's policy: without more, only products of ``owner``, so that a row
    that would change another's is rejected. A product that was taken out comes back with the row
    that names it, and so does one that a run of ``feed`` has hidden or archived. ``kept`` has the
    keys of products by the field that is kept by hand: it stays as it is. Where rows find their
    products otherwise than by their keys, ``pairings``, as ``finder.PAIRINGS``, come first. Where
    only ``picked`` articles make products, nothing is asked of the others. Among other offers,
    ``standing``, those values are compared that hold. Products that are made without a key are
    given one of ``numbers``. ``days`` tells which values hold only from a later one on. With
    ``only_picked`` all rows of other articles are left out. What is ``remembered`` as declined
    changes nothing, and the products of the ``refused`` articles, as ``ARTICLES``, are not made.
    """

    def __init__(
        self,
        plan: Plan,
        catalog: Catalog,
        owner: str,
        feed: int,
        kept: Mapping[str, Sequence[str]] | None = None,
        pairings: pl.DataFrame | None = None,
        picked: Picked | None = None,
        standing: Standing | None = None,
        numbers: Numbers | None = None,
        days: Days | None = None,
        only_picked: bool = False,
        remembered: pl.DataFrame | None = None,
        refused: pl.DataFrame | None = None,
    ) -> None:
        self.plan, self.catalog, self.kept = plan, catalog, kept or {}
        self.owner, self.feed, self.picked, self.standing = owner, feed, picked, standing
        self.numbers, self.days, self.only_picked = numbers, days, only_picked
        self.remembered, self.refused = remembered, refused
        #: What stood for keys, with those that were given; known when all are noted.
        self.given = pl.DataFrame(schema=GIVEN)
        self._noted: list[Noted] = []
        #: The stock that rows which are taken for several have; known when all are noted.
        self._sums = pl.DataFrame(schema=SUMS)
        self._finder = None if plan.by_key else Finder(plan.identity, self._known(), pairings)

    def _known(self) -> Known:
        """What may tell the products of the catalog."""
        fields = self.plan.identity.fields
        there = pl.col(STATE).ne_missing(TAKEN_OUT).alias("there")
        pieces = self.catalog.pieces(fields)
        return Known.of((p.select("key", there, *_named(fields)) for p in pieces), fields)

    def take(self, arriving: pl.DataFrame) -> tuple[pl.DataFrame, Noted]:
        """Fill rows and compare them; gives them in a shape to be judged when all are taken, and
        what is to be noted of them. Several pieces may be taken at once."""
        plan = self.plan
        filled = plan.fill(arriving)
        matched = match(filled, plan, self._finder) if self._finder else _by_key(filled)
        own = matched.asked(own_problems(filled, plan, arriving), plan)
        rows = _as_texts(matched.rows, plan)
        joined = self._beside(self._standing(self._with_days(rows)))
        known = joined.filter(pl.col(OWNER).is_not_null())[ROW].cast(pl.UInt32)
        refused = not_allowed(joined, plan, self._owners)
        beyond = pl.concat([matched.problems, *refused])
        left = unpicked(rows, joined, plan, self.picked, self.only_picked)
        if left.height:
            numbers = left[ROW].cast(pl.UInt32).implode()
            own, beyond = (said.filter(~pl.col("row").is_in(numbers)) for said in (own, beyond))
            beyond = pl.concat([beyond, not_picked(left, plan, self.only_picked)])
        differing = (NEW + one.field.name for one in plan.filled if must_differ(one, plan))
        alone = joined.select("key", *differing).rename({"key": KEY_OF})
        seen = narrow(matched.rows, plan)
        if not plan.by_key:
            # A row with the key of a product that it is not about is in the way of none that is.
            strange, key = joined.select(key_of_another()).to_series(), plan.schema.key
            seen = seen.with_columns(pl.when(~strange).then(key).alias(key))
        if left.height:
            asked, key = ~seen[ROW].is_in(left[ROW].implode()), plan.schema.key
            seen = seen.with_columns(pl.when(asked).then(key).alias(key))
            alone = alone.with_columns(pl.when(asked).then(KEY_OF).alias(KEY_OF))
        noted = Noted(
            filled.height,
            pl.concat([seen, alone], how="horizontal"),
            without_missing(own, known, plan),
            beyond,
            matched.meant,
            {f: rows.height - rows[NEW + f].null_count() for f in plan.fields},
        )
        lines = joined.select(
            pl.col(ROW).alias("row"), "key", _title(plan).alias("title"), "fields",
            pl.col(OWNER).is_not_null().alias(_KNOWN),
            *(c for f in plan.fields for c in (NEW + f, OLD + f)), *_state_sides(joined, plan),
            rows[OF_ARTICLE], seen[CONTENT].alias(PRINT), *self._notes(),
            *(c for c in joined.columns if c in (LATER, DECLINED_BEFORE) or c.startswith(DAY)),
        )  # fmt: skip
        said = [told_aside(rows, joined, plan.fields)]
        if self.refused is not None and self.refused.height:
            said.append(not_made(lines, self.refused, plan.schema.key).to_frame())
        return pl.concat([lines, *said], how="horizontal"), noted

    @property
    def _owners(self) -> frozenset[str]:
        """Suppliers whose products the feed may change."""
        competes = self.standing is not None and self.standing.competes
        return (self.standing.owners if self.standing and competes else frozenset()) | {self.owner}

    @property
    def _movers(self) -> set[int]:
        """Feeds that have hidden what this one brings back: what one of those that compete misses,
        another may still offer."""
        competes = self.standing is not None and self.standing.competes
        return {
            self.feed,
            *(self.standing.resolver.sources.order if self.standing and competes else ()),
        }

    def _notes(self) -> list[pl.Expr]:
        """What is said of sound rows: whose offer holds where it is another's, and what is at once
        as there was nothing before."""
        said = [self.standing.said().alias(HOLDS)] if self.standing else []
        return said + (self.days.notes(self.plan) if self.days else [])

    def _with_days(self, rows: pl.DataFrame) -> pl.DataFrame:
        return rows.with_columns(self.days.of_rows(rows, self.plan)) if self.days else rows

    def _standing(self, rows: pl.DataFrame) -> pl.DataFrame:
        """The rows with the values that hold; another's has nothing to do with the day of this."""
        if self.standing is None:
            return rows
        held = self.standing.over(rows)
        return held.with_columns(
            pl.when(held[NEW + c.removeprefix(DAY)].eq_missing(rows[NEW + c.removeprefix(DAY)]))
            .then(c)
            .alias(c)
            for c in rows.columns
            if c.startswith(DAY)
        )

    def note(self, noted: Noted) -> None:
        """Note what a piece has given, in the order of the rows."""
        self._noted.append(noted)

    def _beside(self, rows: pl.DataFrame) -> pl.DataFrame:
        """The rows as text, each beside what the catalog holds of its product, with what it would
        hold, and the names of the fields that differ."""
        plan, kept = self.plan, self.kept
        codes = [f.code_column for f in plan.filled if f.flow.faults]
        both = [
            rows.select(ROW, OF_ARTICLE, *codes, "key", FOUND, *(NEW + f for f in plan.fields)),
            self.catalog.beside(rows["key"], plan.fields),
        ]
        if self.standing:
            both.append(rows.select(TAKEN))
        both.append(rows.select(c for c in rows.columns if c.startswith(DAY)))
        whole = pl.concat(both, how="horizontal").with_columns(
            _effective(f, kept.get(f.field.name, ())) for f in plan.filled
        )
        if self.remembered is not None and self.remembered.height:
            labels = [plan.schema[f].label for f in plan.fields]
            whole = without_declined(whole, self.remembered, plan.fields, labels)
        whole = self.days.held_back(whole, plan) if self.days else whole
        return whole.with_columns(_changed_fields(whole, plan, self._movers))

    @property
    def filled(self) -> dict[str, int]:
        """In how many of the rows that were noted each field is filled."""
        return {f: sum(n.filled[f] for n in self._noted) for f in self.plan.fields}

    def problems(self) -> pl.DataFrame:
        """Every problem of all rows that were taken, as in ``problems_of``."""
        plan, seen = self.plan, pl.concat(noted.seen for noted in self._noted)
        own, beyond = ([getattr(n, what) for n in self._noted] for what in ("own", "beyond"))
        said = pl.concat([*own, *beyond])
        unsound = said.filter(pl.col("severity") != "skipped")["row"]
        self._sums = sums(seen, plan, unsound)
        found = [said, in_words(across_rows(seen, plan, unsound), plan)]
        for one in plan.filled:
            if must_differ(one, plan):
                found.append(not_unique(seen, self._holders(one.field.name), one))
        every: pl.DataFrame = pl.concat(found)
        if self.numbers is not None:
            every = pl.concat([every, *self._give(self.numbers, seen, every)])
        return every.sort("row", maintain_order=True)

    def _give(
        self, numbers: Numbers, seen: pl.DataFrame, problems: pl.DataFrame
    ) -> list[pl.DataFrame]:
        """Give keys to sound rows without one; gives what is wrong with them, as problems."""
        plan, key = self.plan, self.plan.schema.key
        unsound = problems.filter(pl.col("severity") != "skipped")["row"]
        self.given = numbers.give(seen, plan, unsound)
        keys = self.given.select(pl.col("given").alias("key"), pl.col("given").alias(NEW + key))
        flaws = unfit(keys, plan.schema, [key], frozenset()).filter(pl.col("field") == key)
        return [
            numbers.used_up(seen, plan, unsound, self.given),
            unfit_keys(seen, plan, self.given, flaws),
        ]

    def _holders(self, name: str) -> pl.DataFrame:
        """Products that hold a value of a field: value, holder."""
        there = pl.col(STATE).ne_missing(TAKEN_OUT)
        return pl.concat(
            piece.filter(there)
            .select(pl.col(OLD + name).alias("value"), pl.col("key").alias("holder"))
            .drop_nulls()
            for piece in self.catalog.pieces([name])
        )

    @property
    def _made_over(self) -> list[str]:
        """Columns of what was taken that are others once all rows are known."""
        stock = [NEW + name for name in stock_summed(self.plan)]
        given = ["key", NEW + self.plan.schema.key, OF_ARTICLE] if self.numbers else []
        return ["fields", LATER, *given, *stock]

    def looked_at(self, taken: Collection[str]) -> list[str]:
        """The columns of a piece that ``judge`` looks at, which is a small part of all."""
        asked = {"row", "key", _KNOWN, NOT_MADE, *_NOTES, *self._made_over}
        asked |= {OLD + name for name in stock_summed(self.plan)}
        return [c for c in taken if c in asked]

    def judge(self, taken: pl.DataFrame, problems: pl.DataFrame) -> pl.DataFrame:
        """What becomes of the rows of a piece, in their order, to be set over it by ``as_lines``:
        status, reason, fields (names of the changed ones), and what the other rows have changed of
        it."""
        lines, own = taken, of_rows(problems, taken["row"])
        for name in stock_summed(self.plan):
            lines = self._with_sums(lines, name)
        if self.numbers is not None:
            keys = ["key", NEW + self.plan.schema.key, OF_ARTICLE]
            lines = with_given(lines, self.given, keys)
        judged = fates(lines.rename({"row": ROW}), own)
        written = pl.col("status").is_in(["new", "changed"])
        nothing = pl.lit([], dtype=pl.List(pl.String))
        reasons = _reasons(own, judged)
        if NOT_MADE in judged.columns:
            refused = (pl.col(FATE) == "good") & ~pl.col(_KNOWN) & pl.col(NOT_MADE)
            told = pl.when(refused).then(pl.lit(NOT_MADE_BEFORE)).otherwise(reasons)
            reasons = judged.select(told.alias("reason")).to_series()
            fate = pl.when(refused).then(pl.lit("left out")).otherwise(FATE)
            judged = judged.with_columns(fate.alias(FATE))
        notes = [c for c in _NOTES if c in judged.columns]
        if notes:
            reasons = judged.select(pl.coalesce(reasons, *notes).alias("reason")).to_series()
        return judged.with_columns(
            reasons,
            status=pl.when(pl.col(FATE) != "good")
            .then(pl.col(FATE))
            .when(~pl.col(_KNOWN))
            .then(pl.lit("new"))
            .when(touches(judged))
            .then(pl.lit("changed"))
            .otherwise(pl.lit("same")),
        ).select(
            "status", "reason",
            *(pl.when(written).then(c).otherwise(nothing).alias(c) if c in ("fields", LATER) else c
              for c in self._made_over if c in lines.columns),
        )  # fmt: skip

    def _with_sums(self, lines: pl.DataFrame, name: str) -> pl.DataFrame:
        """Lines of rows that are taken for several, with the stock of all."""
        # By both: a row may be for several products, and be taken with others for one of them.
        aside = lines.join(self._sums, on=["row", "key"], how="left", maintain_order="left")
        new, old, known = pl.col(NEW + name), pl.col(OLD + name), pl.col(_KNOWN)
        stays = pl.col("key").is_in(list(self.kept.get(name, ()))) & old.is_not_null()
        written = may_be_written(self.plan[name], pl.col("sum"), old, known)
        summed = pl.when(pl.col("sum").is_null() | stays).then(new).otherwise(written)
        whole = aside.with_columns(summed.alias(NEW + name))
        others = pl.col("fields").list.filter(pl.element() != name)
        fields = pl.when(new.ne_missing(old)).then(others.list.concat([pl.lit(name)]))
        return whole.with_columns(fields.otherwise(others).alias("fields")).drop("sum")

    def gone(self, brought: pl.DataFrame) -> Iterator[pl.DataFrame]:
        """Lines of the products that the feed has brought and that no row names now, not even a
        faulty one, with what the policy makes of them. ``brought``: their keys, and how many of
        its applied deliveries in a row did not have them."""
        named = pl.concat(k for noted in self._noted for k in (noted.seen[KEY_OF], noted.meant))
        named = named.drop_nulls()
        missing = brought.filter(~pl.col("key").is_in(named.implode()))
        fields = list(dict.fromkeys([*self.plan.fields, *stock_of(self.plan)]))
        gone = Gone(self.plan, self.owner, self.kept, whole=missing.height == brought.height)
        for piece in self.catalog.pieces(fields, missing["key"]):
            there = piece.filter(pl.col(STATE).ne_missing(TAKEN_OUT))
            there = there.join(missing, on="key", how="left", maintain_order="left")
            lines = gone.lines(there)
            if self.standing is not None and self.standing.competes:
                lines = handed_over(lines, there, self.plan, self.standing, self.kept)
            yield lines


def as_lines(taken: pl.LazyFrame, judged: pl.LazyFrame) -> pl.LazyFrame:
    """The lines of a changeset, out of a piece and what was judged of its rows: row, key, title,
    status, reason, fields (names of the changed ones), and for every filled field ``new:<field>``
    and ``old:<field>``."""
    before, over = (one.collect_schema().names() for one in (taken, judged))
    whole = pl.concat([taken.drop([c for c in over if c in before]), judged], how="horizontal")
    return whole.select(
        "row", "key", "title", "status", "reason", "fields", *(c for c in before if c == LATER),
        *(c for c in before if c.startswith((NEW, OLD, SAID, DAY))), OF_ARTICLE, PRINT, ASIDE,
    )  # fmt: skip


def _named(fields: Sequence[str]) -> list[pl.Expr]:
    return [pl.col(OLD + f).alias(TOLD + f) for f in fields]


def _by_key(filled: pl.DataFrame) -> Matched:
    """Rows that are about the products with their keys: nothing is to be found."""
    rows = filled.with_columns(pl.lit(None, pl.String).alias(FOUND))
    nothing = pl.DataFrame(schema=PROBLEM_SCHEMA)
    return Matched(rows, nothing, nothing["row"], pl.Series(dtype=pl.String))


def _as_texts(filled: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    key = plan.schema.key
    texts = filled.with_columns(
        as_text(one.field, pl.col(one.field.name)).alias(NEW + one.field.name)
        for one in plan.filled
    ).with_columns(pl.col(NEW + key).alias("key"))
    return texts.with_columns(article_of(texts))


def _effective(one: FilledField, kept: Sequence[str]) -> pl.Expr:
    """What the field would hold: an empty or skipped value leaves what the store has, and so does
    a feed where the value is kept by hand, or the policy of the field does not write it."""
    new, old = pl.col(NEW + one.field.name), pl.col(OLD + one.field.name)
    value = new if one.fill.when_empty == "clear" else pl.coalesce(new, old)
    if one.fill.on_problem == "skip" and one.flow.faults:
        value = pl.when(pl.col(one.code_column).is_null()).then(value).otherwise(old)
    return ruled(one, value, kept)


def _changed_fields(rows: pl.DataFrame, plan: Plan, movers: Collection[int]) -> pl.Series:
    """Names of the fields that differ; the state's, too, of a product that comes back, or that is
    made hidden."""
    differs = {f: now_differs(rows, f) for f in plan.fields}
    differs[STATE] = _comes_back(movers) | _comes_hidden(plan)
    # Most rows change nothing: names are written down for the others alone.
    rows = rows.with_row_index(_AT)
    changed = rows.filter(pl.any_horizontal(differs.values()))
    names = [pl.when(own).then(pl.lit(name)) for name, own in differs.items()]
    listed = changed.select(_AT, fields=pl.concat_list(*names).list.drop_nulls())
    found = rows.select(_AT).join(listed, on=_AT, how="left", maintain_order="left")
    return found.get_column("fields").fill_null([])


def _comes_back(movers: Collection[int]) -> pl.Expr:
    moved = pl.col(MOVED_BY).is_in(list(movers)).fill_null(False)
    return pl.col(STATE).eq_missing(TAKEN_OUT) | moved


def _comes_hidden(plan: Plan) -> pl.Expr:
    return pl.col(OWNER).is_null() & (plan.policy.state == "hidden")


def _state_sides(compared: pl.DataFrame, plan: Plan) -> list[pl.Expr]:
    """The states before and after, where a product comes back with its row or is made hidden."""
    moves = pl.col("fields").list.contains(STATE)
    if not compared.select(moves.any()).item():
        return []
    after = pl.when(moves & _comes_hidden(plan)).then(pl.lit(HIDDEN))
    return [after.alias(NEW + STATE), pl.when(moves).then(pl.col(STATE)).alias(OLD + STATE)]


def _title(plan: Plan) -> pl.Expr:
    title = plan.schema.with_role(Role.TITLE)
    if title is None or title.name not in plan.fields:
        return pl.lit(None, dtype=pl.String).alias("title")
    return pl.coalesce(NEW + title.name, OLD + title.name).alias("title")


def _reasons(problems: pl.DataFrame, rows: pl.DataFrame) -> pl.Series:
    """Why each of the rows is not good, null where it is."""
    decisive = problems.filter(pl.col("severity") != "skipped")
    said = decisive.group_by("row").agg(pl.col("message").str.join("; ").alias("reason"))
    numbers = rows.select(pl.col(ROW).cast(pl.UInt32).alias("row"))
    return numbers.join(said, on="row", how="left", maintain_order="left").get_column("reason")
