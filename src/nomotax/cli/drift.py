"""``nomotax drift``: what is strange in a file beside the ones before it."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from nomotax.flows.map_file import load_bundle, load_reading, load_schema

_FILE = click.Path(path_type=Path)


class _Many(click.Command):
    """Takes every name that follows ``--against``, up to the next option."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        given, many = [], False
        for arg in args:
            if arg == "--against":
                many = True
            elif arg.startswith("--"):
                many = False
                given.append(arg)
            else:
                given += ["--against", arg] if many else [arg]
        return super().parse_args(ctx, given)


@click.command("drift", cls=_Many)
@click.argument("new", type=_FILE)
@click.option(
    "--against", "earlier", type=_FILE, multiple=True, required=True, metavar="OLD [OLD ...]",
    help="Earlier files of the feed, the oldest first.",
)  # fmt: skip
@click.option("--reading", "reading_file", type=_FILE, help="A reading document, as JSON.")
@click.option("--crosswalk", "crosswalk_file", type=_FILE, help="Tells which columns are used.")
@click.option("--store-schema", "schema_file", type=_FILE)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def drift_command(
    new: Path,
    earlier: tuple[Path, ...],
    reading_file: Path | None,
    crosswalk_file: Path | None,
    schema_file: Path | None,
    as_json: bool,
) -> None:
    """Tell what is strange in NEW beside earlier files of the same feed. Ends 1 when something
    holds it."""
    from nomotax.flows.drift_file import drift_of_files

    found = drift_of_files(
        new,
        earlier,
        load_reading(reading_file) if reading_file else None,
        load_bundle(crosswalk_file) if crosswalk_file else None,
        load_schema(schema_file) if schema_file else None,
    )
    if as_json:
        click.echo(json.dumps([f.model_dump() for f in found], ensure_ascii=False, indent=1))
        return
    for one in found:
        click.echo(f"{one.severity:<5} {one.said}")
    if not found:
        click.echo("Nothing strange.")
    sys.exit(1 if any(one.severity == "hold" for one in found) else 0)
