"""What is wrong with the press half of a condition."""

from __future__ import annotations

from fidele.route.condition import Card
from fidele.route.finding import Finding
from fidele.route.substrates import holds_dye


def press_findings(card: Card, is_chart: bool) -> list[Finding]:
    """Whether the substrate can hold the dye, the warming drives out damp, and a chart goes on a flat piece."""
    if card.process != "transfer":
        return []
    found = []
    if holds_dye(card.substrate) is False:
        found.append(
            Finding(
                "holds-no-dye",
                "stop",
                f"{card.substrate.capitalize()} cannot hold the dye",
                "Sublimation dye goes into polyester and other polymers. Here it would wash out, whatever the press.",
                "Take a substrate of polyester, or a coated one, and a condition made for it.",
                "Show the condition",
                "show:condition",
                "press",
            )
        )
    if card.press.preheat < 5:
        found.append(
            Finding(
                "no-preheat",
                "caution",
                "Paper and piece are hardly warmed before",
                f"{card.press.preheat:.0f} s do not drive the damp out; it leaves pale marks.",
                "Warm them for 10 s.",
                "Warm for 10 s",
                "preheat",
                "press",
            )
        )
    if is_chart:
        found.append(
            Finding(
                "flat-piece",
                "note",
                "A chart is pressed on a flat piece",
                f"Take a flat piece of the same {card.substrate}, with the same time, temperature and pressure.",
                "",
                desk="press",
            )
        )
    return found
