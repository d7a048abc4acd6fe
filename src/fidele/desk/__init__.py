"""The window: thread, shelf, desks, findings, foot. The only package that knows Qt.

All that knows nothing of it is imported first: once Qt's binding is there, it reads the source of every module that is
imported, which takes longer than importing them.
"""

import fidele.session.model  # noqa: F401
