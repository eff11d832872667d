"""The formula language: a subset of OpenFormula (OASIS ODF 1.3 part 4) over arriving columns."""
