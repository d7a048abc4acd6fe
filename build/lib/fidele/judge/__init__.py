"""Every finding of the program: what is wrong or doubtful, why it matters, and how to mend it."""
