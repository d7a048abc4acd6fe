"""The state of an open workshop: what the interface shows and what a person can do, without an interface."""
