"""Runs: prepare, review, apply, undo, stop, files."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlmodel import Session

from nomotax.api.answers import (
    MEDIA_TYPES,
    RESPONSES,
    Done,
    FeedPath,
    FileQuery,
    Made,
    OfDelivery,
    RunPath,
    StorePath,
    answer,
    attachment,
    streamed,
)
from nomotax.core.changes.verdicts import Chosen, Verdict
from nomotax.core.crosswalk.scope import Scope
from nomotax.flows import (
    applying,
    deciding,
    grouping,
    price_rules,
    refused,
    reports,
    review,
    ruling,
    run_states,
    runs,
    undoing,
)
from nomotax.flows.deciding import RunDecisions
from nomotax.flows.grouping import Groups
from nomotax.flows.preparing import RowRange
from nomotax.flows.price_rules import LikeProducts, PriceRuleAsked, PriceRuleMade
from nomotax.flows.review import ReviewPage, ReviewSummary
from nomotax.flows.ruling import RuleAsked, RuleMade
from nomotax.records.database import session
from nomotax.records.dated import DatedValues
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs, RunsAsked
from nomotax.records.tables import Run, RunKind, RunLog
from nomotax.records.taking_back import Instead

api = APIBlueprint(
    "runs", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="runs")], abp_responses=RESPONSES
)


class LogLine(BaseModel):
    at: datetime
    text: str


class RunView(BaseModel):
    """A run; one of kind *undo* takes back the run that it ``undoes``, one of kind *edit* is what a
    person wrote, one of kind *restore* brings a snapshot back; these are of no feed, delivery and
    crosswalk. ``instead`` are the fields of an undo that go back all the same. ``since`` tells what
    had changed when it was to be applied, and ``again`` in how many lines it is other by now than
    it was seen. ``moving`` are those that are gone and that something happens to;
    ``waits`` are values that wait for their day, or that an undo has wait no more; ``day`` is that
    from which the prices of the whole run hold; one of ``picked_rows`` takes no other articles, one
    of a ``scope`` no other fields."""

    id: int
    store_id: int
    feed_id: int | None
    feed: str
    supplier: str
    delivery_id: int | None
    file_name: str
    version: int | None
    kind: RunKind
    undoes: int | None
    author: str
    status: str
    progress: int
    stage: str
    first_row: int | None
    last_row: int | None
    counts: dict[str, int]
    error: str
    since: str
    again: int
    moving: int
    waits: int
    picked_rows: bool
    scope: Scope | None
    day: date | None
    instead: Instead
    created_at: datetime
    finished_at: datetime | None
    log: list[LogLine]


class RunList(BaseModel):
    """Runs, the newest first, of so many in ``total``."""

    runs: list[RunView]
    total: int


class RunsQuery(BaseModel):
    """Runs in a ``state`` ("busy" for all that a worker has to do), of a feed, with a text in the
    name of their file."""

    state: Literal["", "busy", "prepared", "applied", "undone", "declined", "failed", "stopped"] = (
        ""
    )
    feed_id: int | None = None
    search: str = Field(default="", max_length=200)
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=200)

    @property
    def asked(self) -> RunsAsked:
        """The runs that are meant."""
        states = run_states.BUSY if self.state == "busy" else (self.state,) if self.state else ()
        return RunsAsked(states, self.feed_id, self.search.strip())


class PrepareQuery(OfDelivery):
    """``first`` and ``last`` are the numbers of the rows that a trial has."""

    first: int | None = Field(default=None, ge=1)
    last: int | None = Field(default=None, ge=1)
    picked: bool = Field(default=False, description="Only articles that are picked.")
    day: date | None = Field(default=None, description="From when on the prices hold.")


class DecisionPath(RunPath):
    decision_id: int


class PageQuery(BaseModel):
    """``least`` and ``most`` bound by how many percent ``field`` moves; ``worst`` has those first
    of which it moves most. With ``by``, a field or a column that arrived (``file:`` before it),
    they hold ``word`` there."""

    status: str = ""
    field: str = ""
    search: str = ""
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=200, ge=1, le=400)
    reason: str = ""
    by: str = ""
    word: str = ""
    again: bool = False
    later: bool = False
    guard: str = ""
    least: Decimal | None = Field(default=None, max_digits=12, decimal_places=2)
    most: Decimal | None = Field(default=None, max_digits=12, decimal_places=2)
    worst: bool = False

    @property
    def chosen(self) -> Chosen:
        """The lines that are meant."""
        return Chosen.model_validate(self.model_dump(exclude={"offset", "limit", "worst", "group"}))


class GroupsQuery(PageQuery):
    """``group`` is the field or column whose words are counted."""

    group: str


class ApplyQuery(BaseModel):
    """Whether the catalog as it is before is kept as a snapshot."""

    snapshot_first: bool = False


class RowOfRun(BaseModel):
    row: int = Field(ge=0)


class ProductField(BaseModel):
    key: str
    field: str


class DeclinedRun(BaseModel):
    """Why a run is not to be applied."""

    reason: str = Field(default="", max_length=500)


#: So many of the last runs of a feed are told.
_OF_FEED = 12
#: What a run knows of its preparation, and what stands where it knows nothing.
_USED: dict[str, object] = {"file_name": "", "since": "", "again": 0, "moving": 0, "instead": {},
         "waits": 0, "day": None, "picked_rows": False, "scope": None}  # fmt: skip


def view_of(run_id: int) -> RunView:
    """A run and its log."""
    with session() as db:
        return _assembled(db, [Runs.holding(db, run_id).get(run_id)])[0]


def _assembled(db: Session, found: Sequence[Run]) -> list[RunView]:
    if not found:
        return []
    logs = Runs(db, found[0].store_id).logs([known_id(run) for run in found])
    return [_assemble(db, run, logs[known_id(run)]) for run in found]


def _assemble(db: Session, run: Run, log: Sequence[RunLog]) -> RunView:
    repo, feeds = Runs(db, run.store_id), Feeds(db, run.store_id)
    about: dict[str, object] = {
        "feed": "",
        "supplier": "",
        "version": None,
        "author": run.author,
    } | {name: run.used.get(name, empty) for name, empty in _USED.items()}
    if run.feed_id is not None:
        feed = repo.feed(run)
        about |= {
            "feed": feed.name,
            "supplier": feeds.supplier(feed).name,
            "version": repo.version(run).number,
        }
    if about["waits"]:
        about["waits"] = _waits(db, run)
    lines = [line.model_dump() for line in log]
    return RunView.model_validate(run.model_dump() | about | {"log": lines})


def _waits(db: Session, run: Run) -> int:
    """How many values of a run wait for their day: as it was prepared, and then by now."""
    if run.status in ("prepared", "applying"):
        return int(run.used["waits"])
    applied = run.status == "applied" and run.kind == "delivery"
    return DatedValues(db, run.store_id).waiting_by([known_id(run)]) if applied else 0


@api.post("/feeds/<int:feed_id>/runs", responses={201: RunView})
def prepare(path: FeedPath, query: PrepareQuery) -> Response:
    """Freeze the crosswalk and prepare a changeset in the background; of some rows as a trial."""
    rows = RowRange(first=query.first, last=query.last, picked=query.picked)
    run_id = known_id(runs.start_run(path.feed_id, query.delivery_id, rows, query.day))
    return answer(view_of(run_id), 201)


@api.get("/stores/<int:store_id>/runs", responses={200: RunList})
def list_runs(path: StorePath, query: RunsQuery) -> Response:
    """The runs of a store, a page at a time."""
    with session() as db:
        Stores(db).get(path.store_id)
        found, total = Runs(db, path.store_id).page(query.asked, query.offset, query.limit)
        return answer(RunList(runs=_assembled(db, found), total=total))


@api.get("/feeds/<int:feed_id>/runs", responses={200: RunList})
def list_feed_runs(path: FeedPath) -> Response:
    """The last runs of a feed."""
    with session() as db:
        feed = Feeds.holding(db, path.feed_id).get(path.feed_id)
        asked = RunsAsked(feed_id=path.feed_id)
        found, total = Runs(db, feed.store_id).page(asked, 0, _OF_FEED)
        return answer(RunList(runs=_assembled(db, found), total=total))


@api.get("/runs/<int:run_id>/log.txt")
def get_log(path: RunPath) -> Response:
    """How a run went, as text."""
    view = view_of(path.run_id)
    text = "".join(f"{line.at.isoformat(timespec='seconds')}  {line.text}\n" for line in view.log)
    return attachment(text.encode(), f"run-{path.run_id}.txt", "text/plain")


@api.get("/runs/<int:run_id>", responses={200: RunView})
def get_run(path: RunPath) -> Response:
    """A run and its log."""
    return answer(view_of(path.run_id))


@api.get("/runs/<int:run_id>/summary", responses={200: ReviewSummary})
def get_summary(path: RunPath) -> Response:
    """What the changeset amounts to."""
    return answer(review.review_summary(path.run_id))


@api.get("/runs/<int:run_id>/rows", responses={200: ReviewPage})
def get_rows(path: RunPath, query: PageQuery) -> Response:
    """A page of the changeset."""
    page = review.review_page(path.run_id, query.chosen, query.offset, query.limit, query.worst)
    return answer(page)


@api.get("/runs/<int:run_id>/groups", responses={200: Groups})
def get_groups(path: RunPath, query: GroupsQuery) -> Response:
    """The lines that are chosen by the words of a field, or of a column that arrived."""
    return answer(grouping.groups(path.run_id, query.group, query.chosen))


@api.get("/runs/<int:run_id>/decisions", responses={200: RunDecisions})
def list_decisions(path: RunPath) -> Response:
    """What is decided of a run's changes, and what applying it would write."""
    return answer(deciding.decisions_of(path.run_id))


