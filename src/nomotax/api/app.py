"""The application: API under /api/v1, the built front end for everything else."""

from __future__ import annotations

import gc
from contextlib import ExitStack
from typing import Any

from flask import Response, abort, g, send_from_directory
from flask_openapi3 import Info, OpenAPI
from werkzeug.exceptions import NotFound, RequestEntityTooLarge

from nomotax.api import (
    categories,
    contracts,
    contrasts,
    crosswalks,
    deliveries,
    feeds,
    guards,
    lookups,
    matching,
    messages,
    notes,
    prices,
    products,
    profiles,
    ranges,
    rates,
    removals,
    runs,
    schemas,
    snapshots,
    sources,
    stores,
)
from nomotax.api.answers import Problem, attach, invalid, problem
from nomotax.api.demo import api as demo_api
from nomotax.api.doors import guard
from nomotax.log import quiet_log
from nomotax.records.database import ping, waiting_at_most
from nomotax.settings import settings

_AREAS = (
    stores, schemas, categories, products, deliveries, feeds, sources, contracts, guards, matching,
    profiles, ranges, prices, crosswalks, lookups, rates,
    runs, snapshots, removals, notes, contrasts, messages,
)  # fmt: skip


#: Milliseconds that a request waits for what another is changing.
_LOCK_PATIENCE = 8_000


class _Api(OpenAPI):
    """The application with its description as the standard has it."""

    @property
    def api_doc(self) -> dict[str, Any]:
        """The OpenAPI document, without parts that say nothing: they may not be null there."""
        document: dict[str, Any] = super().api_doc
        parts = document.get("components", {})
        document["components"] = {name: part for name, part in parts.items() if part is not None}
        return document


def create_app() -> OpenAPI:
    """The WSGI application (gunicorn: ``nomotax.api.app:served_app()``)."""
    quiet_log()
    app = _Api(
        "nomotax",
        info=Info(title="Nomotax", version="1"),
        validation_error_callback=invalid,
        doc_prefix="/api/v1/docs",
        doc_ui=False,
    )
    # A little over the limit, so that form boundaries do not count against the file.
    app.config["MAX_CONTENT_LENGTH"] = settings().upload_limit + (1 << 16)
    attach(app)
    guard(app)
    _be_answered_soon(app)

    @app.errorhandler(RequestEntityTooLarge)
    def _too_large(error: RequestEntityTooLarge) -> Response:
        return problem(
            Problem(
                title="The file is larger than this server takes.",
                status=413,
                detail=f"The limit is {settings().upload_limit_mb:,} MB.",
                remedy="Split the file, or have the limit raised (NOMOTAX_UPLOAD_LIMIT_MB).",
            )
        )

    for area in _AREAS:
        app.register_api(area.api)
    app.register_api(demo_api)

    @app.get("/api/v1/health")
    def health() -> dict[str, str]:
        """Whether the application and its database answer."""
        ping()
        return {"status": "ok"}

    @app.route("/", defaults={"page": ""})
    @app.route("/<path:page>")
    def web(page: str) -> Response:
        if page.startswith("api/"):
            abort(404)
        try:
            found = send_from_directory(settings().web, page or "index.html")
            found.cache_control.max_age = 31_536_000 if page.startswith("assets/") else 0
            return found
        except NotFound:
            return send_from_directory(settings().web, "index.html", max_age=0)

    return app


def _be_answered_soon(app: OpenAPI) -> None:
    """A person is not held up by what a worker is changing: each request waits for a lock so long,
    and then says what is under way."""

    @app.before_request
    def _begin() -> None:
        g.waiting = ExitStack()
        g.waiting.enter_context(waiting_at_most(_LOCK_PATIENCE))

    @app.teardown_request
    def _end(error: BaseException | None) -> None:
        if "waiting" in g:
            g.waiting.close()


def served_app() -> OpenAPI:
    """The application in a process that does nothing else. Modules, models and routes live as long
    as the process: the garbage collector need not walk over them again and again, which held an
    answer up by a quarter of a second now and then."""
    app = create_app()
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)
    return app
