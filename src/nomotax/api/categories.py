"""The store's category tree: counted, named, edited."""

from __future__ import annotations

from datetime import datetime

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel

from nomotax.api.answers import RESPONSES, Done, StorePath, answer, attachment
from nomotax.core.lookups.tree import TreeEdit
from nomotax.flows import catalog, names, stores, tree
from nomotax.flows.catalog import CategoryCount
from nomotax.flows.tree import ReadPaths, TreeEdited, TreeTouch

api = APIBlueprint(
    "categories", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="categories")],
    abp_responses=RESPONSES,
)  # fmt: skip


class CategoryList(BaseModel):
    categories: list[CategoryCount]


class NamesFile(BaseModel):
    file: FileStorage


class NamesTaken(BaseModel):
    names: int


class CategoryPaths(BaseModel):
    paths: list[str]


@api.get("/stores/<int:store_id>/categories", responses={200: CategoryList})
def get_categories(path: StorePath) -> Response:
    """The store's category tree with product counts."""
    return answer(CategoryList(categories=catalog.category_counts(path.store_id)))


@api.post("/stores/<int:store_id>/categories", responses={200: CategoryPaths})
def add_categories(path: StorePath, body: CategoryPaths) -> Response:
    """Add categories; parents come along."""
    return answer(CategoryPaths(paths=stores.add_categories(path.store_id, body.paths)))


@api.get("/stores/<int:store_id>/categories/names.csv")
def export_names(path: StorePath) -> Response:
    """What the categories are called in other languages: category, language, name."""
    return attachment(
        names.names_csv(path.store_id), "category-names.csv", "text/csv; charset=utf-8"
    )


@api.post("/stores/<int:store_id>/categories/names.csv", responses={200: NamesTaken})
def import_names(path: StorePath, form: NamesFile) -> Response:
    """Take names from a CSV file: category, language, name."""
    return answer(NamesTaken(names=names.take_names(path.store_id, form.file.stream.read())))


class TreeFile(BaseModel):
    file: FileStorage


class EditPath(StorePath):
    edit_id: int


class TreeEditLine(BaseModel):
    """An edit of the tree that was made, and how many products it touched."""

    id: int
    at: datetime
    author: str
    edit: TreeEdit
    products: int
    undone: bool


class TreeEdits(BaseModel):
    edits: list[TreeEditLine]


@api.post("/stores/<int:store_id>/categories/read", responses={200: ReadPaths})
def read_tree(path: StorePath, form: TreeFile) -> Response:
    """The categories of a file, for a look; nothing is added."""
    name = form.file.filename or "tree"
    return answer(tree.read_paths(path.store_id, form.file.stream.read(), name))


@api.post("/stores/<int:store_id>/categories/touch", responses={200: TreeTouch})
def touch_tree(path: StorePath, body: TreeEdit) -> Response:
    """What an edit of the tree would touch; nothing is changed."""
    return answer(tree.touch(path.store_id, body))


@api.get("/stores/<int:store_id>/categories/edits", responses={200: TreeEdits})
def list_tree_edits(path: StorePath) -> Response:
    """The newest edits of the tree."""
    found = [
        TreeEditLine.model_validate(e.model_dump() | {"author": e.author})
        for e in tree.recent_edits(path.store_id)
    ]
    return answer(TreeEdits(edits=found))


@api.post("/stores/<int:store_id>/categories/edits", responses={200: TreeEdited})
def edit_tree(path: StorePath, body: TreeEdit) -> Response:
    """Add, rename, move, merge or delete a category; products follow."""
    return answer(tree.edit_tree(path.store_id, body))


@api.post("/stores/<int:store_id>/categories/edits/<int:edit_id>/undo", responses={200: Done})
def undo_tree_edit(path: EditPath) -> Response:
    """Take an edit of the tree back."""
    tree.undo_tree(path.store_id, path.edit_id)
    return answer(Done())
