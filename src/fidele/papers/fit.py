"""Whether a profile fits a printer and the media in it, and if not, why not."""

from __future__ import annotations

from fidele.dataclass import dataclass
from fidele.icc.describe import Description
from fidele.language import tr
from fidele.papers.guess import plain
from fidele.papers.model import Papers

_PRINTER, _MEDIA, _PIECE, _INK = tr("printer"), tr("media"), tr("piece"), tr("ink")


@dataclass(frozen=True)
class Fit:
    """How well a profile fits: 'fits', 'perhaps' (it does not say enough) or 'not', and the reasons in words."""

    grade: str
    reasons: tuple[str, ...] = ()
    #: What it is not for, in a word or two each: 'other printer'.
    off: tuple[str, ...] = ()

    @property
    def rank(self) -> int:
        """0 for what fits, 1 for perhaps, 2 for not."""
        return ("fits", "perhaps", "not").index(self.grade)

    @property
    def words(self) -> str:
        """The reasons in a sentence."""
        said = "; ".join(self.reasons)
        return said[:1].upper() + said[1:] + "." if said else tr("Fits this printer and media.")


@dataclass(frozen=True)
class Purpose:
    """What a profile is wanted for: printer by name, media, piece and ink, '' for any, and what the printer takes."""

    printer: str
    media: str
    piece: str = ""
    ink: str = ""
    space: str = "RGB"


def fit(what: Description, papers: Papers, purpose: Purpose) -> Fit:
    """Judge a profile for a purpose."""
    if not what.usable_as_output:
        stop = next((p.message for p in what.problems if p.weight == "stop"), "")
        if stop:
            return Fit("not", (tr("is not sound: {stop}", stop=stop.rstrip(".")),))
        return Fit("not", (tr("is a profile of class {class_words}, not for printing", class_words=what.class_words),))
    against, unsure, off = [], [], []
    made_for, wanted_for = [], []
    if what.colour_space != purpose.space:
        against.append(
            tr(
                "is for {colour_space} values; this printer takes {space}",
                colour_space=what.colour_space,
                space=purpose.space,
            )
        )
        off.append(tr("{colour_space} values", colour_space=what.colour_space))
    for field, wanted, name in (
        ("printer", purpose.printer, _PRINTER),
        ("media", purpose.media, _MEDIA),
        ("substrate", purpose.piece, _PIECE),
        ("ink", purpose.ink, _INK),
    ):
        said = papers.value(field)
        if not wanted:
            continue
        if not said:
            if field in ("printer", "media"):
                unsure.append(tr("does not say for which {name} it is", name=name))
        elif not _same(said, wanted):
            made_for.append(_the(field, said))
            wanted_for.append(_the(field, wanted))
            off.append(tr("other {name}", name=name))
    if made_for:
        against.append(
            tr("was made for {listed}, not {listed2}", listed=_listed(made_for), listed2=_listed(wanted_for))
        )
    if against:
        return Fit("not", tuple(against), tuple(off))
    return Fit("perhaps", tuple(unsure)) if unsure else Fit("fits")


def _same(one: str, other: str) -> bool:
    a, b = f" {plain(one)} ", f" {plain(other)} "
    return a in b or b in a


def _listed(names: list[str]) -> str:
    return tr(" and ").join([", ".join(names[:-1])] * (len(names) > 1) + names[-1:])


def _the(field: str, name: str) -> str:
    return tr("the {name}", name=name) if field == "printer" else name
