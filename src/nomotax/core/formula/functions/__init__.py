"""Every function of the language, by group; importing this enters them all."""

from nomotax.core.formula.functions import dates, logic, numbers, text

__all__ = ["dates", "logic", "numbers", "text"]
