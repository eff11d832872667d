"""The store's category tree, edited by hand and from a file; every edit can be taken back."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from sqlmodel import Session, col, select

from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.retree import (
    category_fields,
    crosswalk_back,
    crosswalk_moved,
    formulas_naming,
    ladder_back,
    ladder_moved,
    placements_back,
    placements_moved,
)
from nomotax.core.errors import Conflict, NotFound
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.lookups.tree import SIGN, TreeChange, TreeEdit, edited, inverse, parts_of
from nomotax.core.lookups.tree_file import read_tree
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.schema.model import StoreSchema
from nomotax.core.suggest.lexicon import lexicon
from nomotax.core.suggest.spelling import tokens
from nomotax.records.actors import at_work
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Store, TreeEditRecord
from nomotax.records.trees import Trees

#: Documents as they were, by kind and name.
Documents = dict[str, dict[str, Any]]


class TreeTouch(BaseModel):
    """What an edit touches: categories that go, products that get another category, placements of
    arriving paths that lead elsewhere, and what has to be looked after by hand: ``formulas`` are
    feeds with a field whose formula names such a category."""

    categories: int
    products: int
    placements: int
    formulas: list[str]


class TreeEdited(BaseModel):
    """``id`` is what the edit is taken back by."""

    id: int
    touch: TreeTouch


class ReadPaths(BaseModel):
    """Categories of a file that are new, in its order, and how many are there already. ``heading``
    is the first line where that was taken for the names of columns and no category."""

    paths: list[str]
    known: int
    heading: str = ""


def touch(store_id: int, edit: TreeEdit) -> TreeTouch:
    """What the edit would touch; nothing is changed. Raises as ``edited`` does."""
    with session() as db:
        return _Edit(db, Stores(db).get(store_id)).touch(edit)


def edit_tree(store_id: int, edit: TreeEdit) -> TreeEdited:
    """Edit the tree in one transaction: products, their history, placements, price rules and
    constants follow. Raises as ``edited`` does, and ``Conflict`` where products would be left
    without a category."""
    with session() as db:
        return _Edit(db, _for_writing(db, store_id)).carry_out(edit)


def undo_tree(store_id: int, edit_id: int) -> None:
    """Take an edit back. Raises ``NotFound``, and ``Conflict`` where it cannot be any more."""
    with session() as db:
        # Behind the lock, so that two who take the same edit back do it once.
        store = _for_writing(db, store_id)
        record = db.get(TreeEditRecord, edit_id)
        if record is None or record.store_id != store_id:
            raise NotFound(f"There is no edit {edit_id} of this tree.")
        if record.undone:
            raise Conflict("This edit has been taken back already.")
        _Edit(db, store).take_back(record)


def _for_writing(db: Session, store_id: int) -> Store:
    """The store, locked, so that no run writes products while their categories move."""
    return Stores(db).locked(store_id)


def read_paths(store_id: int, data: bytes, file_name: str) -> ReadPaths:
    """The categories of a file, for a look before they are added. Raises ``UnreadableFile``."""
    with session() as db:
        known = set(Stores(db).category_paths(store_id))
    columns, rows = _table_of(data, file_name)
    headed = any(map(_is_heading, columns))
    found = read_tree(columns, rows, headed)
    fresh = [p for p in found if p not in known]
    named = found[0].split(SIGN)[0] == columns[0].strip()
    heading = " · ".join(columns) if headed and not named else ""
    return ReadPaths(paths=fresh, known=len(found) - len(fresh), heading=heading)


#: What columns of a tree are called, in the lexicon's concepts and in further words.
_CONCEPTS = frozenset({"category", "group", "class", "title", "parent"})
_WORDS = frozenset(
    ["id", "path", "pfad", "level", "ebene", "niveau", "nivel", "livello", "nivå", "top", "sub"]
)


def _is_heading(name: str) -> bool:
    """Whether the name of a column says that categories stand in it; it may be one itself."""
    said, words = lexicon("terms").read(name), set(tokens(name))
    if words & _WORDS or "category" in said.concepts:
        return True
    return bool(said.concepts) and said.concepts.keys() <= _CONCEPTS


def _table_of(data: bytes, file_name: str) -> tuple[list[str], list[tuple[str | None, ...]]]:
    """Columns and rows, by the same reading as any delivery: whatever format and encoding."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "tree"
        path.write_bytes(data)
        source = Source(path, file_name)
        table = read(source, detect(source).reading)
        return table.columns, list(table.frame.select(table.columns).iter_rows())


