"""Deliveries and their reading, the bench, categories, values, prices, questions."""

from __future__ import annotations

import polars as pl
from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    RESPONSES,
    DeliveryPath,
    Done,
    FeedPath,
    OfDelivery,
    answer,
    attachment,
)
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.lookups.tables import Otherwise
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.reading.model import Reading, ReadingProblem
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.table import FAULT, ROW
from nomotax.flows import bench, crosswalks, placing, prices, questions, receive
from nomotax.flows.bench import BenchState, FieldDetail, Window
from nomotax.flows.placing import CategoryView, ValueTableView
from nomotax.flows.prices import PriceView
from nomotax.flows.questions import Question
from nomotax.flows.workbench import open_workbench
from nomotax.records.tables import Delivery

api = APIBlueprint(
    "feeds", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="feeds")], abp_responses=RESPONSES
)


class Upload(BaseModel):
    file: FileStorage


class DeliveryView(BaseModel):
    """A delivery, how it was read and why, and the head of its table."""

    id: int
    feed_id: int
    file_name: str
    size: int
    status: str
    error: str
    reading: Reading | None
    why: dict[str, str]
    rows: int
    columns: list[str]
    problems: list[ReadingProblem]
    profile: list[ColumnProfile]


class RawView(BaseModel):
    """The head of the file: one text a line, each character standing for one byte."""

    lines: list[str]
    size: int


class TableQuery(BaseModel):
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=400)


class TableView(BaseModel):
    """Rows of an arriving table, their numbers and what is wrong with them as read."""

    offset: int
    numbers: list[int]
    faults: list[str | None]
    rows: list[list[str | None]]


class WindowQuery(OfDelivery):
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=400)
    only: str = ""
    search: str = ""


class FieldPath(FeedPath):
    field: str


class FieldQuery(OfDelivery):
    row: int = Field(default=1, ge=1)


class DraftEdit(BaseModel):
    """The whole crosswalk after an edit, and the revision it was made on."""

    crosswalk: Crosswalk
    revision: int


class AcceptEdit(BaseModel):
    least: int = Field(default=70, ge=0, le=100)


class ValueTables(BaseModel):
    tables: list[ValueTableView]


class WordEdit(BaseModel):
    """Store words by arriving word; null takes a decision back."""

    table: str
    words: dict[str, str | None]


class OtherwiseEdit(BaseModel):
    table: str
    otherwise: Otherwise
    word: str = ""


class PlaceEdit(BaseModel):
    """Store paths by arriving path; null takes a placement back, "" means not sold."""

    table: str
    places: dict[str, str | None]


class QuestionList(BaseModel):
    questions: list[Question]


class LadderTrial(BaseModel):
    ladder: Ladder


def _view(d: Delivery) -> DeliveryView:
    return DeliveryView.model_validate(d.model_dump() | {"reading": d.reading})


@api.post("/feeds/<int:feed_id>/deliveries", responses={201: DeliveryView})
def upload(path: FeedPath, form: Upload) -> Response:
    """Receive a file for a feed and read it."""
    name = form.file.filename or "delivery"
    return answer(_view(receive.receive(path.feed_id, name, form.file.stream)), 201)


@api.get("/deliveries/<int:delivery_id>", responses={200: DeliveryView})
def get_delivery(path: DeliveryPath) -> Response:
    """A delivery and how it was read."""
    return answer(_view(receive.delivery(path.delivery_id)))


@api.put("/deliveries/<int:delivery_id>/reading", responses={200: DeliveryView})
def read_again(path: DeliveryPath, body: Reading) -> Response:
    """Read a delivery another way; the choice is saved on its feed."""
    return answer(_view(receive.read(path.delivery_id, body)))


@api.get("/deliveries/<int:delivery_id>/raw", responses={200: RawView})
def get_raw(path: DeliveryPath) -> Response:
    """The head of the file, byte for byte."""
    raw = receive.raw_lines(path.delivery_id)
    return answer(RawView(lines=raw.lines, size=raw.size))


@api.get("/deliveries/<int:delivery_id>/rows", responses={200: TableView})
def get_rows(path: DeliveryPath, query: TableQuery) -> Response:
    """Rows of the table a delivery became."""
    part = receive.table_rows(path.delivery_id, query.offset, query.limit)
    cells = part.select(pl.exclude(ROW, FAULT))
    return answer(
        TableView(
            offset=query.offset,
            numbers=part[ROW].to_list(),
            faults=part[FAULT].to_list(),
            rows=[list(r) for r in cells.iter_rows()],
        )
    )


