"""Which process this is."""

#: Whether this is a child that reads what comes from outside; set once, by the child itself.
inside = False
