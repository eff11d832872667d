"""Crosswalk + schema + look-ups, compiled to one lazy Polars plan.

Preview, prepare, trace and the command line all run this plan; there is no other engine.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.demands import asked_fields, check_names
from nomotax.core.crosswalk.identity import Identity
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part, Since, Step
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.crosswalk.source import source
from nomotax.core.errors import CrosswalkError, FormulaError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow, Layers, Severity
from nomotax.core.formula.terms import Term
from nomotax.core.kinds import NUMERIC_KINDS, FieldKind, Writes
from nomotax.core.numbers import NUMBER, DecimalMark
from nomotax.core.schema.checks import TYPES, conform
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.schema.picture_texts import fit_pictures
from nomotax.core.table import FAULT, ROW

#: Rows worked through at a time: large enough to be fast, few enough to bound the memory.
BATCH = 1 << 19

_CODE, _SEEN = "__code:", "__seen:"
#: Before the name of a field that may tell a row's product: what it is filled with, as text,
#: whether it may be written or not. The supplier's own number of a row.
TOLD, ARTICLE = "__told:", "__article"
#: Before the name of a field whose values hold from a day on: that day.
DAY_OF = "__day:"


@dataclass(frozen=True)
class FilledField:
    """One store field as the plan fills it. ``stages`` holds the flow at the source and after
    every step that is on, for the trace; ``day`` is that from which the value holds."""

    field: StoreField
    fill: Fill
    flow: Flow
    stages: tuple[Flow, ...]
    day: pl.Expr | None = None

    @property
    def writes(self) -> tuple[Writes, ...]:
        """The rules by which it is written: the fill's own, and the store's for all feeds."""
        return tuple(dict.fromkeys((self.fill.writes, self.field.writes)))

    @property
    def code_column(self) -> str:
        return _CODE + self.field.name

    @property
    def seen_column(self) -> str:
        return _SEEN + self.field.name

    def first_fault(self) -> pl.Expr:
        """UInt8: 1 + the index of the first fault, null where the value is sound."""
        numbered = list(enumerate(self.flow.faults, 1))
        chain: pl.Expr = pl.lit(None, dtype=pl.UInt8)
        for number, fault in reversed(numbered):
            chain = pl.when(fault.mask).then(pl.lit(number, dtype=pl.UInt8)).otherwise(chain)
        return chain

    def first_seen(self) -> pl.Expr:
        """The text that stood where the first fault was found."""
        chain: pl.Expr = pl.lit(None, dtype=pl.String)
        for fault in reversed(self.flow.faults):
            chain = pl.when(fault.mask).then(fault.seen.cast(pl.String)).otherwise(chain)
        return chain


class Cell(BaseModel):
    """A named value on the way."""

    column: str
    value: str | None


class Effect(BaseModel):
    """What a step does to all rows: how many it changes, how many it cannot serve, and how many
    different values there are behind it."""

    changed: int
    failed: int
    distinct: int


def _plain(text: str | None) -> str | None:
    """A number's text without the zeros that its scale adds."""
    return text.rstrip("0").rstrip(".") if text and "." in text else text


