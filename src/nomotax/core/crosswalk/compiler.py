"""Crosswalk + schema + look-ups, compiled to one lazy Polars plan.

Preview, prepare, trace and the command line all run this plan; there is no other engine.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import polars as pl

from nomotax.core.crosswalk.flow import Context, Fault, Flow, Severity
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.errors import CrosswalkError
from nomotax.core.schema.checks import conform
from nomotax.core.schema.model import FieldKind, StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW

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
        chain = pl.when(False).then(pl.lit(0, dtype=pl.UInt8))
        for index, fault in enumerate(self.flow.faults):
            chain = chain.when(fault.mask).then(pl.lit(index + 1, dtype=pl.UInt8))
        return chain.otherwise(None)

    def first_seen(self) -> pl.Expr:
        """The text that stood where the first fault was found."""
        chain = pl.when(False).then(pl.lit(""))
        for fault in self.flow.faults:
            chain = chain.when(fault.mask).then(fault.seen.cast(pl.String))
        return chain.otherwise(None)


@dataclass(frozen=True)
class Plan:
    """The compiled crosswalk. ``filled`` keeps the order of the schema."""

    schema: StoreSchema
    filled: tuple[FilledField, ...]

    def fill(self, arriving: pl.LazyFrame) -> pl.LazyFrame:
        """Hidden columns, one typed column a filled field, and for fields that can be at fault
        the first fault's number and what stood there."""
        outputs = [pl.col(ROW), pl.col(FAULT)]
        outputs += [f.flow.value.alias(f.field.name) for f in self.filled]
        for one in self.filled:
            if one.flow.faults:
                outputs.append(one.first_fault().alias(one.code_column))
                outputs.append(one.first_seen().alias(one.seen_column))
        return arriving.select(outputs)

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
    filled = []
    for field in schema.fields:
        fill = fills.get(field.name)
        if fill is None and not field.required:
            continue
        filled.append(_compile_field(field, fill or Fill(), ctx))
    return Plan(schema, tuple(filled))


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


def _compile_field(field: StoreField, fill: Fill, ctx: Context) -> FilledField:
    flow = Flow(source(fill.parts))
    stages = [flow]
    for step in fill.steps:
        if step.off:
            continue
        try:
            flow = step.apply(flow, ctx)
        except CrosswalkError as error:
            error.where = error.where or f"field {field.name}, step '{step.describe()}'"
            raise
        stages.append(flow)
    conformed = _without_questions(field, conform(field, flow, ctx))
    return FilledField(field, fill, conformed, tuple(stages))


def _without_questions(field: StoreField, flow: Flow) -> Flow:
    """A required field that a question leaves empty is in question, not missing: the first
    fault counts, and questions stand first. Category paths of value "" are not for sale."""
    if field.kind is FieldKind.CATEGORY:
        return flow.to(pl.when(flow.value != "").then(flow.value))
    return flow


def severity_of(one: FilledField, fault: Fault) -> Severity | None:
    """What a fault of this field does to its row; None when the fill skips the field instead."""
    if one.fill.on_problem == "skip" and fault.severity is Severity.REFUSE:
        return None
    return fault.severity


def stage_texts(one: FilledField) -> list[pl.Expr]:
    """The value as text at the source, after each step, and as the field keeps it."""
    texts = [s.text.alias(f"stage {i}") for i, s in enumerate(one.stages)]
    return [*texts, as_text(one.field, one.flow.value).alias("result")]


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


