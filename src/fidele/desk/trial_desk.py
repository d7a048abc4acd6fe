"""The route trial: the same chart by several routes, side by side, with what each is worth."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QSizePolicy, QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import across, down, fill, tick
from fidele.desk.labels import button, clear, label
from fidele.desk.outcome import Outcome
from fidele.desk.picture import to_image
from fidele.desk.theme import Theme
from fidele.desk.work import Work
from fidele.session.model import Session
from fidele.session.trials import ROUTES, Leg


class TrialDesk(Desk):
    """Prints, presses and scans one chart by two or three routes, and lays the prints side by side."""

    station = "Route trial"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.trials = session.trials
        head = self.head()
        self.start = button("Print them", self._start, "Print, press and scan the chart by each route", main=True)
        self.back = button("Back to the hand-off", lambda: self.go.emit("Hand-off"))
        for made in (self.start, self.back):
            head.addWidget(made, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self._ways = across(space=18)
        self.box.addLayout(self._ways)
        self.ways: dict[str, QCheckBox] = {}
        self._legs = across(space=16)
        self.box.addLayout(self._legs, 1)
        self._shown: tuple[tuple[Leg, ...], Theme] | None = None

    def refresh(self) -> None:
        """Show which routes can be tried, and the prints of the last trial."""
        possible = self.trials.routes()
        self.title.setText("Does it matter who converts? Print it both ways and see")
        self.state.setText(
            "One labelled chart by each route, on the same media, pressed alike. Each is held against what the profile "
            "predicts. Everything is left as it was found."
            if possible
            else "Routes are compared by what an output profile predicts: choose one for this condition first."
        )
        if tuple(self.ways) != possible:
            clear(self._ways)
            self.ways = {}
            for owner in possible:
                box = tick(ROUTES[owner], changed=lambda _: self._buttons(), on=owner in ("fidele", "driver"))
                self._ways.addWidget(box)
                self.ways[owner] = box
            self._ways.addStretch()
        self._buttons()
        legs = self.trials.legs
        if (legs, self.theme) != self._shown:
            self._shown = (legs, self.theme)
            clear(self._legs)
            for leg in legs:
                self._legs.addWidget(self._leg(leg, min(legs, key=lambda x: x.checked.comparison.mean) is leg), 1)
            if not legs:
                self._legs.addWidget(label("The prints will lie here side by side.", 10.0, dim=True))

    def _buttons(self) -> None:
        chosen = sum(box.isChecked() for box in self.ways.values())
        self.start.setEnabled(chosen >= 2 and not self.work.busy)

    def _leg(self, leg: Leg, best: bool) -> QWidget:
        made = QFrame()
        made.setObjectName("card" if best else "row")
        made.setProperty("strong", best)
        box = down(margins=(10, 8, 10, 10), on=made)
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)
        shown = Outcome()
        shown.theme = self.theme
        small = np.ascontiguousarray((leg.scan[::4, ::4, :3] >> 8).astype(np.uint8))
        c = leg.checked.comparison
        figures = f"mean ΔE00 {c.mean:.1f}, 95th percentile {c.p95:.1f}"
        shown.show_prediction(to_image(small), f"Run {leg.number}: {leg.title}", figures, best)
        shown.setAccessibleName(f"Scan of run {leg.number}: {leg.title}, {figures}")
        fill(box, (shown, 1), label(("Nearest to the proof. " if best else "") + leg.sentence, 9.0, wrap=True))
        card = self.session.card
        if card is not None and card.owner != leg.owner:
            row = QHBoxLayout()
            row.addWidget(button("Take this route", partial(self._take, leg.owner), "It becomes this condition's"))
            row.addStretch()
            box.addLayout(row)
        return made

    def _take(self, owner: str) -> None:
        self.guarded(self.session.handoff.choose_owner, owner)
        self._shown = None
        self.refresh()

    def _start(self) -> None:
        def begin() -> None:
            work = self.trials.trying_routes(tuple(o for o, box in self.ways.items() if box.isChecked()))
            self.work.run("Trying routes: print, press, scan", work, self._done)

        self.guarded(begin)
        self._buttons()

    def _done(self, legs: tuple[Leg, ...]) -> None:
        self.trials.take_routes(legs)
        self.refresh()
