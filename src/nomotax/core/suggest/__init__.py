"""Suggestions: which column feeds which field, which store word and which category stand for what
arrives. Answers are ranked by small pieces of evidence, each with a reason in plain words."""
