"""``nomotax formula``: one formula over one row; and traces in print."""

from __future__ import annotations

import json
import sys

import click

from nomotax.core.crosswalk.trace import Trace
from nomotax.core.errors import FormulaError
from nomotax.core.formula.evaluate import Given, evaluate
from nomotax.core.numbers import DecimalMark


@click.command("formula")
@click.argument("expression")
@click.option("--row", default="{}", metavar="JSON", help='Cells by column: \'{"Cost": "2,08"}\'.')
@click.option("--decimal", type=click.Choice([".", ","]), default=".", show_default=True)
@click.option("--value", default=None, help="What [=:value] is: a number with a point, or text.")
def formula_command(expression: str, row: str, decimal: DecimalMark, value: str | None) -> None:
    """Work out EXPRESSION. Ends 0 with a value, 1 when the row has none, 2 for a mistake."""
    try:
        cells = {str(k): None if v is None else str(v) for k, v in json.loads(row).items()}
    except (ValueError, AttributeError) as error:
        raise click.BadParameter(f"no JSON object of texts: {error}", param_hint="--row") from error
    try:
        made, wrong = evaluate(
            expression, cells, decimal, value=Given(value, "plain") if value is not None else None
        )
    except FormulaError as error:
        click.echo(expression, err=True)
        click.echo(" " * error.start + "^" * max(1, error.end - error.start), err=True)
        click.echo(f"nomotax: {error}", err=True)
        sys.exit(2)
    if wrong is not None:
        click.echo(f"no value: {wrong}", err=True)
        sys.exit(1)
    click.echo(made or "")


def print_trace(found: Trace) -> None:
    """One value's way, line by line."""
    click.echo(f"{found.title} = {found.value or 'empty'}   (row {found.row})")
    for cell in (*found.cells, *found.fields):
        click.echo(f"  from [{cell.column}]: {cell.value or 'empty'}")
    for step in found.steps[1:]:
        rule = f"   ({step.rule})" if step.rule else ""
        click.echo(f"  {step.label}: {step.value or 'empty'}{rule}")
        for number in step.numbers:
            if number.value and number.column not in ("rule", "rung"):
                click.echo(f"    {number.column}: {number.value}")
