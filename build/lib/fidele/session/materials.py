"""Materials of one's own in the session: kept, copied and taken away as steps, and used on the card in force."""

from __future__ import annotations

from fidele.language import lowered, tr
from fidele.route.condition import PressData
from fidele.session.history import History
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import RulesChanged
from fidele.store.materials import KINDS, Material, Materials


class OwnMaterials:
    """Inks, papers, pieces and processes of the workshop."""

    def __init__(self, live: Live, store: Materials, history: History, in_force: InForce) -> None:
        self._live, self.store, self._history, self._in_force = live, store, history, in_force

    def names(self, kind: str) -> tuple[str, ...]:
        """Return the names of a kind."""
        return tuple(m.name for m in self.store.all(kind))

    def keep(self, made: Material, before: Material | None = None) -> None:
        """Keep a material in place of `before`, as a step that can be undone."""
        there = self.store.find(made.kind, made.name)

        def do() -> None:
            if before is not None and (before.kind, before.name) != (made.kind, made.name):
                self.store.remove(before.kind, before.name)
            self.store.keep(made)
            self._live.tell(RulesChanged())

        def undo() -> None:
            self.store.remove(made.kind, made.name)
            for old in (there, before):
                if old is not None:
                    self.store.keep(old)
            self._live.tell(RulesChanged())

        self._history.do(tr("Keep {kinds} “{name}”", kinds=lowered(KINDS[made.kind]), name=made.name), do, undo)

    def copy(self, material: Material) -> Material:
        """Keep a copy under a name of its own, and return it."""
        taken = set(self.names(material.kind))
        name = next(n for k in range(2, 1000) if (n := f"{material.name} {k}") not in taken)
        made = material.model_copy(update={"name": name, "lot": ""})
        self.keep(made)
        return made

    def remove(self, material: Material) -> None:
        """Take a material away, as a step that can be undone."""

        def away() -> None:
            self.store.remove(material.kind, material.name)
            self._live.tell(RulesChanged())

        def back() -> None:
            self.store.keep(material)
            self._live.tell(RulesChanged())

        self._history.do(
            tr("Take {kinds} “{name}” away", kinds=lowered(KINDS[material.kind]), name=material.name), away, back
        )

    def use(self, material: Material) -> None:
        """Set the card in force to a material, its lot included; of a process to all that it says.

        Raises
        ------
        FideleError
            When no condition is in force, or it is locked.
        """
        card, words = self._live.state.need_card(), f"{KINDS[material.kind]}: {material.name}"
        if material.kind == "process":
            turned = material.pressed == "transfer" and material.seen_from == "front"
            mirror = card.mirror_by if card.mirror_by == "driver" and turned else "fidele" if turned else "nobody"
            press = PressData.model_validate(material.press.model_dump())
            self._in_force.change(
                words, process=material.pressed, seen_from=material.seen_from, press=press, mirror_by=mirror
            )
            return
        lots = {k: v for k, v in card.lots.items() if k != material.kind}
        lots |= {material.kind: material.lot} if material.lot else {}
        self._in_force.change(words, **{material.kind: material.name, "lots": lots})
