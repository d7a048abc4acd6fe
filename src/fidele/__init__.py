"""Fidele: what you approved on the screen is what comes out, and we can show it."""

import logging
import os

__version__ = "1.0.0"

# No other package of this machine is to take part in how data are checked, or to be looked for at every start.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

# Where nobody keeps a log, nothing of it is printed: what a person is to know is said in sentences.
logging.getLogger(__name__).addHandler(logging.NullHandler())
