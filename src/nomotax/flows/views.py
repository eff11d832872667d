"""Saved views of a catalog: which products, and how they are looked at."""

from __future__ import annotations

from dataclasses import replace

from pydantic import BaseModel, ConfigDict, Field
from sqlmodel import Session, col, func, select

from nomotax.core.errors import Conflict, NotFound
from nomotax.core.showing import BESIDE, PROBLEM, Selection
from nomotax.flows.listing import listing_of
from nomotax.flows.needs import asked_of
from nomotax.flows.problems import flaws_of
from nomotax.records.actors import at_work
from nomotax.records.database import session
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import SavedView


class Look(BaseModel):
    """The products that are shown, the ``columns`` of the sheet in their order, and its sorting."""

    model_config = ConfigDict(extra="forbid")

    shown: Selection = Selection()
    columns: list[str] = Field(default=[], max_length=200)
    sort: str = "key"
    descending: bool = False


class ViewEdit(BaseModel):
    name: str = Field(min_length=1, max_length=80)
    look: Look


class ViewLine(BaseModel):
    """A view, and how many products it shows by now, where that is known; ``lost`` is a field that
    it asks for and that the store does not have any more."""

    id: int
    name: str
    look: Look
    count: int | None
    lost: str
    author: str


class Views(BaseModel):
    views: list[ViewLine]


def views_of(store_id: int) -> Views:
    """The views of a store, by their names. Raises ``NotFound``."""
    with session() as db:
        query = select(SavedView).where(SavedView.store_id == store_id)
        kept = list(db.exec(query.order_by(func.lower(SavedView.name))))
        looks = [Look.model_validate(one.look) for one in kept]
        wrong = any(where.field == PROBLEM for look in looks for where in look.shown.where)
        flaws = flaws_of(db, store_id) if wrong else None
        asked = replace(asked_of(db, store_id), flaws=flaws)
        found = []
        for one, look in zip(kept, looks, strict=True):
            named = [condition.field for condition in look.shown.where]
            lost = [name for name in named if name not in (*BESIDE, *asked.schema.names)]
            unknown = bool(lost) or (PROBLEM in named and flaws is None)
            count = None if unknown else listing_of(db, store_id).count(look.shown, asked)
            found.append(
                ViewLine(
                    id=known_id(one), name=one.name, look=look, count=count, author=one.author,
                    lost=lost[0] if lost else "",
                )
            )  # fmt: skip
        return Views(views=found)


def save_view(store_id: int, edit: ViewEdit, view_id: int | None = None) -> int:
    """Keep a view, as a new one or in the place of another; gives its number. Raises ``Conflict``
    where another has its name, ``NotFound``."""
    name = edit.name.strip()
    with session() as db:
        Stores(db).locked(store_id)
        other = db.exec(
            select(SavedView.id).where(
                SavedView.store_id == store_id,
                func.lower(SavedView.name) == name.lower(),
                col(SavedView.id).is_distinct_from(view_id),
            )
        ).first()
        if other is not None:
            raise Conflict(
                f"A view is called {name!r} already.", where="Catalog", remedy="Name it otherwise."
            )
        view = _view(db, store_id, view_id) if view_id else SavedView(store_id=store_id, name=name)
        view.name, view.look, view.actor = name, edit.look.model_dump(mode="json"), at_work(db)
        db.add(view)
        db.flush()
        return known_id(view)


def drop_view(store_id: int, view_id: int) -> ViewEdit:
    """A view is kept no more; gives what it was. Raises ``NotFound``."""
    with session() as db:
        view = _view(db, store_id, view_id)
        db.delete(view)
        return ViewEdit(name=view.name, look=Look.model_validate(view.look))


def _view(db: Session, store_id: int, view_id: int) -> SavedView:
    found = db.get(SavedView, view_id)
    if found is None or found.store_id != store_id:
        raise NotFound("There is no such view.", remedy="Somebody has removed it.")
    return found
