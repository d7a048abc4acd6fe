"""Findings on the picture in hand: what it says of its colours, whether it is good enough, what the print will lose."""

from __future__ import annotations

from fidele.artwork.convert import converted_already
from fidele.artwork.picture import Artwork
from fidele.artwork.quality import Quality
from fidele.icc.profile import Profile
from fidele.proof.contrast import ContrastLoss
from fidele.proof.losses import Losses
from fidele.route.finding import Finding
from fidele.sheet.placing import Placing

#: From here on blocks stand out visibly, lights are burnt out, a ground is a ground, edges are soft.
_BLOCKS, _BURNT, _GROUND, _FAINT = 2.2, 0.02, 0.12, 0.002


def artwork_findings(artwork: Artwork, printer: Profile | None, doubt: str) -> list[Finding]:
    """What is doubtful about the picture itself; `doubt` says why its space is."""
    found = [
        Finding(
            "artwork-doubt", "caution", "Something is odd in the file", d, "Export the picture again.", desk="artwork"
        )
        for d in artwork.doubts
    ]
    if artwork.page < 0:
        found.append(
            Finding(
                "which-page",
                "caution",
                f"It has {artwork.pages} pages",
                "The first one is shown; nobody has said which one is meant.",
                "Choose the page below the picture.",
                "It is the first",
                "page:0",
                "artwork",
            )
        )
    if doubt:
        found.append(
            Finding(
                "space-supposed",
                "caution",
                "It is not certain what its colours mean",
                f"{doubt} A wrong guess tints everything.",
                "Choose by eye among the predicted prints, or ask where the picture comes from.",
                desk="artwork",
            )
        )
    already = converted_already(artwork)
    if already or (printer is not None and artwork.profile.content_id == printer.content_id):
        found.append(
            Finding(
                "already-converted",
                "stop",
                "This picture is converted already",
                f"{already or 'It carries the profile of the printer itself.'} Converting it again would spoil it.",
                "Open the original.",
                desk="artwork",
            )
        )
    if artwork.alpha is not None:
        found.append(
            Finding(
                "transparent",
                "note",
                "Parts are transparent",
                "Nothing is printed there: the piece shows.",
                "Nothing needs to be done.",
                desk="artwork",
            )
        )
    return found


def quality_findings(artwork: Artwork, quality: Quality, placing: Placing, need: int) -> list[Finding]:
    """Whether the picture is good enough; `need` is what the card asks for, in pixels per printed inch."""
    found = []
    ppi = placing.ppi(artwork.width)
    carried = ppi * quality.detail
    if quality.detail < 1 and carried < need:
        found.append(
            Finding(
                "enlarged",
                "caution",
                "It was enlarged, or is out of focus",
                f"Of its {ppi:.0f} ppi at this size no more than {carried:.0f} carry detail.",
                "Ask for the file as it was before, or print it smaller.",
                desk="artwork",
            )
        )
    if quality.blocks > _BLOCKS:
        found.append(
            Finding(
                "compressed",
                "caution",
                "It was heavily compressed",
                "Edges of 8 x 8 blocks stand out; in even areas they will show on the piece.",
                "Ask for a file that was saved with less compression.",
                desk="artwork",
            )
        )
    if quality.clipped_lights > _BURNT:
        found.append(
            Finding(
                "burnt-out",
                "note",
                "Lights are burnt out",
                f"{quality.clipped_lights * 100:.0f} % of the picture is full white: bare substrate, no drawing in it.",
                "Ask whether there is a softer version.",
                desk="artwork",
            )
        )
    if quality.grey_text > 0:
        found.append(
            Finding(
                "grey-text",
                "caution",
                "Black text or lines are not quite black",
                "They print as a mixture of inks, softer than pure black and with coloured edges.",
                "Make them exactly black in the artwork, or replace the colour here.",
                "Make them black",
                "blacken",
                "artwork",
            )
        )
    if quality.veil > _GROUND:
        found.append(
            Finding(
                "veil",
                "caution",
                "Its ground is nearly white, not white",
                f"{quality.veil * 100:.0f} % of the picture prints as a faint veil whose edge shows on the piece.",
                "Make the ground white, which stays bare.",
                "Make it white",
                "whiten",
                "artwork",
            )
        )
    if quality.faint_edges > _FAINT:
        found.append(
            Finding(
                "faint-edges",
                "caution",
                "Transparent edges will print as a faint tint",
                f"{quality.faint_edges * 100:.1f} % of it is nearly, not fully transparent: shadows and soft edges.",
                "Ask for artwork cut out with hard edges, if no tint is wanted.",
                desk="artwork",
            )
        )
    return found


def resolution_findings(artwork: Artwork, placing: Placing, need: int, fine: bool) -> list[Finding]:
    """Whether there are pixels enough; `fine` work, with lines and letters, needs them most."""
    if artwork.drawing:  # drawn again at the printer's own resolution
        return []
    ppi = placing.ppi(artwork.width)
    if ppi >= need - 0.5:
        return []
    poor = ppi < 0.75 * need - 0.5
    return [
        Finding(
            "low-resolution",
            "stop" if poor and fine else "caution",
            f"Only {ppi:.0f} ppi at this size",
            f"This condition asks for {need} ppi. "
            + (
                "Lines and letters will look stepped."
                if fine
                else "Edges will look soft."
                if poor
                else "Fine text may look a little soft; photographs are well."
            ),
            "Print it smaller, or ask for a larger file.",
            desk="sheet",
        )
    ]


def proof_findings(losses: Losses, contrast: tuple[ContrastLoss, ...]) -> list[Finding]:
    """How much of the picture is lost, the worst of it, and neighbours that will look alike."""
    found = []
    if losses.lost < 0.005:
        found.append(
            Finding(
                "holds",
                "note",
                "The piece holds this picture",
                "Less than 1 % of its area is lost.",
                "Nothing needs to be done.",
                desk="proof",
            )
        )
    else:
        found.append(
            Finding(
                "losses",
                "caution" if losses.p95_de00 > 4 else "note",
                f"{losses.lost * 100:.0f} % of the picture is lost",
                f"{losses.headline} Lost means more than ΔE00 2 between wanted and printed.",
                "Compare the intents, choose a nearer colour, or tune the picture.",
                desk="proof",
            )
        )
    if contrast:
        found.append(
            Finding(
                "contrast-lost",
                "caution",
                "Colours beside each other will look alike" if contrast[0].kind == "alike" else "Gradients block up",
                " ".join(pair.words for pair in contrast[:2]),
                "Try another intent, replace one of them, or tune the picture.",
                desk="proof",
            )
        )
    return found
