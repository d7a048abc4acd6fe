"""What the options of a driver mean: as standards say, as trade words suggest, as somebody confirmed, as ink proved.

It is kept for each driver and version as a small file that can be read, sent to a colleague, and taken in.
"""

from __future__ import annotations

import datetime
import json
import re
from collections import Counter
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, ValidationError

from fidele.devices.cups.ppd import Option, Ppd
from fidele.devices.vocabulary import Word, Words
from fidele.errors import FideleError
from fidele.files import read_bytes, stamp_of, write_bytes
from fidele.language import tr
from fidele.route.condition import Kept
from fidele.route.layers import MEANINGS
from fidele.statefile import below
from fidele.values import Settings, Value

How = Literal["standard", "guess", "hand", "ink"]
#: How each is said, best last.
HOW_WORDS: dict[str, str] = {
    "guess": tr("a guess by the words of the trade"),
    "standard": tr("as the standard says"),
    "hand": tr("confirmed by hand"),
    "ink": tr("proved by ink"),
}
_SURE = ("standard", "hand", "ink")
#: Options that Fidele sets itself with every page.
OWN = ("PageRegion", "Resolution", "ColorModel", "Collate", "HWMargins", "CustomPageSize")


class Meaning(Kept):
    """What one meaning is called: its options, the value that leaves things alone, and how that is known."""

    options: tuple[str, ...]
    rest: Value | None = None
    #: Values in plain words.
    plain: dict[str, str] = Field(default_factory=dict)
    how: How = "guess"
    who: str = ""
    when: datetime.datetime | None = None


class Learned(Kept):
    """All that is known of a driver's words.

    `passes` and `corrects` are values of the control for colour: which leaves the numbers alone, which converts the
    maker's way. `alone` says of size and mirroring behind the last raster, by 'driver_size' and 'driver_mirroring',
    how it is known that nothing is done there.
    """

    kind: Literal["words of a driver"] = "words of a driver"
    driver: str
    version: str = ""
    meanings: dict[str, Meaning] = Field(default_factory=dict)
    passes: str = ""
    corrects: str = ""
    alone: dict[str, How] = Field(default_factory=dict)

    def sure(self, meaning: str) -> bool:
        """Whether a meaning is more than a guess."""
        return meaning in self.meanings and self.meanings[meaning].how in _SURE

    def how(self, meaning: str) -> str:
        """How a meaning is known, in words."""
        return HOW_WORDS[self.meanings[meaning].how] if meaning in self.meanings else tr("not known")

    def with_colour(self, control: str, passes: str, corrects: str, how: How, who: str = "") -> Learned:
        """Return it with what is known now of the control for colour; what took that control for another goes."""
        others = {m: said for m, said in self.meanings.items() if m != "colour" and control not in said.options}
        plain = {passes: "leave the numbers alone"} | ({corrects: "maker's colours"} if corrects else {})
        now = datetime.datetime.now().replace(microsecond=0)
        colour = Meaning(options=(control,), plain=plain, how=how, who=who, when=now)
        return self.model_copy(update={"meanings": others | {"colour": colour}, "passes": passes, "corrects": corrects})

    def with_rest(self, meaning: str, control: str, rest: str | None, how: How) -> Learned:
        """Return it with what is known now of a control, as mirroring, and the choice under which it does nothing."""
        others = {m: said for m, said in self.meanings.items() if m != meaning and control not in said.options}
        now = datetime.datetime.now().replace(microsecond=0)
        said = Meaning(options=(control,), rest=rest, how=how, when=now)
        return self.model_copy(update={"meanings": others | {meaning: said}})


@cache
def _general() -> dict:
    return json.loads((files("fidele") / "data/drivers/general.json").read_text("utf-8"))


def controls_of(ppd: Ppd) -> dict[str, Option]:
    """Return a driver's options by what people read; where two read alike, by their keywords too."""
    shown = [o for o in ppd.options if o.keyword not in OWN and len(o.choices) > 1]
    texts = [o.text for o in shown]
    return {o.text if texts.count(o.text) == 1 else f"{o.text} ({o.keyword})": o for o in shown}


def values_of(option: Option) -> dict[str, str]:
    """Return an option's choices: what people read, to its keyword; the word for a size of one's own is none."""
    choices = {k: t for k, t in option.choices.items() if (option.keyword, k) != ("PageSize", "Custom")}
    texts = Counter(choices.values())
    return {t if texts[t] == 1 else f"{t} ({k})": k for k, t in choices.items()}


