"""What the columns of a comparison are called."""

#: Before the name of a field: what a product would hold, and what it holds.
NEW, OLD = "new:", "old:"
#: The supplier of a product.
OWNER = "__owner"
#: Whether a run of a delivery has given a product the state that it has, and nobody by hand.
BY_RUN = "__by_run"
