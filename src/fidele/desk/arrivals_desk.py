"""What is at the door: several profiles in one parcel, or another version of one that is on the shelf."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import choice, down
from fidele.desk.labels import button, clear, label
from fidele.desk.tile import Tile, scrolled
from fidele.desk.work import Work
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.papers.fit import Fit, fit
from fidele.papers.guess import guess
from fidele.papers.model import Papers
from fidele.session.model import Session
from fidele.store.shelf import Arrival


class ArrivalsDesk(Desk):
    """Asks which profiles of a delivery to put on the shelf."""

    station = "Arrivals"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        self.put = button(tr("Put on the shelf"), self._put, tr("Those that are ticked"), main=True)
        head.addWidget(self.put, alignment=Qt.AlignmentFlag.AlignTop)
        head.addWidget(
            button(tr("Leave them all"), self._leave, tr("Nothing is put on the shelf")),
            alignment=Qt.AlignmentFlag.AlignTop,
        )
        self.box.addLayout(head)
        inside = QWidget()
        self._list = down(space=7, margins=(0, 0, 8, 0), on=inside)
        self.box.addWidget(scrolled(inside), 1)
        self.ticks: dict[str, QCheckBox] = {}
        self.choices: dict[str, QComboBox] = {}
        self._shown: object = None

    def refresh(self) -> None:
        """Show what waits. Ticks that a person has set stay."""
        delivery = self.session.profiles.pending
        if delivery is self._shown and delivery is not None:
            return
        self._shown = delivery
        clear(self._list)
        self.ticks, self.choices = {}, {}
        if delivery is None:
            self.title.setText(tr("No new profiles"))
            self.state.setText(tr("Drop a profile, a zip or a mail anywhere on this window."))
            self.put.setEnabled(False)
            return
        asked = list({a.id: a for a in delivery.arrivals if a.status in ("new", "other-version")}.values())
        fits = {a.id: self._fit(a) for a in asked}
        asked.sort(key=lambda a: (fits[a.id].rank, a.title.casefold()))
        best = min((f.rank for f in fits.values()), default=2)
        self.title.setText(tr("Which of them?") if len(asked) > 1 else tr("Another version"))
        count = len(asked)
        self.state.setText(
            (
                tr("{count} profiles came together. What fits {wanted} is ticked.", count=count, wanted=self._wanted())
                if count > 1
                else ""
            )
            + (tr(" The leaflets that came with them are kept too.") if delivery.leaflets else "")
        )
        for arrival in asked:
            self._add(arrival, fits[arrival.id], len(asked) == 1 or (fits[arrival.id].rank == best and best < 2))
        there = [a for a in delivery.arrivals if a.status == "already"]
        refused = [(a.title, a.reason) for a in delivery.arrivals if a.status == "refused"] + list(delivery.refused)
        for arrival in there:
            self._list.addWidget(Tile(arrival.title, [arrival.reason], tr("already there")))
        for title, why in refused:
            self._list.addWidget(Tile(title, [why], "refused"))
        if delivery.leaflets:
            names = ", ".join(dict.fromkeys(one.name for one in delivery.leaflets))
            self._list.addWidget(label(tr("With them: {names}", names=names), 8.5, dim=True, wrap=True))
        self._list.addStretch()
        self._count()

    def _wanted(self, in_full: bool = False) -> str:
        if self.session.card is None:
            return tr("the {name}", name=self.session.device.name)
        return tr("the printer, media and piece of the condition in force") if in_full else tr("the condition in force")

    def _fit(self, arrival: Arrival) -> Fit:
        session = self.session
        what = arrival.description
        if what is None:
            return Fit("not")
        said = guess(what, arrival.found.name, session.profiles.known())
        papers = Papers(id=arrival.id, said=said)
        return fit(what, papers, session.profiles.purpose(session.card))

    def _add(self, arrival: Arrival, fits: Fit, ticked: bool) -> None:
        what = arrival.description
        if what is None:
            return
        tick = QCheckBox()
        tick.setAccessibleName(tr("Put {title} on the shelf", title=arrival.title))
        tick.setChecked(ticked)
        tick.toggled.connect(lambda _: self._count())
        self.ticks[arrival.id] = tick
        intents = ", ".join(Intent(i).words for i in what.intents if i != "absolute")
        lines = [
            tr(
                "{class_words}{class_words2}, {colour_space}, version {version}",
                class_words=what.class_words[:1].upper(),
                class_words2=what.class_words[1:],
                colour_space=what.colour_space,
                version=what.version,
            )
            + (tr(", made {made}", made=what.made[:10]) if what.made else "")
            + (f"; {intents}" if intents else "")
            + tr(". {name}, {size:,} bytes.", name=arrival.found.name, size=what.size),
            fits.words if fits.grade != "fits" else tr("Fits {wanted}.", wanted=self._wanted(in_full=True)),
            arrival.reason,
        ]
        mark = {"fits": tr("fits"), "perhaps": tr("may fit"), "not": tr("does not fit")}[fits.grade]
        tile = Tile(arrival.title, lines, mark, before=tick)
        if arrival.status == "other-version":
            way = choice(tr("What to do with {title}", title=arrival.title))
            way.addItem(tr("beside the other"), "put")
            for rival in arrival.rivals:
                if rival.own:
                    way.addItem(tr("in place of {name}", name=rival.path.name), f"instead:{rival.id}")
            way.setToolTip(
                tr("Both can stay; or this one takes the place of the other, in every condition. Undo brings it back.")
            )
            self.choices[arrival.id] = way
            tile.right.addWidget(way)
        self._list.addWidget(tile)

    def _count(self) -> None:
        count = sum(t.isChecked() for t in self.ticks.values())
        self.put.setEnabled(count > 0)
        self.put.setText(tr("Put {count} on the shelf", count=count) if count else tr("Put on the shelf"))

    def _put(self) -> None:
        chosen = {}
        for profile_id, tick in self.ticks.items():
            if tick.isChecked():
                way = self.choices.get(profile_id)
                chosen[profile_id] = way.currentData() if way is not None else "put"
        self.guarded(self._settle, chosen)

    def _leave(self) -> None:
        self.guarded(self._settle, {})

    def _settle(self, chosen: dict[str, str]) -> None:
        results = self.session.profiles.settle(chosen)
        put = {r.id for r in results if r.status in ("installed", "already")}
        first = next((i for i in chosen if i in put), "")
        self.opened.emit(first)