def guessed(ppd: Ppd) -> Learned:
    """Return what keywords say and trade words suggest of a driver nobody has told anything of."""
    general = _general()
    meanings: dict[str, Meaning] = {}
    free = controls_of(ppd)
    for by in ("keywords", "words"):
        for meaning, said in general["meanings"].items():
            if meaning in meanings:
                continue
            for name, option in free.items():
                text = _plain(name)
                known = (
                    option.keyword in said["keywords"]
                    if by == "keywords"
                    else any(re.search(rf"\b{re.escape(word)}(s|ing)?\b", text) for word in said["words"])
                )
                if known:
                    how: How = "standard" if by == "keywords" else "guess"
                    meanings[meaning] = Meaning(options=(name,), rest=_rest(meaning, option), how=how)
                    del free[name]
                    break
    sliders = [n for n, o in free.items() if _is_slider(o)]
    if sliders:
        meanings["sliders"] = Meaning(options=tuple(sliders), rest="0")
    passes = corrects = ""
    colour = meanings.get("colour")
    if colour is not None:
        option = controls_of(ppd)[colour.options[0]]
        passes, corrects = _one_of(option, general["leaves"]), _one_of(option, general["corrects"])
        plain = {passes: "leave the numbers alone"} if passes else {}
        colour.plain = plain | ({corrects: "maker's colours"} if corrects else {})
        if not passes:
            del meanings["colour"]
    return Learned(driver=ppd.name, version=ppd.version, meanings=meanings, passes=passes, corrects=corrects)


def _plain(text: str) -> str:
    return re.sub(r"(?<=[a-z])(?=[A-Z])", " ", text).casefold()


def _rest(meaning: str, option: Option) -> Value | None:
    """Return the value under which a setting leaves things alone, where it is one that does something or nothing."""
    if meaning in ("size", "feed", "stand_in", "quality", "direction", "black_ink", "colour", "input_space"):
        return None
    return _one_of(option, _general()["rest"]) or None


def _one_of(option: Option, words: list[str]) -> str:
    values = values_of(option)
    for word in words:
        exact = [v for v in values if _plain(v) == word]
        near = [v for v in values if re.search(rf"\b{re.escape(word)}\b", _plain(v))]
        if exact or near:
            return (exact or near)[0]
    return ""


def _is_slider(option: Option) -> bool:
    numbers = [k for k in option.choices if re.fullmatch(r"[-+]?\d+", k)]
    return len(numbers) == len(option.choices) > 4 and "0" in numbers and any(k.startswith("-") for k in numbers)


def words_of(ppd: Ppd, learned: Learned) -> Words:
    """Return a driver's words for what settings need to know (`fidele.devices.settings`)."""
    there = controls_of(ppd)
    meanings = {
        meaning: Word(said.options, dict[Value, str](said.plain.items()), said.rest)
        for meaning, said in learned.meanings.items()
        if meaning in MEANINGS and all(c in there for c in said.options)
    }
    order: list[str] = [m for m in ("stand_in", "quality", "size", "feed", "improvement") if m in meanings]
    order += [m for m in meanings if m not in order]
    mirror = meanings.get("mirroring")
    if mirror is not None:
        values = values_of(there[mirror.controls[0]])
        rest = str(mirror.rest) if mirror.rest in values else next(iter(values))
        on = next(v for v in values if v != rest)
        meanings["mirroring"] = Word(mirror.controls, {rest: "off", on: "on"}, None)
    by_hand = {
        meaning: meaning
        for meaning in ("driver_colour", "driver_size", "driver_mirroring")
        if not (learned.sure("colour") if meaning == "driver_colour" else meaning in learned.alone)
    }
    return Words(
        meanings=meanings,
        order=tuple(order),
        passes=learned.passes,
        corrects=learned.corrects,
        open_first=_opening(ppd, learned),
        by_hand=by_hand,
    )


def _opening(ppd: Ppd, learned: Learned) -> Settings:
    """Return what must be set so that the choice which leaves the numbers alone is on offer."""
    there = controls_of(ppd)
    names = {o.keyword: n for n, o in there.items()}
    colour = learned.meanings.get("colour")
    if colour is None or colour.options[0] not in there:
        return {}
    option = there[colour.options[0]]
    passes = values_of(option).get(learned.passes, "")
    opening: Settings = {}
    for one, its, other, others in ppd.conflicts:
        for a, b, c, d in ((one, its, other, others), (other, others, one, its)):
            if a == option.keyword and b == passes and c in names and d == there[names[c]].default:
                free = [v for v, k in values_of(there[names[c]]).items() if not ppd.excluded(c, k, {a: b})]
                opening |= {names[c]: free[0]} if free else {}
    return opening


