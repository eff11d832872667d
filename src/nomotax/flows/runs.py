"""A run: a delivery prepared into a changeset against the catalog."""

from __future__ import annotations

from datetime import date
from time import monotonic
from typing import Any

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.held import Held
from nomotax.core.changes.later import LATER
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.scope import Scope, within_scope
from nomotax.core.errors import Conflict, CrosswalkError
from nomotax.core.matching.numbering import Numbers
from nomotax.core.table import ROW
from nomotax.flows.changesets import keep_changeset
from nomotax.flows.changing import prepare_edit
from nomotax.flows.comparing import Compared, compared
from nomotax.flows.dated import go_on, prepare_dated
from nomotax.flows.going_on import go_on as go_on_by_itself
from nomotax.flows.guarding import guarded
from nomotax.flows.offers import scope_of
from nomotax.flows.preparing import USED, RowRange, Work, work_of
from nomotax.flows.receive import joined_now
from nomotax.flows.restoring import prepare_restore
from nomotax.flows.run_states import Progress, ending, move, pace
from nomotax.flows.undoing import prepare_undo
from nomotax.flows.waiting import refuse_past
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.actors import acting
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.queue import enqueue
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: What of it is another once the catalog has been joined anew.
_JOINED = {"table_artifact", "columns", "catalog"}


_ALL = RowRange()


def start_run(
    feed_id: int,
    delivery_id: int | None = None,
    rows: RowRange = _ALL,
    day: date | None = None,
    then: str = "",
    scope: Scope | None = None,
) -> Run:
    """Freeze the crosswalk and what it reads, and queue the preparation, of all rows or of some as
    a trial, of all fields or of a ``scope``; with a ``day`` its prices hold from then on. What a
    run that begins by itself may do ``then`` is told by ``turns.Policy``.

    Raises ``CrosswalkError`` at once for a crosswalk that cannot run on this delivery, or fills
    nothing of the scope, ``UnfitValue`` for a day that has come.
    """
    if day is not None:
        refuse_past(day)
    bench = open_workbench(feed_id, delivery_id)
    if not bench.source.delivery.complete and not bench.source.delivery.accepted:
        raise Conflict(
            f"{bench.source.delivery.file_name} broke off; "
            f"{bench.source.rows:,} rows came through.",
            where="its reading",
            remedy="Ask for the whole file, or say in its reading that this much is meant.",
        )
    _refuse_unfit(bench, scope)
    # Frozen before the run is there: what is edited while it waits for a worker is not in it.
    version_id = bench.freeze()
    with session() as db:
        run = Runs(db, bench.store_id).add(
            feed_id=feed_id,
            delivery_id=bench.source.id,
            version_id=version_id,
            used=bench.source.delivery.model_dump(mode="json", include=USED)
            | ({"day": day.isoformat()} if day else {})
            | ({"picked_rows": True} if rows.picked else {})
            | ({"then": then} if then else {})
            | ({"scope": scope.model_dump(mode="json")} if scope else {}),
            stage="waiting for a worker",
            first_row=rows.first,
            last_row=rows.last,
        )
        enqueue(db, "prepare", run_id=known_id(run))
        return run


def _refuse_unfit(bench: Workbench, scope: Scope | None) -> None:
    """Raises ``CrosswalkError`` for a crosswalk that cannot run."""
    crosswalk = bench.crosswalk
    if scope is not None:
        if not set(scope.fields) & set(crosswalk.all_fills()):
            raise CrosswalkError(
                f"Nothing fills a field of {scope.name!r}.",
                remedy="Fill one of them, or choose the fields of this scope anew.",
            )
        crosswalk = within_scope(crosswalk, scope, bench.schema)
    compile_plan(crosswalk, bench.schema, bench.context, bench.source.columns)


