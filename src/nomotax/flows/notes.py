"""Notes on products: who says what to whom, and whether it is done."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field
from sqlmodel import Session, and_, col, func, select, true

from nomotax.core.errors import NotFound, UnfitValue
from nomotax.records.actors import at_work
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.products import Product
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Note


class NoteAsked(BaseModel):
    """A note on a product, or on its line in a run; ``whom`` is the colleague, "" for all."""

    key: str = Field(min_length=1, max_length=400)
    text: str = Field(min_length=1, max_length=2_000)
    whom: str = Field(default="", max_length=60)
    run_id: int | None = None


class NoteDone(BaseModel):
    done: bool


class NoteLine(BaseModel):
    """A note; ``title`` is that of its product by now, "" where there is none."""

    id: int
    key: str
    title: str
    run_id: int | None
    text: str
    whom: str
    author: str
    at: datetime
    done_at: datetime | None
    done_by: str


class Notes(BaseModel):
    """Those that are not done first, the newest first; ``open`` is how many those are in all, and
    ``total`` how many there are of those that were asked for."""

    notes: list[NoteLine]
    open: int
    total: int


def notes_of(
    store_id: int, key: str = "", only_open: bool = False, offset: int = 0, limit: int = 100
) -> Notes:
    """The notes of a store, or on one product. Raises ``NotFound``."""
    with session() as db:
        Stores(db).get(store_id)
        own = col(Note.store_id) == store_id
        unfinished = col(Note.done_at).is_(None)
        left = db.exec(select(func.count()).select_from(Note).where(own, unfinished)).one()
        asked = and_(
            own, col(Note.key) == key if key else true(), unfinished if only_open else true()
        )
        total = db.exec(select(func.count()).select_from(Note).where(asked)).one()
        order = (unfinished.desc(), col(Note.id).desc())
        query = select(Note).where(asked).order_by(*order).offset(offset).limit(limit)
        found = list(db.exec(query))
        titles = _titles(db, store_id, [one.key for one in found])
        return Notes(
            notes=[_line(one, titles.get(one.key, "")) for one in found], open=left, total=total
        )


def _titles(db: Session, store_id: int, keys: list[str]) -> dict[str, str]:
    query = select(Product.key, Product.title).where(
        Product.store_id == store_id, col(Product.key).in_(keys)
    )
    return dict(db.exec(query).all())


def _line(note: Note, title: str) -> NoteLine:
    told = note.model_dump(include={"key", "run_id", "text", "whom", "at", "done_at", "done_by"})
    return NoteLine(id=known_id(note), title=title, author=note.author, **told)


def write_note(store_id: int, asked: NoteAsked) -> int:
    """Keep a note; gives its number. Raises ``UnfitValue`` for one that says nothing, ``NotFound``
    for a run of another store."""
    if not asked.text.strip():
        raise UnfitValue("The note says nothing.", where="text", remedy="Write what is to be done.")
    with session() as db:
        Stores(db).get(store_id)
        if asked.run_id is not None:
            Runs(db, store_id).get(asked.run_id)
        made = Note(
            store_id=store_id, key=asked.key, text=asked.text.strip(), whom=asked.whom.strip(),
            run_id=asked.run_id, actor=at_work(db),
        )  # fmt: skip
        db.add(made)
        db.flush()
        return known_id(made)


def settle_note(store_id: int, note_id: int, done: bool) -> None:
    """A note is done, or is not after all. Raises ``NotFound``."""
    with session() as db:
        note = _note(db, store_id, note_id)
        actor = at_work(db)
        note.done_at = now() if done else None
        note.done_by = actor.name if done and actor else ""
        db.add(note)


def drop_note(store_id: int, note_id: int) -> NoteAsked:
    """A note is kept no more; gives what it was. Raises ``NotFound``."""
    with session() as db:
        note = _note(db, store_id, note_id)
        was = NoteAsked.model_validate(note, from_attributes=True)
        db.delete(note)
        return was


def _note(db: Session, store_id: int, note_id: int) -> Note:
    found = db.get(Note, note_id)
    if found is None or found.store_id != store_id:
        raise NotFound("There is no such note.", remedy="Somebody has removed it.")
    return found
