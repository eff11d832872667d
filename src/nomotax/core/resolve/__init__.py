"""Whose value holds where several feeds offer one product."""