@api.get("/feeds/<int:feed_id>/bench", responses={200: BenchState})
def get_bench(path: FeedPath, query: OfDelivery) -> Response:
    """Fields and how they are filled, columns, suggestions."""
    return answer(bench.bench_state(path.feed_id, query.delivery_id))


@api.get("/feeds/<int:feed_id>/window", responses={200: Window})
def get_window(path: FeedPath, query: WindowQuery) -> Response:
    """Arriving rows and their results."""
    found = bench.window(
        path.feed_id, query.delivery_id, query.offset, query.limit, query.only, query.search
    )
    return answer(found)


@api.get("/feeds/<int:feed_id>/fields/<field>", responses={200: FieldDetail})
def get_field(path: FieldPath, query: FieldQuery) -> Response:
    """One field: steps on the row in hand, distinct results, problems, suggestions."""
    return answer(bench.field_detail(path.feed_id, path.field, query.row, query.delivery_id))


@api.put("/feeds/<int:feed_id>/draft", responses={200: BenchState})
def save_draft(path: FeedPath, query: OfDelivery, body: DraftEdit) -> Response:
    """Keep an edit of the crosswalk; answers with the bench as it then is."""
    bench.save_draft(path.feed_id, body.crosswalk, body.revision)
    return answer(bench.bench_state(path.feed_id, query.delivery_id))


@api.post("/feeds/<int:feed_id>/suggestions/accept", responses={200: BenchState})
def accept(path: FeedPath, query: OfDelivery, body: AcceptEdit) -> Response:
    """Take every suggestion at or above a mark."""
    bench.accept_suggestions(path.feed_id, body.least)
    return answer(bench.bench_state(path.feed_id, query.delivery_id))


@api.get("/feeds/<int:feed_id>/questions", responses={200: QuestionList})
def get_questions(path: FeedPath, query: OfDelivery) -> Response:
    """What still needs a person, most products first."""
    found = questions.open_questions(path.feed_id, query.delivery_id)
    return answer(QuestionList(questions=found))


@api.get("/feeds/<int:feed_id>/values", responses={200: ValueTables})
def get_values(path: FeedPath, query: OfDelivery) -> Response:
    """Arriving words of every value table in use."""
    return answer(ValueTables(tables=placing.value_tables(path.feed_id, query.delivery_id)))


@api.put("/feeds/<int:feed_id>/values", responses={200: Done})
def set_words(path: FeedPath, body: WordEdit) -> Response:
    """Decide store words."""
    placing.set_words(path.feed_id, body.table, body.words)
    return answer(Done())


@api.put("/feeds/<int:feed_id>/values/otherwise", responses={200: Done})
def set_otherwise(path: FeedPath, body: OtherwiseEdit) -> Response:
    """Change the rule for words that are not listed."""
    placing.set_otherwise(path.feed_id, body.table, body.otherwise, body.word)
    return answer(Done())


@api.get("/feeds/<int:feed_id>/categories", responses={200: CategoryView})
def get_categories(path: FeedPath, query: OfDelivery) -> Response:
    """The arriving tree beside the store's."""
    return answer(placing.category_view(path.feed_id, query.delivery_id))


@api.put("/feeds/<int:feed_id>/categories", responses={200: Done})
def set_places(path: FeedPath, body: PlaceEdit) -> Response:
    """Place arriving categories."""
    placing.set_places(path.feed_id, body.table, body.places)
    return answer(Done())


@api.get("/feeds/<int:feed_id>/prices", responses={200: PriceView})
def get_prices(path: FeedPath, query: OfDelivery) -> Response:
    """The ladder over the real products."""
    return answer(prices.price_view(path.feed_id, query.delivery_id))


@api.post("/feeds/<int:feed_id>/prices/try", responses={200: PriceView})
def try_prices(path: FeedPath, query: OfDelivery, body: LadderTrial) -> Response:
    """A ladder that is not saved, over the real products."""
    return answer(prices.price_view(path.feed_id, query.delivery_id, body.ladder))


@api.get("/feeds/<int:feed_id>/crosswalk.json")
def export_crosswalk(path: FeedPath, query: OfDelivery) -> Response:
    """The crosswalk with its reading and look-ups, as one document."""
    bundle = open_workbench(path.feed_id, query.delivery_id).bundle()
    data = bundle.model_dump_json(indent=1, exclude_none=True).encode()
    return attachment(data, "crosswalk.json", "application/json")


@api.put("/feeds/<int:feed_id>/crosswalk", responses={200: Done})
def import_crosswalk(path: FeedPath, body: Bundle) -> Response:
    """Put an exported crosswalk in place of the present one, look-ups and all."""
    crosswalks.take_bundle(path.feed_id, body)
    return answer(Done())