@dataclass(frozen=True)
class Plan:
    """The compiled crosswalk. ``filled`` keeps the order of the schema; ``identity`` is how rows
    find their products, ``policy`` what its runs may do. ``tells`` has what that asks of a row."""

    schema: StoreSchema
    filled: tuple[FilledField, ...]
    layers: Layers
    policy: Policy = field(default_factory=Policy)
    identity: Identity = field(default_factory=Identity)
    tells: tuple[pl.Expr, ...] = ()

    @property
    def by_key(self) -> bool:
        """Whether rows are about the products with their keys, and nothing else is asked."""
        return not self.tells

    @property
    def numbers_keys(self) -> bool:
        """Whether products that it makes are numbered where they have no key."""
        return self.identity.new_key is not None and self.identity.new_key.by == "number"

    @property
    def only_completes(self) -> bool:
        """Whether it makes no products."""
        return self.policy.products == "change"

    def fill(self, arriving: pl.DataFrame, batch: int = BATCH) -> pl.DataFrame:
        """Hidden columns, one typed column a filled field, and for fields that can be at fault
        the number of the first fault (UInt8, from 1; null where the value is sound).

        Works through ``batch`` rows at a time, so that intermediate columns stay small.
        """
        return self._run(arriving, self._outputs, batch)

    @cached_property
    def _outputs(self) -> list[pl.Expr]:
        outputs = [pl.col(ROW), pl.col(FAULT)]
        outputs += [f.flow.value.alias(f.field.name) for f in self.filled]
        outputs += [f.first_fault().alias(f.code_column) for f in self.filled if f.flow.faults]
        outputs += [f.day.alias(DAY_OF + f.field.name) for f in self.filled if f.day is not None]
        return [*outputs, *self.tells]

    def seen(self, arriving: pl.DataFrame, faulty: Sequence[FilledField]) -> pl.DataFrame:
        """The row numbers and, for these fields, the text at the first fault."""
        return self._run(
            arriving, [pl.col(ROW), *(f.first_seen().alias(f.seen_column) for f in faulty)], BATCH
        )

    def stages(self, arriving: pl.DataFrame, name: str) -> pl.DataFrame:
        """One field's value as text: at the source, after each step that is on, as kept."""
        one = self[name]
        texts = [s.text.alias(f"stage {i}") for i, s in enumerate(one.stages)]
        result = as_text(one.field, one.flow.value).alias("result")
        return self._run(arriving, [*texts, result], BATCH)

    def notes(self, arriving: pl.DataFrame, name: str) -> dict[int, list[Cell]]:
        """What the steps tell of their working for the one row of ``arriving``, by stage."""
        stages = self[name].stages
        outputs = {
            (at, label): expr.cast(pl.String).alias(f"{at} {label}")
            for at, stage in enumerate(stages)
            if at == 0 or stage.notes is not stages[at - 1].notes
            for label, expr in stage.notes
        }
        if not outputs:
            return {}
        texts = self._run(arriving, list(outputs.values()), BATCH).row(0)
        found: dict[int, list[Cell]] = {}
        for (at, label), text in zip(outputs, texts, strict=True):
            found.setdefault(at, []).append(Cell(column=label, value=_plain(text)))
        return found

    def effects(self, arriving: pl.DataFrame, name: str) -> list[Effect]:
        """What each step that is on does to all rows, in order."""
        stages = self[name].stages
        outputs = [s.text.alias(f"v{i}") for i, s in enumerate(stages)]
        for i, stage in enumerate(stages[1:], 1):
            new = stage.faults[len(stages[i - 1].faults) :]
            mask = pl.any_horizontal([pl.lit(False), *(f.mask.fill_null(False) for f in new)])
            outputs.append(mask.alias(f"f{i}"))
        texts = self._run(arriving, outputs, BATCH)
        counts = texts.select(
            pl.struct(
                pl.col(f"v{i}").ne_missing(pl.col(f"v{i - 1}")).sum().alias("changed"),
                pl.col(f"f{i}").sum().alias("failed"),
                pl.col(f"v{i}").drop_nulls().n_unique().alias("distinct"),
            ).alias(str(i))
            for i in range(1, len(stages))
        )
        return [Effect(**counts[str(i)][0]) for i in range(1, len(stages))]

    def keys(self, arriving: pl.DataFrame) -> pl.DataFrame:
        """Row numbers and keys alone."""
        one = self[self.schema.key]
        return self._run(arriving, [pl.col(ROW), one.flow.value.alias("key")], BATCH)

    def told(self, arriving: pl.DataFrame) -> pl.DataFrame:
        """Row numbers, ``key`` as text, and what tells the products of the rows."""
        one = self[self.schema.key]
        key = as_text(one.field, one.flow.value).alias("key")
        return self._run(arriving, [pl.col(ROW), key, *self.tells], BATCH)

    def _run(self, arriving: pl.DataFrame, outputs: list[pl.Expr], batch: int) -> pl.DataFrame:
        # The rows are in memory already: streaming over them would only cost its start, which is
        # most of what filling a sample takes.
        parts = [
            self.layers.apply(part.lazy()).select(outputs).collect(engine="in-memory")
            for part in arriving.iter_slices(batch)
        ] or [self.layers.apply(arriving.lazy()).select(outputs).collect(engine="in-memory")]
        return pl.concat(parts)

    def __getitem__(self, name: str) -> FilledField:
        return next(f for f in self.filled if f.field.name == name)

    @property
    def fields(self) -> list[str]:
        return [f.field.name for f in self.filled]


