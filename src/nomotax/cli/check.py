"""``nomotax check``: whether a file keeps a contract."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from nomotax.flows.map_file import load_reading

_FILE = click.Path(path_type=Path)


@click.command("check")
@click.argument("file", type=_FILE)
@click.option(
    "--contract", "contract_file", type=_FILE, required=True,
    help="A contract, or any Table Schema, as JSON.",
)  # fmt: skip
@click.option("--reading", "reading_file", type=_FILE, help="A reading document, as JSON.")
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
def check_command(
    file: Path, contract_file: Path, reading_file: Path | None, as_json: bool
) -> None:
    """Tell in what FILE breaks a contract. Ends 1 where it does."""
    from nomotax.flows.contracts import check_file

    reading = load_reading(reading_file) if reading_file else None
    contract, rows, found = check_file(file, contract_file, reading)
    if as_json:
        told = {"file": file.name, "rows": rows, "columns": len(contract.fields)}
        told |= {"keeps": not found, "breaches": [one.model_dump() for one in found]}
        click.echo(json.dumps(told, ensure_ascii=False, indent=1))
    else:
        for one in found:
            click.echo(one.said)
        if not found:
            click.echo(f"{file.name} keeps the contract: {rows:,} rows.")
    sys.exit(1 if found else 0)
