"""The products of a store: looked through, kept by hand, given out."""

from __future__ import annotations

from typing import Literal

from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from nomotax.api.answers import MEDIA_TYPES, RESPONSES, Done, Made, StorePath, answer, streamed
from nomotax.core.changes.states import STATES
from nomotax.core.errors import UnfitValue
from nomotax.core.showing import Condition, Selection
from nomotax.flows import (
    catalog,
    changing,
    decisions,
    editing,
    needs,
    product,
    publishing,
    sheet,
    views,
    waiting,
)
from nomotax.flows import outbound as files
from nomotax.flows.catalog import ProductPage
from nomotax.flows.changing import BulkEdit
from nomotax.flows.decisions import KeptField
from nomotax.flows.editing import ProductEdit
from nomotax.flows.needs import Completeness, Needs
from nomotax.flows.problems import Problems, problems_of_product
from nomotax.flows.product import ProductDetail
from nomotax.flows.publishing import StatesEdit
from nomotax.flows.sheet import SheetEdit, SheetWritten
from nomotax.flows.views import ViewEdit, Views
from nomotax.flows.waiting import DatedLines
from nomotax.records.repository import known_id

api = APIBlueprint(
    "products", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="products")],
    abp_responses=RESPONSES,
)  # fmt: skip


_CONDITIONS = TypeAdapter(tuple[Condition, ...])


class SelectionQuery(BaseModel):
    """``where`` is a JSON list of conditions."""

    category: str = ""
    search: str = ""
    state: str = ""
    where: str = Field(default="", max_length=500_000)

    @property
    def shown(self) -> Selection:
        """Which products these are. Raises ``UnfitValue`` for conditions that are none."""
        try:
            where = _CONDITIONS.validate_json(self.where) if self.where else ()
            return Selection(
                category=self.category, search=self.search, state=self.state, where=where
            )
        except ValidationError as error:
            said = error.errors()[0]
            raise UnfitValue(
                f"These are no conditions: {said['msg']}.", where="where",
                remedy="Take the filters away and set them anew.",
            ) from error  # fmt: skip


class ProductQuery(SelectionQuery):
    sort: str = "key"
    descending: bool = False
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=500)


class ViewPath(StorePath):
    view_id: int


class ProductPath(BaseModel):
    store_id: int
    key: str


class NeedsEdit(BaseModel):
    """Null for what is so of itself."""

    needs: Needs | None = None


class DatedPath(StorePath):
    value_id: int


class DatedQuery(BaseModel):
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=50, ge=1, le=500)


class OutboundQuery(BaseModel):
    format: Literal["csv", "xlsx", "jsonl", "parquet"] = "csv"
    run_id: int | None = None
    without: str = Field(default="", description="States left out, with commas between.")


@api.get("/stores/<int:store_id>/products", responses={200: ProductPage})
def get_products(path: StorePath, query: ProductQuery) -> Response:
    """A page of the catalog."""
    page = catalog.product_page(
        path.store_id, query.shown, query.sort, query.descending, query.offset, query.limit
    )
    return answer(page)


@api.patch("/stores/<int:store_id>/products", responses={200: SheetWritten})
def write_cells(path: StorePath, body: SheetEdit) -> Response:
    """Write many cells as one run; tells which of them were not taken, and why."""
    return answer(sheet.write_sheet(path.store_id, body))


@api.get("/stores/<int:store_id>/completeness", responses={200: Completeness})
def get_completeness(path: StorePath, query: SelectionQuery) -> Response:
    """How many of the products shown have all that they need, and what the others lack."""
    return answer(needs.completeness(path.store_id, query.shown))


@api.get("/stores/<int:store_id>/problems", responses={200: Problems})
def get_problems(path: StorePath, query: SelectionQuery) -> Response:
    """What is wrong with the products shown."""
    return answer(needs.problems(path.store_id, query.shown))


@api.get("/stores/<int:store_id>/products/<path:key>/problems", responses={200: Problems})
def get_product_problems(path: ProductPath) -> Response:
    """What is wrong with one product."""
    return answer(problems_of_product(path.store_id, path.key))


