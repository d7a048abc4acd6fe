"""What pictures that state nothing are taken for: house rules, the spaces to choose from, and when to ask by eye."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path

from pydantic import BaseModel, ConfigDict, TypeAdapter

from fidele.artwork.guess import looks_like
from fidele.artwork.open import Suppose
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.spaces import GREYS, grey, oprgb, sgrey, srgb
from fidele.language import tr
from fidele.session.live import Live
from fidele.session.news import RulesChanged
from fidele.session.profiles import Profiles, Row
from fidele.session.remember import Remembered
from fidele.statefile import StateFile

_LARGEST = 1 << 20
#: Keys of the spaces that are always there.
_BUILT_IN: dict[str, dict[str, Callable[[], Profile]]] = {
    "RGB": {"sRGB": srgb, "opRGB": oprgb},
    "GRAY": {"grey with the curve of sRGB": sgrey},
}
#: So many teeth a comb of candidates has at most.
_TEETH = 4


class Rule(BaseModel):
    """Pictures of a kind that state nothing, from a client or a folder, are in a space.

    Attributes
    ----------
    client
        Name of the client; every folder of this name, wherever it lies, is theirs.
    folder
        A folder with all that is in it; '' with no client for pictures from anywhere.
    kind
        'RGB', 'GRAY' or 'CMYK'.
    space
        Key of the space, see `Sources.candidates`.
    """

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    client: str = ""
    folder: str = ""
    kind: str = "RGB"
    space: str = "sRGB"

    @property
    def where(self) -> str:
        """For what it holds, in words."""
        if self.client:
            return tr("pictures of {client}", client=self.client)
        return tr("pictures from {folder}", folder=self.folder) if self.folder else tr("all pictures")

    def reach(self, path: Path) -> int:
        """Return how closely a file is meant: 0 not at all, more for nearer folders."""
        place = path.absolute().parent
        names = [part.casefold() for part in place.parts]
        if self.client:
            wanted = self.client.casefold()
            return 2 * (len(names) - names[::-1].index(wanted)) if wanted in names else 0
        if not self.folder:
            return 1
        return 2 * len(Path(self.folder).parts) + 1 if place.is_relative_to(self.folder) else 0


_RULES = TypeAdapter(tuple[Rule, ...])


class Rules:
    """House rules in one small file."""

    def __init__(self, path: Path) -> None:
        self._file = StateFile[tuple[Rule, ...]](path, _RULES.validate_json, tuple, _LARGEST)

    def all(self) -> tuple[Rule, ...]:
        """Return them; none where the file is missing or damaged."""
        return self._file.read()

    def save(self, rules: tuple[Rule, ...]) -> None:
        """Keep them."""
        self._file.write(json.dumps([r.model_dump() for r in rules], indent=2, ensure_ascii=False).encode())

    def of(self, path: Path, kind: str) -> Rule | None:
        """Return the rule for a picture: that which means it most closely."""
        return closest(self.all(), path, kind)


def closest(rules: Iterable[Rule], path: Path, kind: str) -> Rule | None:
    """Return of some rules that which means a picture most closely, None where none does."""
    found = [(r.reach(path), r) for r in rules if r.kind == kind]
    best = max((reach for reach, _ in found), default=0)
    return next((r for reach, r in reversed(found) if reach == best), None) if best else None


@dataclass(frozen=True)
class Space:
    """A space to choose from: its key, what people call it, and how to get it."""

    key: str
    title: str
    load: Callable[[], Profile]


def _candidates(kind: str, rows: Iterable[Row]) -> list[Space]:
    found = [Space(key, key, load) for key, load in _BUILT_IN.get(kind, {}).items()]
    if kind == "GRAY":
        found += [Space(f"grey:{name}", tr("grey, {name}", name=name), partial(grey, name)) for name in GREYS]
    classes = ("prtr", "spac") if kind == "CMYK" else ("mntr", "spac", "scnr")
    seen = {space.load().content_id for space in found}
    for row in rows:
        what = row.entry.description
        if what.colour_space == kind and what.device_class in classes and row.entry.id not in seen:
            seen.add(row.entry.id)
            if not any(p.weight == "stop" for p in what.problems):
                found.append(Space(f"profile:{row.entry.id}", row.title, partial(Profile.open, row.entry.path)))
    return found


@dataclass(frozen=True)
class Supposing:
    """House rules and the profiles on the shelf as they were at a moment."""

    rules: tuple[Rule, ...]
    rows: tuple[Row, ...]

    def of(self, path: Path) -> Suppose:
        """Return what answers, for one file, what it is supposed to be in."""

        def ask(kind: str) -> tuple[Profile, SourceSlip] | None:
            rule = closest(self.rules, path, kind)
            if rule is None and kind != "CMYK":
                return None
            spaces = _candidates(kind, self.rows)
            space = next((s for s in spaces if rule is not None and s.key == rule.space), None)
            if rule is not None and space is not None:
                return space.load(), SourceSlip(
                    "supposed", tr("{title}, by your rule for {where}", title=space.title, where=rule.where), True
                )
            if kind != "CMYK":
                return None
            if not spaces:
                raise FideleError(
                    tr(
                        "{name} is CMYK and states no profile, and there is no CMYK profile on the shelf: drop the one "
                        "that it was made for on the window, then open it again.",
                        name=path.name,
                    )
                )
            return spaces[0].load(), SourceSlip(
                "supposed", tr("{title}, supposed: the file states nothing", title=spaces[0].title)
            )

        return ask


class Sources:
    """The source slips of a workshop's pictures."""

    def __init__(self, live: Live, profiles: Profiles, path: Path) -> None:
        self._live, self._profiles = live, profiles
        self.rules = Rules(path)
        self._hints: Remembered[str] = Remembered()

    def candidates(self, kind: str) -> list[Space]:
        """Return the spaces that pictures of a kind can be in: standard ones, then those of the shelf."""
        return _candidates(kind, self._profiles.rows())

    def space(self, kind: str, key: str) -> Space | None:
        """Return a space by its key, None where it is not there any more."""
        return next((s for s in self.candidates(kind) if s.key == key), None)

    def supposing(self) -> Supposing:
        """Return what answers for files, as rules and shelf are now: to be used beside the interface."""
        return Supposing(self.rules.all(), tuple(self._profiles.rows()))

    def suppose(self, path: Path) -> Suppose:
        """Return what answers, for one file, what it is supposed to be in."""
        return self.supposing().of(path)

    def hint(self, artwork: Artwork) -> str:
        """Return the RGB space that a picture looks made in, '' where nothing tells; a hint, never acted on."""
        if artwork.profile.header.colour_space != "RGB" or artwork.drawing:
            return ""
        known = self._hints.get(artwork.pixels)
        if known is None:
            known = looks_like(artwork.pixels)
            self._hints.keep(artwork.pixels, known)
        return known

    def doubt(self, artwork: Artwork) -> str:
        """Say in a sentence why the space of a picture is in doubt, '' where it is not."""
        if artwork.slip.kind == "chosen":
            return ""
        if artwork.slip.odd == "left-aside":
            return tr("What the file says of its colours is damaged.")
        if artwork.slip.odd == "contradicts":
            return tr("The file states two different spaces.")
        if artwork.slip.kind != "supposed":
            return ""
        hint = self.hint(artwork)
        if not artwork.slip.rule:
            looks = tr(" Its numbers look like {hint}.", hint=hint) if hint else ""
            return tr("The picture does not say what its colours mean.{looks}", looks=looks)
        title = next((s.title for s in self.candidates("RGB") if s.load().content_id == artwork.profile.content_id), "")
        if hint and title in ("sRGB", "opRGB") and hint != title:
            return tr("By your rule it is {title}, but its numbers look like {hint}.", title=title, hint=hint)
        return ""

    def comb(self, artwork: Artwork) -> list[Space]:
        """Return the spaces to choose among by eye, the one that it is taken for first."""
        kind = artwork.profile.header.colour_space
        found = self.candidates(kind)
        mine = [s for s in found if s.load().content_id == artwork.profile.content_id]
        others = [s for s in found if s not in mine]
        if kind == "GRAY":
            known = ("grey with the curve of sRGB", "grey:L*", "grey:dot gain 20 %", "grey:gamma 1.8")
            others = sorted(others, key=lambda s: known.index(s.key) if s.key in known else len(known))
        return (mine + others)[:_TEETH]

    def make_rule(self, rule: Rule) -> None:
        """Keep a rule in place of the one for the same client or folder, as a step that can be undone."""
        rest = (r for r in self.rules.all() if (r.client, r.folder, r.kind) != (rule.client, rule.folder, rule.kind))
        self._set(tr("A rule for {where}", where=rule.where), (*rest, rule))
        space = self.space(rule.kind, rule.space)
        self._live.say(
            tr(
                "From now on {where} that state nothing are {title}.",
                where=rule.where,
                title=(space.title if space else rule.space),
            )
        )

    def drop_rule(self, rule: Rule) -> None:
        """Forget a rule, as a step that can be undone."""
        self._set(tr("Forget the rule for {where}", where=rule.where), tuple(r for r in self.rules.all() if r != rule))
        self._live.say(tr("The rule for {where} is forgotten.", where=rule.where))

    def _set(self, name: str, after: tuple[Rule, ...]) -> None:
        before = self.rules.all()

        def apply(rules: tuple[Rule, ...]) -> None:
            self.rules.save(rules)
            self._live.tell(RulesChanged())

        self._live.history.do(name, lambda: apply(after), lambda: apply(before))
