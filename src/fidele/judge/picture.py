"""Findings on the picture in hand: what it says of its colours, whether it is good enough, what the print will lose."""

from __future__ import annotations

from collections.abc import Iterator

from fidele.artwork.convert import converted_already
from fidele.artwork.picture import Artwork
from fidele.artwork.quality import Quality
from fidele.chart.family import made
from fidele.judge.facts import Facts, PictureFacts
from fidele.judge.finding import Finding
from fidele.judge.table import finding
from fidele.language import tr
from fidele.sheet.placing import Placing

#: From here on blocks stand out visibly, lights are burnt out, a ground is a ground, edges are soft.
_BLOCKS, _BURNT, _GROUND, _FAINT = 2.2, 0.02, 0.12, 0.002

#: From so many patches on that count toward a profile it is worth saying, and the page that makes one of them.
_WORTH, NEXT_PAGE = 24, "control"


def picture_findings(facts: Facts) -> Iterator[Finding]:
    """What is doubtful about the picture itself, and whether it is good enough for what the card asks."""
    for name, sentence in facts.lost:
        yield finding("artwork-lost", name=name, sentence=sentence)
    picture, need = facts.picture, facts.card.artwork_ppi
    if picture is None:
        return
    yield from _itself(picture)
    if picture.placing is not None:
        yield from _resolution(picture.artwork, picture.placing, need, picture.fine)
        if picture.quality is not None:
            yield from _quality(picture.artwork, picture.quality, picture.placing, need)


def _itself(picture: PictureFacts) -> Iterator[Finding]:
    artwork = picture.artwork
    for doubt in artwork.doubts:
        yield finding("artwork-doubt", doubt=doubt)
    if artwork.page < 0:
        yield finding("which-page", pages=artwork.pages)
    if picture.doubt:
        yield finding("space-supposed", doubt=picture.doubt)
    already = converted_already(artwork)
    if already or (picture.printer is not None and artwork.profile.content_id == picture.printer.content_id):
        yield finding("already-converted", why=already or tr("It carries the profile of the printer itself."))
    if artwork.alpha is not None:
        yield finding("transparent")


def _quality(artwork: Artwork, quality: Quality, placing: Placing, need: int) -> Iterator[Finding]:
    """Whether the picture is good enough; `need` is what the card asks for, in pixels per printed inch."""
    ppi = placing.ppi(artwork.width)
    carried = ppi * quality.detail
    if quality.detail < 1 and carried < need:
        yield finding("enlarged", ppi=ppi, carried=carried)
    if quality.blocks > _BLOCKS:
        yield finding("compressed")
    if quality.clipped_lights > _BURNT:
        yield finding("burnt-out", share=quality.clipped_lights * 100)
    if quality.grey_text > 0:
        yield finding("grey-text")
    if quality.veil > _GROUND:
        yield finding("veil", share=quality.veil * 100)
    if quality.faint_edges > _FAINT:
        yield finding("faint-edges", share=quality.faint_edges * 100)


def _resolution(artwork: Artwork, placing: Placing, need: int, fine: bool) -> Iterator[Finding]:
    """Whether there are pixels enough; `fine` work, with lines and letters, needs them most."""
    ppi = placing.ppi(artwork.width)
    if artwork.drawing or ppi >= need - 0.5:  # a drawing is drawn again at the printer's own resolution
        return
    poor = ppi < 0.75 * need - 0.5
    look = (
        tr("Lines and letters will look stepped.")
        if fine
        else tr("Edges will look soft.")
        if poor
        else tr("Fine text may look a little soft; photographs are well.")
    )
    yield finding("low-resolution", "stop" if poor and fine else "", ppi=ppi, need=need, look=look)


def proof_findings(facts: Facts) -> Iterator[Finding]:
    """How much of the picture is lost, the worst of it, and neighbours that will look alike."""
    losses, contrast = facts.losses, facts.contrast
    if facts.counting >= _WORTH:
        more = made(NEXT_PAGE)
        share = facts.counting / (facts.counting + len(more.ids))
        yield finding("toward-a-profile", share=100 * share, n=facts.counting, chart=more.title)
    if losses is None:
        return
    if losses.lost < 0.005:
        yield finding("holds")
    else:
        off = facts.known_off
        weight = "caution" if losses.p95_de00 > 4 + off else ""
        said = losses.headline
        if off:
            said += tr(" That is known from measured pages alone, to about ΔE00 {off:.1f}.", off=off)
        # Whoever else converts has an intent of its own: there are none to be compared.
        remedy = (
            tr("Compare the intents, choose a nearer colour, or tune the picture.")
            if facts.way is None
            else tr("Choose a nearer colour, or tune the picture.")
        )
        yield finding("losses", weight, share=losses.lost * 100, headline=said, remedy=remedy)
    if contrast:
        title = (
            tr("Colours beside each other will look alike") if contrast[0].kind == "alike" else tr("Gradients block up")
        )
        yield finding("contrast-lost", title=title, pairs=" ".join(pair.words for pair in contrast[:2]))
