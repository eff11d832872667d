"""The demo's bank: what a euro's neighbours are worth, day by day."""

from __future__ import annotations

import csv
import io
from datetime import date
from decimal import Decimal

from nomotax.core.pricing.rates import HEADER

_RATES = {"USD": Decimal("0.9125"), "GBP": Decimal("1.1845"), "CHF": Decimal("1.0480")}


def todays_rates() -> str:
    """Rates to euros as CSV, a little different every day."""
    today = date.today()
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(HEADER)
    for at, (source, rate) in enumerate(_RATES.items()):
        moved = rate + Decimal((today.toordinal() * (at + 3)) % 21 - 10) / 10_000
        writer.writerow((today.isoformat(), source, "EUR", moved))
    return out.getvalue()
