"""Fidele: what you approved on the screen is what comes out, and we can show it."""

__version__ = "0.1.0"
