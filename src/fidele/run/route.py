"""A route as it is read back at a moment, through a card and a printer: layers, settings, status, and what is wrong."""

from __future__ import annotations

from fidele.dataclass import dataclass
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.judge.facts import Facts
from fidele.judge.finding import Finding
from fidele.judge.judge import judge
from fidele.language import tr
from fidele.route.condition import Card
from fidele.route.layers import Chain, Evidence, Layer, PrinterStatus, SettingRow
from fidele.route.probe import ProbeResult


@dataclass(frozen=True)
class Route:
    """What lies between Fidele and the ink, as it was read back; `said` is why it could not be, '' where it could."""

    rows: tuple[SettingRow, ...] = ()
    below: tuple[Layer, ...] = ()
    status: PrinterStatus | None = None
    here: bool = True
    said: str = ""


def read_route(card: Card, device: Printer | None, probed: ProbeResult | None = None) -> Route:
    """Read a card's printer back; None where it is not here."""
    if device is None:
        away = Layer("driver", None, tr("its printer is not here"), Evidence.NOT_KNOWN, None, None, None)
        return Route(below=(away,), here=False)
    try:
        status = device.supplies.status(card) if device.supplies is not None else None
        return Route(device.rows(card), device.layers(card, probed), status)
    except FideleError as error:
        lost = Layer("driver", None, tr("cannot be read"), Evidence.NOT_KNOWN, None, None, None)
        return Route(below=(lost,), said=str(error))


def own_layer(card: Card, title: str, bare: bool) -> Layer:
    """Return what Fidele itself does; `title` is that of the profile it converts through, '' for none."""
    converts = card.owner == "fidele" and bool(title) and not bare
    how = (
        tr("converts to {title}, {words}", title=title, words=card.intent.words)
        if converts
        else tr("passes the artwork on in sRGB")
    )
    if bare:
        how = tr("passes the chart's own numbers on")
    return Layer("Fidele", converts, how, Evidence.READ_BACK, mirrors=card.mirror_by == "fidele")


def stops_on(card: Card, device: Printer, probed: ProbeResult | None, title: str, bare: bool) -> list[Finding]:
    """Return what is wrong at this moment with the route of a job; `title` is that of the profile it goes through."""
    route = read_route(card, device, probed)
    chain = Chain((own_layer(card, title, bare), *route.below), card.twists_needed)
    found = judge(Facts(card, chain, route.rows, route.status, bare=bare))
    return [f for f in found if f.weight == "stop" and f.desk == "hand-off"]
