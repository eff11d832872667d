"""The application: API under /api/v1, the built front end for everything else."""

from __future__ import annotations

import os
from pathlib import Path
from urllib.parse import unquote

from flask import Response, abort, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from werkzeug.exceptions import NotFound, RequestEntityTooLarge

from nomotax.api import crosswalks, deliveries, feeds, runs, stores
from nomotax.api.answers import Problem, attach, invalid, problem
from nomotax.api.demo import api as demo_api
from nomotax.flows.receive import upload_limit
from nomotax.log import quiet_log
from nomotax.records.database import ping
from nomotax.records.person import set_person


def front_end() -> Path:
    """Where the built front end lies."""
    built = Path(__file__).parents[3] / "web" / "dist"
    return Path(os.environ.get("NOMOTAX_WEB", str(built)))


def create_app() -> OpenAPI:
    """The WSGI application (gunicorn: ``nomotax.api.app:create_app()``)."""
    quiet_log()
    app = OpenAPI(
        "nomotax",
        info=Info(title="Nomotax", version="1"),
        validation_error_callback=invalid,
        doc_prefix="/api/v1/docs",
        doc_ui=False,
    )
    # A little over the limit, so that form boundaries do not count against the file.
    app.config["MAX_CONTENT_LENGTH"] = upload_limit() + (1 << 16)
    attach(app)

    @app.errorhandler(RequestEntityTooLarge)
    def _too_large(error: RequestEntityTooLarge) -> Response:
        return problem(
            Problem(
                title="The file is larger than this server takes.",
                status=413,
                detail=f"The limit is {upload_limit() >> 20:,} MB.",
                remedy="Split the file, or have the limit raised (NOMOTAX_UPLOAD_LIMIT_MB).",
            )
        )

    for area in (stores, deliveries, feeds, crosswalks, runs):
        app.register_api(area.api)
    app.register_api(demo_api)

    @app.before_request
    def _who() -> None:
        set_person(unquote(request.headers.get("X-Person", "")))

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
            found = send_from_directory(front_end(), page or "index.html")
            found.cache_control.max_age = 31_536_000 if page.startswith("assets/") else 0
            return found
        except NotFound:
            return send_from_directory(front_end(), "index.html", max_age=0)

    return app