Measured = tuple[NDArray[np.float32], datetime.datetime]


def _table(path: Path) -> Measured | None:
    if not path.exists():
        return None
    try:
        kept = json.loads(read_bytes(path, 1 << 20))
        codes = np.array(kept["codes"], np.float32).reshape(17, 17, 17, 3) / 65535
        return np.clip(codes, 0, 1), datetime.datetime.fromisoformat(kept["when"])
    except (FideleError, ValueError, KeyError, TypeError):
        return None


class LearnedStore:
    """What was learned of drivers, a file for each driver and version."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._tables: dict[Path, tuple[tuple[int, int], Measured | None]] = {}
        self._paths: dict[tuple[str, str], Path] = {}

    def _path(self, driver: str, version: str) -> Path:
        if (known := self._paths.get((driver, version))) is None:
            known = self._paths[driver, version] = self._named(driver, version)
        return known

    def _named(self, driver: str, version: str) -> Path:
        stem = re.sub(r"[^\w.-]+", "-", f"{driver} {version}".strip())[:80].strip("-.") or "driver"
        return below(self._folder, stem, ".json")

    def stamp(self, ppd: Ppd) -> tuple[int, int]:
        """Return what changes when something else is known of a driver."""
        return stamp_of(self._path(ppd.name, ppd.version))

    def of(self, ppd: Ppd) -> Learned:
        """Return what is known of a driver: what was learned, over what keywords and trade words say."""
        guess = guessed(ppd)
        path = self._path(ppd.name, ppd.version)
        if not path.exists():
            return guess
        try:
            kept = Learned.model_validate_json(read_bytes(path, 1 << 20))
        except (FideleError, ValueError):
            return guess
        taken = {c for said in kept.meanings.values() for c in said.options}
        left = {m: said for m, said in guess.meanings.items() if not taken & {*said.options} and m not in kept.meanings}
        return kept.model_copy(update={"meanings": left | kept.meanings})

    def _table_path(self, driver: str, version: str, media: str) -> Path:
        stem = re.sub(r"[^\w.-]+", "-", f"{driver} {version} {media}".strip())[:110].strip("-.") or "driver"
        return below(self._folder / "measured", stem, ".json")

    def keep_table(self, driver: str, version: str, media: str, table: NDArray[np.float32]) -> None:
        """Keep what ink said of a driver's own correction (17, 17, 17, 3) on one media."""
        path = self._table_path(driver, version, media)
        path.parent.mkdir(parents=True, exist_ok=True)
        codes = np.rint(np.clip(table, 0, 1) * 65535).astype(int).ravel().tolist()
        said = {"kind": "correction of a driver", "driver": driver, "version": version, "media": media}
        now = datetime.datetime.now().replace(microsecond=0).isoformat()
        write_bytes(path, json.dumps(said | {"when": now, "codes": codes}).encode())

    def table_of(self, driver: str, version: str, media: str) -> Measured | None:
        """Return a driver's measured correction, and when it was measured; None where it never was."""
        path = self._table_path(driver, version, media)
        stamp = stamp_of(path)
        if self._tables.get(path, (None, None))[0] != stamp:  # asked for at every look at the route
            self._tables[path] = (stamp, _table(path))
        return self._tables[path][1]

    def keep(self, learned: Learned) -> Path:
        """Keep what is known now; guesses are made anew each time and are not kept."""
        sure = {m: said for m, said in learned.meanings.items() if said.how in ("hand", "ink")}
        path = self._path(learned.driver, learned.version)
        self._folder.mkdir(parents=True, exist_ok=True)
        write_bytes(path, learned.model_copy(update={"meanings": sure}).model_dump_json(indent=1).encode())
        return path

    def take_in(self, path: Path) -> Learned:
        """Take in what a colleague learned; what ink proved there counts as looked up by hand here.

        Raises
        ------
        FideleError
            When the file is none, or is damaged.
        """
        data = read_bytes(path, 1 << 20)
        try:
            theirs = Learned.model_validate_json(data)
        except ValidationError as error:
            raise FideleError(tr("{path} holds no words of a driver.", path=path)) from error
        meanings = {
            m: said.model_copy(update={"how": "hand", "who": said.who or tr("a colleague")})
            for m, said in theirs.meanings.items()
            if m in MEANINGS
        }
        mine = theirs.model_copy(update={"meanings": meanings})
        self.keep(mine)
        return mine
