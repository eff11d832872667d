"""Formulas, traces, versions, saved look-ups."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    RESPONSES,
    Done,
    FeedPath,
    OfDelivery,
    RunPath,
    StorePath,
    answer,
)
from nomotax.core.formula.evaluate import Given, Written
from nomotax.flows import decisions, formulas, trace, versions
from nomotax.flows.decisions import Seen, Verdicts
from nomotax.flows.formulas import FormulaTrial, FunctionHelp
from nomotax.flows.trace import TracedValue
from nomotax.flows.versions import VersionList

api = APIBlueprint(
    "crosswalks",
    __name__,
    url_prefix="/api/v1",
    abp_tags=[Tag(name="crosswalks")],
    abp_responses=RESPONSES,
)


class FunctionList(BaseModel):
    functions: list[FunctionHelp]


class FormulaText(BaseModel):
    """``value`` is what the step gets, and ``written`` how: both as the stage before has them."""

    formula: str
    row: int = Field(default=1, ge=1)
    value: str | None = None
    written: Written = "arriving"


class TraceQuery(OfDelivery):
    field: str
    row: int = Field(default=1, ge=1)


class KeyQuery(BaseModel):
    field: str
    key: str


class VersionNote(BaseModel):
    note: str = Field(default="", max_length=200)


class VersionPath(FeedPath):
    number: int


class CompareQuery(BaseModel):
    """0 stands for the draft."""

    before: int = Field(ge=0)
    after: int = Field(ge=0)


class ChangeLines(BaseModel):
    changes: list[str]


class CopySource(BaseModel):
    feed_id: int


class MissingColumns(BaseModel):
    missing: list[str]


@api.get("/formula/functions", responses={200: FunctionList})
def get_functions() -> Response:
    """Every function of the formula language."""
    return answer(FunctionList(functions=formulas.functions()))


@api.post("/feeds/<int:feed_id>/formula", responses={200: FormulaTrial})
def try_formula(path: FeedPath, query: OfDelivery, body: FormulaText) -> Response:
    """A formula over one row, while it is typed."""
    given = Given(body.value, body.written)
    made = formulas.try_formula(path.feed_id, body.formula, body.row, given, query.delivery_id)
    return answer(made)


@api.get("/feeds/<int:feed_id>/trace", responses={200: TracedValue})
def trace_on_bench(path: FeedPath, query: TraceQuery) -> Response:
    """Where a result cell of the bench comes from."""
    found = trace.trace_on_bench(path.feed_id, query.field, query.row, query.delivery_id)
    return answer(found)


@api.get("/runs/<int:run_id>/trace", responses={200: TracedValue})
def trace_in_run(path: RunPath, query: KeyQuery) -> Response:
    """Where a product's value in a changeset comes from."""
    return answer(trace.trace_in_run(path.run_id, query.key, query.field))


@api.get("/stores/<int:store_id>/trace", responses={200: TracedValue})
def trace_in_catalog(path: StorePath, query: KeyQuery) -> Response:
    """Where a value of the catalog comes from."""
    return answer(trace.trace_in_catalog(path.store_id, query.key, query.field))


@api.get("/feeds/<int:feed_id>/versions", responses={200: VersionList})
def get_versions(path: FeedPath) -> Response:
    """The history of the crosswalk, and what the draft changes."""
    return answer(versions.versions(path.feed_id))


@api.post("/feeds/<int:feed_id>/versions", responses={200: Done})
def save_version(path: FeedPath, body: VersionNote) -> Response:
    """Keep the draft as a version."""
    versions.save_version(path.feed_id, body.note)
    return answer(Done())


@api.get("/feeds/<int:feed_id>/versions/compare", responses={200: ChangeLines})
def compare_versions(path: FeedPath, query: CompareQuery) -> Response:
    """Two versions in plain words."""
    changes = versions.compare_versions(path.feed_id, query.before, query.after)
    return answer(ChangeLines(changes=changes))


@api.post("/feeds/<int:feed_id>/versions/<int:number>/restore", responses={200: Done})
def restore_version(path: VersionPath) -> Response:
    """Make a version the draft again."""
    versions.restore_version(path.feed_id, path.number)
    return answer(Done())


@api.post("/feeds/<int:feed_id>/copy", responses={200: MissingColumns})
def copy_crosswalk(path: FeedPath, body: CopySource) -> Response:
    """Start with another feed's crosswalk."""
    missing = versions.copy_crosswalk(path.feed_id, body.feed_id)
    return answer(MissingColumns(missing=missing))


@api.post("/feeds/<int:feed_id>/decisions", responses={200: Done})
def decide(path: FeedPath, body: Verdicts) -> Response:
    """Refuse a suggestion, put a question off, or take either back."""
    decisions.decide(path.feed_id, body)
    return answer(Done())


@api.put("/feeds/<int:feed_id>/seen", responses={200: Done})
def look_at(path: FeedPath, body: Seen) -> Response:
    """What was accepted together is looked at now, or is to be looked at again."""
    decisions.look_at(path.feed_id, body)
    return answer(Done())
