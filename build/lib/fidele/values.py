"""What settings and kept documents are made of."""

from __future__ import annotations

from typing import TypeAlias

#: A setting's value, and settings by name: in a driver's own words, or by their neutral meaning.
Value: TypeAlias = str | int | float | bool
Settings: TypeAlias = dict[str, Value]
#: What JSON can hold, and a document of it.
Json: TypeAlias = "str | int | float | bool | list[Json] | dict[str, Json] | None"
Document: TypeAlias = dict[str, Json]
