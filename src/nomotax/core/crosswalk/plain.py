"""Names without case, accents and punctuation, for comparing."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache


@lru_cache(maxsize=8192)
def plain(name: str) -> str:
    """``Désignation (FR)`` as ``designation fr``."""
    stripped = unicodedata.normalize("NFKD", name)
    letters = "".join(c for c in stripped if not unicodedata.combining(c)).lower()
    return re.sub(r"[^a-z0-9]+", " ", letters).strip()


def prefix_of(supplier: str) -> str:
    """What goes before a supplier's numbers in the store: its initials, ``QP-``."""
    initials = "".join(w[0] for w in plain(supplier).upper().split()[:2])
    return f"{initials}-" if len(initials) == 2 else f"{plain(supplier).upper()[:2]}-"
