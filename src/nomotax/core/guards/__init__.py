"""Limits that hold a changeset, or some of its lines, for a person."""
