"""The command line: ``nomotax inspect``, ``read``, ``suggest``, ``map``, ``formula`` and others."""

from __future__ import annotations

import sys
import traceback
from pathlib import Path
from typing import Any

import click

from nomotax.cli.check import check_command
from nomotax.cli.drift import drift_command
from nomotax.cli.formula import formula_command, print_trace
from nomotax.cli.reading import companion_files, inspect_command, output, read_command
from nomotax.cli.running import deliver_command, run_command
from nomotax.cli.server import COMMANDS
from nomotax.cli.suggest import suggest_command
from nomotax.core.errors import NomotaxError
from nomotax.core.writing.tables import format_of, write_lazily, write_table
from nomotax.flows import map_file as flow


class _Group(click.Group):
    """Turns our errors into one clear line and exit status 2, and any other into status 3, so
    that a program that calls us can tell a fault of ours from doubts about a file."""

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except NomotaxError as error:
            click.echo(f"nomotax: {error}", err=True)
            sys.exit(2)
        except (click.exceptions.Exit, click.ClickException, click.Abort):
            raise
        except Exception as error:
            traceback.print_exc()
            click.echo(f"nomotax: a fault of the program: {error}", err=True)
            sys.exit(3)


@click.group(cls=_Group)
@click.version_option(package_name="nomotax")
def main() -> None:
    """Map supplier feeds onto a store's product schema."""


_FILE = click.Path(path_type=Path)


@main.command("map")
@click.argument("file", type=_FILE)
@click.option("--crosswalk", "crosswalk_file", type=_FILE, required=True)
@click.option("--store-schema", "schema_file", type=_FILE, required=True)
@click.option("--out", type=_FILE, required=True, help="Ends in .csv, .xlsx, .jsonl or .parquet.")
@click.option("--problems", "problems_file", type=_FILE, help="Write every problem here, as CSV.")
@click.option("--limit", type=click.IntRange(min=1), help="Map only the first rows.")
@click.option("--companion", "companions", multiple=True, metavar="NAME=FILE")
@click.option(
    "--trace", "traced", metavar="SKU", help="Print where one product's values come from."
)
def map_command(
    file: Path,
    crosswalk_file: Path,
    schema_file: Path,
    out: Path,
    problems_file: Path | None,
    limit: int | None,
    companions: tuple[str, ...],
    traced: str | None,
) -> None:
    """Map FILE with a crosswalk and write the products. Ends 0 when every row is accounted for."""
    kind = format_of(out)
    schema = flow.load_schema(schema_file)
    mapped = flow.map_file(
        file, flow.load_bundle(crosswalk_file), schema, limit, companion_files(companions)
    )
    products = (
        mapped.products if kind == "parquet" else flow.in_store_writing(mapped.products, schema)
    )
    with output(out) as stream:
        write_lazily(products, stream, kind)
    if problems_file:
        with output(problems_file) as stream:
            write_table(mapped.problems, stream, "csv")
    counts = mapped.counts
    faulty = mapped.problems["row"].n_unique()
    click.echo(f"rows in {mapped.rows_in}, out {counts.get('good', 0)}, with problems {faulty}")
    others = {k: v for k, v in counts.items() if k != "good"}
    if others:
        click.echo("not written: " + ", ".join(f"{v} {k}" for k, v in sorted(others.items())))
    if traced:
        for found in mapped.trace(traced):
            print_trace(found)
    sys.exit(0 if mapped.accounted else 1)


for command in (
    inspect_command,
    read_command,
    suggest_command,
    drift_command,
    check_command,
    formula_command,
    run_command,
    deliver_command,
    *COMMANDS,
):
    main.add_command(command)


if __name__ == "__main__":
    main()