def compile_plan(
    crosswalk: Crosswalk,
    schema: StoreSchema,
    ctx: Context,
    columns: Iterable[str],
    broken: dict[str, CrosswalkError] | None = None,
    telling: Sequence[str] = (),
) -> Plan:
    """Compile for a delivery with these ``columns``.

    Raises ``CrosswalkError`` when the crosswalk names a field or a column that is not there, or a
    step that cannot run. With ``broken``, fields whose steps cannot run are put there instead, and
    their rows are held. ``telling`` are further fields that may tell what rows are about.
    """
    fills = crosswalk.all_fills()
    arriving = frozenset(columns)
    check_names(fills, schema, arriving)
    chains = _Chains(fills, schema, ctx, arriving, broken, crosswalk.identity)
    fields = asked_fields(schema, crosswalk)
    wanted = [f for f in fields if f.name in fills or f.required or f.name == schema.key]
    # Without its key a row is of no product, whatever is written.
    filled = tuple(
        one if one.field.name == schema.key else _as_written(one)
        for one in map(chains.compile_field, wanted)
    )
    identity = crosswalk.identity.within(schema.key)
    named = list(dict.fromkeys([*identity.fields, *telling]))
    by_key = crosswalk.identity.by_key and not telling
    tells = () if by_key else tuple(_tells(identity, named, schema, chains))
    return Plan(schema, filled, chains.layers, crosswalk.policy, identity, tells)


def _tells(
    identity: Identity, named: Sequence[str], schema: StoreSchema, chains: _Chains
) -> Iterator[pl.Expr]:
    """What is asked of a row to find its product. Raises ``CrosswalkError`` where it has no
    answer, unless the crosswalk is still being made."""
    nothing: pl.Expr = pl.lit(None, dtype=pl.String)
    for name in named:
        value = nothing
        if name in schema and (name in chains.fills or name == schema.key):
            one = chains.compile_field(schema[name])
            sound = pl.when(one.flow.sound).then(as_text(one.field, one.flow.value))
            value = one.flow.keep(sound)
        elif chains.broken is None:
            said = schema[name].label if name in schema else name
            raise CrosswalkError(
                f"Rows find their products by {said}, which nothing fills.",
                remedy="Fill it, or find products in another way.",
            )
        yield value.alias(TOLD + name)
    if identity.article is not None:
        there = identity.article in chains.columns or chains.broken is None
        number = chains.column(identity.article).cast(pl.String) if there else nothing
        yield number.str.strip_chars().alias(ARTICLE)


def _as_written(one: FilledField) -> FilledField:
    """The field as the store gets it: nothing of one that is never written, whatever others are
    filled from it. One without which there is no product is asked for as if nothing filled it."""
    if "never" not in one.writes:
        return one
    missing = tuple(replace(f, mask=pl.lit(True)) for f in one.flow.faults if f.kind == "missing")
    nothing = pl.when(pl.lit(False)).then(one.flow.value)
    return replace(one, flow=replace(one.flow, value=nothing, faults=missing))


def _open_faults(fill: Fill, arriving: Flow) -> list[Fault]:
    """What nobody has settled yet holds every row that has a value."""
    there = (arriving.text.str.strip_chars() != "").fill_null(False)
    return [
        Fault(f"assumed_{a.about}", f"waits: {a.says}", there, arriving.text, Severity.QUESTION)
        for a in fill.assumptions
        if a.state == "open"
    ]


