"""A street of strangers: printers whose physics are not the bench's, for tests and benchmarks alone.

`kinds` holds them, `seal` keeps some of them from being looked at while anything is tuned.
"""
