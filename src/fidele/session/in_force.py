"""The condition in force: taken, changed as steps that can be undone, and followed where somebody else changes it."""

from __future__ import annotations

import datetime
from collections.abc import Callable

from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.route.condition import Card, Change
from fidele.session.live import Live
from fidele.session.news import ConditionsChanged
from fidele.session.person import person
from fidele.session.state import CardChanged, CardTaken
from fidele.store.cards import CardStore
from fidele.store.shelf import Shelf


class InForce:
    """Takes and changes the card in force; its file is never written over what somebody else wrote meanwhile."""

    def __init__(self, live: Live, cards: CardStore, shelf: Shelf) -> None:
        self._live, self._cards, self._shelf = live, cards, shelf

    def put(self, card: Card | None, read: bool = True) -> None:
        """Take a card, None for none; the route is read anew, where nobody is about to set it and read it back."""
        live = self._live
        kept = self._cards.kept(card.id) if card is not None else None
        live.change(CardTaken(card, self._profile(card), kept))
        live.tell(ConditionsChanged())
        if read:
            live.refresh()

    def _profile(self, card: Card | None) -> Profile | None:
        if card is not None and card.profile is not None:
            try:
                return self._shelf.load(card.profile)
            except FideleError as error:
                self._live.warn(str(error))
        return None

    def load_profile(self) -> None:
        """Take the card's profile from the shelf again, as it is there now."""
        state = self._live.state
        if state.card is not None:
            self._live.change(CardChanged(state.card, self._profile(state.card), state.kept))

    def step(self, name: str, card: Card | None, do: Callable[[], None], undo: Callable[[], None]) -> None:
        """Do something by which a card comes into force, as one step; undone, the one before is in force again."""
        before = self._live.state.card

        def go() -> None:
            do()
            self.put(card)

        def back() -> None:
            undo()
            self.put(before)

        self._live.history.do(name, go, back)

    def change(self, what: str, /, **changes: object) -> None:
        """Change the card in force, as a step that can be undone.

        Raises
        ------
        FideleError
            When it is locked, or somebody else changed it meanwhile.
        """
        card = self._live.state.need_card()
        before: dict[str, object] = {key: getattr(card, key) for key in changes}
        if before == changes:
            return
        if card.locked and not changes.keys() <= {"locked", "confirmed", "driver_version"}:
            raise FideleError(tr("“{name}” is locked; unlock it, or copy it and change the copy.", name=card.name))
        change = Change(what=what, when=datetime.datetime.now().replace(microsecond=0), who=person())
        changes = changes | {"history": [*card.history, change][-200:]}
        before = before | {"history": card.history}

        def apply(values: dict[str, object]) -> None:
            changed = self._live.state.need_card().model_copy(update=values)
            if changed.id != card.id:
                raise FideleError(tr("“{name}” is not in force any more; put it in force first.", name=card.name))
            self._save(changed, "profile" in values)
            self._live.refresh()

        self._live.history.do(what, lambda: apply(changes), lambda: apply(before))
        self._live.say(f"{what}.")

    def _save(self, card: Card, other_profile: bool) -> None:
        """Keep the card in force, unless somebody else changed it meanwhile: then theirs is taken, and it is said."""
        state = self._live.state
        if self._cards.kept(card.id) != state.kept:
            self.follow()
            raise FideleError(
                tr(
                    "“{name}” was changed by another window or by hand a moment ago. It was read again, as it is "
                    "now; do your change once more.",
                    name=card.name,
                )
            )
        self._cards.save(card)
        profile = self._profile(card) if other_profile else state.profile
        self._live.change(CardChanged(card, profile, self._cards.kept(card.id)))
        self._live.tell(ConditionsChanged())

    def hand_over(self, old: str, new: str) -> None:
        """Let every condition that uses one profile use another, the one in force too."""
        for card in self._cards.cards():
            if card.profile == old:
                self._cards.save(card.model_copy(update={"profile": new}))
        state = self._live.state
        if state.card is not None and state.card.profile == old:
            card = state.card.model_copy(update={"profile": new})
            self._live.change(CardChanged(card, self._profile(card), self._cards.kept(card.id)))

    def follow(self) -> None:
        """Take over what another window, a command or a person has made of the card in force."""
        live, card = self._live, self._live.state.card
        if card is None or (kept := self._cards.kept(card.id)) == live.state.kept:
            return
        if kept is None:
            live.say(tr("“{name}” was taken away elsewhere.", name=card.name))
            self.put(next(iter(self._cards.cards()), None))
            return
        try:
            read = self._cards.read(card.id)
        except FideleError as error:
            live.say(tr("{error} What was in force stays until the file is mended.", error=error))
            live.change(CardChanged(card, live.state.profile, kept))
            return
        live.change(CardChanged(read, self._profile(read), kept))
        live.tell(ConditionsChanged())
        live.refresh()
        live.say(tr("“{name}” was changed elsewhere; it is shown as it is now.", name=read.name))