@api.post("/runs/<int:run_id>/decisions", responses={201: Made})
def decide(path: RunPath, body: Verdict) -> Response:
    """Accept or decline lines of a prepared run, by product, by field, or all that a filter
    shows."""
    return answer(Made(id=deciding.decide(path.run_id, body)), 201)


@api.delete("/runs/<int:run_id>/decisions/<int:decision_id>", responses={200: Done})
def take_decision_back(path: DecisionPath) -> Response:
    """A decision does not count any more."""
    deciding.take_back(path.run_id, path.decision_id)
    return answer(Done())


@api.post("/runs/<int:run_id>/apply", responses={202: RunView})
def apply(path: RunPath, query: ApplyQuery) -> Response:
    """Write the changeset to the catalog in the background."""
    applying.request_apply(path.run_id, query.snapshot_first)
    return answer(view_of(path.run_id), 202)


@api.post("/runs/<int:run_id>/undo", responses={201: RunView})
def undo(path: RunPath) -> Response:
    """Prepare a run that takes this one back; nothing is changed before that one is applied."""
    return answer(view_of(known_id(undoing.start_undo(path.run_id))), 201)


@api.put("/runs/<int:run_id>/instead", responses={202: RunView})
def put_instead(path: RunPath, body: Instead) -> Response:
    """Of a run that takes another back: the fields that go back although a later run wrote them or
    they are kept by hand. It is prepared again."""
    undoing.choose(path.run_id, body)
    return answer(view_of(path.run_id), 202)


