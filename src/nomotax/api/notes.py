"""Notes on products, for colleagues."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import RESPONSES, Done, Made, StorePath, answer
from nomotax.flows import notes
from nomotax.flows.notes import NoteAsked, NoteDone, Notes

api = APIBlueprint(
    "notes", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="notes")], abp_responses=RESPONSES
)


class NotePath(StorePath):
    note_id: int


class NotesQuery(BaseModel):
    """``key`` is the product whose notes are asked for, "" for all."""

    key: str = ""
    only_open: bool = False
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=400)


@api.get("/stores/<int:store_id>/notes", responses={200: Notes})
def get_notes(path: StorePath, query: NotesQuery) -> Response:
    """The notes of a store, those that are not done first."""
    found = notes.notes_of(path.store_id, query.key, query.only_open, query.offset, query.limit)
    return answer(found)


@api.post("/stores/<int:store_id>/notes", responses={201: Made})
def write_note(path: StorePath, body: NoteAsked) -> Response:
    """Keep a note on a product, or on its line in a run."""
    return answer(Made(id=notes.write_note(path.store_id, body)), 201)


@api.put("/stores/<int:store_id>/notes/<int:note_id>", responses={200: Done})
def settle_note(path: NotePath, body: NoteDone) -> Response:
    """A note is done, or is not after all."""
    notes.settle_note(path.store_id, path.note_id, body.done)
    return answer(Done())


@api.delete("/stores/<int:store_id>/notes/<int:note_id>", responses={200: NoteAsked})
def drop_note(path: NotePath) -> Response:
    """Keep a note no more; gives what it was."""
    return answer(notes.drop_note(path.store_id, path.note_id))
