"""From measurements of a printed target to an ICC profile."""