@dataclass(frozen=True)
class _Led:
    """What names categories, led on to where they are."""

    schema: StoreSchema
    moves: Mapping[str, str]

    def table(self, one: CategoryTable) -> CategoryTable:
        return placements_moved(one, self.moves)

    def ladder(self, one: Ladder) -> Ladder:
        return ladder_moved(one, self.schema, self.moves)

    def crosswalk(self, name: str, one: Crosswalk) -> Crosswalk:
        return crosswalk_moved(one, self.schema, self.moves)


@dataclass(frozen=True)
class _PutBack:
    """The same as it was before, where nobody has changed it since."""

    schema: StoreSchema
    moves: Mapping[str, str]
    before: Documents

    def table(self, one: CategoryTable) -> CategoryTable:
        was = self.before.get(f"category_table:{one.name}")
        return placements_back(one, CategoryTable(**was), self.moves) if was else one

    def ladder(self, one: Ladder) -> Ladder:
        was = self.before.get(f"ladder:{one.name}")
        return ladder_back(one, Ladder(**was), self.schema, self.moves) if was else one

    def crosswalk(self, name: str, one: Crosswalk) -> Crosswalk:
        was = self.before.get(name)
        return crosswalk_back(one, Crosswalk(**was), self.schema, self.moves) if was else one


