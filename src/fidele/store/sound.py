"""Whether a row of the logbook is what it should be: whatever once stood in a file may stand in a row."""

from __future__ import annotations

import datetime
import json
import math
from functools import lru_cache
from typing import Any

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError

from fidele.language import tr
from fidele.route.condition import Card
from fidele.store.records import BUSY, DONE, WAITING


class _Receipt(BaseModel):
    """What is read of a driver's receipt by name."""

    model_config = ConfigDict(defer_build=True, extra="allow", allow_inf_nan=False)

    #: The process that prints.
    pid: int = 0


_TEXTS = ("title", "card", "settings", "receipt", "overridden", "state", "job", "why", "passed", "target", "not_before")
_INK = TypeAdapter(dict[str, float], config=ConfigDict(allow_inf_nan=False))
_PASSED = TypeAdapter(list[tuple[str, str]])
_SETTINGS = TypeAdapter(dict[str, str | int | float | bool | None])
_RECORDS = TypeAdapter(list[dict[str, Any]] | dict[str, Any])


def moment(kept: object) -> datetime.datetime:
    """Return a kept time by this machine's clock; kept with no zone it is by this machine's clock already.

    Raises
    ------
    ValueError
        When it is no time.
    """
    if not isinstance(kept, str):
        raise ValueError(tr("its time is none"))
    when = datetime.datetime.fromisoformat(kept)
    if not 1990 <= when.year <= 2200:
        raise ValueError(tr("its time is none"))
    return when if when.tzinfo is None else when.astimezone().replace(tzinfo=None)


def fault(row: dict[str, Any]) -> str:
    """Return what is wrong with a row of a run, '' for nothing. Values by the names of `records.KeptRun`."""
    for name in _TEXTS:
        if not isinstance(row[name], str):
            return tr("its {name} is no text", name=name.replace("_", " "))
    if row["state"] not in (*WAITING, *BUSY, *DONE):
        return tr("its state is none")
    if not isinstance(row["media_mm2"], (int, float)) or not 0 <= row["media_mm2"] < math.inf:
        return tr("its area is no number")
    if row["profile"] is not None and not isinstance(row["profile"], str):
        return tr("its profile is no text")
    try:
        moment(row["at"])
        if row["not_before"]:
            moment(row["not_before"])
    except (ValueError, OverflowError):
        return tr("its time is none")
    return _documents(row["card"], row["settings"], row["receipt"], row["passed"], row["press"], row["job"])


@lru_cache(maxsize=8192)
def _documents(card: str, settings: str, receipt: str, passed: str, press: str | None, job: str) -> str:
    if not _is_card(card):
        return tr("its condition cannot be read")
    try:
        _SETTINGS.validate_json(settings)
        given = _Receipt.model_validate_json(receipt)
        _INK.validate_python((given.model_extra or {}).get("ink ml") or {})
        _PASSED.validate_json(passed)
        if press:
            _RECORDS.validate_json(press)
        if job and not isinstance(json.loads(job), dict):
            return tr("its job cannot be read")
    except (ValidationError, ValueError, RecursionError):
        return tr("what was sent with it cannot be read")
    return ""


@lru_cache(maxsize=1024)
def _is_card(text: str) -> bool:
    try:
        Card.model_validate_json(text)
    except ValidationError:
        return False
    return True


def document_fault(card: object, settings: object) -> str:
    """Return what is wrong with a run's card and settings, '' for nothing."""
    if not isinstance(card, str) or not isinstance(settings, str):
        return tr("they are no text")
    return _documents(card, settings, "{}", "[]", None, "")


def verdict_fault(row: dict[str, Any]) -> str:
    """Return what is wrong with a row of a check, '' for nothing."""
    for name in ("mean", "p95", "largest", "uncertainty"):
        if not isinstance(row[name], (int, float)) or not math.isfinite(row[name]):
            return tr("its {name} is no number", name=name)
    if not all(isinstance(row[n], str) for n in ("cause", "words", "chart", "tolerance", "against", "instrument")):
        return tr("its words are none")
    try:
        moment(row["at"])
        words = json.loads(row["words"])
    except (ValueError, RecursionError, OverflowError):
        return tr("it cannot be read")
    sound = isinstance(words, list) and all(isinstance(w, str) for w in words) and isinstance(row["verdict"], str)
    return "" if sound else tr("it cannot be read")
