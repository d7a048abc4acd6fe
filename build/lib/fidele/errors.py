"""The one kind of error that is shown to people as it is."""


class FideleError(Exception):
    """Something that a person can understand and mend.

    The message is one sentence that says what happened, to which file, and what to do. The command line prints it
    and exits with 2; the window shows it in its foot. Anything else that is raised is a bug.
    """

    def __str__(self) -> str:
        """One line, whatever the names of files in it hold."""
        said = super().__str__()
        return said if said.isprintable() else "".join(c if c.isprintable() else ascii(c)[1:-1] for c in said)
