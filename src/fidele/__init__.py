"""Fidele: what you approved on the screen is what comes out, and we can show it."""

import logging

__version__ = "1.0.0"

# Where nobody keeps a log, nothing of it is printed: what a person is to know is said in sentences.
logging.getLogger(__name__).addHandler(logging.NullHandler())
