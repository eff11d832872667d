"""Where the demo's messages arrive: mail in a folder, calls of a web address in a log; and a page
that shows both."""

from __future__ import annotations

import email
import email.policy
import html
import json
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from flask import Flask, Response, request

POST, HOOKS = "post", "hooks.jsonl"
#: So many of each are shown.
_SHOWN = 50
_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}</title>
<style>body{{font:14px/1.5 sans-serif;max-width:900px;margin:2em auto;padding:0 1em}}
article{{border-top:1px solid #ccc;padding:.7em 0}}pre{{white-space:pre-wrap;margin:.3em 0}}</style>
<h1>{title}</h1><nav><a href="/post">Mail</a> · <a href="/hooks">Calls</a></nav>{body}</html>"""


class _Folder:
    """Keeps each message as it came."""

    def __init__(self, root: Path) -> None:
        self.folder = root / POST
        self.folder.mkdir(parents=True, exist_ok=True)

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:  # noqa: N802
        name = f"{datetime.now(UTC):%Y%m%dT%H%M%S%f}.eml"
        (self.folder / name).write_bytes(envelope.content)
        return "250 It is kept"


def serve(root: Path, port: int) -> None:
    """Takes mail on loopback as long as the program lives."""
    Controller(_Folder(root), hostname="127.0.0.1", port=port).start()


def mails(root: Path) -> list[dict[str, str]]:
    """What has arrived, the newest first: to, subject, text."""
    found = []
    for file in sorted((root / POST).glob("*.eml"), reverse=True)[:_SHOWN]:
        made = email.message_from_bytes(file.read_bytes(), policy=email.policy.default)
        text = made.get_body(("plain",))
        found.append(
            {
                "to": str(made["To"]), "subject": str(made["Subject"]),
                "text": str(text.get_content()) if text else "",
            }
        )  # fmt: skip
    return found


def calls(root: Path) -> list[dict[str, Any]]:
    """What was called, the newest first: headers and body."""
    file = root / HOOKS
    lines = file.read_text("utf-8").splitlines() if file.exists() else []
    return [json.loads(line) for line in reversed(lines[-_SHOWN:])]


def add_pages(app: Flask, root: Path) -> None:
    """The pages, and the address that is called."""

    @app.get("/post")
    def post() -> str:
        return _page("Mail", ((f"{m['subject']} → {m['to']}", m["text"]) for m in mails(root)))

    @app.get("/hooks")
    def hooks() -> str:
        told = (
            (f"{c['headers'].get('webhook-id', '')}", json.dumps(c, indent=1, ensure_ascii=False))
            for c in calls(root)
        )
        return _page("Calls", told)

    @app.post("/hooks")
    def called() -> Response:
        headers = {k.lower(): v for k, v in request.headers if k.lower().startswith("webhook-")}
        line = json.dumps({"headers": headers, "body": request.get_data(as_text=True)})
        with (root / HOOKS).open("a", encoding="utf-8") as out:
            out.write(line + "\n")
        return Response("", 204)


def _page(title: str, things: Iterable[tuple[str, str]]) -> str:
    body = "".join(_articles(things)) or "<p>Nothing has come yet.</p>"
    return _PAGE.format(title=title, body=body)


def _articles(things: Iterable[tuple[str, str]]) -> Iterator[str]:
    for head, text in things:
        yield f"<article><b>{html.escape(head)}</b><pre>{html.escape(text)}</pre></article>"