def prepare_anew(run_id: int, why: str = "the crosswalk, or what it looks up, has changed") -> Run:
    """Have a prepared run of a delivery prepared again, by the crosswalk, its look-ups and the
    reading as they are now; what is decided of its lines stays. Raises ``Conflict`` for another
    run, ``CrosswalkError`` for a crosswalk that cannot run."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
    if run.kind != "delivery" or run.feed_id is None or run.status != "prepared":
        raise Conflict(f"This run is {run.status}; only a prepared one of a delivery is made anew.")
    bench = open_workbench(run.feed_id, run.delivery_id)
    _refuse_unfit(bench, scope_of(run))
    version_id = bench.freeze()
    with session() as db:
        known = {k: v for k, v in run.used.items() if k in ("day", "picked_rows", "scope")}
        read = bench.source.delivery.model_dump(mode="json", include=USED)
        moved = move(db, run_id, "queued", f"prepared again: {why}", progress=0,
                     stage="waiting for a worker", version_id=version_id,
                     used=read | known | {"since": why})  # fmt: skip
        enqueue(db, "prepare", run_id=run_id)
        return moved


def prepare(run_id: int) -> None:
    """Fill the whole delivery, compare it with the catalog, keep the changeset, and go on with what
    goes on by itself. Of a run that is no longer waiting for it nothing is done; one whose worker
    died right after it was prepared is gone on with."""
    with session() as db:
        runs = Runs.holding(db, run_id)
        run = runs.get(run_id)
        if run.status not in ("queued", "preparing", "prepared"):
            return
        asked = run.status != "prepared"
        if asked and run.used.get("then") and runs.before_it(run):
            # What came before goes its whole way first, whichever workers there are.
            with acting("schedule", "by itself"):
                enqueue(db, "prepare", after=_PAUSE, run_id=run_id)
            return
        if asked:
            run = move(db, run_id, "preparing", "preparing", stop_requested=False)
    if asked:
        with ending(run_id, "preparing") as tell:
            _PREPARED.get(run.kind, _prepare)(run_id, tell)
    if run.kind == "dated":
        go_on(run_id)
    else:
        go_on_by_itself(run_id)


#: Seconds after which a run looks again whether the one before it is done.
_PAUSE = 0.5
#: Runs of no delivery.
_PREPARED = {"undo": prepare_undo, "restore": prepare_restore, "dated": prepare_dated,
             "edit": prepare_edit}  # fmt: skip


def _prepare(run_id: int, tell: Progress) -> None:
    tell(5, "reading")
    _join_anew(run_id)
    work = _work_of(run_id)
    whole, arriving = artifacts().scan(work.table), work.arriving
    last = whole.select(pl.col(ROW).cast(pl.Int64).max()).collect().item()
    if last is not None and not arriving.select(pl.len()).collect().item():
        raise Conflict(
            "No row of the delivery is in this range.",
            where=f"rows {work.rows.first or 1} to {work.rows.last or 'the end'}",
            remedy=f"Its last row is {last!r}.",
        )
    tell(10, "loading the catalog")
    products = work.products()
    comparison = work.comparison(products)
    started = monotonic()

    def filled(done: int, total: int) -> None:
        said = f"filling and comparing {pace(done, total, monotonic() - started)}"
        tell(20 + 60 * done // max(1, total), said)

    with compared(arriving, comparison, work.gone, filled) as found:
        tell(85, "keeping the changeset")
        if work.numbers is not None:
            work.run.used = work.run.used | {
                "numbered": _numbered(
                    work.numbers, comparison.given, work.plan.identity.article is not None
                )
            }
        work.run.used = work.run.used | {"filled": comparison.filled}
        _keep(work, found, products, whole.select(pl.len()).collect().item())


def _numbered(numbers: Numbers, given: pl.DataFrame, paired: bool) -> dict[str, Any]:
    """The keys that a run has given, as ``applying`` pairs them with articles, where there are."""
    return {
        "rule": numbers.rule.model_dump(),
        "paired": paired,
        "first": numbers.free,
        "last": numbers.free + given.height - 1,
    }


def _join_anew(run_id: int) -> None:
    """A run of a delivery that joins the catalog takes it as it is by now, unless the delivery is
    read otherwise since."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        delivery_id, reading = run.delivery_id, run.used.get("reading")
    if run.used.get("catalog") is None or delivery_id is None:
        return
    joined = joined_now(delivery_id)
    if joined.reading == reading:
        with session() as db:
            run = Runs.holding(db, run_id).get(run_id)
            run.used = run.used | joined.model_dump(mode="json", include=_JOINED)
            db.add(run)


def _work_of(run_id: int) -> Work:
    with session() as db:
        runs = Runs.holding(db, run_id)
        run = runs.get(run_id)
        bundle = Crosswalks(db, run.store_id).bundle(runs.version(run))
    return work_of(run, bundle)


def _keep(work: Work, found: Compared, products: Held, whole: int) -> None:
    # The files come first: a run is "prepared" only once its changeset can be read.
    # What hashes in it are made by: those of another version cannot be set beside them.
    work.run.used = work.run.used | {"hashed": pl.__version__, "beside": work.beside}
    kept = keep_changeset(work.run, found.lines(), found.problems)
    counts, waits = found.counts, _waits(found)
    seen = guarded(work.run, counts, products, work.crosswalk, work.rows.partial)
    kept["used"] |= {"waits": waits} | seen
    trips = len(seen["findings"])
    said = ", ".join(f"{n} {s}" for s, n in counts.items() if n)
    said += f"; {waits} values wait for their day" if waits else ""
    said += f"; guards saw {trips} things to look at" if trips > 1 else ""
    said += "; a guard saw something to look at" if trips == 1 else ""
    trial = f" of {whole}, as a trial" if work.rows.partial else ""
    with session() as db:
        move(
            db, known_id(work.run), "prepared", f"prepared {found.rows} rows{trial}: {said}",
            progress=100, counts=counts, rules_revision=work.rules_revision,
            **kept,
        )  # fmt: skip


def _waits(found: Compared) -> int:
    """How many values wait for their day."""
    lines = found.lines()
    if LATER not in lines.collect_schema():
        return 0
    return int(lines.select(pl.col(LATER).list.len().sum()).collect().item() or 0)
