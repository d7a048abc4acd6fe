"""What pictures that state nothing are taken for: house rules, the spaces to choose from, and when to ask by eye."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError

from fidele.artwork.guess import looks_like
from fidele.artwork.open import Suppose
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import GREYS, grey, oprgb, sgrey, srgb
from fidele.session.remember import Remembered

if TYPE_CHECKING:
    from fidele.session.model import Session

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

    model_config = ConfigDict(frozen=True, extra="forbid")

    client: str = ""
    folder: str = ""
    kind: str = "RGB"
    space: str = "sRGB"

    @property
    def where(self) -> str:
        """For what it holds, in words."""
        if self.client:
            return f"pictures of {self.client}"
        return f"pictures from {self.folder}" if self.folder else "all pictures"

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
        self.path = path

    def all(self) -> tuple[Rule, ...]:
        """Return them; none where the file is missing or damaged."""
        try:
            return _RULES.validate_json(read_bytes(self.path, _LARGEST))
        except (FideleError, ValidationError):
            return ()

    def save(self, rules: tuple[Rule, ...]) -> None:
        """Keep them."""
        write_bytes(self.path, json.dumps([r.model_dump() for r in rules], indent=2, ensure_ascii=False).encode())

    def of(self, path: Path, kind: str) -> Rule | None:
        """Return the rule for a picture: that which means it most closely."""
        found = [(r.reach(path), r) for r in self.all() if r.kind == kind]
        best = max((reach for reach, _ in found), default=0)
        return next((r for reach, r in reversed(found) if reach == best), None) if best else None


@dataclass(frozen=True)
class Space:
    """A space to choose from: its key, what people call it, and how to get it."""

    key: str
    title: str
    load: Callable[[], Profile]


class Sources:
    """The source slips of a workshop's pictures."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.rules = Rules(session.places.data / "house-rules.json")
        self._hints: Remembered[str] = Remembered()

    def candidates(self, kind: str) -> list[Space]:
        """Return the spaces that pictures of a kind can be in: standard ones, then those of the shelf."""
        found = [Space(key, key, load) for key, load in _BUILT_IN.get(kind, {}).items()]
        if kind == "GRAY":
            found += [Space(f"grey:{name}", f"grey, {name}", partial(grey, name)) for name in GREYS]
        classes = ("prtr", "spac") if kind == "CMYK" else ("mntr", "spac", "scnr")
        seen = {space.load().content_id for space in found}
        for row in self._session.profiles.rows():
            what = row.entry.description
            if what.colour_space == kind and what.device_class in classes and row.entry.id not in seen:
                seen.add(row.entry.id)
                if not any(p.weight == "stop" for p in what.problems):
                    load = partial(self._session.shelf.load, row.entry.id)
                    found.append(Space(f"profile:{row.entry.id}", row.title, load))
        return found

    def space(self, kind: str, key: str) -> Space | None:
        """Return a space by its key, None where it is not there any more."""
        return next((s for s in self.candidates(kind) if s.key == key), None)

    def suppose(self, path: Path) -> Suppose:
        """Return what answers, for one file, what it is supposed to be in."""

        def ask(kind: str) -> tuple[Profile, SourceSlip] | None:
            rule = self.rules.of(path, kind)
            space = self.space(kind, rule.space) if rule is not None else None
            if rule is not None and space is not None:
                return space.load(), SourceSlip("supposed", f"{space.title}, by your rule for {rule.where}", True)
            if kind != "CMYK":
                return None
            inks = self.candidates(kind)
            if not inks:
                raise FideleError(
                    f"{path.name} is CMYK and states no profile, and there is no CMYK profile on the shelf: drop the "
                    "one that it was made for on the window, then open it again."
                )
            return inks[0].load(), SourceSlip("supposed", f"{inks[0].title}, supposed: the file states nothing")

        return ask

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
        if any("left aside" in d for d in artwork.doubts):
            return "What the file says of its colours is damaged."
        if any("contradicts itself" in d for d in artwork.doubts):
            return "The file states two different spaces."
        if artwork.slip.kind != "supposed":
            return ""
        hint = self.hint(artwork)
        if not artwork.slip.rule:
            looks = f" Its numbers look like {hint}." if hint else ""
            return f"The picture does not say what its colours mean.{looks}"
        title = next((s.title for s in self.candidates("RGB") if s.load().content_id == artwork.profile.content_id), "")
        if hint and title in ("sRGB", "opRGB") and hint != title:
            return f"By your rule it is {title}, but its numbers look like {hint}."
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
        before = self.rules.all()
        after = (*(r for r in before if (r.client, r.folder, r.kind) != (rule.client, rule.folder, rule.kind)), rule)

        def apply(rules: tuple[Rule, ...]) -> None:
            self.rules.save(rules)
            self._session.tell("artwork")

        self._session.history.do(f"A rule for {rule.where}", lambda: apply(after), lambda: apply(before))
        space = self.space(rule.kind, rule.space)
        self._session.say(f"From now on {rule.where} that state nothing are {space.title if space else rule.space}.")

    def drop_rule(self, rule: Rule) -> None:
        """Forget a rule, as a step that can be undone."""
        before = self.rules.all()
        after = tuple(r for r in before if r != rule)

        def apply(rules: tuple[Rule, ...]) -> None:
            self.rules.save(rules)
            self._session.tell("artwork")

        self._session.history.do(f"Forget the rule for {rule.where}", lambda: apply(after), lambda: apply(before))
        self._session.say(f"The rule for {rule.where} is forgotten.")
