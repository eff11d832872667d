"""A price rule out of one price that a person holds right."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction

from nomotax.core.pricing.ladder import Ending, Ladder, Match, Rule, Rung

#: Places of a markup in percent, the plainest first: few suffice where the price has an ending.
_PLACES = (0, 1, 2, 4, 6)


def rules_for(
    ladder: Ladder, name: str, match: Match, landed: Decimal, price: Decimal
) -> Iterator[Rule]:
    """Rules by which goods that cost ``landed`` are sold at ``price``, but for the limits of the
    ladder: a markup as plain as can be, with its ending, then without any. None for a price that
    is under the cost, which no markup makes."""
    tax = 1 + Fraction(ladder.tax_rate) / 100 if ladder.tax == "in" else Fraction(1)
    if landed <= 0 or price <= 0:
        return
    markup = (Fraction(price) / tax / Fraction(landed) - 1) * 100
    endings: tuple[Ending | None, ...] = (None, "none") if ladder.ending != "none" else (None,)
    for ending in endings:
        for places in _PLACES:
            exact = Decimal(markup.numerator) / Decimal(markup.denominator)
            amount = exact.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
            if 0 <= amount <= 100_000:
                rung = Rung(start=Decimal(0), kind="markup", amount=amount)
                yield Rule(name=name, when=(match,), rungs=(rung,), ending=ending)


def with_rule(ladder: Ladder, rule: Rule) -> Ladder:
    """The ladder with a rule that comes before all others, in the place of one for the same
    products."""
    others = tuple(one for one in ladder.rules if one.when != rule.when)
    return ladder.model_copy(update={"rules": (rule, *others)})
