"""The one kind of error that is shown to people as it is."""


class FideleError(Exception):
    """Something that a person can understand and mend.

    The message is one sentence that says what happened, to which file, and what to do. The command line prints it
    and exits with 2; the window shows it in its foot. Anything else that is raised is a bug.
    """
