"""Names every table carries besides the supplier's own columns."""

#: Running number of the data row in the delivery, from 1.
ROW = "__row"
#: Why the row cannot be trusted as read, or null.
FAULT = "__fault"

HIDDEN = (ROW, FAULT)