class _Edit:
    """One edit of a store's tree within a transaction."""

    def __init__(self, db: Session, store: Store) -> None:
        self.db, self.store, self.store_id = db, store, known_id(store)
        self.schema: StoreSchema = Stores(db).schema(self.store_id)
        self.lookups = LookupsRepository(db, self.store_id)
        self.walks = Crosswalks(db, self.store_id)
        field = self.schema.category_field
        fields = category_fields(self.schema)
        self.trees = Trees(db, self.store_id, fields, field.name if field else "")

    def change(self, edit: TreeEdit) -> TreeChange:
        return edited(Stores(self.db).category_paths(self.store_id), edit)

    def touch(self, edit: TreeEdit) -> TreeTouch:
        change = self.change(edit)
        tables, walks = self._tables().values(), self.walks.by_feed()
        places = [p for t in tables for p in (*t.placements.values(), t.fallback)]
        return TreeTouch(
            categories=len(change.moves),
            products=self.trees.touched(change.moves) if change.moves else 0,
            placements=sum(p in change.moves for p in places),
            formulas=[
                f"{supplier.name}, {feed.name}: {name}"
                for feed, supplier in Feeds(self.db, self.store_id).all()
                for name in formulas_naming(draft_of(walks[known_id(feed)]), change.moves)
            ],
        )

    def carry_out(self, edit: TreeEdit) -> TreeEdited:
        change = self.change(edit)
        # Counted before anything moves; afterwards no product holds the old paths any more.
        found = self.touch(edit)
        if found.products and edit.do == "delete" and not edit.to:
            raise Conflict(
                f"{found.products} products stand in it.",
                remedy="Say which category they go to.",
            )
        record = self._recorded(edit, change)
        record.products = self.trees.change(record, change)
        record.before = self._lead_on(change.moves)
        # What was prepared against the old tree is prepared again before it is applied.
        self.store.revision += 1
        self.store.rules_revision += 1
        self.db.add_all([record, self.store])
        self.db.flush()
        return TreeEdited(id=known_id(record), touch=found)

    def _recorded(self, edit: TreeEdit, change: TreeChange) -> TreeEditRecord:
        categories = Stores(self.db).tree(self.store_id)
        record = TreeEditRecord(
            store_id=self.store_id,
            edit=edit.model_dump(mode="json"),
            moves=dict(change.moves),
            added=sorted(change.paths - categories.keys()),
            removed={p: n for p, n in categories.items() if p not in change.paths},
            actor=at_work(self.db),
        )
        self.db.add(record)
        self.db.flush()
        return record

    def _tables(self) -> Mapping[str, CategoryTable]:
        return self.lookups.all().category_tables

    def _lead_on(self, moves: Mapping[str, str]) -> Documents:
        """Placements, price rules and constants follow the paths."""
        return self._change_all(_Led(self.schema, moves))

    def _change_all(self, change: _Led | _PutBack) -> Documents:
        """Changes every category table, ladder and crosswalk; gives those that are another now as
        they were."""
        saved = self.lookups.all()
        before: Documents = {}
        for table in saved.category_tables.values():
            name, placed = f"category_table:{table.name}", change.table(table)
            if placed != table:
                before[name] = table.model_dump(mode="json")
                self.lookups.save(placed)
        for ladder in saved.ladders.values():
            name, ruled = f"ladder:{ladder.name}", change.ladder(ladder)
            if ruled != ladder:
                before[name] = ladder.model_dump(mode="json")
                self.lookups.save(ruled)
        for feed, record in self.walks.by_feed(alone=True).items():
            name, draft = f"feed:{feed}", draft_of(record)
            walk = change.crosswalk(name, draft)
            if walk != draft:
                before[name] = record.draft
                self.walks.edit(record, walk)
        return before

    def take_back(self, record: TreeEditRecord) -> None:
        edit = TreeEdit.model_validate(record.edit)
        back = inverse(edit, record.moves)
        if edit.do == "add":
            self._take_out(record.added)
        elif back is not None:
            change = self.change(back)
            self.trees.change(record, change)
            self._lead_on(change.moves)
        else:
            self._put_back(record)
        record.undone = True
        self.store.revision += 1
        self.store.rules_revision += 1
        self.db.add_all([record, self.store])

    def _take_out(self, paths: list[str]) -> None:
        """Categories that were added go again, if nothing has come into them."""
        tree = frozenset(Stores(self.db).category_paths(self.store_id))
        change = TreeChange(tree - frozenset(paths), dict.fromkeys(paths, ""))
        orphans = [p for p in change.paths if any(p.startswith(f"{one} > ") for one in paths)]
        if orphans or self.trees.touched(change.moves):
            raise Conflict(
                "Products or categories have come into it since.",
                remedy="Delete it in the tree, and say where they go.",
            )
        self.trees.tree(change)
        self._lead_on(change.moves)

    def take_out_unused(self, paths: Sequence[str]) -> list[str]:
        """See the function of this name."""
        tree = set(Stores(self.db).category_paths(self.store_id))
        left = []
        # What is below goes before what is above it.
        for path in sorted(tree & set(paths), key=lambda p: -len(parts_of(p))):
            if any(other.startswith(path + SIGN) for other in tree) or self._is_named(path):
                left.append(path)
            else:
                tree.discard(path)
        self.trees.tree(TreeChange(frozenset(tree), {}))
        return sorted(left)

    def _is_named(self, path: str) -> bool:
        """Whether products stand in a category, or anything leads to it."""
        change = _Led(self.schema, {path: f"{path} "})
        saved = self.lookups.all()
        return (
            any(change.table(one) != one for one in saved.category_tables.values())
            or any(change.ladder(one) != one for one in saved.ladders.values())
            or any(
                change.crosswalk("", draft) != draft
                for draft in map(draft_of, self.walks.by_feed().values())
            )
            or self.trees.touched({path: ""}) > 0
        )

    def _put_back(self, record: TreeEditRecord) -> None:
        # Products first: only then does it show which of the categories that came are still used.
        self.trees.put_back(record)
        now = frozenset(Stores(self.db).category_paths(self.store_id))
        gone = self._unused(record.added)
        self.trees.tree(TreeChange((now | frozenset(record.removed)) - gone, {}), record.removed)
        self._change_all(_PutBack(self.schema, record.moves, record.before))

    def _unused(self, paths: list[str]) -> frozenset[str]:
        """Those of the paths in which no product stands."""
        return frozenset(p for p in paths if not self.trees.touched({p: ""}))


def take_out_unused(db: Session, store_id: int, paths: Sequence[str]) -> list[str]:
    """Take categories away in which no product stands, that nothing leads to and that have none
    below them; gives those that stay."""
    return _Edit(db, _for_writing(db, store_id)).take_out_unused(paths)


def recent_edits(store_id: int) -> list[TreeEditRecord]:
    """The newest edits, newest first."""
    with session() as db:
        Stores(db).get(store_id)
        query = select(TreeEditRecord).where(col(TreeEditRecord.store_id) == store_id)
        return list(db.exec(query.order_by(col(TreeEditRecord.id).desc()).limit(50)))
