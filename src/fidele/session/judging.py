"""A route as it is read back at a moment, through a card and a printer: layers, settings, status, and what is wrong."""

from __future__ import annotations

from dataclasses import dataclass

from fidele.errors import FideleError
from fidele.output.device import PrintDevice
from fidele.route.condition import Card
from fidele.route.finding import Finding
from fidele.route.findings import route_findings
from fidele.route.layers import Chain, Evidence, Layer, PrinterStatus, SettingRow
from fidele.route.probe import ProbeResult
from fidele.session.findings import bare_findings, missing_printer


@dataclass(frozen=True)
class Route:
    """What lies between Fidele and the ink, as it was read back; `said` is why it could not be, '' where it could."""

    rows: tuple[SettingRow, ...]
    below: tuple[Layer, ...]
    status: PrinterStatus | None
    said: str = ""


def read_route(card: Card, device: PrintDevice, here: bool, probed: ProbeResult | None = None) -> Route:
    """Read a printer back for a card; `here` says whether it is the card's own printer."""
    if not here:
        away = Layer("driver", None, "its printer is not here", Evidence.NOT_KNOWN, None, None, None)
        return Route((), (away,), None)
    try:
        return Route(device.rows(card), device.layers(card, probed), device.status(card))
    except FideleError as error:
        lost = Layer("driver", None, "cannot be read", Evidence.NOT_KNOWN, None, None, None)
        return Route((), (lost,), None, str(error))


def own_layer(card: Card, title: str, bare: bool) -> Layer:
    """Return what Fidele itself does; `title` is that of the profile it converts through, '' for none."""
    converts = card.owner == "fidele" and bool(title) and not bare
    how = f"converts to {title}, {card.intent.words}" if converts else "passes the artwork on in sRGB"
    if bare:
        how = "passes the chart's own numbers on"
    return Layer("Fidele", converts, how, Evidence.READ_BACK, mirrors=card.mirror_by == "fidele")


def judged(chain: Chain, card: Card, route: Route, here: bool, bare: bool) -> list[Finding]:
    """Return what is wrong with a route."""
    found = route_findings(chain, card, route.rows, route.status)
    if bare:
        found = bare_findings(chain, found)
    if not here:
        found = [f for f in found if f.code != "layer-unreadable"]
        found.insert(0, missing_printer(card))
    return found