@api.put("/stores/<int:store_id>/needs", responses={200: Done})
def put_needs(path: StorePath, body: NeedsEdit) -> Response:
    """Say what products need."""
    needs.set_needs(path.store_id, body.needs)
    return answer(Done())


@api.get("/stores/<int:store_id>/views", responses={200: Views})
def get_views(path: StorePath) -> Response:
    """Saved views of the catalog, with how many products each shows."""
    return answer(views.views_of(path.store_id))


@api.post("/stores/<int:store_id>/views", responses={201: Made})
def add_view(path: StorePath, body: ViewEdit) -> Response:
    """Keep a view."""
    return answer(Made(id=views.save_view(path.store_id, body)), 201)


@api.put("/stores/<int:store_id>/views/<int:view_id>", responses={200: Done})
def put_view(path: ViewPath, body: ViewEdit) -> Response:
    """Name a view otherwise, or have it show others."""
    views.save_view(path.store_id, body, path.view_id)
    return answer(Done())


@api.delete("/stores/<int:store_id>/views/<int:view_id>", responses={200: ViewEdit})
def drop_view(path: ViewPath) -> Response:
    """Keep a view no more; gives what it was."""
    return answer(views.drop_view(path.store_id, path.view_id))


@api.get("/stores/<int:store_id>/products/<path:key>", responses={200: ProductDetail})
def get_product(path: ProductPath) -> Response:
    """One product and its history."""
    return answer(product.product_detail(path.store_id, path.key))


@api.put("/stores/<int:store_id>/products/<path:key>", responses={200: ProductDetail})
def edit_product(path: ProductPath, body: ProductEdit) -> Response:
    """Write values into a product, at once as a run of its own, or from a day on; gives the product
    with its history and what waits."""
    editing.edit_product(path.store_id, path.key, body)
    return answer(product.product_detail(path.store_id, path.key))


@api.delete("/stores/<int:store_id>/declined/<int:value_id>", responses={200: Done})
def forget_declined(path: DatedPath) -> Response:
    """The next delivery may write a value that was declined until another comes."""
    product.forget_declined(path.store_id, path.value_id)
    return answer(Done())


@api.post("/stores/<int:store_id>/states", responses={201: Made})
def start_states(path: StorePath, body: StatesEdit) -> Response:
    """Begin a run that makes many products live, hidden or archived; it is looked at first."""
    run = publishing.start_states(path.store_id, body)
    return answer(Made(id=known_id(run)), 201)


@api.post("/stores/<int:store_id>/changes", responses={201: Made})
def start_change(path: StorePath, body: BulkEdit) -> Response:
    """Begin a run that changes a field of all products shown; it is looked at first."""
    run = changing.start_change(path.store_id, body)
    return answer(Made(id=known_id(run)), 201)


@api.get("/stores/<int:store_id>/dated", responses={200: DatedLines})
def get_dated(path: StorePath, query: DatedQuery) -> Response:
    """Values that wait for their day, by their days."""
    return answer(waiting.dated_of(path.store_id, query.offset, query.limit))


@api.delete("/stores/<int:store_id>/dated/<int:value_id>", responses={200: Done})
def take_back_dated(path: DatedPath) -> Response:
    """A value does not wait any more."""
    waiting.take_back(path.store_id, path.value_id)
    return answer(Done())


@api.get("/stores/<int:store_id>/outbound")
def outbound(path: StorePath, query: OutboundQuery) -> Response:
    """The catalog, or what a run changed, in the schema's column order."""
    pictures = f"{request.host_url}api/v1/pictures/"
    left_out = query.without.split(",")
    states = [state for state in STATES if state not in left_out]
    pieces = files.outbound(path.store_id, query.format, query.run_id, pictures, states)
    what = f"run-{query.run_id}" if query.run_id else "catalog"
    return streamed(pieces, f"{what}.{query.format}", MEDIA_TYPES[query.format])


@api.put("/stores/<int:store_id>/kept", responses={200: Done})
def keep_by_hand(path: StorePath, body: KeptField) -> Response:
    """Keep a product's field from feeds, or give it back to them."""
    decisions.keep_by_hand(path.store_id, body)
    return answer(Done())