class _Chains:
    """Compiles chains of steps; chains that begin alike share their intermediate columns.

    Fields are compiled when they are first asked for, so that one may be filled from others.
    """

    def __init__(
        self,
        fills: Mapping[str, Fill],
        schema: StoreSchema,
        ctx: Context,
        columns: frozenset[str],
        broken: dict[str, CrosswalkError] | None,
        identity: Identity,
    ) -> None:
        self.fills, self.schema, self.columns = fills, schema, columns
        self.identity = identity
        self.ctx = replace(ctx, names=self)
        self.layers = Layers()
        self.broken = broken
        self._known: dict[tuple[object, ...], Flow] = {}
        self._filled: dict[str, FilledField] = {}
        self._under_way: list[str] = []
        self._so_far: dict[str, list[Flow]] = {}

    def compile_field(self, field: StoreField) -> FilledField:
        """The field's chain, compiled once. Raises ``CrosswalkError`` for a step that cannot run,
        unless such fields are collected as broken."""
        if field.name in self._filled:
            return self._filled[field.name]
        if field.name in self._under_way:
            circle = [*self._under_way[self._under_way.index(field.name) :], field.name]
            raise CrosswalkError(
                f"Fields are filled from each other in a circle: {' from '.join(circle)}.",
                remedy="Fill one of them from arriving columns only.",
            )
        self._under_way.append(field.name)
        try:
            made = self._compile(field, self.fills.get(field.name, Fill()))
        except CrosswalkError as error:
            error.where = error.where or f"field {field.name}"
            if self.broken is None:
                raise
            self.broken[field.name] = error
            made = self._cannot_run(field, error)
        finally:
            self._under_way.pop()
        self._filled[field.name] = made
        return made

    def _compile(self, field: StoreField, fill: Fill) -> FilledField:
        stages = [self._source(fill.parts)]
        self._so_far[field.name] = stages
        done: tuple[Step, ...] = ()
        for step in fill.steps:
            if step.off:
                continue
            done = (*done, step)
            try:
                stages.append(self._step((fill.parts, done), stages[-1]))
            except FormulaError as error:
                error.where = f"field {field.name}, {error.where}"
                raise
            except CrosswalkError as error:
                error.where = error.where or f"field {field.name}, step '{step.describe()}'"
                raise
        last = self._keyed(stages[-1]) if field.name == self.schema.key else stages[-1]
        flow = conform(field, last, self.ctx).settled()
        flow = flow.to(flow.value, *_open_faults(fill, stages[0]))
        described = field.of or ""
        if field.role in (Role.PICTURE_TEXT, Role.PICTURE_TEXTS) and described in self.fills:
            shown = self.compile_field(self.schema[described])
            flow = fit_pictures(flow, shown.flow.value, shown.stages[-1]).settled()
        flow = self._between(field, flow)
        day = self._since(fill.since) if fill.since else None
        if day is not None:
            flow = flow.to(flow.value, *day.faults)
        if not fill.says_something:
            # Nobody has said yet how a required field is filled: that is asked, not refused.
            faults = tuple(replace(f, severity=Severity.QUESTION) for f in flow.faults)
            flow = replace(flow, faults=faults)
        on = day.value.str.to_date("%Y-%m-%d", strict=False) if day is not None else None
        return FilledField(field, fill, flow, tuple(stages), on)

    def _between(self, field: StoreField, flow: Flow) -> Flow:
        """A price that holds for a time, which has to begin before it ends."""
        if field.starts not in self.fills or field.ends not in self.fills:
            return flow
        first, last = (
            self.compile_field(self.schema[name]).flow.value
            for name in (field.starts, field.ends)
            if name is not None
        )
        early = Fault("ends_early", "would end before it begins", last < first, flow.text)
        return flow.to(flow.value, early).settled()

    def _since(self, since: Since) -> Flow:
        """The day from which a value holds, as ISO 8601 writes it."""
        start = Flow(self.column(since.column), style="arriving", layers=self.layers).settled()
        return since.step.apply(start, self.ctx).settled()

    def _keyed(self, flow: Flow) -> Flow:
        """The key, or what is made of the supplier's own number where there is none."""
        rule, article = self.identity.new_key, self.identity.article
        if rule is None or rule.by != "article" or article is None:
            return flow
        if article not in self.columns and self.broken is not None:
            return flow
        number, key = self.column(article).str.strip_chars(), flow.keep(flow.text)
        made = pl.lit(rule.prefix) + pl.when(number != "").then(number)
        own = pl.when(key.str.strip_chars() != "").then(key)
        return flow.to(pl.coalesce(own, made), numeric=False)

    def _cannot_run(self, field: StoreField, error: CrosswalkError) -> FilledField:
        """The field left empty, its rows held with what is wrong."""
        fill = self.fills.get(field.name, Fill())
        nothing = Flow(pl.lit(None, dtype=TYPES.get(field.kind, pl.String())), layers=self.layers)
        fault = Fault(
            "cannot_run", f"cannot be filled: {error}", pl.lit(True), pl.lit(""), Severity.QUESTION
        )
        stages = tuple(self._so_far.get(field.name, [nothing]))
        return FilledField(field, fill, nothing.to(nothing.value, fault), stages)

    def _source(self, parts: tuple[Part, ...]) -> Flow:
        key = (parts, ())
        if key not in self._known:
            made = source(parts, self)
            self._known[key] = replace(made, layers=self.layers).settled()
        return self._known[key]

    def _step(self, key: tuple[tuple[Part, ...], tuple[Step, ...]], before: Flow) -> Flow:
        if key not in self._known:
            self._known[key] = key[1][-1].apply(before, self.ctx).settled()
        return self._known[key]

    def column(self, name: str) -> pl.Expr:
        """An arriving column."""
        if name not in self.columns:
            raise CrosswalkError(
                f"This delivery has no column {name!r}.", remedy="Choose one that arrives."
            )
        return pl.col(name)

    def mark(self, name: str) -> DecimalMark | None:
        """The decimal mark of an arriving column, where it is not the delivery's."""
        return self.ctx.marks.get(name)

    def unit(self, name: str) -> str | None:
        """The unit that a store field is kept in."""
        return self.schema[name].unit if name in self.schema else None

    def field(self, name: str) -> Term:
        """A store field as filled; empty where it is at fault."""
        if name not in self.schema:
            raise CrosswalkError(f"The store schema has no field {name!r}.")
        if name not in self.fills:
            raise CrosswalkError(f"Nothing fills the field {name!r}.", remedy="Fill it first.")
        flow = self.compile_field(self.schema[name]).flow
        value = flow.keep(pl.when(flow.sound).then(flow.value))
        kind = self.schema[name].kind
        if kind in NUMERIC_KINDS:
            return Term("number", value.cast(NUMBER))
        if kind is FieldKind.YES_NO:
            return Term("logical", value)
        return Term("date" if kind is FieldKind.DATE else "text", value)

    def fact(self, name: str) -> Term:
        """The row's number, or something known of the feed."""
        if name == "row":
            return Term("text", pl.col(ROW).cast(pl.String))
        if name not in self.ctx.facts:
            listed = ", ".join(["row", *sorted(self.ctx.facts)])
            raise CrosswalkError(f"Nothing is known as {name!r}.", remedy=f"There are: {listed}.")
        return Term("text", pl.lit(self.ctx.facts[name]), mark=".")


def severity_of(one: FilledField, fault: Fault) -> Severity | None:
    """What a fault of this field does to its row; None when the fill skips the field instead."""
    if one.fill.on_problem == "skip" and fault.severity is Severity.REFUSE:
        return None
    return fault.severity


def as_text(field: StoreField, value: pl.Expr) -> pl.Expr:
    """A filled value in the store's canonical writing: 12.90, true, 2026-11-23."""
    return value if field.kind not in TYPES else value.cast(pl.String)
