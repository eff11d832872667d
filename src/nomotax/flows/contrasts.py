"""What another version of a crosswalk, or another ladder, would make of a delivery: asked, worked
out by a worker, and looked at line by line. Nothing of it is ever applied."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from time import monotonic
from typing import Any, Literal

import polars as pl
import structlog
from pydantic import BaseModel, Field
from sqlalchemy import text
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.contrast import (
    AFTER,
    BEFORE,
    DIFFERS,
    FATE_AFTER,
    FATE_BEFORE,
    STORE,
    Difference,
    contrasted,
    differences,
)
from nomotax.core.changes.report import percent_text
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Bundle
from nomotax.core.errors import Conflict, DatabaseUnavailable, NomotaxError, UnfitValue
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.comparing import Compared, compared
from nomotax.flows.headings import label_of
from nomotax.flows.preparing import USED, work_of
from nomotax.flows.run_states import Stopped, pace
from nomotax.flows.versions import numbered
from nomotax.flows.workbench import Workbench, context_of, open_workbench
from nomotax.records.actors import at_work
from nomotax.records.contrasts import Contrast, Contrasts
from nomotax.records.database import session
from nomotax.records.queue import enqueue, without_job
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Run

log = structlog.get_logger()

#: So many of a feed are kept.
_KEPT = 10
_BUSY = ("queued", "working")


class Side(BaseModel):
    """A crosswalk: a ``version`` by its number, or the draft (0), with a ``ladder`` on trial in the
    place of the one of its name."""

    version: int = Field(default=0, ge=0)
    ladder: Ladder | None = None

    @property
    def name(self) -> str:
        own = f"version {self.version}" if self.version else "the draft"
        return own if self.ladder is None else f"{own} with the ladder on trial"


class ContrastAsked(BaseModel):
    before: Side
    after: Side


class ContrastView(BaseModel):
    """``lines`` are those in which they differ, of ``rows`` that arrived; ``fields`` are the labels
    of those that a line may differ in."""

    id: int
    feed_id: int
    delivery_id: int
    file_name: str
    before: str
    after: str
    status: Literal["queued", "working", "ready", "stopped", "failed"]
    progress: int
    stage: str
    error: str
    rows: int
    lines: int
    differences: list[Difference]
    fields: dict[str, str]


class Value(BaseModel):
    """A field in which a line differs, by either side, and as the store has it now."""

    field: str
    before: str | None
    after: str | None
    store: str | None
    percent: str | None = None


class ContrastLine(BaseModel):
    """A line in which they differ. ``other`` is the product that it is about by the second, where
    that is another."""

    row: int | None
    key: str | None
    other: str | None
    title: str | None
    fate_before: str
    fate_after: str
    reason_before: str | None
    reason_after: str | None
    values: list[Value]


class ContrastPage(BaseModel):
    total: int
    lines: list[ContrastLine]


def ask(feed_id: int, delivery_id: int | None, asked: ContrastAsked) -> ContrastView:
    """Have a worker find out. Both are as they are now, whatever becomes of them meanwhile. Raises
    ``CrosswalkError`` for one that cannot run on the delivery, ``UnfitValue`` for a ladder that it
    does not use, ``NotFound``."""
    bench = open_workbench(feed_id, delivery_id)
    bundles = [_bundle(bench, side) for side in (asked.before, asked.after)]
    sides = [
        {"name": side.name, "bundle": bundle.model_dump(mode="json")}
        for side, bundle in zip((asked.before, asked.after), bundles, strict=True)
    ]
    used = bench.source.delivery.model_dump(mode="json", include=USED)
    with session() as db:
        contrasts = Contrasts(db, bench.store_id)
        _forget(db, contrasts.of_feed(feed_id)[_KEPT - 1 :])
        made = contrasts.add(
            at_work(db), feed_id=feed_id, delivery_id=bench.source.id, used=used,
            before=sides[0], after=sides[1], stage="waiting for a worker",
        )  # fmt: skip
        enqueue(db, "contrast", contrast_id=known_id(made))
        return _view(made)


def _bundle(bench: Workbench, side: Side) -> Bundle:
    bundle = numbered(bench, side.version) if side.version else bench.bundle()
    if side.ladder is not None:
        others = tuple(one for one in bundle.ladders if one.name != side.ladder.name)
        if len(others) == len(bundle.ladders):
            raise UnfitValue(
                f"{side.name.capitalize()} prices nothing by the ladder '{side.ladder.name}'.",
                remedy="Open the price on the bench, and add “Price by a ladder”.",
            )
        bundle = bundle.model_copy(update={"ladders": (*others, side.ladder)})
    context = context_of(bundle, bench.source.delivery, frozenset(bench.categories))
    crosswalk = bundle.crosswalk.within(bench.schema)
    compile_plan(crosswalk, bench.schema, context, bench.source.columns)
    return bundle


def _forget(db: Session, old: list[Contrast]) -> None:
    for one in old:
        if one.status not in _BUSY:
            if one.artifact:
                artifacts().remove(one.artifact)
            db.delete(one)


def find_out(contrast_id: int) -> None:
    """What a worker does with one that waits for it."""
    with session() as db:
        asked = Contrasts.holding(db, contrast_id).get(contrast_id)
        if asked.status not in _BUSY:
            return
        asked.status = "working"
        schema = Stores(db).schema(asked.store_id)
    with _ending(contrast_id):
        artifact, found = _worked_out(asked, schema)
        _end(contrast_id, "ready", found=found, artifact=artifact, progress=100)


def _worked_out(asked: Contrast, schema: StoreSchema) -> tuple[str, dict[str, Any]]:
    contrast_id = known_id(asked)
    with ExitStack() as open_:
        sides = [
            open_.enter_context(_filled(asked, side, contrast_id, at))
            for side, at in ((asked.before, 0), (asked.after, 45))
        ]
        _tell(contrast_id, 92, "setting one beside the other")
        artifact = f"contrasts/{contrast_id}-{secrets.token_hex(4)}.parquet"
        before, after = sides
        artifacts().write_lazy(artifact, _beside(before, after, schema))
        rows = before.rows
    lines = artifacts().scan(artifact)
    told = differences(lines, schema)
    return artifact, {
        "rows": rows,
        "lines": int(lines.select(pl.len()).collect().item()),
        "differences": [one.model_dump() for one in told],
        "fields": {one.field: label_of(schema, one.field) for one in told if one.field},
    }


def _beside(before: Compared, after: Compared, schema: StoreSchema) -> pl.LazyFrame:
    """The lines in which they differ. Both have taken the same rows together, so that one piece
    after the other can be set beside its like."""
    pairs = [*zip(before.pieces, after.pieces, strict=True)]
    if before.gone or after.gone:
        gone = (one.gone or [one.lines().limit(0)] for one in (before, after))
        first, second = (pl.concat(parts, how="diagonal") for parts in gone)
        pairs.append((first, second))
    parts = [before.keep(contrasted(one, other, schema)) for one, other in pairs]
    return pl.concat(parts, how="diagonal")


@contextmanager
def _filled(
    asked: Contrast, side: dict[str, Any], contrast_id: int, start: int
) -> Iterator[Compared]:
    """The delivery as a run of one side would prepare it; ``start`` is how much is done before, of
    a hundred."""
    run = Run(
        store_id=asked.store_id, feed_id=asked.feed_id, delivery_id=asked.delivery_id,
        used=asked.used,
    )  # fmt: skip
    work = work_of(run, Bundle.model_validate(side["bundle"]))
    began = monotonic()

    def tell(done: int, total: int) -> None:
        said = f"{side['name']}: {pace(done, total, monotonic() - began)}"
        _tell(contrast_id, start + 45 * done // max(1, total), said)

    _tell(contrast_id, start, f"{side['name']}: reading")
    with compared(work.arriving, work.comparison(work.products()), work.gone, tell) as found:
        yield found


def _tell(contrast_id: int, percent: int, stage: str) -> None:
    """Raises ``Stopped`` when a person has asked for it."""
    with session() as db:
        one = Contrasts.holding(db, contrast_id).get(contrast_id)
        if one.status == "stopped":
            raise Stopped("Stopped by hand.")
        one.progress, one.stage = percent, stage


@contextmanager
def _ending(contrast_id: int) -> Iterator[None]:
    """Whatever goes wrong with it, it says so; where the database is gone it is taken up again."""
    try:
        yield
    except DatabaseUnavailable:
        raise
    except Stopped as stop:
        _end(contrast_id, "stopped", error=stop.message)
    except NomotaxError as error:
        _end(contrast_id, "failed", error=str(error))
    except Exception as error:
        log.exception("comparison failed", contrast=contrast_id)
        _end(contrast_id, "failed", error=f"Our fault: {error}. It is in the log.")


def _end(contrast_id: int, status: str, **values: Any) -> None:
    with session() as db:
        one = Contrasts.holding(db, contrast_id).get(contrast_id)
        if one.status == "stopped" and status != "stopped":
            return
        one.status, one.stage = status, ""
        for name, value in values.items():
            setattr(one, name, value)


_LEFT = text(
    "select c.id from contrasts c where c.status = any(:busy) "
    f"and {without_job('contrast_id', 'c.id')}"
)


def give_up() -> None:
    """Those that no job is left for say so: their job failed its worker several times."""
    with session() as db:
        left = list(db.connection().execute(_LEFT, {"busy": list(_BUSY)}).scalars())
    for one in left:
        _end(one, "failed", error="Interrupted again and again. Ask once more.")


def stop(contrast_id: int) -> ContrastView:
    """Nobody wants to know it any more. Raises ``NotFound``."""
    with session() as db:
        one = Contrasts.holding(db, contrast_id).get(contrast_id)
        if one.status in _BUSY:
            one.status, one.stage, one.error = "stopped", "", "Stopped by hand."
        return _view(one)


def view(contrast_id: int) -> ContrastView:
    """Raises ``NotFound``: only the last ones of each feed are kept."""
    with session() as db:
        return _view(Contrasts.holding(db, contrast_id).get(contrast_id))


def _view(one: Contrast) -> ContrastView:
    nothing = {"rows": 0, "lines": 0, "differences": [], "fields": {}}
    return ContrastView.model_validate(
        nothing
        | one.model_dump(exclude={"found", "before", "after"})
        | {"before": one.before["name"], "after": one.after["name"],
           "file_name": one.used.get("file_name", "")}
        | one.found
    )  # fmt: skip


def page(
    contrast_id: int, about: int | None, search: str, worst: bool, offset: int, limit: int
) -> ContrastPage:
    """The lines in which they differ, or those of the difference number ``about``; of a field that
    is a number the ``worst`` first. Raises ``Conflict`` while it is not ready, ``NotFound``."""
    with session() as db:
        one = Contrasts.holding(db, contrast_id).get(contrast_id)
        schema = Stores(db).schema(one.store_id)
    if one.status != "ready":
        raise Conflict(f"This comparison is {one.status}.", remedy=one.error)
    told = _view(one).differences
    if about is not None and about >= len(told):
        raise UnfitValue(f"They differ in {len(told)} ways, counted from 0.")
    asked = told[about] if about is not None else None
    lines = artifacts().scan(one.artifact)
    names = [c.removeprefix(BEFORE) for c in lines.collect_schema() if c.startswith(BEFORE)]
    if asked is not None:
        lines = lines.filter(asked.where)
    if search.strip():
        lines = lines.filter(_says(search.strip()))
    if worst and asked is not None and asked.field in schema and schema[asked.field].numeric:
        by = percent_text(pl.col(BEFORE + asked.field), pl.col(AFTER + asked.field))
        size = by.cast(pl.Float64).abs()
        lines = lines.sort(size, descending=True, nulls_last=True, maintain_order=True)
    total = int(lines.select(pl.len()).collect().item())
    shown = lines.slice(offset, limit).collect()
    return ContrastPage(total=total, lines=_told(shown, names, schema))


def _says(search: str) -> pl.Expr:
    wanted = search.lower()
    return pl.any_horizontal(
        pl.col(c).str.to_lowercase().str.contains(wanted, literal=True).fill_null(False)
        for c in ("key", "title", "reason_before", "reason_after")
    )


def _told(shown: pl.DataFrame, names: list[str], schema: StoreSchema) -> list[ContrastLine]:
    numbers = [f for f in names if f in schema and schema[f].numeric]
    moved = shown.select(
        percent_text(pl.col(BEFORE + f), pl.col(AFTER + f)).alias(f) for f in numbers
    )
    percents = list(moved.iter_rows(named=True)) if numbers else [{}] * shown.height
    return [
        ContrastLine(
            row=line["row"], key=line["key"], other=line["key_after"], title=line["title"],
            fate_before=line[FATE_BEFORE], fate_after=line[FATE_AFTER],
            reason_before=line["reason_before"], reason_after=line["reason_after"],
            values=[
                Value(field=f, before=line[BEFORE + f], after=line[AFTER + f],
                      store=line[STORE + f], percent=by.get(f))
                for f in line[DIFFERS]
            ],
        )
        for line, by in zip(shown.iter_rows(named=True), percents, strict=True)
    ]  # fmt: skip
