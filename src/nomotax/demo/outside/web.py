"""A supplier's web host: files with ETags, conditional and partial answers, a sign-in; and the
pages that show what the store's people are told."""

from __future__ import annotations

import threading
from pathlib import Path

from flask import Flask, Response, request, send_from_directory
from werkzeug.serving import BaseWSGIServer, make_server

from nomotax.demo.outside.layout import PASSWORD, TOKEN, USER, WEB
from nomotax.demo.outside.post import add_pages


def serve(root: Path, port: int) -> BaseWSGIServer:
    """Serves until it is shut down; ``port`` 0 takes any."""
    app = Flask(__name__)

    @app.get("/lists/<name>")
    def given(name: str) -> Response:
        """To who signs in only."""
        sign = request.authorization
        known = sign is not None and (
            (sign.type == "basic" and (sign.username, sign.password) == (USER, PASSWORD))
            or (sign.type == "bearer" and sign.token == TOKEN)
        )
        if not known:
            return Response("Sign in.", 401, {"WWW-Authenticate": 'Basic realm="lists"'})
        folder = (root / WEB).resolve()
        if name == "newest":
            newest = max(folder.iterdir(), key=lambda f: f.stat().st_mtime_ns)
            return send_from_directory(
                folder, newest.name, conditional=True, etag=True, as_attachment=True
            )
        return send_from_directory(folder, name, conditional=True, etag=True)

    add_pages(app, root)
    server = make_server("127.0.0.1", port, app, threaded=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server
