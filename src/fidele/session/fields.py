"""Everything on a printing condition, field by field: what it says, and what it could say instead."""

from __future__ import annotations

from typing import Literal

from fidele import units
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.language import named, tr
from fidele.route.condition import Card, PressData, SheetHabits
from fidele.route.differences import HABITS, LABELS, LOTS, PRESS, STACK, plain, said
from fidele.route.layers import MEANINGS
from fidele.session.handoff import Handoff
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.materials import OwnMaterials
from fidele.session.profiles import Profiles
from fidele.values import Value

#: Fields by group, in the order in which people think of them; 'driver' and 'press' stand for theirs.
GROUPS = {
    named("What it is for"): (
        "name",
        "process",
        "substrate",
        "seen_from",
        "printer_name",
        "ink",
        "media",
        "size",
        "lots",
    ),
    named("Colour"): ("profile", "intent", "bpc", "owner"),
    named("Driver settings"): ("driver",),
    named("On the way"): ("mirror_by", "printed_from", "file_says", "artwork_ppi", "page_ppi"),
    named("Press"): ("press",),
    named("Sheets and runs"): ("sheet",),
    named("Notes"): ("notes",),
}
_SHEET_RANGE = {"gap": (0.0, 200.0), "readiness_hours": (0.0, 1000.0)}
_PRESS_RANGE = {"temperature": (20, 240), "seconds": (1, 900), "pressure": (0.1, 8), "preheat": (0, 120)}


@dataclass(frozen=True)
class Field:
    """One field of a card.

    Attributes
    ----------
    key
        What `Fields.set` takes: a name of the card's, 'driver.' and a meaning, or 'press.' and a name.
    words
        What it says, in plain words.
    offered
        Values with their words to choose from, () where it is typed.
    span
        Least and greatest value of a number, None where it is no number.
    fixed
        It cannot be changed here.
    """

    group: str
    key: str
    label: str
    value: Value | None
    words: str
    offered: tuple[tuple[Value, str], ...] = ()
    span: tuple[float, float] | None = None
    fixed: bool = False
    #: What a number measures, '' where it is a bare one: it is shown in the units that are chosen.
    measures: units.Kind | Literal[""] = ""


