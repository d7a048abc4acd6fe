"""What stands against printing a chart as it was chosen, before it is taken."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.judge.finding import Finding
from fidele.judge.table import finding
from fidele.language import tr
from fidele.route.layers import Chain


def chart_findings(chain: Chain | None, bare: bool, kind: str) -> Iterator[Finding]:
    """Whether the route converts as often as a chart of a kind needs it; with `bare` nothing is to convert it."""
    if chain is None:
        return
    below = [x.name for x in chain.layers if x.converts and x.name != "Fidele"]
    if bare and below:
        names = {"system": tr("The print system"), "driver": tr("The driver")}
        yield finding("bare-converts", who=names.get(below[0], below[0]))
    if not bare and len(chain.knots) > 1:
        yield finding("verify-converts-twice")
    if bare and kind in ("quick", "control"):
        yield finding("bare-control")
