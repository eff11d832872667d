"""Saved look-ups of a store: value tables, chains of steps, who changed them."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel

from nomotax.api.answers import RESPONSES, Done, StorePath, answer, attachment
from nomotax.core.crosswalk.model import Chain
from nomotax.flows import lookups
from nomotax.flows.lookups import AnswerHistory, LookupHistory, LookupList, TablePatch, Taken

api = APIBlueprint(
    "lookups", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="lookups")],
    abp_responses=RESPONSES,
)  # fmt: skip


class LookupQuery(BaseModel):
    kind: str
    name: str


class AnswerQuery(LookupQuery):
    arriving: str


class TableQuery(BaseModel):
    name: str


class TableFile(BaseModel):
    file: FileStorage
    name: str


@api.get("/stores/<int:store_id>/lookups", responses={200: LookupList})
def get_lookups(path: StorePath) -> Response:
    """Every saved look-up of the store, and the feeds that use it."""
    return answer(lookups.all_lookups(path.store_id))


@api.get("/stores/<int:store_id>/lookups/history", responses={200: LookupHistory})
def get_history(path: StorePath, query: LookupQuery) -> Response:
    """Who changed what in a look-up, and when."""
    return answer(lookups.history(path.store_id, query.kind, query.name))


@api.get("/stores/<int:store_id>/lookups/answers", responses={200: AnswerHistory})
def get_answers(path: StorePath, query: AnswerQuery) -> Response:
    """What was ever answered to what arrives, by whom and when."""
    return answer(lookups.answers(path.store_id, query.kind, query.name, query.arriving))


@api.put("/stores/<int:store_id>/chains", responses={200: Done})
def put_chain(path: StorePath, body: Chain) -> Response:
    """Keep a chain of steps under its name."""
    lookups.save(path.store_id, body)
    return answer(Done())


@api.put("/stores/<int:store_id>/value-tables", responses={200: Done})
def patch_table(path: StorePath, body: TablePatch) -> Response:
    """Change how a value table matches and what becomes of other words."""
    lookups.patch_table(path.store_id, body)
    return answer(Done())


@api.get("/stores/<int:store_id>/value-tables.csv")
def export_table(path: StorePath, query: TableQuery) -> Response:
    """A value table as CSV: arriving, store."""
    data = lookups.words_csv(path.store_id, query.name)
    return attachment(data, f"{query.name}.csv", "text/csv; charset=utf-8")


@api.post("/stores/<int:store_id>/value-tables.csv", responses={200: Taken})
def import_table(path: StorePath, form: TableFile) -> Response:
    """Take words from a CSV file of two columns: arriving, store."""
    return answer(lookups.take_words(path.store_id, form.name, form.file.stream.read()))


@api.get("/stores/<int:store_id>/category-tables.csv")
def export_placements(path: StorePath, query: TableQuery) -> Response:
    """The placements of a category table as CSV: arriving, store."""
    data = lookups.places_csv(path.store_id, query.name)
    return attachment(data, f"{query.name}.csv", "text/csv; charset=utf-8")


@api.post("/stores/<int:store_id>/category-tables.csv", responses={200: Taken})
def import_placements(path: StorePath, form: TableFile) -> Response:
    """Take placements from a CSV file of two columns: arriving, store."""
    return answer(lookups.take_places(path.store_id, form.name, form.file.stream.read()))
