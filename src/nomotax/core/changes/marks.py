"""What the columns of a comparison are called."""

#: Before the name of a field: what a product would hold, and what it holds.
NEW, OLD = "new:", "old:"
#: The supplier of a product.
OWNER = "__owner"
#: The feed whose run has given a product the state that it has; null where a person has, or none.
MOVED_BY = "__moved_by"
