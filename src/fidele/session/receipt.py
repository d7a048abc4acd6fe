"""What the driver says it did, compared with what it was sent."""

from __future__ import annotations

from typing import Any

from fidele.route.finding import Finding


def differences(sent: dict[str, Any], receipt: dict[str, Any]) -> list[str]:
    """Return, in words, every setting that the receipt gives another value than was sent."""
    return [
        f"{name}: {receipt[name]} instead of {value}"
        for name, value in sent.items()
        if name in receipt and receipt[name] != value
    ]


def receipt_findings(number: int, receipt: dict[str, Any]) -> list[Finding]:
    """Return a stop where the last print was made otherwise than it was sent."""
    differs = receipt.get("differs") or []
    if not differs:
        return []
    return [
        Finding(
            "receipt-differs",
            "caution",
            f"Run {number} was printed otherwise than it was sent",
            f"The driver says: {'; '.join(differs[:4])}. The print may not be what was promised.",
            "Look at the hand-off, mend what is held there, and print it again.",
            "Show the hand-off",
            "show:hand-off",
            "print",
        )
    ]