@api.post("/runs/<int:run_id>/decline", responses={200: RunView})
def decline(path: RunPath, body: DeclinedRun) -> Response:
    """A prepared run is not to be applied; it can be taken up again."""
    run_states.decline(path.run_id, body.reason)
    return answer(view_of(path.run_id))


@api.post("/runs/<int:run_id>/anew", responses={202: RunView})
def prepare_anew(path: RunPath) -> Response:
    """Prepare a run again, by the crosswalk and its look-ups as they are now; decisions stay."""
    runs.prepare_anew(path.run_id)
    return answer(view_of(path.run_id), 202)


@api.post("/runs/<int:run_id>/rules", responses={202: RuleMade})
def make_rule(path: RunPath, body: RuleAsked) -> Response:
    """A correction becomes the entry of the look-up that gave the value; the run is prepared
    again by it."""
    return answer(ruling.make_rule(path.run_id, body), 202)


@api.get("/runs/<int:run_id>/price-rules", responses={200: LikeProducts})
def like_products(path: RunPath, query: ProductField) -> Response:
    """What products of the run may be priced together with one, by a rule of its ladder."""
    return answer(price_rules.like_products(path.run_id, query.key, query.field))


@api.post("/runs/<int:run_id>/price-rules", responses={202: PriceRuleMade})
def make_price_rule(path: RunPath, body: PriceRuleAsked) -> Response:
    """A corrected price becomes a rule of the ladder that made it; the run is prepared again by
    it."""
    return answer(price_rules.make_price_rule(path.run_id, body), 202)


@api.post("/runs/<int:run_id>/taken-again", responses={202: RunView})
def take_again(path: RunPath, body: RowOfRun) -> Response:
    """A product that was declined before is made after all; the run is prepared again."""
    refused.take_again(path.run_id, body.row)
    return answer(view_of(path.run_id), 202)


@api.post("/runs/<int:run_id>/take-up", responses={200: RunView})
def take_up(path: RunPath) -> Response:
    """A declined run is to be decided again."""
    run_states.take_up(path.run_id)
    return answer(view_of(path.run_id))


@api.post("/runs/<int:run_id>/stop", responses={202: RunView})
def stop(path: RunPath) -> Response:
    """Ask a busy run to stop before it writes."""
    run_states.request_stop(path.run_id)
    return answer(view_of(path.run_id), 202)


@api.get("/runs/<int:run_id>/result")
def result(path: RunPath, query: FileQuery) -> Response:
    """Every arriving row with what became of it and why."""
    data = review.result_file(path.run_id, query.format)
    name = f"run-{path.run_id}-result.{query.format}"
    return attachment(data, name, MEDIA_TYPES[query.format])


@api.get("/runs/<int:run_id>/changes")
def changes(path: RunPath, query: FileQuery) -> Response:
    """Every value that the run changes, old beside new; as XLSX with sums by supplier and
    category."""
    pieces = reports.changes_file(path.run_id, query.format)
    name = f"run-{path.run_id}-changes.{query.format}"
    return streamed(pieces, name, MEDIA_TYPES[query.format])


@api.get("/runs/<int:run_id>/to-mend")
def to_mend(path: RunPath, query: FileQuery) -> Response:
    """What is wrong in the delivery's file, for its supplier, with nothing of the store's."""
    data = reports.supplier_file(path.run_id, query.format)
    name = f"run-{path.run_id}-to-mend.{query.format}"
    return attachment(data, name, MEDIA_TYPES[query.format])
