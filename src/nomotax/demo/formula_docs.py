"""Writes the list of functions in docs/formulas.md from the functions themselves."""

from __future__ import annotations

from nomotax.core.formula import functions
from nomotax.core.formula.registry import FUNCTIONS, Function

BEGIN, END = "<!-- functions: made by the demo script -->", "<!-- end of functions -->"
_GROUPS = {"text": "Text", "logic": "Conditions", "number": "Numbers", "date": "Dates"}

__all__ = ["functions", "with_functions"]


def with_functions(page: str) -> str:
    """The page with its list of functions as the code has them."""
    head, rest = page.split(BEGIN)
    tail = rest.split(END)[1]
    return f"{head}{BEGIN}\n{_tables()}\n{END}{tail}"


def _tables() -> str:
    parts = []
    for group, title in _GROUPS.items():
        rows = [
            _row(f) for f in sorted(FUNCTIONS.values(), key=lambda f: f.name) if f.group == group
        ]
        head = "| function | what it gives | example | result |\n|---|---|---|---|"
        parts.append("\n".join([f"### {title}\n", head, *rows]) + "\n")
    return "\n".join(parts)


def _row(one: Function) -> str:
    added = "" if one.standard else " *Ours, not in the standard.*"
    result = one.result or "(empty)"
    cells = [f"`{one.usage}`", one.help + added, f"`{one.example}`", f"`{result}`"]
    return "| " + " | ".join(c.replace("|", "\\|") for c in cells) + " |"
