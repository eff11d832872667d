"""Crosswalk + schema + look-ups, compiled to one lazy Polars plan.

Preview, prepare, trace and the command line all run this plan; there is no other engine.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import polars as pl

from nomotax.core.crosswalk.flow import Context, Fault, Flow, Layers, Severity
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part, Step
from nomotax.core.errors import CrosswalkError
from nomotax.core.schema.checks import conform
from nomotax.core.schema.model import FieldKind, StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW

#: Rows worked through at a time: large enough to be fast, few enough to bound the memory.
BATCH = 1 << 19

_CODE, _SEEN = "__code:", "__seen:"


@dataclass(frozen=True)
class FilledField:
    """One store field as the plan fills it. ``stages`` holds the flow at the source and after
    every step that is on, for the trace."""

    field: StoreField
    fill: Fill
    flow: Flow
    stages: tuple[Flow, ...]

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


@dataclass(frozen=True)
class Plan:
    """The compiled crosswalk. ``filled`` keeps the order of the schema."""

    schema: StoreSchema
    filled: tuple[FilledField, ...]
    layers: Layers

    def fill(self, arriving: pl.DataFrame, batch: int = BATCH) -> pl.DataFrame:
        """Hidden columns, one typed column a filled field, and for fields that can be at fault
        the number of the first fault (UInt8, from 1; null where the value is sound).

        Works through ``batch`` rows at a time, so that intermediate columns stay small.
        """
        outputs = [pl.col(ROW), pl.col(FAULT)]
        outputs += [f.flow.value.alias(f.field.name) for f in self.filled]
        outputs += [f.first_fault().alias(f.code_column) for f in self.filled if f.flow.faults]
        return self._run(arriving, outputs, batch)

    def seen(self, arriving: pl.DataFrame) -> pl.DataFrame:
        """The row numbers and, for fields that can be at fault, the text at the first fault."""
        faulty = [f for f in self.filled if f.flow.faults]
        return self._run(
            arriving, [pl.col(ROW), *(f.first_seen().alias(f.seen_column) for f in faulty)], BATCH
        )

    def stages(self, arriving: pl.DataFrame, name: str) -> pl.DataFrame:
        """One field's value as text: at the source, after each step that is on, as kept."""
        one = self[name]
        texts = [s.text.alias(f"stage {i}") for i, s in enumerate(one.stages)]
        result = as_text(one.field, one.flow.value).alias("result")
        return self._run(arriving, [*texts, result], BATCH)

    def _run(self, arriving: pl.DataFrame, outputs: list[pl.Expr], batch: int) -> pl.DataFrame:
        parts = [
            self.layers.apply(part.lazy()).select(outputs).collect()
            for part in arriving.iter_slices(batch)
        ] or [self.layers.apply(arriving.lazy()).select(outputs).collect()]
        return pl.concat(parts)

    def __getitem__(self, name: str) -> FilledField:
        return next(f for f in self.filled if f.field.name == name)

    @property
    def fields(self) -> list[str]:
        return [f.field.name for f in self.filled]


def source(parts: Iterable[Part]) -> pl.Expr:
    """The text that the parts give, null where none of the columns has any."""
    parts = tuple(parts)
    columns = [pl.col(p.column) for p in parts if p.column is not None]
    if not parts:
        return pl.lit(None, dtype=pl.String)
    if len(parts) == 1 and columns:
        return columns[0]
    if not columns:
        return pl.lit("".join(p.text or "" for p in parts))
    written = [
        pl.col(p.column) if p.column is not None else _own_text(parts, index)
        for index, p in enumerate(parts)
    ]
    joined = pl.concat_str(written, ignore_nulls=True)
    return pl.when(pl.any_horizontal(c.is_not_null() for c in columns)).then(joined)


def _own_text(parts: tuple[Part, ...], index: int) -> pl.Expr:
    """Own text, written only where the columns on both sides of it have a value."""
    before = next((p.column for p in reversed(parts[:index]) if p.column is not None), None)
    after = next((p.column for p in parts[index + 1 :] if p.column is not None), None)
    neighbours = [pl.col(c).is_not_null() for c in (before, after) if c is not None]
    return pl.when(pl.all_horizontal(neighbours)).then(pl.lit(parts[index].text or ""))


