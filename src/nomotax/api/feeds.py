"""The bench, categories, values, prices, questions of a feed."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    RESPONSES,
    Done,
    FeedPath,
    OfDelivery,
    answer,
    attachment,
)
from nomotax.core.crosswalk.assumptions import About
from nomotax.core.crosswalk.model import Bundle, Crosswalk, Fill
from nomotax.core.lookups.tables import Otherwise
from nomotax.flows import bench, crosswalks, filling, likely, placing, questions, removals
from nomotax.flows.bench import BenchState, FieldDetail, Window
from nomotax.flows.placing import CategoryView, Placed, PlaceEdit, ValueTableView
from nomotax.flows.questions import Question
from nomotax.flows.workbench import open_workbench

api = APIBlueprint(
    "feeds", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="feeds")], abp_responses=RESPONSES
)


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
    """The whole crosswalk after an edit, and the revision it was made on. ``accepted`` are the
    fields whose suggestions were taken together."""

    crosswalk: Crosswalk
    revision: int
    accepted: list[str] = []


class AcceptEdit(BaseModel):
    least: int = Field(default=70, ge=0, le=100)


class FeedName(BaseModel):
    name: str = Field(min_length=1, max_length=80)


class ValueTables(BaseModel):
    tables: list[ValueTableView]


class CategoryViews(BaseModel):
    """One for each field that is filled through a category table, the main category first."""

    views: list[CategoryView]


class WordEdit(BaseModel):
    """Store words by arriving word; null takes a decision back. ``accepted`` says that these are
    suggestions taken together, which nobody has looked at one by one."""

    table: str
    words: dict[str, str | None]
    accepted: bool = False


class OtherwiseEdit(BaseModel):
    table: str
    otherwise: Otherwise
    word: str = ""


class FillQuery(OfDelivery):
    field: str
    column: str


class MadeFill(BaseModel):
    fill: Fill


class Stated(BaseModel):
    """``choice`` is a unit's or a currency's code, a style of numbers, an order of dates, a
    prefix."""

    fields: list[str] = Field(min_length=1)
    about: About
    choice: str = Field(max_length=64)
    revision: int


class QuestionList(BaseModel):
    questions: list[Question]


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
    bench.save_draft(path.feed_id, body.crosswalk, body.revision, body.accepted)
    return answer(bench.bench_state(path.feed_id, query.delivery_id))


@api.post("/feeds/<int:feed_id>/suggestions/accept", responses={200: BenchState})
def accept(path: FeedPath, query: OfDelivery, body: AcceptEdit) -> Response:
    """Take every sure suggestion at or above a mark."""
    bench.accept_suggestions(path.feed_id, body.least)
    return answer(bench.bench_state(path.feed_id, query.delivery_id))


@api.get("/feeds/<int:feed_id>/fill", responses={200: MadeFill})
def make_fill(path: FeedPath, query: FillQuery) -> Response:
    """The fill that a column makes for a field; nothing is saved."""
    made = filling.made_fill(path.feed_id, query.field, query.column, query.delivery_id)
    return answer(MadeFill(fill=made))


@api.get("/feeds/<int:feed_id>/since", responses={200: MadeFill})
def make_dated(path: FeedPath, query: FillQuery) -> Response:
    """A field's fill with a column that says from which day on its values hold; nothing is
    saved."""
    made = filling.dated_fill(path.feed_id, query.field, query.column, query.delivery_id)
    return answer(MadeFill(fill=made))


@api.post("/feeds/<int:feed_id>/assumptions", responses={200: BenchState})
def state_assumption(path: FeedPath, query: OfDelivery, body: Stated) -> Response:
    """A person's word for what fills take for granted."""
    filling.state_assumption(path.feed_id, body.fields, body.about, body.choice, body.revision)
    return answer(bench.bench_state(path.feed_id, query.delivery_id))


@api.get("/feeds/<int:feed_id>/questions", responses={200: QuestionList})
def get_questions(path: FeedPath, query: OfDelivery) -> Response:
    """What still needs a person, most products first."""
    found = questions.open_questions(path.feed_id, query.delivery_id)
    if any(question.kind == "category" for question in found):
        # Have the background look at the paths of the delivery, once.
        likely.ask_for_looks(path.feed_id, query.delivery_id)
    return answer(QuestionList(questions=found))


@api.get("/feeds/<int:feed_id>/values", responses={200: ValueTables})
def get_values(path: FeedPath, query: OfDelivery) -> Response:
    """Arriving words of every value table in use."""
    return answer(ValueTables(tables=placing.value_tables(path.feed_id, query.delivery_id)))


@api.put("/feeds/<int:feed_id>/values", responses={200: Done})
def set_words(path: FeedPath, body: WordEdit) -> Response:
    """Decide store words."""
    placing.set_words(path.feed_id, body.table, body.words, body.accepted)
    return answer(Done())


@api.put("/feeds/<int:feed_id>/values/otherwise", responses={200: Done})
def set_otherwise(path: FeedPath, body: OtherwiseEdit) -> Response:
    """Change the rule for words that are not listed."""
    placing.set_otherwise(path.feed_id, body.table, body.otherwise, body.word)
    return answer(Done())


@api.get("/feeds/<int:feed_id>/categories", responses={200: CategoryViews})
def get_categories(path: FeedPath, query: OfDelivery) -> Response:
    """The arriving tree beside the store's."""
    views = placing.category_views(path.feed_id, query.delivery_id)
    if any(view.looking for view in views):
        # Have the background look at the paths of the delivery, once.
        likely.ask_for_looks(path.feed_id, query.delivery_id)
    return answer(CategoryViews(views=views))


@api.put("/feeds/<int:feed_id>/categories", responses={200: Placed})
def set_places(path: FeedPath, body: PlaceEdit) -> Response:
    """Place arriving categories."""
    return answer(placing.set_places(path.feed_id, body))


@api.put("/feeds/<int:feed_id>/name", responses={200: Done})
def rename_feed(path: FeedPath, body: FeedName) -> Response:
    """Call a feed otherwise."""
    removals.rename_feed(path.feed_id, body.name)
    return answer(Done())


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
