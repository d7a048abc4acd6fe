"""Versions of the program, of what it runs on, and of its libraries."""

from __future__ import annotations

import platform
from importlib.metadata import distributions

from fidele import __version__
from fidele.values import Document

#: Libraries whose versions matter to a fault.
_LIBRARIES = (
    "imagecodecs",
    "numba",
    "numpy",
    "opencv-python-headless",
    "pikepdf",
    "pillow",
    "pydantic",
    "pypdfium2",
    "PySide6-Essentials",
    "reportlab",
    "resvg-py",
    "scipy",
    "tifffile",
)


def versions() -> Document:
    """Return the versions of the program, of what it runs on, and of its libraries."""
    # Some write themselves with an underscore: names are compared as the packaging standard has it.
    known = {d.metadata["Name"].lower().replace("_", "-"): d.version for d in distributions() if d.metadata["Name"]}
    libraries: Document = {name: known.get(name.lower(), "not there") for name in _LIBRARIES}
    return {"fidele": __version__, "python": platform.python_version(), "system": platform.platform()} | libraries


def in_lines() -> str:
    """Return them a line each, the program's first."""
    return "\n".join(f"{name} {version}" for name, version in versions().items() if version)