def compile_plan(
    crosswalk: Crosswalk, schema: StoreSchema, ctx: Context, columns: Iterable[str]
) -> Plan:
    """Compile for a delivery with these ``columns``.

    Raises ``CrosswalkError`` when the crosswalk names a field or a column that is not there, or a
    step that cannot run.
    """
    fills = crosswalk.all_fills()
    _check_names(fills, schema, set(columns))
    chains = _Chains(ctx)
    filled = []
    for field in schema.fields:
        fill = fills.get(field.name)
        if fill is None and not field.required:
            continue
        filled.append(chains.compile_field(field, fill or Fill()))
    return Plan(schema, tuple(filled), chains.layers)


def _check_names(fills: dict[str, Fill], schema: StoreSchema, columns: set[str]) -> None:
    unknown = [name for name in fills if name not in schema]
    if unknown:
        raise CrosswalkError(
            f"The store schema has no field {', '.join(map(repr, unknown))}.",
            remedy="Remove the fill, or choose the schema it was made for.",
        )
    missing = missing_columns(fills, columns)
    if missing:
        listed = "; ".join(f"{c!r} (fills {', '.join(f)})" for c, f in missing.items())
        raise CrosswalkError(
            f"This delivery has no column {listed}.",
            where=f"{len(missing)} of the crosswalk's columns",
            remedy="Ask the supplier for it, or fill those fields from another column.",
        )


def missing_columns(fills: dict[str, Fill], columns: set[str]) -> dict[str, list[str]]:
    """Columns the fills ask for that did not arrive, each with the fields it should feed."""
    missing: dict[str, list[str]] = {}
    for name, fill in fills.items():
        for column in fill.columns:
            if column not in columns and name not in missing.setdefault(column, []):
                missing[column].append(name)
    return {column: names for column, names in missing.items() if names}


class _Chains:
    """Compiles chains of steps; chains that begin alike share their intermediate columns."""

    def __init__(self, ctx: Context) -> None:
        self.ctx = ctx
        self.layers = Layers()
        self._known: dict[tuple[object, ...], Flow] = {}

    def compile_field(self, field: StoreField, fill: Fill) -> FilledField:
        stages = [self._source(fill.parts)]
        done: tuple[Step, ...] = ()
        for step in fill.steps:
            if step.off:
                continue
            done = (*done, step)
            try:
                stages.append(self._step((fill.parts, done), stages[-1]))
            except CrosswalkError as error:
                error.where = error.where or f"field {field.name}, step '{step.describe()}'"
                raise
        flow = conform(field, stages[-1], self.ctx).settled()
        if not fill.parts:
            # Nobody has said yet how a required field is filled: that is asked, not refused.
            faults = tuple(replace(f, severity=Severity.QUESTION) for f in flow.faults)
            flow = replace(flow, faults=faults)
        return FilledField(field, fill, flow, tuple(stages))

    def _source(self, parts: tuple[Part, ...]) -> Flow:
        key = (parts, ())
        if key not in self._known:
            self._known[key] = Flow(source(parts), layers=self.layers).settled()
        return self._known[key]

    def _step(self, key: tuple[tuple[Part, ...], tuple[Step, ...]], before: Flow) -> Flow:
        if key not in self._known:
            self._known[key] = key[1][-1].apply(before, self.ctx).settled()
        return self._known[key]


def severity_of(one: FilledField, fault: Fault) -> Severity | None:
    """What a fault of this field does to its row; None when the fill skips the field instead."""
    if one.fill.on_problem == "skip" and fault.severity is Severity.REFUSE:
        return None
    return fault.severity


def as_text(field: StoreField, value: pl.Expr) -> pl.Expr:
    """A filled value in the store's canonical writing: 12.90, true, 2026-11-23."""
    return value if field.kind not in _TYPED else value.cast(pl.String)


_TYPED = frozenset(
    {
        FieldKind.DECIMAL,
        FieldKind.MONEY,
        FieldKind.MEASURE,
        FieldKind.INTEGER,
        FieldKind.YES_NO,
        FieldKind.DATE,
    }
)
