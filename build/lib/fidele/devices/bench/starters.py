"""A first condition for each printer of the bench: no profile yet, the settings that its paper's maker asks for."""

from __future__ import annotations

from typing import Literal

from fidele.route.condition import Card
from fidele.values import Settings


def wren_card(card_id: str, name: str, profile: str | None, owner: Literal["fidele", "driver"]) -> Card:
    """Return a condition for a Velm Wren with Fen 100 paper on ceramic tiles."""
    settings: Settings = {
        "stand_in": "Dull heavy",
        "quality": 3,
        "direction": "there",
        "improvement": "off",
        "scaling": "as it is",
        "turn": "no",
    }
    return Card(
        id=card_id,
        name=name,
        printer="velm-wren/W-0417",
        printer_name="Velm Wren",
        ink="Velm S4",
        media="Fen 100",
        substrate="ceramic tile",
        profile=profile,
        owner=owner,
        driver=settings,
    )


def gannet_card() -> Card:
    """Return a condition for an Orrin Gannet, straight on gallery rag."""
    settings: Settings = {"stand_in": "Orrin rag", "quality": 4, "direction": "no", "black_ink": "soft", "feed": "back"}
    return Card(
        id="first-gannet",
        name="Gallery sheets",
        process="direct",
        printer="orrin-gannet/G-2209",
        printer_name="Orrin Gannet",
        ink="Orrin K5",
        media="Orrin rag",
        substrate="gallery rag",
        owner="driver",
        mirror_by="nobody",
        driver=settings,
    )


def longship_card() -> Card:
    """Return a condition for a Skarn Longship with Fen 140 on polyester cloth; the driver mirrors."""
    settings: Settings = {"stand_in": "Skarn sail", "quality": 6, "direction": "single"}
    return Card(
        id="first-longship",
        name="Signal pennants",
        printer="skarn-longship/L-0031",
        printer_name="Skarn Longship",
        ink="Skarn S4",
        media="Fen 140",
        size="full",
        substrate="polyester cloth",
        owner="driver",
        mirror_by="driver",
        driver=settings,
    )