class Fields:
    """Reads and changes cards field by field."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        handoff: Handoff,
        profiles: Profiles,
        devices: Devices,
        materials: OwnMaterials,
    ) -> None:
        self._live, self._in_force, self._handoff, self._materials = live, in_force, handoff, materials
        self._profiles, self._devices = profiles, devices

    def of(self, card: Card) -> list[Field]:
        """Return every field of a card, with what it could say on its printer."""
        found = []
        for group, keys in GROUPS.items():
            for key in keys:
                if key == "driver":
                    found += self._driver_fields(card, group) + self._hand_fields(card, group)
                elif key == "press":
                    found += _press_fields(card, group) if card.process == "transfer" else []
                elif key == "lots":
                    found += [
                        Field(group, f"lots.{n}", label, card.lots.get(n, ""), card.lots.get(n, "") or tr("none noted"))
                        for n, label in LOTS.items()
                    ]
                elif key == "sheet":
                    found += _sheet_fields(card, group)
                else:
                    found.append(self._field(card, group, key))
        return found

    def _field(self, card: Card, group: str, key: str) -> Field:
        value = getattr(card, key)
        label = tr("Name") if key == "name" else LABELS[key]
        device = self._devices.of(card)
        offered: dict[str, tuple[tuple[Value, str], ...]] = {
            "substrate": self._pieces(card),
            "ink": self._own("ink", card),
            "media": self._own("media", card),
            "seen_from": (("front", tr("front")), ("back", tr("back"))),
            "size": tuple((s, s) for s in device.sizes()),
            "intent": tuple((i, i.words) for i in Intent if i in self._intents or i == card.intent),
            "bpc": ((True, tr("on")), (False, tr("off"))),
            "mirror_by": tuple(
                (v, words)
                for v, words in (("fidele", "Fidele"), ("driver", tr("the driver")), ("nobody", tr("nobody")))
                if v != "driver" or device.can_mirror or value == "driver"
            ),
            "printed_from": (("", "Fidele"), *((p.name, p.name) for p in self._devices.programs)),
            "file_says": (("nothing", tr("nothing")), ("sRGB", "sRGB")),
            "page_ppi": (
                (0, tr("{ppi} ppi", ppi=device.format.ppi)),
                *((ppi, tr("{ppi} ppi", ppi=ppi)) for ppi in device.format.also),
            ),
        }
        choices = offered.get(key, ())
        if choices and value not in {v for v, _ in choices}:
            choices = (*choices, (value, plain(value)))
        span = (30.0, 1200.0) if key == "artwork_ppi" else None
        fixed = key in ("process", "printer_name", "profile", "owner") or (key == "ink" and not choices)
        words = said(card, key)
        if key == "profile" and value and (entry := self._profiles.shelf.find(str(value))) is not None:
            words = self._profiles.row(entry).title
        elif choices or key == "process":  # a word of Fidele's own, or a name that stands in no catalogue
            words = dict(choices).get(value, tr(words))
        return Field(group, key, label, value, words, choices, span, fixed)

    def _own(self, kind: str, card: Card) -> tuple[tuple[Value, str], ...]:
        """Return materials of the workshop's own that a field can take; nothing where there are none: it is typed."""
        names = self._materials.names(kind)
        said = str(getattr(card, kind))
        return tuple((n, n or tr("nobody has said")) for n in dict.fromkeys((said, *names))) if names else ()

    def _pieces(self, card: Card) -> tuple[tuple[Value, str], ...]:
        if card.process != "transfer":
            return ()
        known = (*self._devices.substrates, *self._materials.names("substrate"))
        return tuple((s, s) for s in dict.fromkeys(known))

    def _driver_fields(self, card: Card, group: str) -> list[Field]:
        device = self._devices.of(card)
        found = []
        for meaning, label in MEANINGS.items():
            offered = device.offers(meaning, card.driver)
            if meaning == "size" or (not offered and meaning not in card.driver):
                continue
            value = card.driver.get(meaning, device.at_rest(meaning))
            if value is None:
                continue
            words = tr(dict(offered).get(value, plain(value)))
            fixed = not offered
            if offered and value not in dict(offered):
                offered = (*offered, (value, tr("{value}, not on offer", value=plain(value))))
            found.append(Field(group, f"driver.{meaning}", label, value, words, offered, fixed=fixed))
        return found

    def _hand_fields(self, card: Card, group: str) -> list[Field]:
        """Return the driver's controls that shape colour by hand, each with what the card wants of it."""
        device = self._devices.of(card)
        rest, found = device.at_rest("sliders"), []
        for control in device.handles():
            value = card.hand.get(control.name, rest if rest is not None else control.value)
            offered = tuple((v, f"{v:+d}" if isinstance(v, int) and v else str(v)) for v in control.offered)
            words = tr(dict(offered).get(value, plain(value)))
            found.append(
                Field(group, f"hand.{control.name}", tr("{name}, by hand", name=control.name), value, words, offered)
            )
        return found

    def set(self, key: str, value: Value) -> None:
        """Change one field of the card in force, as a step that can be undone; what must follow is changed with it.

        Raises
        ------
        FideleError
            When the value cannot be, or the card is locked.
        """
        card = self._live.state.need_card()
        kind, _, name = key.partition(".")
        if kind == "driver":
            changed = self._devices.of(card).possible(card.driver | {name: value})
            self._in_force.change(f"{MEANINGS[name]}: {plain(value)}", driver=changed)
        elif kind == "hand":
            rest = self._devices.of(card).at_rest("sliders")
            hand = {k: v for k, v in card.hand.items() if k != name} | ({name: value} if value != rest else {})
            self._in_force.change(tr("{name}, by hand: {value}", name=name, value=plain(value)), hand=hand)
        elif kind == "press":
            label = (PRESS | STACK)[name]
            try:
                press = PressData.model_validate(card.press.model_dump() | {name: value})
            except ValueError as error:
                raise FideleError(tr("{label}: {value:g} is beyond any press.", label=label, value=value)) from error
            self._in_force.change(f"{label}: {plain(value)}", press=press)
        elif kind == "lots":
            lots = {k: v for k, v in card.lots.items() if k != name} | ({name: str(value)} if value else {})
            self._in_force.change(f"{LOTS[name]}: {value or tr('none noted')}", lots=lots)
        elif kind == "sheet":
            try:
                habits = SheetHabits.model_validate(card.sheet.model_dump() | {name: value})
            except ValueError as error:
                raise FideleError(tr("{habits}: {value:g} cannot be.", habits=HABITS[name], value=value)) from error
            self._in_force.change(f"{HABITS[name]}: {plain(value)}", sheet=habits)
        elif key in ("ink", "media", "substrate") and (own := self._materials.store.find(key, str(value))):
            self._materials.use(own)
        elif key == "printed_from":
            self._handoff.print_from(str(value))
        else:
            if key == "name" and not str(value).strip():
                raise FideleError(tr("A printing condition needs a name."))
            changes = {key: value}
            changed_card = card.model_copy(update=changes)
            if key == "seen_from" and card.mirror_by != "driver":
                changes["mirror_by"] = "fidele" if changed_card.twists_needed else "nobody"
            label = tr("Name") if key == "name" else LABELS[key]
            self._in_force.change(f"{label}: {said(changed_card, key)}", **changes)

    @property
    def _intents(self) -> tuple[str, ...]:
        """The intents that the profile in force truly has."""
        entry = self._profiles.in_force
        return entry.description.intents if entry else tuple(Intent)


def _press_fields(card: Card, group: str) -> list[Field]:
    found = [
        _number_field(group, f"press.{n}", label, float(getattr(card.press, n)), _PRESS_RANGE[n], _MEASURES.get(n, ""))
        for n, label in PRESS.items()
    ]
    for name, label in STACK.items():
        value = getattr(card.press, name)
        offered = (("paper", tr("the paper")), ("piece", tr("the piece"))) if name == "on_top" else _ON_OFF
        found.append(Field(group, f"press.{name}", label, value, dict(offered)[value], offered))
    return found


_MEASURES: dict[str, units.Kind] = {"temperature": "heat", "pressure": "pressure", "gap": "length"}


def _number_field(
    group: str, key: str, label: str, value: float, span: tuple[float, float], measures: units.Kind | Literal[""]
) -> Field:
    words = (
        tr("{value:g}", value=value)
        if not measures
        else tr("{shown:.4g} {unit_of}", shown=units.shown(measures, value), unit_of=units.unit_of(measures))
    )
    return Field(group, key, label, value, words, span=span, measures=measures)


_ON_OFF: tuple[tuple[Value, str], ...] = ((True, tr("on")), (False, tr("off")))


def _sheet_fields(card: Card, group: str) -> list[Field]:
    found = []
    for name, label in HABITS.items():
        value, span = getattr(card.sheet, name), _SHEET_RANGE.get(name)
        if span is not None and name in _MEASURES:
            found.append(_number_field(group, f"sheet.{name}", label, float(value), span, _MEASURES[name]))
            continue
        found.append(Field(group, f"sheet.{name}", label, value, plain(value), () if span else _ON_OFF, span))
    return found
