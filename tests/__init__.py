"""The tests. Two processes run them on two cores, where a thread for each is quickest; Polars asks
for the number of its threads once, when it is first imported."""

import os

os.environ.setdefault("POLARS_MAX_THREADS", "1")
