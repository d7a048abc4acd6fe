"""Materials: inks, papers, pieces and processes of the workshop's own, their lots, and using them."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFormLayout, QStackedWidget, QWidget

from fidele import units
from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, ask, choice, down, entry, fill
from fidele.desk.labels import button, clear, label, section
from fidele.desk.numbers import number
from fidele.desk.tile import Tile, scrolled
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.condition import PressData
from fidele.session.model import Session
from fidele.store.materials import KINDS, Material

_PLURAL = {"ink": tr("Inks"), "media": tr("Papers"), "substrate": tr("Pieces to press on"), "process": tr("Processes")}
_ABOUT = {
    "ink": tr("The ink set in the tanks, above all another maker's than the printer's."),
    "media": tr("Paper that prints leave on: transfer paper, or the paper that is the piece itself."),
    "substrate": tr("What prints are pressed on: mug, metal, cloth, slate."),
    "process": tr("Pressed or straight, with the press's settings, for one kind of work."),
}


class MaterialsDesk(Desk):
    """Lists what is the workshop's own by kind, and changes one of it."""

    station = "Materials"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        self.new = button(
            tr("New …"), partial(self._edit, None), tr("An ink, a paper, a piece or a process of your own")
        )
        head.addWidget(self.new, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        inside = QWidget()
        self._list = down(space=6, margins=(0, 0, 8, 0), on=inside)
        self.stack: QStackedWidget = QStackedWidget()
        self.stack.addWidget(scrolled(inside))
        self.stack.addWidget(scrolled(self._form()))
        self.box.addWidget(self.stack, 1)
        self._before: Material | None = None

    def _form(self) -> QWidget:
        page = QWidget()
        box = down(space=8, margins=(0, 0, 8, 0), on=page)
        form = QFormLayout()
        self.kind = choice(tr("Kind"), list(KINDS.items()), chosen=lambda _: self._suit())
        self.name = entry(tr("Name"), hint=tr("what you call it"))
        self.lot = entry(tr("Lot"), hint=tr("number on the package in use"))
        self.notes = entry(tr("Notes"), hint=tr("where it comes from, what to mind"))
        self.pressed = choice(
            tr("Prints are"), [("transfer", tr("pressed on a piece")), ("direct", tr("straight on the paper"))]
        )
        self.seen = choice(tr("Seen from"), [("front", tr("front")), ("back", tr("back, through a clear piece"))])
        self.press = {
            "temperature": number(20, 240, tr("Of the hot plate"), 0, " °C"),
            "seconds": number(1, 900, tr("How long it stays closed"), 0, " s"),
            "pressure": number(0.1, 8, tr("On the piece"), 1, " bar"),
        }
        for words, field in (
            (tr("Kind"), self.kind),
            (tr("Name"), self.name),
            (tr("Lot in use"), self.lot),
            (tr("Notes"), self.notes),
            (tr("Prints are"), self.pressed),
            (tr("Seen from"), self.seen),
            (tr("Press temperature"), self.press["temperature"]),
            (tr("Press time"), self.press["seconds"]),
            (tr("Press pressure"), self.press["pressure"]),
        ):
            ask(form, words, field)
        self._rows = form
        box.addLayout(form)
        self.about = label("", 8.5, dim=True, wrap=True)
        keep = button(tr("Keep it"), self._keep, "", main=True)
        fill(box, self.about, across(keep, button(tr("Back to the list"), self._leave, ""), SPRING), SPRING)
        return page

    def _suit(self) -> None:
        """Ask for what belongs to the kind alone."""
        process = self.kind.currentData() == "process"
        for field in (self.pressed, self.seen, *self.press.values()):
            self._rows.setRowVisible(field, process)
        self._rows.setRowVisible(self.lot, not process)
        self.about.setText(_ABOUT[str(self.kind.currentData())])

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the materials as they are now."""
        every = self.session.materials.store.all()
        self.title.setText(tr("Materials"))
        count = tr("{n} of your own", n=len(every)) if every else tr("Nothing of your own yet")
        self.state.setText(tr("{count}. What is listed here can be chosen on every condition.", count=count))
        clear(self._list)
        for kind, plural in _PLURAL.items():
            fill(self._list, 4, section(plural))
            mine = [m for m in every if m.kind == kind]
            for material in mine:
                self._list.addWidget(self._tile(material))
            if not mine:
                self._list.addWidget(label(tr("None yet. {about}", about=_ABOUT[kind]), 8.5, dim=True, wrap=True))
        self._list.addStretch()

    def _tile(self, material: Material) -> Tile:
        card = self.session.card
        used = card is not None and material.kind != "process" and getattr(card, material.kind) == material.name
        lines = [tr("Lot {lot}", lot=material.lot) if material.lot else "", material.notes]
        if material.kind == "process":
            p = material.press
            how = units.pressing(p.temperature, p.seconds, p.pressure)
            lines.insert(0, how if material.pressed == "transfer" else tr("straight on the paper"))
        tile = Tile(material.name, [" · ".join(one for one in lines if one)], tr("in use") if used else "")
        use = button(
            tr("Use"), partial(self._use, material), tr("Set the condition in force to {name}", name=material.name)
        )
        use.setEnabled(card is not None and not card.locked)
        row = across(
            button(tr("Take away"), partial(self._remove, material), tr("Conditions keep its name"), quiet=True),
            button(tr("Copy"), partial(self._copy, material), tr("A second one that is much like it"), quiet=True),
            button(tr("Change …"), partial(self._edit, material), tr("Its name, its lot, what is noted")),
            use,
        )
        tile.right.addLayout(row)
        return tile

    # Doing -------------------------------------------------------------------------------------------------------

    def _edit(self, material: Material | None) -> None:
        said = material or Material(kind="media", name="?")
        self._before = material
        self.kind.setCurrentIndex(self.kind.findData(said.kind))
        self.name.setText(material.name if material is not None else "")
        self.lot.setText(said.lot)
        self.notes.setText(said.notes)
        self.pressed.setCurrentIndex(self.pressed.findData(said.pressed))
        self.seen.setCurrentIndex(self.seen.findData(said.seen_from))
        for name, field in self.press.items():
            field.setValue(float(getattr(said.press, name)))
        self._suit()
        self.stack.setCurrentIndex(1)
        self.name.setFocus()

    def _keep(self) -> None:
        press = PressData.model_validate({name: field.value() for name, field in self.press.items()})
        self.guarded(self._kept, press)

    def _kept(self, press: PressData) -> None:
        name = self.name.text().strip()
        if not name:
            raise FideleError(tr("It needs a name: what is it called in your workshop?"))
        made = Material(
            kind=self.kind.currentData(),
            name=name[:120],
            lot=self.lot.text().strip()[:60],
            notes=self.notes.text().strip()[:2000],
            pressed=self.pressed.currentData(),
            seen_from=self.seen.currentData(),
            press=press,
        )
        self.session.materials.keep(made, self._before)
        self._leave()

    def _leave(self) -> None:
        self.stack.setCurrentIndex(0)
        self.refresh()

    def _use(self, material: Material) -> None:
        self.guarded(self.session.materials.use, material)
        self.refresh()

    def _copy(self, material: Material) -> None:
        self._edit(self.session.materials.copy(material))

    def _remove(self, material: Material) -> None:
        self.session.materials.remove(material)
        self.refresh()
