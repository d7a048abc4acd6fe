"""What the driver says it did, compared with what it was sent."""

from __future__ import annotations

from fidele.language import tr
from fidele.values import Document, Settings


def differences(sent: Settings, receipt: Document) -> list[str]:
    """Return, in words, every setting that the receipt gives another value than was sent."""
    return [
        tr("{name}: {receipt} instead of {value}", name=name, receipt=receipt[name], value=value)
        for name, value in sent.items()
        if name in receipt and receipt[name] != value
    ]
