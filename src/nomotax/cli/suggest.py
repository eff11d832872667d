"""``nomotax suggest``: what the columns, words and paths of a file are likely to be in a store."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from nomotax.cli.reading import output
from nomotax.flows.map_file import load_schema

if TYPE_CHECKING:
    from nomotax.core.suggest.weighing import Proposal
    from nomotax.flows.suggest_file import Suggested

_FILE = click.Path(path_type=Path)


@click.command("suggest")
@click.argument("file", type=_FILE)
@click.option("--store-schema", "schema_file", type=_FILE, required=True)
@click.option("--categories", "tree_file", type=_FILE, help="One path a line, parts ' > ' apart.")
@click.option("--accept", "accept_file", type=_FILE, help="Write a crosswalk of all that is sure.")
@click.option("--without-meaning", is_flag=True, help="Leave out the optional language model.")
@click.option("--password", default="", help="Of a locked file.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def suggest_command(
    file: Path,
    schema_file: Path,
    tree_file: Path | None,
    accept_file: Path | None,
    without_meaning: bool,
    password: str,
    as_json: bool,
) -> None:
    """Suggest columns for a store's fields, and places for the words and paths in FILE."""
    # The lexicon and its solver take a while to load: no other command waits for them.
    from nomotax.core.suggest.meaning import meaning
    from nomotax.flows.suggest_file import accepted, read_tree, suggest_file

    schema = load_schema(schema_file)
    tree = read_tree(tree_file) if tree_file else []
    model = meaning() if tree and not without_meaning else None
    found = suggest_file(file, schema, tree, model, password)
    if accept_file:
        with output(accept_file) as stream:
            document = accepted(found, schema).model_dump_json(indent=2)
            stream.write(document.encode())
    if as_json:
        click.echo(json.dumps(_document(found), ensure_ascii=False, indent=2))
    else:
        _print(found)


def _document(found: Suggested) -> dict[str, Any]:
    return {
        "columns": {
            name: [
                {"column": s.column, "score": s.score, "sure": s.sure, "reason": _said(s.reasons)}
                for s in own
            ]
            for name, own in found.columns.items()
        },
        "words": {
            name: {word: [_one("word", p) for p in own] for word, own in words.items()}
            for name, words in found.words.items()
        },
        "categories": {path: [_one("path", p) for p in own] for path, own in found.paths.items()},
    }


def _one(called: str, proposal: Proposal) -> dict[str, Any]:
    return {
        called: proposal.place,
        "score": proposal.score,
        "sure": proposal.sure,
        "reason": proposal.reason,
    }


def _said(reasons: list[str]) -> str:
    return "; ".join(reasons)


def _print(found: Suggested) -> None:
    for name, own in found.columns.items():
        best = own[0] if own else None
        said = (
            f"{best.column}  {_mark(best.score, best.sure)}  {_said(best.reasons)}" if best else "-"
        )
        click.echo(f"{name:<24} {said}")
    for title, asked in [*found.words.items(), ("categories", found.paths)]:
        if asked:
            click.echo(f"\n{title}")
        for word, proposed in asked.items():
            first = proposed[0] if proposed else None
            said = (
                f"{first.place}  {_mark(first.score, first.sure)}  {first.reason}" if first else "-"
            )
            click.echo(f"  {word:<40} {said}")


def _mark(score: int, sure: bool) -> str:
    return f"{score}{' sure' if sure else ''}"
