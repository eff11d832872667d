"""What the files of a feed must look like."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag

from nomotax.api.answers import RESPONSES, FeedPath, answer, attachment
from nomotax.flows import contracts
from nomotax.flows.contracts import ContractDraft, ContractEdit, FeedContract

api = APIBlueprint(
    "contracts", __name__, url_prefix="/api/v1", abp_tags=[Tag(name="contracts")],
    abp_responses=RESPONSES,
)  # fmt: skip


@api.get("/feeds/<int:feed_id>/contract", responses={200: FeedContract})
def get_contract(path: FeedPath) -> Response:
    """A feed's contract, and in what its newest delivery breaks it."""
    return answer(contracts.contract_of(path.feed_id))


@api.put("/feeds/<int:feed_id>/contract", responses={200: FeedContract})
def set_contract(path: FeedPath, body: ContractEdit) -> Response:
    """Set it, or with null take it away; the newest delivery is held against it at once."""
    return answer(contracts.set_contract(path.feed_id, body.contract))


@api.get("/feeds/<int:feed_id>/contract/draft", responses={200: ContractDraft})
def draft_contract(path: FeedPath) -> Response:
    """A contract that the last deliveries have kept; nothing is saved."""
    return answer(contracts.draft_contract(path.feed_id))


@api.get("/feeds/<int:feed_id>/contract.json")
def get_table_schema(path: FeedPath) -> Response:
    """The contract as a Table Schema, for programs of the supplier."""
    data = contracts.table_schema(path.feed_id).encode()
    return attachment(data, f"feed-{path.feed_id}-contract.json", "application/json")


@api.get("/feeds/<int:feed_id>/contract.html")
def get_page(path: FeedPath) -> Response:
    """The contract as a page for people, complete in itself."""
    page = Response(contracts.contract_page(path.feed_id), mimetype="text/html")
    page.headers["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
    return page
